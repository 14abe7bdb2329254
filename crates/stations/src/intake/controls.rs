//! Weight on control joints of a body.

use crate::intake::finding::counted;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::intake::{move_weight_off, JointRole};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;

/// Weights of the body without those of its control joints, and what that moves.
pub fn without_controls(body: &Body, trials: &TrialSet) -> Result<(Skin, String), WorkshopError> {
    let facts = body.joint_facts();
    let of = |role: JointRole| -> Vec<JointId> {
        let all = facts.iter().enumerate().filter(|(_, f)| f.role == role);
        all.map(|(j, _)| JointId(j as u16)).collect()
    };
    let (controls, deforming) = (of(JointRole::Control), of(JointRole::Deforms));
    let moved = move_weight_off(&body.welded_skin, &controls, &deforming, &body.rest, &body.skeleton)
        .map_err(|source| WorkshopError::Bind { piece: body.name.clone(), source: source.into() })?;
    if moved.vertices.is_empty() {
        return Err(WorkshopError::NothingToCure);
    }
    let mut furthest = 0.0f32;
    let (mut before, mut after) = (body.rest.clone(), body.rest.clone());
    for trial in &trials.trials {
        let matrices = body.skeleton.skin_matrices(&trial.pose);
        linear_blend(&body.rest, &body.welded_skin, &matrices, &mut before);
        linear_blend(&body.rest, &moved.skin, &matrices, &mut after);
        let apart = moved.vertices.iter().map(|&v| before[v as usize].distance(after[v as usize]));
        furthest = furthest.max(apart.fold(0.0, f32::max));
    }
    let note = format!(
        "{} of the body: weight {:.1} moved; in the trial poses the furthest vertex goes {:.1} mm elsewhere",
        counted(moved.vertices.len(), "vertex", "vertices"),
        moved.weight,
        to_mm(furthest)
    );
    Ok((moved.skin, note))
}

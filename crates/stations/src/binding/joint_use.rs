//! Which joints move a piece, how much, and where they have no business to.

use glam::Mat4;
use tin_cloak_core::bind::clean::{difference, drop_strays, strays, BoundMesh};
use tin_cloak_core::skin::SkinError;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;

/// What a joint does on a piece.
#[derive(Clone, Debug, PartialEq)]
pub struct JointUse {
    /// Its name.
    pub name: String,
    /// How deep it is in the tree.
    pub depth: usize,
    /// Vertices it moves.
    pub vertices: usize,
    /// Its share of all weight on the piece, 0 to 1.
    pub share: f32,
    /// How far its stray influence takes the furthest vertex in the trials, millimetres.
    pub harm_mm: f32,
}

/// Asked of a room: which joints move a piece, how much, and where they have no business to.
pub trait JointUseOfRoom {
    /// All joints of the body as they move a piece, down the tree; those that do not move it too.
    ///
    /// # Errors
    /// When the piece is not there or not bound.
    fn joint_use(&self, piece: PieceId) -> Result<Vec<JointUse>, WorkshopError>;
}

impl JointUseOfRoom for Room {
    fn joint_use(&self, piece: PieceId) -> Result<Vec<JointUse>, WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        let (skeleton, piece) = (&self.dress.body.skeleton, &self.dress.pieces[index]);
        let skin = &piece.bound.as_ref().ok_or(WorkshopError::BindFirst)?.skin;
        let mut all: Vec<JointUse> = skeleton
            .names
            .iter()
            .zip(skeleton.depths())
            .map(|(name, depth)| JointUse {
                name: name.clone(),
                depth,
                vertices: 0,
                share: 0.0,
                harm_mm: 0.0,
            })
            .collect();
        let each = 1.0 / skin.vertices().max(1) as f32;
        for (joint, weight) in (0..skin.vertices()).flat_map(|v| skin.row(v)) {
            let entry = &mut all[joint.index()];
            (entry.vertices, entry.share) = (entry.vertices + 1, entry.share + weight * each);
        }
        let (chosen, locked) = (vec![true; piece.rest.len()], vec![false; skeleton.len()]);
        let bound = BoundMesh {
            positions: &piece.rest,
            topology: &piece.topology,
            skin,
            chosen: &chosen,
            locked: &locked,
            most: usize::MAX,
        };
        let poses: Vec<Vec<Mat4>> =
            self.trials.trials.iter().map(|t| skeleton.skin_matrices(&t.pose)).collect();
        let fail = |e: SkinError| WorkshopError::Bind { piece: piece.name.clone(), source: e.into() };
        let found = strays(bound);
        for j in 0..all.len() {
            let own: Vec<_> = found.iter().filter(|s| s.joint == JointId(j as u16)).cloned().collect();
            if !own.is_empty() {
                let without = drop_strays(bound, &own).map_err(fail)?;
                all[j].harm_mm = to_mm(difference(&piece.rest, skin, &without, &poses).furthest);
            }
        }
        Ok(skeleton.down_the_tree().into_iter().map(|j| all[j.index()].clone()).collect())
    }
}

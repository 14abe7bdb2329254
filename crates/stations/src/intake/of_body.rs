//! What is found on a body that comes in.

use crate::intake::calling_turn::{turns_of_clips, TurnOfClips};
use crate::intake::finding::strayed;
use crate::intake::finding::{counted, mm, not_kept, surface, unit_words, Finding, Grade};
use glam::Vec3;
use tin_cloak_core::intake::{guess_body_size, look_over, symmetry, JointRole, SurfaceFacts, Up};
use tin_cloak_core::trial::{Humanoid, Limbs, ShapeTrack};
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::state::fitting::BodyPart;
use tin_cloak_model::state::step::{IntakeStep, Step};

/// Looks over the body of a dress.
pub fn look_over_body(body: &Body) -> Vec<Finding> {
    let mut found = Vec::new();
    found.extend(strayed(&body.rest));
    found.extend(size_of_body(body));
    found.extend(controls_with_weight(body));
    found.extend(idle_limbs(body));
    found.extend(influences(body));
    found.extend(faulty_weights(body));
    found.extend(body.unsound_clips.iter().map(|clip| {
        let text = format!("the clip {} cannot be played: {}; mend it and export again", clip.name, clip.why);
        Finding::new(Grade::Trouble, text)
    }));
    found.extend(in_several_meshes(body));
    found.extend(tracks_kept_only(body));
    found.extend(not_kept(&body.look));
    found.extend(turns_of_clips(body).into_iter().map(|found| {
        let TurnOfClips { shape, turn, fitted } = found;
        let text = format!(
            "{shape} is keyed in the clips as {} turns, {:.1} % off on the mean, {:.0} % at most",
            turn.in_words(),
            fitted.rms * 100.0,
            fitted.most * 100.0
        );
        let step = Step::Intake(IntakeStep::CallUpShape { shape, turn: Some(turn) });
        Finding::new(Grade::Doubt, text).cured_by("Let the turn call it up", step)
    }));
    let facts = look_over(&body.topology, &body.rest);
    found.extend(openings_of_body(&facts));
    found.extend(surface(&facts, &body.rest, &body.topology.triangles, None));
    if !facts.inside_out.is_empty() {
        let text =
            "the body's faces look inward: flip them where it was made, or clearance is measured backwards";
        found.push(Finding::new(Grade::Trouble, text));
    }
    let sides = symmetry(&body.rest);
    let all = body.rest.len();
    found.push(Finding::new(
        Grade::Note,
        format!(
            "{} of {all} vertices have a partner on the other side (plane at x = {}, off by at most {:.2} mm)",
            sides.paired,
            mm(sides.plane),
            to_mm(sides.worst)
        ),
    ));
    let driven: Vec<&str> =
        body.own_shapes().iter().filter(|m| m.driver.is_some()).map(|m| m.name.as_str()).collect();
    let free: Vec<&str> =
        body.own_shapes().iter().filter(|m| m.driver.is_none()).map(|m| m.name.as_str()).collect();
    if !driven.is_empty() {
        let text =
            format!("shapes that the pose calls up, for pieces to follow (Seating): {}", driven.join(", "));
        found.push(Finding::new(Grade::Note, text));
    }
    if !free.is_empty() {
        found.push(Finding::new(
            Grade::Note,
            format!("body shapes, for pieces to follow (Seating): {}", free.join(", ")),
        ));
    }
    found.sort_by_key(|f| f.grade);
    found
}

fn size_of_body(body: &Body) -> Option<Finding> {
    let (scale, up) = guess_body_size(&body.rest)?;
    let (low, high) = tin_cloak_core::mesh::bounds(&body.rest);
    let tall = if up == Up::Z { (high - low).z } else { (high - low).y };
    let lies = if up == Up::Z { "lies on its back (Z is up in its file)" } else { "stands upright" };
    let text = match unit_words(scale) {
        _ if scale == 1.0 => format!("the body {lies}"),
        unit => format!("the body {lies} and is {tall:.2} m tall: it seems to be modelled {unit}"),
    };
    let step = Step::Intake(IntakeStep::SizeBody { scale, up });
    Some(Finding::new(Grade::Trouble, text).cured_by("Bring the body to metres, Y up", step))
}

/// The meshes of its file that most likely are the rest of it.
fn in_several_meshes(body: &Body) -> Vec<Finding> {
    let mut found = Vec::new();
    let (parts, closing) = (body.parts(), body.beside.iter().filter(|b| b.closes));
    let names: Vec<&str> = closing.map(|b| b.name.as_str()).collect();
    if !names.is_empty() {
        let text = format!(
            "{} {} an open edge of the body: most likely the rest of it",
            names.join(", "),
            if names.len() == 1 { "closes" } else { "close" }
        );
        let more = names.iter().map(|name| BodyPart::whole(name));
        let step =
            Step::Intake(IntakeStep::SetBodyParts { parts: parts.iter().cloned().chain(more).collect() });
        found.push(Finding::new(Grade::Doubt, text).cured_by("Join them to one body", step));
    }
    if parts.len() > 1 {
        let names: Vec<&str> = parts.iter().map(|p| p.mesh.as_str()).collect();
        let text = format!("measured as one body, they go out as they came: {}", names.join(", "));
        found.push(Finding::new(Grade::Note, text));
    }
    found
}

/// What its clips key of meshes that are no part of it: no pose has that until they are worn.
fn tracks_kept_only(body: &Body) -> Option<Finding> {
    let of_body = |mesh: &String| body.meshes.iter().any(|m| m.part.mesh == *mesh);
    let keyed = |t: &&ShapeTrack| !of_body(&t.mesh) && t.amounts.iter().any(|a| *a != 0.0);
    let mut names: Vec<&str> =
        body.clips.iter().flat_map(|c| &c.shapes).filter(keyed).map(|t| t.mesh.as_str()).collect();
    names.sort_unstable();
    names.dedup();
    (!names.is_empty()).then(|| {
        let text =
            format!("shapes of {} that are keyed in clips are tried where it is worn", names.join(", "));
        Finding::new(Grade::Note, text)
    })
}

fn controls_with_weight(body: &Body) -> Option<Finding> {
    let facts = body.joint_facts();
    let bad: Vec<usize> =
        (0..facts.len()).filter(|&j| facts[j].role == JointRole::Control && facts[j].vertices > 0).collect();
    let first = *bad.first()?;
    let names: Vec<&str> = bad.iter().map(|&j| body.skeleton.names[j].as_str()).collect();
    let vertices: usize = bad.iter().map(|&j| facts[j].vertices).sum();
    let text = format!(
        "weight on {} is carried by {}: control joints should move no skin",
        counted(vertices, "vertex", "vertices"),
        names.join(", ")
    );
    let moves = |v: &usize| body.welded_skin.row(*v).any(|(j, _)| j.index() == first);
    let place = (0..body.rest.len()).find(moves).map_or(Vec3::ZERO, |v| body.rest[v]);
    Some(
        Finding::new(Grade::Trouble, text)
            .at(place)
            .cured_by("Move it to joints that deform", Step::Intake(IntakeStep::ClearControls)),
    )
}

/// Limb joints that carry nothing while a twist joint beside them does.
fn idle_limbs(body: &Body) -> Option<Finding> {
    let facts = body.joint_facts();
    let person = Humanoid::find(&body.skeleton);
    let limbs = |l: &Limbs| [l.upper_arm, l.lower_arm, l.upper_leg, l.lower_leg];
    let twisted = |j: &JointId| {
        let child = |k: &usize| body.skeleton.parents[*k] == Some(*j) && facts[*k].role == JointRole::Twist;
        (0..facts.len()).filter(child).any(|k| facts[k].vertices > 0)
    };
    let all = limbs(&person.left).into_iter().chain(limbs(&person.right)).flatten();
    let idle: Vec<&str> = all
        .filter(|j| facts[j.index()].vertices == 0 && twisted(j))
        .map(|j| body.skeleton.names[j.index()].as_str())
        .collect();
    (!idle.is_empty()).then(|| {
        let text = format!("no weight on {}: their twist joints carry it, so paint those", idle.join(", "));
        Finding::new(Grade::Note, text)
    })
}

fn influences(body: &Body) -> Option<Finding> {
    let most = body.welded_skin.max_influences();
    let over =
        |limit: usize| (0..body.rest.len()).filter(|&v| body.welded_skin.row(v).count() > limit).count();
    let (four, eight) = (over(4), over(8));
    (four > 0).then(|| {
        let more = if eight > 0 { format!(", {eight} of them more than 8") } else { String::new() };
        let vertices = counted(four, "vertex follows", "vertices follow");
        Finding::new(Grade::Note, format!("{vertices} more than 4 joints (at most {most}){more}"))
    })
}

/// What was put right on reading, so that nobody is surprised.
fn faulty_weights(body: &Body) -> Vec<Finding> {
    let faults = &body.weight_faults;
    let mut found = Vec::new();
    if let Some(&first) = faults.weightless.first() {
        let vertices = counted(faults.weightless.len(), "vertex", "vertices");
        let text = format!("{vertices} had no weight at all: now moved as the nearest vertex that has some");
        found.push(Finding::new(Grade::Doubt, text).at(body.mesh.positions[first as usize]));
    }
    if faults.unnormalised > 0 {
        let vertices = counted(faults.unnormalised, "vertex", "vertices");
        let text = format!("weights at {vertices} did not sum to one: they have been normalised");
        found.push(Finding::new(Grade::Note, text));
    }
    found
}

fn openings_of_body(facts: &SurfaceFacts) -> Vec<Finding> {
    let large: Vec<_> = facts.openings.iter().filter(|o| o.width() > 0.015).collect();
    let one = |o: &&&tin_cloak_core::intake::Opening| {
        let text = format!(
            "the body is open: a hole about {} wide ({} edges); cloth over it falls in",
            mm(o.width()),
            o.vertices.len()
        );
        Finding::new(Grade::Doubt, text).at(o.middle)
    };
    let mut found: Vec<Finding> = large.iter().take(4).map(|o| one(&o)).collect();
    if large.len() > 4 {
        found.push(Finding::new(Grade::Doubt, format!("and {} smaller holes", large.len() - 4)));
    }
    found
}

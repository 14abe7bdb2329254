//! The body's file comes back: the same vertices and joints with other places, weights, shapes or motions.

use crate::making::doing::Doing;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::FileRef;

/// Nearer than this is the same place, metres.
const SAME_PLACE: f32 = 1e-6;
/// A difference of weight below this is none.
const SAME_WEIGHT: f32 = 1e-4;

impl Doing<'_> {
    /// Gives the fitting the body of another file. All that is worn goes by the numbers of its vertices and joints: a
    /// body that has others is another body, for the outfit to be worn on.
    pub fn replace_body(&mut self, source: FileRef) -> Result<String, WorkshopError> {
        let (old, parts) = (self.draft.state.body.clone(), self.draft.state.body_parts.clone());
        let was = self.decoder.body(self.store, &old, &parts)?;
        let is = self.decoder.body(self.store, &source, &parts)?;
        if let Some(why) = other_body(&was, &is) {
            return Err(WorkshopError::OtherBody { file: source.file_name, why });
        }
        let body = was.name.clone();
        let moved = was.rest.iter().zip(&is.rest).filter(|(a, b)| a.distance(**b) > SAME_PLACE).count();
        let weighed = (0..was.rest.len()).filter(|v| has_other_weights(&was, &is, *v)).count();
        let notes = &mut self.draft.notes;
        notes.push(match moved {
            0 => format!("{body}: the same vertices in the same places"),
            n => format!(
                "{body}: the same vertices, {n} of them elsewhere; pieces stay where they are: look at Seating"
            ),
        });
        match (weighed, &self.draft.state.body_skin) {
            (0, _) => {}
            (n, None) => {
                notes.push(format!("{n} vertices have other weights: bind again what is worn (Binding)"))
            }
            (n, Some(_)) => {
                notes.push(format!("{n} vertices have other weights in the file; those changed here stay"));
            }
        }
        let known = |shapes: &Body| shapes.morphs.iter().map(|m| m.name.clone()).collect::<Vec<_>>();
        if known(&was) != known(&is) && self.draft.state.body_amounts.take().is_some() {
            notes.push("its shapes are others: it wears them as the new file says".to_owned());
        }
        let (from, to) = (old.file_name, source.file_name.clone());
        self.draft.state.body = source;
        Ok(match from == to {
            true => format!("Replace the file of {body}"),
            false => format!("Replace the file of {body}: {from} by {to}"),
        })
    }
}

/// Why it is not the same body, if it is not.
fn other_body(was: &Body, is: &Body) -> Option<String> {
    let (old, new) = (was.mesh.positions.len(), is.mesh.positions.len());
    if old != new {
        return Some(format!("it has {new} vertices instead of {old}"));
    }
    if was.mesh.triangles != is.mesh.triangles || was.topology.weld.of_vertex != is.topology.weld.of_vertex {
        return Some("its vertices are numbered or joined otherwise".to_owned());
    }
    let mut joints = was.skeleton.names.iter().zip(&is.skeleton.names);
    if let Some((a, b)) = joints.find(|(a, b)| a != b) {
        return Some(format!("where the joint {a} was it has {b}"));
    }
    let (old, new) = (was.skeleton.len(), is.skeleton.len());
    (old != new).then(|| format!("it has {new} joints instead of {old}"))
}

fn has_other_weights(was: &Body, is: &Body, vertex: usize) -> bool {
    let of = |body: &Body| body.welded_skin.row(vertex).collect::<Vec<_>>();
    let (a, b) = (of(was), of(is));
    let in_it = |row: &[(tin_cloak_core::JointId, f32)], joint| {
        row.iter().filter(|e| e.0 == joint).map(|e| e.1).sum::<f32>()
    };
    a.iter().chain(&b).any(|(j, _)| (in_it(&a, *j) - in_it(&b, *j)).abs() > SAME_WEIGHT)
}

//! Steps on the body and its joints.

use crate::intake::controls::without_controls;
use crate::making::doing::Doing;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::intake::{JointRole, Up};
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::BodyPart;
use tin_cloak_model::state::recipe::{SourcePart, Takes};
use tin_cloak_store::BlobId;

impl Doing<'_> {
    pub fn clear_controls(&mut self) -> Result<String, WorkshopError> {
        let body = &self.room.dress.body;
        let (skin, note) = without_controls(body, &self.room.trials)?;
        self.draft.notes.push(note);
        self.set_body_skin(&skin)?;
        Ok(format!("Move weight of {} off its control joints", body.name))
    }

    pub fn set_body_parts(&mut self, parts: &[BodyPart]) -> Result<String, WorkshopError> {
        let state = &self.room.state;
        let worn = |p: &&BodyPart| {
            state.pieces.iter().any(|w| w.source.file == state.body.file && w.source.mesh == p.mesh)
        };
        if let Some(part) = parts.iter().find(worn) {
            return Err(WorkshopError::BodyIsWorn { mesh: part.mesh.clone() });
        }
        let first =
            parts.first().ok_or_else(|| WorkshopError::NoBodyLeft { mesh: state.body.mesh.clone() })?;
        let body = self.decoder.body(self.store, &state.body, parts)?;
        let whole = parts.len() == 1 && first.shells.is_none() && first.mesh == state.body.mesh;
        self.draft.state.body_parts = if whole { Vec::new() } else { parts.to_vec() };
        self.draft.state.body_amounts = self.amounts_on(&body);
        self.draft.follow_no_shapes(self.room)?;
        if !std::mem::take(&mut self.draft.state.masks).is_empty() {
            self.draft.notes.push("what was hidden of the body is back: hide it again".to_owned());
        }
        // Places on the body that were named by number are elsewhere now.
        for p in &mut self.draft.state.pieces {
            let on_body = matches!(p.recipe.takes, Takes::Body | Takes::Beneath);
            let by_whole =
                matches!(p.recipe.part, SourcePart::Whole | SourcePart::Joints(_) | SourcePart::Side(_));
            if on_body && !by_whole {
                p.recipe.part = SourcePart::Whole;
                let note =
                    format!("{} takes from all of the body again: its part was named by number", p.name());
                self.draft.notes.push(note);
            }
        }
        if !std::mem::take(&mut self.draft.state.body_patches).is_empty() {
            self.draft.notes.push("patches of the body were of the mesh as it was: they are gone".to_owned());
        }
        if std::mem::take(&mut self.draft.state.body_by_hand) {
            let note = "what was changed by hand on the body’s weights is gone: they are its file’s again";
            self.draft.notes.push(note.to_owned());
        }
        if self.draft.state.body_skin.take().is_some() {
            let blob = |id: &BlobId| self.draft.blob(self.store, id);
            let drafted = self.decoder.body_in_state(self.store, &self.draft.state, &blob)?;
            // Where they were never on it there is nothing to do again.
            if let Ok((skin, note)) = without_controls(&drafted, &self.room.trials) {
                self.draft.notes.push(note);
                self.set_body_skin(&skin)?;
            }
        }
        self.draft.notes.push(format!("the body has {} vertices", body.mesh.positions.len()));
        let names = |p: &BodyPart| match &p.shells {
            None => p.mesh.clone(),
            Some(list) => format!("{} of the parts of {}", list.len(), p.mesh),
        };
        Ok(format!("Take as the body {}", parts.iter().map(names).collect::<Vec<_>>().join(", ")))
    }

    /// What the body wears, by the numbers that its shapes have on another that is made of the same file.
    fn amounts_on(&self, other: &Body) -> Option<Vec<f32>> {
        self.room.state.body_amounts.as_ref()?;
        let body = &self.room.dress.body;
        let worn = |(n, shape): (usize, &Morph)| {
            let here = body.own_shapes().iter().position(|m| m.name == shape.name);
            here.and_then(|at| body.amounts.get(at)).or(other.amounts.get(n)).copied().unwrap_or(0.0)
        };
        Some(other.own_shapes().iter().enumerate().map(worn).collect())
    }

    pub fn size_body(&mut self, scale: f32, up: Up) -> Result<String, WorkshopError> {
        if !(1e-4..=1e4).contains(&scale) {
            return Err(WorkshopError::BadPlacement);
        }
        // A body is turned once, from the file's axes; sizes are multiplied.
        let (before, turned) = self.room.state.body_size.unwrap_or((1.0, Up::Y));
        let up = if turned == Up::Z { turned } else { up };
        self.draft.state.body_size = Some((before * scale, up));
        self.draft.follow_no_shapes(self.room)?;
        let name = &self.room.dress.body.name;
        Ok(match up {
            Up::Z => format!("Bring {name} to metres with Y up ({scale} m a unit)"),
            Up::Y => format!("Bring {name} to metres ({scale} m a unit)"),
        })
    }

    pub fn set_role(&mut self, joint: &str, role: JointRole) -> Result<String, WorkshopError> {
        self.is_joint(joint)?;
        self.draft.state.roles.retain(|(name, _)| name != joint);
        self.draft.state.roles.push((joint.to_owned(), role));
        Ok(format!("File {joint} as one that {}", role_words(role)))
    }
}

fn role_words(role: JointRole) -> &'static str {
    match role {
        JointRole::Deforms => "deforms",
        JointRole::Twist => "twists",
        JointRole::Control => "controls",
        JointRole::Attachment => "holds things",
        JointRole::Carries => "carries others",
    }
}

//! Steps that mirror a piece, or copy it to the other side.

use crate::error::WorkshopError;
use crate::making::doing::Doing;
use crate::state::blobs::pack_positions;
use crate::state::fitting::Cut;
use crate::state::names::PieceId;
use crate::state::own_joint::OwnJoint;
use crate::state::recipe::{FollowWish, Recipe, SourcePart};
use glam::Vec3;
use tin_cloak_core::intake::{mirror_partner, symmetry};
use tin_cloak_store::BlobId;

impl Doing<'_> {
    /// The body's own plane of symmetry: x, metres.
    fn plane(&self) -> f32 {
        symmetry(&self.room.dress.body.rest).plane
    }

    /// The mirror image of a piece as it is now: its cut and its shape.
    fn image(&mut self, piece: PieceId) -> Result<(Cut, BlobId), WorkshopError> {
        let plane = self.plane();
        let (index, worn) = self.worn_piece(piece)?;
        let image: Vec<Vec3> = worn.rest.iter().map(|p| Vec3::new(2.0 * plane - p.x, p.y, p.z)).collect();
        let cut = self.room.piece_state(index).cut.clone();
        Ok((Cut { mirrored: !cut.mirrored, ..cut }, self.draft.keep(pack_positions(&image))))
    }

    /// The recipe of the mirror image of a piece: each joint for its partner, each side for the other.
    fn other_recipe(&mut self, piece: PieceId) -> Result<Recipe, WorkshopError> {
        let mut recipe = self.draft.piece(piece)?.recipe.clone();
        let other = |name: &String| self.other_joint(name);
        let across = |list: &mut Vec<String>| list.iter_mut().for_each(|n| *n = other(n));
        recipe.joints.iter_mut().for_each(|c| across(&mut c.joints));
        recipe.options.ends.iter_mut().flatten().for_each(|n| *n = other(n));
        for (_, follow) in &mut recipe.follows {
            if let FollowWish::Joint(name) = follow {
                *name = other(name);
            }
        }
        recipe.sides.iter_mut().for_each(|s| s.side = s.side.opposite());
        match &mut recipe.part {
            SourcePart::Joints(list) => across(list),
            SourcePart::Side(side) => *side = side.opposite(),
            // A patch of the source is not where the image is.
            SourcePart::Patch(_) => recipe.part = SourcePart::Whole,
            SourcePart::Whole | SourcePart::Shells(_) => {}
        }
        Ok(recipe)
    }

    /// The joint on the other side; of the middle its own.
    fn other_joint(&self, name: &str) -> String {
        let skeleton = &self.room.dress.body.skeleton;
        let partner = skeleton.find(name).and_then(|j| mirror_partner(skeleton, j));
        partner.map_or_else(|| name.to_owned(), |p| skeleton.names[p.index()].clone())
    }

    /// The mirror images of a piece's own joints, under their old names.
    fn images_of_joints(&self, piece: PieceId) -> Vec<OwnJoint> {
        let plane = self.plane();
        let image = |p: Vec3| Vec3::new(2.0 * plane - p.x, p.y, p.z);
        let own = self.draft.state.joints.iter().filter(|j| j.piece == piece);
        let one = |j: &OwnJoint| OwnJoint {
            parent: self.other_joint(&j.parent),
            place: image(j.place),
            tip: image(j.tip),
            // An axis of turning is an axial vector.
            axis: Vec3::new(j.axis.x, -j.axis.y, -j.axis.z),
            ..j.clone()
        };
        own.map(one).collect()
    }

    pub fn mirror(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let (cut, rest) = self.image(piece)?;
        let recipe = self.other_recipe(piece)?;
        let p = self.draft.piece(piece)?;
        (p.cut, p.rest, p.bound, p.recipe) = (cut, Some(rest), None, recipe);
        for image in self.images_of_joints(piece) {
            self.draft
                .state
                .joints
                .iter_mut()
                .filter(|j| j.name == image.name)
                .for_each(|j| *j = image.clone());
        }
        let p = self.draft.piece(piece)?;
        Ok(format!("Mirror {}", p.name()))
    }

    pub fn copy_mirrored(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let (cut, rest) = self.image(piece)?;
        let recipe = self.other_recipe(piece)?;
        let id = self.draft.state.next_piece;
        let mut copy = self.draft.piece(piece)?.clone();
        let name = copy.name().to_owned();
        copy.own_name = Some(other_side(&name));
        (copy.id, copy.cut, copy.rest, copy.bound, copy.recipe) = (id, cut, Some(rest), None, recipe);
        copy.limits.clear();
        let images = self.images_of_joints(piece);
        for image in &images {
            let name = other_side(&image.name);
            if self.room.dress.body.skeleton.find(&name).is_some() {
                return Err(WorkshopError::JointThere { joint: name });
            }
            let own = images.iter().find(|i| i.name == image.parent);
            let parent = own.map_or_else(|| image.parent.clone(), |i| other_side(&i.name));
            self.draft.state.joints.push(OwnJoint { name: name.clone(), parent, piece: id, ..image.clone() });
            for (_, follow) in &mut copy.recipe.follows {
                if *follow == FollowWish::Joint(image.name.clone()) {
                    *follow = FollowWish::Joint(name.clone());
                }
            }
        }
        self.draft.state.next_piece += 1;
        let sentence = format!("Copy {name} to the other side");
        self.draft.state.pieces.push(copy);
        Ok(sentence)
    }
}

/// A piece's name on the other side.
fn other_side(name: &str) -> String {
    const SIDES: [(&str, &str); 3] = [("left", "right"), ("Left", "Right"), ("LEFT", "RIGHT")];
    for (left, right) in SIDES {
        for (from, to) in [(left, right), (right, left)] {
            if name.contains(from) {
                return name.replacen(from, to, 1);
            }
        }
    }
    format!("{name}, other side")
}

#[cfg(test)]
mod tests {
    use super::other_side;

    #[test]
    fn a_name_changes_sides() {
        assert_eq!(other_side("left pauldron"), "right pauldron");
        assert_eq!(other_side("GauntletRight"), "GauntletLeft");
        assert_eq!(other_side("pouch"), "pouch, other side");
    }
}

//! Steps that put pieces on, take them off and sort them.

use super::{kind_word, Doing};
use crate::intake::unseen;
use crate::own_joints::brought;
use crate::rooms::{pack_bound, pack_indices, pack_positions, unpack_indices};
use crate::steps::{Cut, FileRef, PieceId, PieceState};
use crate::{Bound, FollowWish, OwnJoint, Piece, PieceKind, Recipe, SourcePart, Takes, WorkshopError};
use glam::Vec3;
use tin_cloak_core::intake::{mirror_partner, symmetry, Place};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_store::BlobId;

impl Doing<'_> {
    pub fn add_piece(
        &mut self,
        (file, file_name, mesh): (&BlobId, &str, &str),
        layer: u16,
        kind: PieceKind,
    ) -> Result<String, WorkshopError> {
        checked_layer(layer)?;
        let source = FileRef { file: file.clone(), file_name: file_name.to_owned(), mesh: mesh.to_owned() };
        let id = self.draft.state.next_piece;
        let mut piece = PieceState::new(id, source, layer, kind);
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let (part, skeleton) = self.rooms.rigged_part(&blob, &piece.source)?;
        piece.place = part.mark.as_ref().and_then(|m| Place::of_word(m.place.as_ref()?));
        let own = brought(&part, skeleton.as_ref(), &self.room.dress.body.skeleton, id);
        for joint in own.joints {
            // A piece is not refused for a joint that cannot be used.
            if let Err(why) = joint.checked(&self.with_joints_so_far()?) {
                self.draft.notes.push(format!("{mesh} brings the joint {}, left out: {why}", joint.name));
                continue;
            }
            let note = format!("{mesh} brings the joint {} under {}", joint.name, joint.parent);
            self.draft.notes.push(note);
            self.draft.state.joints.push(joint);
        }
        let taken = |follow: &FollowWish| match follow {
            FollowWish::Joint(name) => self.draft.state.joints.iter().any(|j| j.name == *name),
            FollowWish::Main | FollowWish::Blend | FollowWish::Patch => true,
        };
        piece.recipe.follows = own.follows.into_iter().filter(|f| taken(&f.1)).collect();
        self.draft.state.next_piece += 1;
        self.draft.state.pieces.push(piece);
        Ok(format!("Add {mesh} on layer {layer}"))
    }

    /// The skeleton of the draft.
    fn with_joints_so_far(&self) -> Result<Skeleton, WorkshopError> {
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        Ok(self.rooms.body_in_state(self.store, &self.draft.state, &blob)?.skeleton.clone())
    }

    pub fn remove_piece(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let name = self.draft.piece(piece)?.name().to_owned();
        self.draft.state.pieces.retain(|p| p.id != piece);
        self.remove_joints_of(piece)?;
        for p in &mut self.draft.state.pieces {
            if p.recipe.takes == Takes::Cage(piece) {
                // The weights it has are ordinary ones: they stay.
                p.recipe.takes = Takes::Body;
            }
            if let Takes::Pieces(list) = &mut p.recipe.takes {
                let first = list.first().copied();
                list.retain(|id| *id != piece);
                // Numbers of parts and vertices were those of the first source.
                if first == Some(piece) {
                    p.recipe.part = SourcePart::Whole;
                }
                if list.is_empty() {
                    p.recipe.takes = Takes::Body;
                }
            }
        }
        Ok(format!("Take off {name}"))
    }

    pub fn move_to_layer(&mut self, piece: PieceId, layer: u16) -> Result<String, WorkshopError> {
        checked_layer(layer)?;
        let p = self.draft.piece(piece)?;
        p.layer = layer;
        Ok(format!("Move {} to layer {layer}", p.name()))
    }

    pub fn put_over(&mut self, piece: PieceId, over: Option<PieceId>) -> Result<String, WorkshopError> {
        let name = self.draft.piece(piece)?.name().to_owned();
        let beneath = match over {
            Some(other) => {
                let p = self.draft.piece(other)?;
                Some((p.layer, p.name().to_owned()))
            }
            None => None,
        };
        let layer = beneath.as_ref().map_or(0, |b| b.0) + 1;
        checked_layer(layer)?;
        let others = || self.draft.state.pieces.iter().filter(|p| p.id != piece);
        // Pieces further out make room only when they must.
        if others().any(|p| p.layer == layer) {
            if others().any(|p| p.layer >= 99) {
                return Err(WorkshopError::BadLayer);
            }
            let further = |p: &&mut PieceState| p.id != piece && p.layer >= layer;
            self.draft.state.pieces.iter_mut().filter(further).for_each(|p| p.layer += 1);
        }
        self.draft.piece(piece)?.layer = layer;
        Ok(match beneath {
            Some((_, other)) => format!("Put {name} over {other}, on layer {layer}"),
            None => format!("Put {name} next to the skin"),
        })
    }

    pub fn set_kind(&mut self, piece: PieceId, kind: PieceKind) -> Result<String, WorkshopError> {
        let p = self.draft.piece(piece)?;
        (p.kind, p.bound) = (kind, None);
        Ok(format!("File {} as {}", p.name(), kind_word(kind)))
    }

    pub fn set_place(&mut self, piece: PieceId, place: Place) -> Result<String, WorkshopError> {
        let p = self.draft.piece(piece)?;
        p.place = Some(place);
        Ok(format!("File {} under {}", p.name(), place.word()))
    }

    pub fn set_shell(&mut self, piece: PieceId, shell: u32, stiff: bool) -> Result<String, WorkshopError> {
        let parts = self.worn_piece(piece)?.1.topology.shells;
        if shell as usize >= parts {
            return Err(WorkshopError::Missing { what: "part", id: i64::from(shell) });
        }
        let p = self.draft.piece(piece)?;
        p.shells.retain(|s| s.0 != shell);
        p.shells.push((shell, stiff));
        p.shells.sort_unstable();
        p.bound = None;
        let word = if stiff { "stiff" } else { "cloth" };
        Ok(format!("File part {} of {} as {word}", shell + 1, p.name()))
    }

    pub fn leave_out_unseen(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let faces = unseen(&self.room.dress.body, worn);
        if faces.is_empty() || faces.len() == worn.topology.triangles.len() {
            return Err(WorkshopError::NothingUnseen { piece: worn.name.clone() });
        }
        let before = worn.clone();
        let mut left_out: Vec<u32> = faces.iter().map(|&f| before.kept.faces[f as usize]).collect();
        let state = self.room.piece_state(index);
        if let Some(id) = &state.cut.left_out {
            left_out.extend(unpack_indices(&self.draft.blob(self.store, id)?));
        }
        left_out.sort_unstable();
        let cut = Cut { left_out: Some(self.draft.keep(pack_indices(&left_out))), ..state.cut.clone() };
        let state = PieceState { cut, ..state.clone() };
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let after = self.rooms.piece(&blob, &state, (&self.room.state, &self.room.dress.body))?;
        let left = left_over(&before, &after);
        let p = self.keep_left_over(&before, state, &after, &left)?;
        let name = p.name().to_owned();
        let note = format!("{name}: {} faces left out, {} in all", faces.len(), left_out.len());
        self.draft.notes.push(note);
        Ok(format!("Leave out what nobody sees of {name}"))
    }

    /// Shape, weights and parts of what is left of a piece; `left` has the vertex before of each
    /// vertex after, welded ones.
    fn keep_left_over(
        &mut self,
        before: &Piece,
        mut state: PieceState,
        after: &Piece,
        left: &[u32],
    ) -> Result<&PieceState, WorkshopError> {
        let rest: Vec<Vec3> = left.iter().map(|&v| before.rest[v as usize]).collect();
        state.rest = Some(self.draft.keep(pack_positions(&rest)));
        if let Some(bound) = &before.bound {
            let bound = Bound { skin: bound.skin.pick(left), ..bound.clone() };
            state.bound = Some(self.draft.keep(pack_bound(&bound)?));
        }
        let was = |v: usize| before.topology.shell_of_vertex[left[v] as usize];
        let mut shells: Vec<(u32, bool)> = (0..left.len())
            .filter_map(|v| {
                let known = state.shells.iter().find(|s| s.0 == was(v))?;
                Some((after.topology.shell_of_vertex[v], known.1))
            })
            .collect();
        shells.sort_unstable();
        shells.dedup();
        state.shells = shells;
        // What was said of parts and places goes by their new numbers.
        let new_part =
            |old: u32| (0..left.len()).find(|&v| was(v) == old).map(|v| after.topology.shell_of_vertex[v]);
        let follows = std::mem::take(&mut state.recipe.follows);
        state.recipe.follows = follows
            .into_iter()
            .filter_map(|(part, follow)| match part {
                None => Some((None, follow)),
                Some(old) => Some((Some(new_part(old)?), follow)),
            })
            .collect();
        state.recipe.sides.retain_mut(|side| {
            let new = left.iter().position(|&v| v == side.vertex);
            side.vertex = new.map_or(0, |v| v as u32);
            new.is_some()
        });
        for other in &mut self.draft.state.pieces {
            // Others that take a part of it by number take all of it again.
            let by_number = matches!(other.recipe.part, SourcePart::Shells(_) | SourcePart::Patch(_));
            if by_number && other.recipe.takes.pieces().first() == Some(&state.id) {
                other.recipe.part = SourcePart::Whole;
            }
        }
        let piece = self.draft.piece(state.id)?;
        *piece = state;
        Ok(piece)
    }

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

fn checked_layer(layer: u16) -> Result<(), WorkshopError> {
    if (1..=99).contains(&layer) {
        Ok(())
    } else {
        Err(WorkshopError::BadLayer)
    }
}

/// The vertex before of each vertex after, welded ones.
fn left_over(before: &Piece, after: &Piece) -> Vec<u32> {
    let weld = &after.topology.weld;
    let file = |w: usize| after.kept.vertices[weld.members.row(w)[0] as usize];
    // What is left was there before.
    let split = |w: usize| before.kept.vertices.binary_search(&file(w)).unwrap_or(0);
    (0..weld.count()).map(|w| before.topology.weld.of_vertex[split(w)]).collect()
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

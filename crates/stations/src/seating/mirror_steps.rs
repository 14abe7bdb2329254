//! Steps that mirror a piece, or copy it to the other side.

use crate::making::doing::Doing;
use glam::Vec3;
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::JointId;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_bound, pack_positions};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::choice::to_other_side;
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::clean::Cleaned;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::own_joint::OwnJoint;
use tin_cloak_model::state::recipe::{FollowWish, Recipe, SourcePart};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_store::BlobId;

/// A joint no further from the plane of symmetry than this lies in the middle, metres.
const MIDDLE: f32 = 0.02;

impl Doing<'_> {
    /// The body's own plane of symmetry: x, metres.
    fn plane(&self) -> f32 {
        self.room.dress.body.plane()
    }

    /// The mirror image of a piece as it is now: its cut, its shape, its shapes, its recipe and what was
    /// cleaned; its weights are left to be settled.
    fn image(&mut self, piece: PieceId) -> Result<PieceState, WorkshopError> {
        let plane = self.plane();
        let (index, worn) = self.worn_piece(piece)?;
        let across = |p: &Vec3| Vec3::new(2.0 * plane - p.x, p.y, p.z);
        let image: Vec<Vec3> = worn.bare().iter().map(across).collect();
        let all = worn.rest.len();
        let offsets = worn.shapes.iter().flat_map(|s| s.mirrored().to_dense(all)).collect::<Vec<_>>();
        let mut state = self.room.piece_state(index).clone();
        state.cut.mirrored = !state.cut.mirrored;
        if state.shapes.is_some() {
            state.shapes = Some(self.draft.keep(pack_positions(&offsets)));
        }
        self.draft.notes.extend(state.drop_made_shapes());
        state.rest = Some(self.draft.keep(pack_positions(&image)));
        state.recipe = self.other_recipe(piece)?;
        state.cleaned.iter_mut().for_each(|c| self.clean_other_side(c));
        for patch in &mut state.patches {
            to_other_side(&mut patch.picks, &|joint| self.other_joint(joint));
        }
        Ok(state)
    }

    /// What was cleaned, on the other side.
    fn clean_other_side(&self, cleaned: &mut Cleaned) {
        let across = |list: &mut Vec<String>| list.iter_mut().for_each(|n| *n = self.other_joint(n));
        across(&mut cleaned.locked);
        if let Chosen::Picks(picks) = &mut cleaned.chosen {
            to_other_side(picks, &|joint| self.other_joint(joint));
        }
        if let Clean::Mirror { from_left, .. } = &mut cleaned.clean {
            *from_left = !*from_left;
        }
        cleaned.clean.joints_mut().into_iter().for_each(|n| *n = self.other_joint(n));
    }

    /// The weights of a piece for its mirror image: each joint for its partner. None when a joint that
    /// moves it has no partner and does not lie in the middle.
    fn weights_across(&mut self, piece: PieceId) -> Result<Option<BlobId>, WorkshopError> {
        let (plane, body) = (self.plane(), &self.room.dress.body);
        let Some(bound) = self.worn_piece(piece)?.1.bound.clone() else { return Ok(None) };
        let places = body.skeleton.rest_positions();
        let own = |j: JointId| body.own_joints.iter().any(|o| o.name == body.skeleton.names[j.index()]);
        let middle = |j: JointId| (places[j.index()].x - plane).abs() < MIDDLE;
        let partner = |j: JointId| mirror_partner(&body.skeleton, j);
        let used = |j: &JointId| bound.skin.column(*j).iter().any(|w| *w > 0.0);
        let mut all = (0..body.skeleton.len()).map(|j| JointId(j as u16)).filter(used);
        if !all.all(|j| partner(j).is_some() || own(j) || middle(j)) {
            return Ok(None);
        }
        let fail = |e: tin_cloak_core::skin::SkinError| WorkshopError::Bind {
            piece: body.name.clone(),
            source: e.into(),
        };
        let skin = bound.skin.renumbered(|j| partner(j).unwrap_or(j), body.skeleton.len()).map_err(fail)?;
        Ok(Some(self.draft.keep(pack_bound(&Bound { skin, ..(*bound).clone() })?)))
    }

    /// The recipe of the mirror image of a piece: each joint for its partner, each side for the other.
    fn other_recipe(&mut self, piece: PieceId) -> Result<Recipe, WorkshopError> {
        let mut recipe = self.draft.piece(piece)?.recipe.clone();
        recipe.joints_mut().for_each(|n| *n = self.other_joint(n));
        recipe.sides.iter_mut().for_each(|s| s.side = s.side.opposite());
        match &mut recipe.part {
            SourcePart::Side(side) => *side = side.opposite(),
            // A patch of the source is not where the image is.
            SourcePart::Patch(_) | SourcePart::Vertices(_) | SourcePart::Kept(_) => {
                recipe.part = SourcePart::Whole;
            }
            SourcePart::Whole | SourcePart::Joints(_) | SourcePart::Shells(_) => {}
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
        let image = self.image(piece)?;
        *self.draft.piece(piece)? = image;
        // What nobody saw of it lies on the other side now.
        self.draft.state.masks.retain(|m| m.of != piece);
        for image in self.images_of_joints(piece) {
            self.draft
                .state
                .joints
                .iter_mut()
                .filter(|j| j.name == image.name)
                .for_each(|j| *j = image.clone());
        }
        let weights = self.settle_image(piece, piece)?;
        Ok(format!("Mirror {}{weights}", self.draft.piece(piece)?.name()))
    }

    /// The weights of the mirror image `of` a piece; the end of the step's sentence.
    fn settle_image(&mut self, of: PieceId, image: PieceId) -> Result<&'static str, WorkshopError> {
        match self.weights_across(of)? {
            Some(weights) => {
                self.draft.piece(image)?.bound = Some(weights);
                Ok("; its weights are mirrored")
            }
            None => self.bound_again(image),
        }
    }

    pub fn copy_mirrored(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let id = self.draft.state.next_piece;
        let mut copy = self.image(piece)?;
        let name = copy.name().to_owned();
        copy.own_name = Some(other_side(&name));
        copy.id = id;
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
        self.draft.state.pieces.push(copy);
        // Joints of its own have other numbers.
        let weights = if images.is_empty() { self.settle_image(piece, id)? } else { self.bound_again(id)? };
        Ok(format!("Copy {name} to the other side{weights}"))
    }
}

/// A piece's name on the other side.
pub fn other_side(name: &str) -> String {
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

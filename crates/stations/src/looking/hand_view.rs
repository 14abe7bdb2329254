//! What a change of weights by hand would do, before it is made.

use crate::binding::cleaning::cleaned;
use crate::looking::maps::{MapKind, MapsOfRoom};
use crate::looking::view::{ViewOfRoom, ViewRequest};
use tin_cloak_core::deform::{add_morphs, linear_blend};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::dress::trials::{Trial, TrialSet};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::clean::Cleaned;
use tin_cloak_model::state::names::PieceId;

/// Asked of a room: what a change of weights by hand would do, before it is made.
pub trait HandViewOfRoom {
    /// A piece with its weights changed, in the pose of `request`, with the map of the joint that is looked at, and
    /// what would be said of it.
    ///
    /// # Errors
    /// As making the change.
    fn hand_view(
        &self,
        piece: PieceId,
        what: &Cleaned,
        request: &ViewRequest,
    ) -> Result<(ViewPart, Vec<String>), WorkshopError>;
}

impl HandViewOfRoom for Room {
    fn hand_view(
        &self,
        piece: PieceId,
        what: &Cleaned,
        request: &ViewRequest,
    ) -> Result<(ViewPart, Vec<String>), WorkshopError> {
        let worn = self.weighted(piece)?;
        let bound = worn.bound.as_ref().ok_or(WorkshopError::BindFirst)?;
        let pose = self.pose_with(request.pose, &request.turns, &request.shapes)?;
        // Told of the pose that is looked at alone: under a brush nobody waits for all of them.
        let turned = self.pose_of(request.pose, &request.turns)?;
        let shown = Trial { pose: turned, ..self.trials.trials[request.pose].clone() };
        let shown = TrialSet { trials: vec![shown], ..TrialSet::default() };
        let source = |part| self.taken_from(worn.index(), part);
        let (skin, notes) = cleaned(&worn, &bound.skin, &source, &self.dress.body, &shown, what)?;
        let mut shaped = worn.rest.to_vec();
        match worn.index() {
            Some(index) => add_morphs(&mut shaped, &self.dress.shapes_of(index), &pose.amounts),
            None => add_morphs(&mut shaped, &self.dress.body.welded_morphs, &pose.amounts),
        }
        let mut welded = shaped.clone();
        linear_blend(&shaped, &skin, &pose.matrices, &mut welded);
        let weld = &worn.topology.weld;
        let map = match (request.map, worn.index()) {
            (MapKind::Weights, _) => Some(skin.column(JointId(request.joint))),
            (MapKind::Clearance, Some(index)) => {
                Some(self.clearance_moved(&*self.posed_by_hand(request)?, index, &welded))
            }
            _ => None,
        };
        let positions = weld.scatter(&welded);
        let normals = worn.shading.normals(&positions);
        Ok((ViewPart { id: piece, positions, normals, map: map.map(|m: Vec<f32>| weld.scatter(&m)) }, notes))
    }
}

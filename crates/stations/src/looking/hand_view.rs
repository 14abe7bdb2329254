//! What a change of weights by hand would do, before it is made.

use crate::binding::cleaning::cleaned;
use crate::looking::maps::MapKind;
use crate::looking::view::ViewRequest;
use tin_cloak_core::deform::linear_blend;
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
        let pose = self.joints_in(request.pose, &request.turns)?;
        // Told of the pose that is looked at alone: under a brush nobody waits for all of them.
        let turned = self.pose_of(request.pose, &request.turns)?;
        let shown = Trial { pose: turned, ..self.trials.trials[request.pose].clone() };
        let shown = TrialSet { trials: vec![shown], ..TrialSet::default() };
        let (skin, notes) =
            cleaned((&worn, &bound.skin, &|| self.beneath(worn.index())), (&self.dress.body, &shown), what)?;
        let mut positions = worn.rest.to_vec();
        linear_blend(&worn.rest, &skin, &pose.matrices, &mut positions);
        let weld = &worn.topology.weld;
        let positions = weld.scatter(&positions);
        let normals = worn.shading.normals(&positions);
        let map =
            (request.map == MapKind::Weights).then(|| weld.scatter(&skin.column(JointId(request.joint))));
        Ok((ViewPart { id: piece, positions, normals, map }, notes))
    }
}

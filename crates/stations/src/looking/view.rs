//! Looking at a fitting: posed meshes with a map on them.

use crate::looking::maps::MapKind;
use crate::looking::maps::MapsOfRoom;
use crate::looking::regions::RegionsOfRoom;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use tin_cloak_core::JointId;
use tin_cloak_measure::measuring::cells::PoseCells;
use tin_cloak_measure::measuring::posed::Posed;
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::turn::Turn;

/// A pose and a map to look at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ViewRequest {
    /// Index of a trial pose; 0 is rest.
    #[serde(default)]
    pub pose: usize,
    /// Joints turned by hand.
    #[serde(default)]
    pub turns: Vec<Turn>,
    /// Shapes of the body called up by hand, besides those of the pose: number and amount.
    #[serde(default)]
    pub shapes: Vec<(usize, f32)>,
    /// The map.
    #[serde(default)]
    pub map: MapKind,
    /// The joint of a weight map.
    #[serde(default)]
    pub joint: u16,
}

impl ViewRequest {
    /// True when nothing was done to the pose by hand.
    pub fn is_as_tried(&self) -> bool {
        self.turns.is_empty() && self.shapes.is_empty()
    }
}

/// Asked of a room: looking at a fitting: posed meshes with a map on them.
pub trait ViewOfRoom {
    /// Everything in the pose that is looked at.
    ///
    /// # Errors
    /// When the pose, a joint or a shape is not there.
    fn posed_by_hand(&self, request: &ViewRequest) -> Result<Arc<Posed>, WorkshopError>;

    /// The map of body and pieces in a pose, over welded vertices; `known` as for the clearance map.
    fn welded_maps(
        &self,
        request: &ViewRequest,
        known: Option<&PoseCells>,
    ) -> Result<Vec<Option<Vec<f32>>>, WorkshopError>;

    /// Body and pieces in a pose, with a map.
    ///
    /// # Errors
    /// When the pose or joint is not there.
    fn view(&self, request: &ViewRequest) -> Result<Vec<ViewPart>, WorkshopError>;
}

impl ViewOfRoom for Room {
    fn posed_by_hand(&self, request: &ViewRequest) -> Result<Arc<Posed>, WorkshopError> {
        self.posed_with(request.pose, &request.turns, &request.shapes)
    }

    fn welded_maps(
        &self,
        request: &ViewRequest,
        known: Option<&PoseCells>,
    ) -> Result<Vec<Option<Vec<f32>>>, WorkshopError> {
        if usize::from(request.joint) >= self.dress.body.skeleton.len() {
            return Err(WorkshopError::Missing { what: "joint", id: i64::from(request.joint) });
        }
        if request.pose >= self.trials.trials.len() {
            return Err(WorkshopError::Missing { what: "pose", id: request.pose as i64 });
        }
        Ok(match request.map {
            MapKind::Plain => vec![None; self.dress.pieces.len() + 1],
            MapKind::Weights => self.weight_maps(JointId(request.joint)),
            MapKind::Regions => self.region_maps(),
            MapKind::Matched => self.matched_maps(),
            MapKind::Hidden => self.hidden_maps(),
            MapKind::Sides => self.side_maps(),
            MapKind::Turned => self.turned_maps(),
            MapKind::Strain => self.strain_maps(&*self.posed_by_hand(request)?),
            MapKind::Clearance => {
                let mut maps = self.clearance_maps(&*self.posed_by_hand(request)?, known);
                if request.pose == 0 && request.is_as_tried() {
                    self.add_rest_gaps(&mut maps);
                }
                maps
            }
        })
    }

    fn view(&self, request: &ViewRequest) -> Result<Vec<ViewPart>, WorkshopError> {
        let posed = self.posed_by_hand(request)?;
        let maps = self.welded_maps(request, None)?;
        Ok(maps
            .into_par_iter()
            .enumerate()
            .map(|(i, map)| {
                let (id, weld, welded, shading) = match i.checked_sub(1) {
                    None => (0, &self.dress.body.topology.weld, &posed.body, &self.dress.body.shading),
                    Some(p) => {
                        let piece = &self.dress.pieces[p];
                        (self.piece_state(p).id, &piece.topology.weld, &posed.pieces[p], &*piece.shading)
                    }
                };
                let positions = weld.scatter(welded);
                let normals = shading.normals(&positions);
                ViewPart { id, positions, normals, map: map.map(|m: Vec<f32>| weld.scatter(&m)) }
            })
            .collect())
    }
}

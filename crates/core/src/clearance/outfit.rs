//! A body and the pieces on it, bound and at rest, ready to be measured in any pose.

use super::{covered_vertices, CoverageSettings, Covering, Walls};
use crate::deform::{add_morphs, Morph};
use crate::mesh::Topology;
use crate::skin::Skin;
use crate::LayerIndex;
use glam::Vec3;
use std::sync::Arc;

/// One layer: the body or a bound piece, over welded vertices.
#[derive(Clone, Debug)]
pub struct Layer {
    /// Its place in the pile; 0 is the body.
    pub layer: LayerIndex,
    /// Adjacency.
    pub topology: Arc<Topology>,
    /// Rest positions, metres.
    pub rest: Vec<Vec3>,
    /// Skin weights.
    pub skin: Skin,
    /// Which faces are measured.
    pub walls: Arc<Walls>,
    /// True when it must move as a whole.
    pub stiff: bool,
    /// Shapes over welded vertices, driven by the pose (correctives); most layers have none.
    pub morphs: Vec<Morph>,
}

impl Layer {
    /// Rest positions with shapes added by `amounts` (one a morph; missing ones are 0).
    pub fn shaped(&self, amounts: &[f32]) -> Vec<Vec3> {
        let mut positions = self.rest.clone();
        add_morphs(&mut positions, &self.morphs, amounts);
        positions
    }
}

/// An outer layer over an inner one, and which inner vertices it covers.
#[derive(Clone, Debug, PartialEq)]
pub struct Pair {
    /// Index of the outer layer in the outfit.
    pub outer: usize,
    /// Index of the inner layer.
    pub inner: usize,
    /// Covered welded vertices of the inner layer, ascending.
    pub covered: Vec<u32>,
}

/// Body first, then the pieces from the inside out.
#[derive(Clone, Debug)]
pub struct Outfit {
    /// The layers; the first is the body.
    pub layers: Vec<Layer>,
    /// Every pair in which something is covered.
    pub pairs: Vec<Pair>,
}

impl Outfit {
    /// Finds which layers lie over which, at rest. Pieces on the same layer make no pair.
    pub fn new(layers: Vec<Layer>, settings: CoverageSettings) -> Self {
        let posed: Vec<_> = layers
            .iter()
            .map(|l| (l.walls.towards_body.pose(&l.rest), l.walls.away_from_body.as_ref().map(|s| s.pose(&l.rest))))
            .collect();
        let mut pairs = Vec::new();
        for outer in 1..layers.len() {
            for inner in 0..outer {
                if layers[inner].layer >= layers[outer].layer {
                    continue;
                }
                let (below, above) = (&layers[inner], &layers[outer]);
                let (inside, outside) = &posed[inner];
                let covering = Covering {
                    side: &above.walls.towards_body,
                    posed: &posed[outer].0,
                    positions: &above.rest,
                };
                let normals = &outside.as_ref().unwrap_or(inside).normals;
                let candidates = &below.walls.outside().used;
                let covered = covered_vertices(candidates, &below.rest, normals, covering, settings);
                if !covered.is_empty() {
                    pairs.push(Pair { outer, inner, covered });
                }
            }
        }
        Self { layers, pairs }
    }
}

//! Layers in a pose: positions, and search trees that are refitted from pose to pose.

use super::{Layer, Outfit, PosedSide};
use crate::query::Bvh;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use std::sync::Arc;

/// Posed layers; kept from pose to pose so that indices are refitted, not rebuilt. What was never posed is shared.
#[derive(Clone, Debug)]
pub struct Buffers {
    layers: Vec<Arc<PosedLayer>>,
}

/// A layer in a pose, with the search trees over its measured faces.
#[derive(Clone, Debug)]
pub struct PosedLayer {
    pub(super) positions: Vec<Vec3>,
    /// Rest positions with driven shapes added.
    shaped: Vec<Vec3>,
    pub(super) towards_body: PosedSide,
    away_from_body: Option<PosedSide>,
    /// Over all faces, where the measured side has not all of them.
    whole: Option<Bvh>,
}

impl PosedLayer {
    /// `layer` at rest, its trees built.
    pub fn at_rest(layer: &Layer) -> Self {
        Self {
            positions: layer.rest.clone(),
            shaped: Vec::new(),
            towards_body: layer.walls.towards_body.pose(&layer.rest),
            away_from_body: layer.walls.away_from_body.as_ref().map(|s| s.pose(&layer.rest)),
            whole: (!layer.walls.measures_all(&layer.topology))
                .then(|| Bvh::build(&layer.rest, &layer.topology.triangles)),
        }
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        let sides = std::iter::once(&self.towards_body).chain(&self.away_from_body);
        let whole = self.whole.as_ref().map_or(0, Bvh::bytes);
        self.positions.len() * 24 + sides.map(PosedSide::bytes).sum::<usize>() + whole
    }

    pub(super) fn outside(&self) -> &PosedSide {
        self.away_from_body.as_ref().unwrap_or(&self.towards_body)
    }
}

impl Buffers {
    /// Layers at rest, to be posed; each is copied when it is first.
    pub(super) fn of(layers: &[Arc<PosedLayer>]) -> Self {
        Self { layers: layers.to_vec() }
    }

    pub(super) fn layer(&self, layer: usize) -> &PosedLayer {
        &self.layers[layer]
    }

    pub(super) fn towards_body(&self, layer: usize) -> &PosedSide {
        &self.layers[layer].towards_body
    }

    pub(super) fn outside(&self, layer: usize) -> &PosedSide {
        self.layers[layer].outside()
    }

    /// The tree over all faces of a layer, by their numbers in its topology.
    pub(super) fn whole(&self, layer: usize) -> &Bvh {
        let layer = &self.layers[layer];
        layer.whole.as_ref().unwrap_or(&layer.towards_body.tree)
    }

    /// Poses every layer by `matrices`; `amounts` drives the body's shapes.
    pub fn pose(&mut self, outfit: &Outfit, matrices: &[Mat4], amounts: &[f32]) {
        self.pose_some(outfit, |_| true, (matrices, amounts));
    }

    /// Poses only the layers (by index) that are `wanted`; the others stay as they were last.
    pub fn pose_some(
        &mut self,
        outfit: &Outfit,
        wanted: impl Fn(usize) -> bool + Sync,
        (matrices, amounts): (&[Mat4], &[f32]),
    ) {
        let layers = outfit.layers.par_iter().zip(&mut self.layers).enumerate();
        layers
            .filter(|(index, _)| wanted(*index))
            .for_each(|(_, (layer, posed))| pose_layer(layer, Arc::make_mut(posed), matrices, amounts));
    }

    /// Outward normals of the measured side of layer `index` as posed; zero off that side.
    pub fn normals_towards_body(&self, index: usize) -> &[Vec3] {
        &self.layers[index].towards_body.normals
    }

    /// Posed positions of layer `index`, metres.
    pub fn positions(&self, index: usize) -> &[Vec3] {
        &self.layers[index].positions
    }
}

fn pose_layer(layer: &Layer, posed: &mut PosedLayer, matrices: &[Mat4], amounts: &[f32]) {
    layer.pose_into(matrices, amounts, &mut posed.shaped, &mut posed.positions);
    posed.towards_body.follow(&layer.walls.towards_body, &posed.positions);
    if let (Some(side), Some(at)) = (&layer.walls.away_from_body, &mut posed.away_from_body) {
        at.follow(side, &posed.positions);
    }
    if let Some(tree) = &mut posed.whole {
        tree.refit(&posed.positions);
    }
}

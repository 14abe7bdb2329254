//! Layers in a pose: positions, and search trees that are refitted from pose to pose.

use super::{Layer, Outfit, PosedSide};
use crate::deform::{linear_blend, linear_blend_some};
use crate::query::{Bvh, Dipoles};
use crate::skin::Skin;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use std::sync::{Arc, OnceLock};

/// Posed layers; kept from pose to pose so that indices are refitted, not rebuilt. What was never posed is shared.
#[derive(Clone, Debug)]
pub struct Buffers {
    layers: Vec<Arc<PosedLayer>>,
    /// What each was at rest, its trees as they were built.
    built: Vec<Arc<PosedLayer>>,
}

/// A layer in a pose, with the search trees over its measured faces.
#[derive(Clone, Debug)]
pub struct PosedLayer {
    pub(super) positions: Vec<Vec3>,
    /// What it was posed by, and the rest positions with shapes added that were.
    by: Vec<Mat4>,
    skin: Option<Arc<Skin>>,
    shaped: Vec<Vec3>,
    pub(super) towards_body: PosedSide,
    away_from_body: Option<PosedSide>,
    /// Over all faces, where the measured side has not all of them.
    whole: Option<Bvh>,
    /// Of its outside, summed up when it is first asked for.
    dipoles: OnceLock<Dipoles>,
}

impl PosedLayer {
    /// `layer` at rest, its trees built.
    pub fn at_rest(layer: &Layer) -> Self {
        Self {
            positions: layer.rest.clone(),
            by: Vec::new(),
            skin: None,
            shaped: Vec::new(),
            towards_body: layer.walls.towards_body.pose(&layer.rest),
            away_from_body: layer.walls.away_from_body.as_ref().map(|s| s.pose(&layer.rest)),
            whole: (!layer.walls.measures_all(&layer.topology))
                .then(|| Bvh::build(&layer.rest, &layer.topology.triangles)),
            dipoles: OnceLock::new(),
        }
    }

    /// True when positions, normals and trees are the same to the bit.
    pub fn lies_as(&self, other: &Self) -> bool {
        let told = |posed: &Self| {
            let Self { positions, towards_body, away_from_body, whole, .. } = posed;
            format!("{positions:?} {towards_body:?} {away_from_body:?} {whole:?}")
        };
        told(self) == told(other)
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        let sides = std::iter::once(&self.towards_body).chain(&self.away_from_body);
        let whole = self.whole.as_ref().map_or(0, Bvh::bytes);
        let dipoles = self.dipoles.get().map_or(0, Dipoles::bytes);
        self.positions.len() * 24
            + self.by.len() * 64
            + sides.map(PosedSide::bytes).sum::<usize>()
            + whole
            + dipoles
    }

    /// Winding number of its outside at `p`.
    pub(super) fn winding(&self, p: Vec3) -> f32 {
        let tree = &self.outside().tree;
        self.dipoles.get_or_init(|| Dipoles::gathered(tree)).winding(tree, p)
    }

    pub(super) fn outside(&self) -> &PosedSide {
        self.away_from_body.as_ref().unwrap_or(&self.towards_body)
    }
}

impl Buffers {
    /// Layers at rest, to be posed; each is copied when it is first.
    pub(super) fn new(layers: &[Arc<PosedLayer>]) -> Self {
        Self { layers: layers.to_vec(), built: layers.to_vec() }
    }

    /// Goes over to what is `built` of the layers now: those that it was for others take its trees, and are at rest.
    pub fn go_over_to(&mut self, built: &[Arc<PosedLayer>]) {
        if self.built.len() != built.len() {
            *self = Self::new(built);
            return;
        }
        for ((layer, was), now) in self.layers.iter_mut().zip(&mut self.built).zip(built) {
            if !Arc::ptr_eq(was, now) {
                (*layer, *was) = (Arc::clone(now), Arc::clone(now));
            }
        }
    }

    /// Bytes that it has to itself, about: what was never posed is shared.
    pub fn own_bytes(&self) -> usize {
        self.layers.iter().filter(|layer| Arc::strong_count(layer) == 1).map(|layer| layer.bytes()).sum()
    }

    /// The layer of an index as posed; shared while nothing of it has changed.
    pub fn layer(&self, layer: usize) -> &Arc<PosedLayer> {
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
        self.pose_some(outfit, |_| true, matrices, amounts);
    }

    /// Poses only the layers (by index) that are `wanted`; the others stay as they were last. Of what was posed by the
    /// same matrices and weights before only what has another shape now is touched, and it stays shared where that is
    /// nothing.
    pub fn pose_some(
        &mut self,
        outfit: &Outfit,
        wanted: impl Fn(usize) -> bool + Sync,
        matrices: &[Mat4],
        amounts: &[f32],
    ) {
        let layers = outfit.layers.par_iter().zip(&mut self.layers).enumerate();
        layers
            .filter(|(index, _)| wanted(*index))
            .for_each(|(_, (layer, posed))| pose_layer(layer, posed, matrices, amounts));
    }

    /// Puts the vertices of layer `index` elsewhere (posed, metres) until it is posed again.
    pub fn put(&mut self, outfit: &Outfit, index: usize, positions: &[Vec3]) {
        let moved = moved_since(&self.layers[index].positions, positions);
        if moved.is_empty() {
            return;
        }
        let posed = Arc::make_mut(&mut self.layers[index]);
        posed.positions.copy_from_slice(positions);
        // It lies as nothing poses it.
        posed.skin = None;
        follow(&outfit.layers[index], posed, &moved);
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

/// Where less than this share of a layer has moved the rest of its trees is left as it is.
pub const FEW: f32 = 0.25;

fn pose_layer(layer: &Layer, shared: &mut Arc<PosedLayer>, matrices: &[Mat4], amounts: &[f32]) {
    let mut room = Vec::new();
    let shaped = layer.shaped_into(amounts, &mut room);
    let has_same_skin = shared.skin.as_ref().is_some_and(|skin| *skin == layer.skin);
    let is_same_pose = has_same_skin && shared.shaped.len() == shaped.len() && are_same(&shared.by, matrices);
    let changed = if is_same_pose { moved_since(&shared.shaped, shaped) } else { Vec::new() };
    if is_same_pose && changed.is_empty() {
        return;
    }
    let posed = Arc::make_mut(shared);
    let moved = match is_same_pose {
        true => {
            linear_blend_some(shaped, &layer.skin, matrices, &changed, &mut posed.positions);
            changed
        }
        false => {
            let before = posed.positions.clone();
            linear_blend(shaped, &layer.skin, matrices, &mut posed.positions);
            moved_since(&before, &posed.positions)
        }
    };
    posed.by.clear();
    posed.by.extend_from_slice(matrices);
    posed.skin = Some(Arc::clone(&layer.skin));
    match std::ptr::eq(shaped, &*layer.rest) {
        true => posed.shaped.clone_from(&layer.rest),
        false => posed.shaped = room,
    }
    if !moved.is_empty() {
        follow(layer, posed, &moved);
    }
}

/// Normals and trees go where positions have gone.
fn follow(layer: &Layer, posed: &mut PosedLayer, moved: &[u32]) {
    posed.dipoles = OnceLock::new();
    let PosedLayer { positions, towards_body, away_from_body, whole, .. } = posed;
    let is_few = (moved.len() as f32) < FEW * positions.len() as f32;
    let away = layer.walls.away_from_body.as_ref().zip(away_from_body.as_mut());
    for (side, at) in [(&layer.walls.towards_body, towards_body)].into_iter().chain(away) {
        match is_few {
            true => at.follow_some(side, positions, moved),
            false => at.follow(side, positions),
        }
    }
    match whole {
        Some(tree) if is_few => tree.refit_some(positions, &layer.topology.faces_about(moved)),
        Some(tree) => tree.refit(positions),
        None => {}
    }
}

fn are_same(before: &[Mat4], now: &[Mat4]) -> bool {
    let bits = |m: &Mat4| m.to_cols_array().map(f32::to_bits);
    before.len() == now.len() && before.iter().zip(now).all(|(a, b)| bits(a) == bits(b))
}

/// The vertices that are elsewhere, ascending.
fn moved_since(before: &[Vec3], now: &[Vec3]) -> Vec<u32> {
    let bits = |p: &Vec3| p.to_array().map(f32::to_bits);
    let both = before.iter().zip(now).enumerate();
    both.filter(|(_, (before, now))| bits(before) != bits(now)).map(|(v, _)| v as u32).collect()
}

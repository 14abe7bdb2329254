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
        self.dipoles.get_or_init(|| Dipoles::of(tree)).winding(tree, p)
    }

    pub(super) fn outside(&self) -> &PosedSide {
        self.away_from_body.as_ref().unwrap_or(&self.towards_body)
    }
}

impl Buffers {
    /// Layers at rest, to be posed; each is copied when it is first.
    pub(super) fn of(layers: &[Arc<PosedLayer>]) -> Self {
        Self { layers: layers.to_vec(), built: layers.to_vec() }
    }

    /// Goes over to what is `built` of the layers now: those that it was for others take its trees, and are at rest.
    pub(super) fn go_over_to(&mut self, built: &[Arc<PosedLayer>]) {
        if self.built.len() != built.len() {
            *self = Self::of(built);
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

    /// Poses only the layers (by index) that are `wanted`; the others stay as they were last. Of what was posed by the
    /// same matrices and weights before only what has another shape now is touched, and it stays shared where that is
    /// nothing.
    pub fn pose_some(
        &mut self,
        outfit: &Outfit,
        wanted: impl Fn(usize) -> bool + Sync,
        (matrices, amounts): (&[Mat4], &[f32]),
    ) {
        let layers = outfit.layers.par_iter().zip(&mut self.layers).enumerate();
        layers
            .filter(|(index, _)| wanted(*index))
            .for_each(|(_, (layer, posed))| pose_layer(layer, posed, matrices, amounts));
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
const FEW: f32 = 0.25;

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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ids::JointId;
    use crate::shapes::{joined, moved, outfit, sphere, turned_inside_out};

    /// What is posed by the same matrices again and has no other shape is left alone, and shared.
    #[test]
    fn what_has_not_changed_stays_shared() {
        let outfit = outfit(&sphere(0.1, 16), &[sphere(0.11, 16)]);
        let matrices = [Mat4::from_rotation_y(0.3), Mat4::from_rotation_x(0.2)];
        let mut posed = outfit.buffers();
        posed.pose(&outfit, &matrices, &[]);
        let mut again = posed.clone();
        again.pose(&outfit, &matrices, &[]);
        let shared = |buffers: &Buffers| Arc::ptr_eq(&buffers.layers[1], &posed.layers[1]);
        assert!(shared(&again));
        again.pose(&outfit, &[Mat4::IDENTITY; 2], &[]);
        assert!(!shared(&again) && again.positions(1) == outfit.layers[1].rest);
    }

    /// A layer that lies otherwise at rest has other trees: it is posed from these, the others stay posed. Held by
    /// another joint it is posed anew.
    #[test]
    fn buffers_go_over_to_layers_that_lie_otherwise() {
        let first = outfit(&sphere(0.1, 16), &[sphere(0.11, 16)]);
        let matrices = [Mat4::from_rotation_y(0.3), Mat4::from_rotation_x(0.2)];
        let mut buffers = first.buffers();
        buffers.pose(&first, &matrices, &[]);
        let posed = buffers.clone();
        let wider = PosedLayer::at_rest(&outfit(&sphere(0.1, 16), &[sphere(0.12, 16)]).layers[1]);
        buffers.go_over_to(&[Arc::clone(&buffers.built[0]), Arc::new(wider)]);
        assert!(Arc::ptr_eq(&buffers.layers[0], &posed.layers[0]));
        assert!(buffers.positions(1).iter().all(|p| p.length() > 0.119));
        let mut held = first.clone();
        let rows = vec![vec![(JointId(1), 1.0)]; held.layers[0].rest.len()];
        held.layers[0].skin = Arc::new(Skin::from_rows(&rows, 2).unwrap());
        buffers.pose_some(&held, |layer| layer == 0, (&matrices, &[]));
        let turned = |v: usize| matrices[1].transform_point3(first.layers[0].rest[v]);
        assert!(buffers.positions(0).iter().enumerate().all(|(v, p)| p.distance(turned(v)) < 1e-6));
    }

    /// Where a part has moved since the last pose only that is refitted: everything is to the bit where it is when all
    /// is posed at once. A plate of two walls, of which some of the front moves.
    #[test]
    fn what_moves_in_part_is_where_it_is_when_all_is_posed() {
        let plate = joined(sphere(0.114, 24), turned_inside_out(sphere(0.11, 24)));
        let still = outfit(&sphere(0.1, 16), &[plate, moved(sphere(0.13, 24), Vec3::X * 0.01)]);
        let mut dented = still.clone();
        for layer in &mut dented.layers {
            layer.rest.iter_mut().filter(|p| p.z > 0.09).for_each(|p| *p *= 1.1);
        }
        let matrices = [Mat4::from_rotation_y(0.3), Mat4::from_rotation_x(0.2)];
        let (mut in_part, mut at_once) = (still.buffers(), dented.buffers());
        in_part.pose(&still, &matrices, &[]);
        in_part.pose(&dented, &matrices, &[]);
        at_once.pose(&dented, &matrices, &[]);
        for (layer, (a, b)) in in_part.layers.iter().zip(&at_once.layers).enumerate() {
            let moved = moved_since(&still.layers[layer].rest, &dented.layers[layer].rest).len();
            assert!(moved > 0 && (moved as f32) < FEW * a.positions.len() as f32, "{moved} of layer {layer}");
            let told = |posed: &PosedLayer| {
                let PosedLayer { positions, towards_body, away_from_body, whole, .. } = posed;
                format!("{positions:?} {towards_body:?} {away_from_body:?} {whole:?}")
            };
            assert!(told(a) == told(b), "layer {layer}");
        }
    }
}

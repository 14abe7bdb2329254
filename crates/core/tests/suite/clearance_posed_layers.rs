//! Tests of `clearance/posed_layers.rs`.

use std::sync::Arc;
use tin_cloak_core::clearance::*;
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::ids::JointId;
use tin_cloak_core::shapes::{joined, moved, outfit, sphere, turned_inside_out};
use tin_cloak_core::skin::Skin;

/// What is posed by the same matrices again and has no other shape is left alone, and shared.
#[test]
fn what_has_not_changed_stays_shared() {
    let outfit = outfit(&sphere(0.1, 16), &[sphere(0.11, 16)]);
    let matrices = [Mat4::from_rotation_y(0.3), Mat4::from_rotation_x(0.2)];
    let mut posed = outfit.buffers();
    posed.pose(&outfit, &matrices, &[]);
    let mut again = posed.clone();
    again.pose(&outfit, &matrices, &[]);
    let shared = |buffers: &Buffers| Arc::ptr_eq(buffers.layer(1), posed.layer(1));
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
    let built = Arc::clone(buffers.layer(0));
    buffers.pose(&first, &matrices, &[]);
    let posed = buffers.clone();
    let wider = PosedLayer::at_rest(&outfit(&sphere(0.1, 16), &[sphere(0.12, 16)]).layers[1]);
    buffers.go_over_to(&[built, Arc::new(wider)]);
    assert!(Arc::ptr_eq(buffers.layer(0), posed.layer(0)));
    assert!(buffers.positions(1).iter().all(|p| p.length() > 0.119));
    let mut held = first.clone();
    let rows = vec![vec![(JointId(1), 1.0)]; held.layers[0].rest.len()];
    held.layers[0].skin = Arc::new(Skin::from_rows(&rows, 2).unwrap());
    buffers.pose_some(&held, |layer| layer == 0, &matrices, &[]);
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
    for layer in 0..still.layers.len() {
        let rest = still.layers[layer].rest.iter().zip(dented.layers[layer].rest.iter());
        let (all, moved) = (rest.len(), rest.filter(|(a, b)| a != b).count());
        assert!(moved > 0 && (moved as f32) < FEW * all as f32, "{moved} of layer {layer}");
        assert!(in_part.layer(layer).lies_as(at_once.layer(layer)), "layer {layer}");
    }
}

//! Tests of `seat/relax.rs`.

use tin_cloak_core::clearance::{Covering, Side};
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::mesh::{vertex_normals_into, Topology};
use tin_cloak_core::seat::*;
use tin_cloak_core::shapes::sphere;

#[test]
fn what_lies_beneath_is_kept_clear_of_and_what_is_not_chosen_stays() {
    let (body, shirt) = (sphere(0.1, 32), sphere(0.103, 32));
    let topology = Topology::of_welded(shirt.0.len(), &shirt.1);
    let (own, under) = (Side::new(shirt.0.len(), &shirt.1), Side::new(body.0.len(), &body.1));
    // The body has a lump that the shirt was pushed off; its own shape would go through.
    let lump = |p: &Vec3| *p * (1.0 + 0.08 * (1.0 - p.distance(Vec3::Y * 0.1) / 0.05).max(0.0));
    let body: Vec<Vec3> = body.0.iter().map(lump).collect();
    let pushed: Vec<Vec3> = shirt.0.iter().map(lump).collect();
    let posed = under.pose(&body);
    let beneath = Covering { side: &under, posed: &posed, positions: &body };
    let chosen: Vec<bool> = pushed.iter().map(|p| p.y > 0.0).collect();
    let (positions, shape) = (&pushed[..], &shirt.0[..]);
    let piece = Relaxed { positions, shape, topology: &topology, side: &own, chosen: &chosen, rigid: &[] };
    let how = Relaxing { strength: 0.8, times: 4, clear: 0.001 };
    let calm = relax(piece, beneath, how).unwrap();
    let gaps = |side: &Side, beneath: Covering, positions: &[Vec3]| {
        let mut normals = vec![Vec3::ZERO; positions.len()];
        vertex_normals_into(positions, &side.topology.triangles, &side.topology.incident, &mut normals);
        beneath.gaps(positions, &normals, 0.05)
    };
    let (before, after) = (gaps(&own, beneath, &pushed), gaps(&own, beneath, &calm));
    for (v, (was, is)) in before.iter().zip(&after).enumerate() {
        let wanted = was.map_or(f32::NEG_INFINITY, |g| g.clearance.min(0.001)) - 5e-5;
        assert!(is.is_none_or(|g| g.clearance >= wanted), "{v}: {was:?} {is:?}");
    }
    let stays = (0..calm.len()).filter(|v| !chosen[*v]).all(|v| calm[v] == pushed[v]);
    assert!(stays, "what is not chosen stays to the bit");
    let change = |at: &[Vec3]| shape_change(&topology, &shirt.0, at, &chosen);
    let (was, is) = (change(&pushed), change(&calm));
    assert!(is.strain < was.strain * 0.9, "{was:?} {is:?}");
}

#[test]
fn a_piece_that_was_turned_and_sized_is_in_shape() {
    let (shape, triangles) = sphere(0.1, 16);
    let topology = Topology::of_welded(shape.len(), &triangles);
    let own = Side::new(shape.len(), &triangles);
    let turn = Quat::from_rotation_x(0.7);
    let place = |p: &Vec3| turn * (*p * Vec3::new(1.3, 0.8, 1.1)) + Vec3::Y;
    let placed: Vec<Vec3> = shape.iter().map(place).collect();
    let far: Vec<Vec3> = shape.iter().map(|p| *p * 0.01).collect();
    let posed = own.pose(&far);
    let beneath = Covering { side: &own, posed: &posed, positions: &far };
    let chosen = vec![true; shape.len()];
    let (positions, shape) = (&placed[..], &shape[..]);
    let piece = Relaxed { positions, shape, topology: &topology, side: &own, chosen: &chosen, rigid: &[] };
    let calm = relax(piece, beneath, Relaxing { strength: 1.0, times: 3, clear: 0.0 }).unwrap();
    assert!(calm.iter().zip(&placed).all(|(a, b)| a.distance(*b) < 1e-5));
}

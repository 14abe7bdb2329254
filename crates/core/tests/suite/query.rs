//! The search tree against brute force, closed forms and a reference library.

use crate::common::*;
use proptest::prelude::*;
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::query::{closest_on_triangle, Bvh, WindingField};

fn points() -> impl Strategy<Value = Vec<[f32; 3]>> {
    prop::collection::vec(prop::array::uniform3(-0.3f32..0.3), 1..20)
}

/// The winding number by the whole sum, in double precision (van Oosterom & Strackee, “The solid angle
/// of a plane triangle”, 1983).
fn winding_by_sum(positions: &[Vec3], triangles: &[[u32; 3]], p: Vec3) -> f64 {
    let at = |v: u32| (positions[v as usize] - p).as_dvec3();
    let one = |t: &[u32; 3]| {
        let [a, b, c] = t.map(at);
        let (la, lb, lc) = (a.length(), b.length(), c.length());
        let along = la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb;
        2.0 * a.dot(b.cross(c)).atan2(along)
    };
    triangles.iter().map(one).sum::<f64>() / (4.0 * std::f64::consts::PI)
}

/// Two triangles and four: what lies in one leaf is summed exactly, near and far, also where a
/// triangle fills half the sky.
#[test]
fn near_triangles_are_summed_exactly() {
    let ring = [Vec3::X, Vec3::Y, Vec3::NEG_X, Vec3::NEG_Y, Vec3::Z * 0.3];
    for triangles in
        [vec![[0, 1, 4]], vec![[0, 1, 4], [1, 2, 4]], vec![[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]]
    {
        let tree = Bvh::build(&ring, &triangles);
        let field = WindingField::new(&tree);
        for p in
            [Vec3::ZERO, Vec3::Z * 0.299, Vec3::new(0.2, 0.1, 0.2), Vec3::new(0.5, 0.4, -0.01), Vec3::Z * 0.8]
        {
            let (found, sum) = (f64::from(field.at(p)), winding_by_sum(&ring, &triangles, p));
            assert!((found - sum).abs() < 1e-5, "{found} for {sum} at {p}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Far boxes are taken as one, so the sum is near, and inside stays inside.
    #[test]
    fn winding_numbers_are_near_the_whole_sum(queries in points()) {
        let (positions, triangles) = joined(sphere(0.1, 24), tube(0.15, -0.2, 0.2, 24, 8, 0.6));
        let tree = Bvh::build(&positions, &triangles);
        let field = WindingField::new(&tree);
        for q in queries.iter().map(|q| Vec3::from(*q)) {
            let (found, sum) = (f64::from(field.at(q)), winding_by_sum(&positions, &triangles, q));
            prop_assert!((found - sum).abs() < 0.05, "{} for {} at {}", found, sum, q);
            let decided = (sum.abs() - 0.5).abs() > 0.06;
            prop_assert!(!decided || (found > 0.5) == (sum > 0.5));
        }
    }

    #[test]
    fn closest_is_what_looking_at_every_triangle_finds(queries in points(), turn in 0.0f32..3.0) {
        let (mut positions, triangles) = joined(sphere(0.1, 24), tube(0.15, -0.2, 0.2, 24, 8, 0.6));
        let mut tree = Bvh::build(&positions, &triangles);
        // Refitted to moved vertices, not rebuilt.
        positions.iter_mut().for_each(|p| *p = Quat::from_rotation_x(turn) * *p + Vec3::X * 0.1 * turn * p.y);
        tree.refit(&positions);
        for q in queries.iter().map(|q| Vec3::from(*q)) {
            let facing = Vec3::new(q.y, q.z, q.x + 0.1).normalize();
            let found = tree.closest(q, f32::INFINITY).unwrap();
            let agreeing = tree.closest_facing(q, f32::INFINITY, facing, 0.3);
            let (mut best, mut best_agreeing) = (f32::INFINITY, f32::INFINITY);
            for t in &triangles {
                let corners = t.map(|v| positions[v as usize]);
                let d = closest_on_triangle(q, corners).0.distance_squared(q);
                best = best.min(d);
                let normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalize_or_zero();
                if normal.dot(facing) > 0.3 {
                    best_agreeing = best_agreeing.min(d);
                }
            }
            prop_assert_eq!(found.distance_squared, best);
            prop_assert_eq!(agreeing.map_or(f32::INFINITY, |h| h.distance_squared), best_agreeing);
            let corners = triangles[found.triangle as usize].map(|v| positions[v as usize]);
            let by_weights: Vec3 = corners.iter().zip(found.barycentric).map(|(c, w)| *c * w).sum();
            prop_assert!(by_weights.distance(found.point) < 1e-5);
        }
    }

    /// Only what some moved vertices are corners of is looked at, and it is the same tree to the bit.
    #[test]
    fn refitted_in_part_is_refitted_as_a_whole(moved in prop::collection::vec(0usize..490, 0..40), by in -0.1f32..0.1) {
        let (mut positions, triangles) = joined(sphere(0.1, 24), tube(0.15, -0.2, 0.2, 24, 8, 0.6));
        let (mut whole, mut in_part) = (Bvh::build(&positions, &triangles), Bvh::build(&positions, &triangles));
        moved.iter().for_each(|v| positions[*v] += Vec3::new(by, -by, 0.5 * by));
        let is_moved = |t: &[u32; 3]| t.iter().any(|v| moved.contains(&(*v as usize)));
        let about: Vec<u32> = (0..triangles.len() as u32).filter(|t| is_moved(&triangles[*t as usize])).collect();
        whole.refit(&positions);
        in_part.refit_some(&positions, &about);
        prop_assert_eq!(format!("{whole:?}"), format!("{in_part:?}"));
    }

    #[test]
    fn beginning_at_any_triangle_finds_the_same(queries in points(), seed in 0u32..3000) {
        let (positions, triangles) = joined(sphere(0.1, 24), tube(0.15, -0.2, 0.2, 24, 8, 0.6));
        let tree = Bvh::build(&positions, &triangles);
        for q in queries.iter().map(|q| Vec3::from(*q)) {
            let facing = Vec3::new(q.z, q.x, q.y + 0.1).normalize();
            let plain = tree.closest_facing(q, 0.2, facing, 0.0);
            let seeded = tree.closest_facing_from(q, 0.2, facing, 0.0, seed);
            // Of two that are equally far either is the nearest.
            prop_assert_eq!(plain.map(|c| c.distance_squared), seeded.map(|c| c.distance_squared));
        }
    }

    #[test]
    fn rays_meet_a_sphere_where_arithmetic_says(x in -0.06f32..0.06, y in -0.06f32..0.06) {
        let (positions, triangles) = sphere(0.1, 96);
        let tree = Bvh::build(&positions, &triangles);
        let hit = tree.ray(Vec3::new(x, y, 0.5), Vec3::NEG_Z, 0.0, 2.0, |_, _| true).unwrap();
        let exact = 0.5 - (0.01 - x * x - y * y).sqrt();
        prop_assert!((hit.distance - exact).abs() < 1.2e-3, "{} {}", hit.distance, exact);
    }
}

#[test]
fn winding_numbers_of_open_and_closed_surfaces() {
    let (positions, triangles) = sphere(0.1, 64);
    let tree = Bvh::build(&positions, &triangles);
    let field = WindingField::new(&tree);
    assert!((field.at(Vec3::new(0.02, 0.03, -0.01)) - 1.0).abs() < 0.01);
    assert!(field.at(Vec3::new(0.2, 0.1, 0.0)).abs() < 0.01);
    // At the centre of an open tube of length L and radius r the two ends are missing:
    // 1 − (1 − cos θ) with tan θ = r / (L / 2).
    let (positions, triangles) = tube(0.1, -0.15, 0.15, 96, 30, 1.0);
    let tree = Bvh::build(&positions, &triangles);
    let exact = (0.1f32 / 0.15).atan().cos();
    assert!((WindingField::new(&tree).at(Vec3::ZERO) - exact).abs() < 0.01);
}

/// Closest points and winding numbers as `libigl` 2.6 gives them
/// (`igl.point_mesh_squared_distance`, `igl.fast_winding_number`); made by
/// `tests/suite/reference/make.py`, which names the versions.
#[test]
fn as_libigl_says() {
    let text = include_str!("reference/libigl.json");
    let data: serde_json::Value = serde_json::from_str(text).unwrap();
    let vec3 = |v: &serde_json::Value| {
        let n = |i: usize| v[i].as_f64().unwrap() as f32;
        Vec3::new(n(0), n(1), n(2))
    };
    let list = |key: &str| data[key].as_array().unwrap().clone();
    let positions: Vec<Vec3> = list("positions").iter().map(vec3).collect();
    let triangles: Vec<[u32; 3]> =
        list("triangles").iter().map(|t| [0, 1, 2].map(|i| t[i].as_u64().unwrap() as u32)).collect();
    let tree = Bvh::build(&positions, &triangles);
    let field = WindingField::new(&tree);
    assert!(list("queries").len() >= 100);
    for ((q, d), w) in list("queries").iter().zip(list("squared_distances")).zip(list("winding")) {
        let q = vec3(q);
        let found = tree.closest(q, f32::INFINITY).unwrap().distance_squared;
        assert!((found - d.as_f64().unwrap() as f32).abs() < 1e-6 + 1e-4 * found, "{q}");
        assert!((field.at(q) - w.as_f64().unwrap() as f32).abs() < 0.02, "{q}");
    }
}

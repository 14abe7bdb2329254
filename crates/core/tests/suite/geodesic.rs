//! Distances over a surface against exact ones.

use serde_json::Value;
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mesh::{along_edges, over_surface, Topology};

/// Made by `tests/suite/reference/geodesic.py` with pygeodesic: exact distances (Mitchell, Mount & Papadimitriou).
fn reference(shape: &str) -> (Vec<Vec3>, Topology, u32, Vec<f32>) {
    let all: Value = serde_json::from_str(include_str!("reference/geodesic.json")).unwrap();
    let of = &all[shape];
    let number = |v: &Value| v.as_f64().unwrap() as f32;
    let row = |v: &Value| v.as_array().unwrap().iter().map(number).collect::<Vec<f32>>();
    let positions: Vec<Vec3> =
        of["positions"].as_array().unwrap().iter().map(|p| Vec3::from_slice(&row(p))).collect();
    let corners = |t: &Value| [0, 1, 2].map(|i| t[i].as_u64().unwrap() as u32);
    let triangles: Vec<[u32; 3]> = of["triangles"].as_array().unwrap().iter().map(corners).collect();
    let topology = Topology::of_welded(positions.len(), &triangles);
    (positions, topology, of["source"].as_u64().unwrap() as u32, row(&of["distances"]))
}

#[test]
fn distances_are_those_of_the_exact_method() {
    for (shape, mean_most, most) in
        [("plane", 1e-5, 1e-4), ("cylinder", 2e-3, 0.02), ("bent strip", 3e-3, 0.02), ("ball", 0.01, 0.05)]
    {
        let (positions, topology, source, exact) = reference(shape);
        let mut off = vec![0.0f32; positions.len()];
        for (v, d) in over_surface(&positions, &topology, &[source], f32::INFINITY) {
            off[v as usize] = (d - exact[v as usize]).abs() / exact[v as usize].max(0.005);
        }
        let mean = off.iter().sum::<f32>() / off.len() as f32;
        let worst = off.iter().copied().fold(0.0, f32::max);
        assert!(mean <= mean_most && worst <= most, "{shape}: {mean} on the mean, {worst} at most");
        // Along edges it is much further: what this is for.
        let edges = along_edges(&positions, &topology.neighbours, &[source], f32::INFINITY);
        let further = edges.iter().map(|(v, d)| d / exact[*v as usize].max(0.005)).fold(0.0, f32::max);
        assert!(further > 1.05, "{shape}: {further}");
    }
}

#[test]
fn what_is_reached_is_what_lies_within_reach() {
    let (positions, topology, source, exact) = reference("plane");
    let mut near: Vec<u32> =
        over_surface(&positions, &topology, &[source], 0.08).into_iter().map(|e| e.0).collect();
    near.sort_unstable();
    let meant: Vec<u32> = (0..exact.len() as u32).filter(|v| exact[*v as usize] < 0.08).collect();
    assert_eq!(near, meant);
}

//! Tests of `mesh/rows.rs`.

use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::mesh::*;
use tin_cloak_core::shapes::{sphere, tube};

fn quads() -> Mesh {
    let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
    let mut mesh = Mesh::new("sleeve", positions, Vec::new(), triangles, Vec::new()).unwrap();
    mesh.find_quads();
    assert_eq!(mesh.quads() * 2, mesh.triangles.len());
    mesh
}

fn area(mesh: &Mesh) -> f64 {
    let one = |t: &[u32; 3]| {
        let [a, b, c] = t.map(|v| mesh.positions[v as usize].as_dvec3());
        (b - a).cross(c - a).length() * 0.5
    };
    mesh.triangles.iter().map(one).sum()
}

#[test]
fn a_row_round_a_sleeve_of_quads_leaves_quads() {
    let mesh = quads();
    let weld = Topology::new(&mesh).weld;
    let crossed = crossed_by_row(&mesh, &weld, [16, 24]);
    assert_eq!(crossed.len(), 8, "once round: {crossed:?}");
    for rows in [1, 2] {
        let finer = with_rows(&mesh, &weld, &crossed, &even_shares(rows));
        assert_eq!(finer.mesh.quads(), mesh.quads() + 8 * rows);
        assert_eq!(finer.mesh.quads() * 2, finer.mesh.triangles.len());
        assert!((area(&finer.mesh) - area(&mesh)).abs() < 1e-6 * area(&mesh));
        let topology = Topology::new(&finer.mesh);
        assert_eq!(topology.vertices(), weld.count() + 8 * rows);
        assert_eq!(topology.boundary_loops().len(), 2, "two open ends as before");
        assert_eq!(finer.faces.len(), finer.mesh.triangles.len());
    }
}

#[test]
fn a_row_across_triangles_keeps_a_closed_mesh_closed() {
    let (positions, triangles) = sphere(0.1, 16);
    let mesh = Mesh::new("ball", positions, Vec::new(), triangles, Vec::new()).unwrap();
    let topology = Topology::new(&mesh);
    for edge in topology.edges.iter().step_by(7) {
        let crossed = crossed_by_row(&mesh, &topology.weld, *edge);
        let finer = with_rows(&mesh, &topology.weld, &crossed, &even_shares(2));
        let now = Topology::new(&finer.mesh);
        assert!(now.boundary_loops().is_empty(), "{edge:?}");
        assert_eq!(now.vertices(), topology.vertices() + 2 * crossed.len());
        assert!((area(&finer.mesh) - area(&mesh)).abs() < 1e-5 * area(&mesh), "{edge:?}");
        let degenerate = |t: &[u32; 3]| {
            let [a, b, c] = t.map(|v| finer.mesh.positions[v as usize]);
            (b - a).cross(c - a).length() < 1e-9
        };
        assert!(!finer.mesh.triangles.iter().any(degenerate), "{edge:?}");
    }
}

#[test]
fn new_places_lie_on_the_curved_surface() {
    // Unit normals of a cylinder: half way between two of eight the curve lies on it, the straight line 8 % inside.
    let at = |angle: f32| Vec3::new(angle.cos(), 0.0, angle.sin());
    let places = [at(0.0), at(std::f32::consts::FRAC_PI_4)];
    let middle = Between { ends: [0, 1], share: 0.5 };
    let there = middle.on_surface(&places, &places);
    assert!((there.length() - 1.0).abs() < 1e-5, "{}", there.length());
    assert!(middle.mixed(&places).length() < 0.93);
    let flat = middle.on_surface(&places, &[Vec3::Y; 2]);
    assert!(flat.distance(middle.mixed(&places)) < 1e-6, "where nothing curves it is straight");
}

//! Properties of meshes, weights and posing.

use crate::common::*;
use proptest::prelude::*;
use tin_cloak_core::deform::{dual_quaternion_blend, linear_blend, Morph};
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::mesh::{vertex_normals, Mesh, Polygon, Topology, NO_TRIANGLE};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// The shape with every triangle's corners split off, as files split them at hard edges.
fn split((positions, triangles): &Shape) -> Mesh {
    let corners: Vec<Vec3> = triangles.iter().flatten().map(|&v| positions[v as usize]).collect();
    let faces = (0..triangles.len() as u32).map(|t| [3 * t, 3 * t + 1, 3 * t + 2]).collect();
    Mesh::new("split", corners, Vec::new(), faces, Vec::new()).unwrap()
}

fn rows() -> impl Strategy<Value = Vec<Vec<(u16, f32)>>> {
    prop::collection::vec(prop::collection::vec((0u16..12, 0.01f32..2.0), 1..9), 1..30)
}

fn skin_of(rows: &[Vec<(u16, f32)>]) -> Skin {
    let rows: Vec<Vec<(JointId, f32)>> =
        rows.iter().map(|r| r.iter().map(|&(j, w)| (JointId(j), w)).collect()).collect();
    Skin::from_rows(&rows, 12).unwrap()
}

fn turn() -> impl Strategy<Value = (Quat, Vec3)> {
    (prop::array::uniform3(-1.0f32..1.0), -3.0f32..3.0, prop::array::uniform3(-2.0f32..2.0)).prop_map(
        |(axis, angle, shift)| {
            let axis = Vec3::from(axis).try_normalize().unwrap_or(Vec3::Y);
            (Quat::from_axis_angle(axis, angle), Vec3::from(shift))
        },
    )
}

proptest! {
    #[test]
    fn what_is_left_of_a_mesh_is_as_it_was(
        out in prop::collection::btree_set(0u32..96, 0..95),
        hexes in any::<bool>(),
    ) {
        let (positions, triangles) = tube(0.1, 0.0, 0.4, 8, 6, 1.0);
        let count = if hexes { 4 } else { 2 };
        let polygons = (0..96 / count).map(|i| Polygon { first: i * count, triangles: count }).collect();
        let whole = Mesh::new("tube", positions, Vec::new(), triangles, polygons).unwrap();
        prop_assert_eq!(whole.triangles.len(), 96);
        let out: Vec<u32> = out.into_iter().collect();
        let (left, kept) = whole.without(&out);
        prop_assert_eq!(left.triangles.len() + out.len(), 96);
        prop_assert!(kept.faces.iter().all(|f| !out.contains(f)));
        for (new, &old) in left.triangles.iter().zip(&kept.faces) {
            for (a, b) in new.iter().zip(whole.triangles[old as usize]) {
                prop_assert_eq!(left.positions[*a as usize], whole.positions[b as usize]);
                prop_assert_eq!(kept.vertices[*a as usize], b);
            }
        }
        for p in &left.polygons {
            let olds: Vec<u32> = (p.first..p.first + p.triangles).map(|t| kept.faces[t as usize]).collect();
            prop_assert!(whole.polygons.iter().any(|q| q.triangles == p.triangles && q.first == olds[0]));
            prop_assert!(olds.windows(2).all(|w| w[1] == w[0] + 1));
        }
        // Mirrored twice it is itself again; once, it is still wound outward.
        prop_assert_eq!(&left.mirrored(0.25).mirrored(0.25).triangles, &left.triangles);
        let image = left.mirrored(0.25);
        for (t, n) in image.triangles.iter().zip(&image.triangles).map(|(t, _)| (t, image.normals[t[0] as usize])) {
            let face = tin_cloak_core::mesh::face_normal(&image.positions, *t);
            prop_assert!(face.dot(n) > 0.0);
        }
    }
}

#[test]
fn splitting_at_every_edge_and_welding_again_is_the_same_surface() {
    for shape in [
        sphere(0.3, 24),
        tube(0.1, 0.0, 1.0, 16, 10, 1.0),
        joined(sphere(0.1, 12), moved(sphere(0.1, 12), Vec3::X)),
    ] {
        let whole = Topology::of_welded(shape.0.len(), &shape.1);
        let again = Topology::new(&split(&shape));
        assert_eq!(again.vertices(), shape.0.len());
        assert_eq!(again.edges.len(), whole.edges.len());
        assert_eq!(again.shells, whole.shells);
        assert_eq!(again.boundary_loops().len(), whole.boundary_loops().len());
    }
}

#[test]
fn euler_and_boundaries_of_known_surfaces() {
    // Vertices − edges + faces: 2 for a sphere, 0 for a tube open at both ends.
    let count = |t: &Topology| t.vertices() as i64 - t.edges.len() as i64 + t.triangles.len() as i64;
    let (ball, pipe) = (sphere(0.3, 24), tube(0.1, 0.0, 1.0, 16, 10, 1.0));
    let ball = Topology::of_welded(ball.0.len(), &ball.1);
    assert_eq!(count(&ball), 2);
    assert!(ball.boundary_loops().is_empty());
    assert!(ball.across.iter().flatten().all(|t| *t != NO_TRIANGLE));
    let pipe = Topology::of_welded(pipe.0.len(), &pipe.1);
    assert_eq!(count(&pipe), 0);
    let loops = pipe.boundary_loops();
    assert_eq!(loops.iter().map(Vec::len).collect::<Vec<_>>(), [16, 16]);
    // A tube cut open lengthways has one long edge: up one side, round, and down the other.
    let open = tube(0.1, 0.0, 1.0, 16, 10, 0.5);
    assert_eq!(Topology::of_welded(open.0.len(), &open.1).boundary_loops().len(), 1);
}

#[test]
fn normals_of_a_sphere_point_out() {
    let (positions, triangles) = sphere(0.3, 48);
    for (p, n) in positions.iter().zip(vertex_normals(&positions, &triangles)) {
        assert!(n.dot(p.normalize()) > 0.998, "{p} {n}");
    }
}

#[test]
fn a_vertex_that_welds_across_a_chain_of_near_ones_takes_the_first() {
    let near = 1e-6;
    let positions = vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::X * (1.0 + near), Vec3::ZERO, Vec3::Y + Vec3::Z];
    let mesh = Mesh::new("near", positions, Vec::new(), vec![[0, 1, 2], [4, 3, 5]], Vec::new()).unwrap();
    assert_eq!(Topology::new(&mesh).weld.of_vertex, [0, 1, 2, 1, 0, 3]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn weights_sum_to_one_however_they_came(rows in rows(), most in 1usize..6) {
        let skin = skin_of(&rows);
        let limited = skin.limit(most);
        for v in 0..rows.len() {
            for s in [&skin, &limited] {
                let row: Vec<_> = s.row(v).collect();
                prop_assert!((row.iter().map(|e| e.1).sum::<f32>() - 1.0).abs() < 1e-5);
                prop_assert!(row.windows(2).all(|w| w[0].1 >= w[1].1), "heaviest first");
            }
            prop_assert!(limited.row(v).count() <= most);
            let kept: Vec<JointId> = limited.row(v).map(|e| e.0).collect();
            let heaviest: Vec<JointId> = skin.row(v).take(most).map(|e| e.0).collect();
            prop_assert_eq!(kept, heaviest);
        }
        let again = limited.limit(most);
        prop_assert_eq!(again.joints(), limited.joints(), "limiting twice is limiting once");
    }

    #[test]
    fn a_place_on_a_triangle_has_the_mixed_weights(rows in rows(), a in 0.0f32..1.0, b in 0.0f32..1.0) {
        let skin = skin_of(&rows);
        let n = rows.len() as u32;
        let corners = [0, n / 2, n - 1];
        let (u, v) = if a + b > 1.0 { (1.0 - a, 1.0 - b) } else { (a, b) };
        let at = [1.0 - u - v, u, v];
        let mixed = skin.at(corners, at);
        for joint in (0..12).map(JointId) {
            let column = skin.column(joint);
            let wanted: f32 = (0..3).map(|k| column[corners[k] as usize] * at[k]).sum();
            let got = mixed.iter().find(|e| e.0 == joint).map_or(0.0, |e| e.1);
            prop_assert!((wanted - got).abs() < 1e-5);
        }
    }

    #[test]
    fn moved_as_one_everything_moves_as_one(rows in rows(), (turn, shift) in turn()) {
        // Every joint the same rigid motion: both ways of skinning give just that motion.
        let skin = skin_of(&rows);
        let motion = Mat4::from_rotation_translation(turn, shift);
        let rest: Vec<Vec3> = (0..rows.len()).map(|i| Vec3::new(i as f32 * 0.01, 0.3, -0.2)).collect();
        let (mut linear, mut dual) = (rest.clone(), rest.clone());
        linear_blend(&rest, &skin, &[motion; 12], &mut linear);
        dual_quaternion_blend(&rest, &skin, &[motion; 12], &mut dual);
        for (v, p) in rest.iter().enumerate() {
            let wanted = motion.transform_point3(*p);
            prop_assert!(linear[v].distance(wanted) < 1e-4, "{} {}", linear[v], wanted);
            prop_assert!(dual[v].distance(wanted) < 1e-4, "{} {}", dual[v], wanted);
        }
    }

    #[test]
    fn a_shape_welds_with_its_mesh(offsets in prop::collection::vec(prop::array::uniform3(-0.1f32..0.1), 3)) {
        // Both copies of a split vertex carry the same offset, and it survives the weld.
        let shape = sphere(0.2, 12);
        let mesh = split(&shape);
        let weld = Topology::new(&mesh).weld;
        let of = |v: u32| Vec3::from(offsets[v as usize % offsets.len()]);
        let dense: Vec<Vec3> = weld.of_vertex.iter().map(|&w| of(w)).collect();
        let welded = Morph::from_dense("swell".into(), &dense).gather(&weld);
        prop_assert_eq!(weld.scatter(&welded.to_dense(weld.count())), dense);
    }
}

//! The demo's files are what a rigger would be handed: sound surfaces, and a body whose fingers bend.
#![allow(missing_docs, clippy::unwrap_used)]

use std::sync::OnceLock;
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::intake::look_over;
use tin_cloak_core::mesh::Topology;
use tin_cloak_demo::{wardrobe, DemoFile};
use tin_cloak_formats::{read, Companions, Document};

fn document(name: &str) -> Document {
    static FILES: OnceLock<Vec<DemoFile>> = OnceLock::new();
    let files = FILES.get_or_init(|| wardrobe().unwrap());
    let file = files.iter().find(|f| f.name == name).unwrap();
    read(file.name, &file.bytes, &Companions::new()).unwrap()
}

/// Every part of the only mesh is closed (but `open` of them), looks outward and has sound faces.
fn assert_sound(name: &str, parts: usize, open: usize) {
    let mesh = &document(name).meshes[0].mesh;
    let topology = Topology::new(mesh);
    assert_eq!(topology.shells, parts, "{name}");
    assert_eq!(topology.closed_shells().iter().filter(|c| !**c).count(), open, "{name}");
    let welded: Vec<Vec3> = (0..topology.weld.count())
        .map(|w| mesh.positions[topology.weld.members.row(w)[0] as usize])
        .collect();
    let facts = look_over(&topology, &welded);
    assert!(facts.inside_out.is_empty(), "{name}: {:?}", facts.inside_out);
    assert!(facts.crowded_edges.is_empty() && facts.empty_faces.is_empty(), "{name}");
}

#[test]
fn every_part_is_closed_and_looks_outward() {
    assert_sound("lantern.glb", 8, 0);
    assert_sound("left pauldron.glb", 2, 0);
    assert_sound("right pauldron.glb", 2, 0);
}

#[test]
fn more_than_a_hundred_and_twenty_scales_on_one_cloth() {
    assert_sound("scale cloak.glb", 139, 1);
}

#[test]
fn wick_is_one_closed_skin_whose_fingers_bend_by_their_own_joints() {
    let document = document("wick.glb");
    let (part, skeleton) = (&document.meshes[0], document.skeleton.as_ref().unwrap());
    let (mesh, skin) = (&part.mesh, part.skin.as_ref().unwrap());
    assert!(mesh.positions.len() < 20_000, "{}", mesh.positions.len());
    let topology = Topology::new(mesh);
    assert!(!topology.on_boundary.iter().any(|open| *open));
    let (vertices, faces) = (topology.weld.count(), mesh.triangles.len());
    assert_eq!(vertices + faces - faces * 3 / 2, 2, "no handle, no hole");
    let world = skeleton.world(&tin_cloak_core::skeleton::Pose::rest(skeleton.len()));
    let last: Vec<usize> = (0..skeleton.len()).filter(|j| skeleton.names[*j].ends_with("_3_left")).collect();
    assert!(last.len() >= 4, "{:?}", skeleton.names);
    for joint in last {
        let at = world[joint].w_axis.truncate();
        let moved = (0..mesh.positions.len()).filter(|v| mesh.positions[*v].distance(at) < 0.02);
        let own = |v: usize| skin.row(v).filter(|(j, _)| j.index() == joint).map(|(_, w)| w).sum::<f32>();
        let most = moved.map(own).fold(0.0, f32::max);
        assert!(most > 0.95, "{}: {most}", skeleton.names[joint]);
    }
}

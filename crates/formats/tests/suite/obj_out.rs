//! Tests of `obj_out.rs`.

use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::mesh::Polygon;
use tin_cloak_formats::*;

#[test]
fn what_is_written_is_read_again() {
    let square = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]];
    let positions: Vec<Vec3> = square.iter().map(|[x, y]| Vec3::new(*x, *y, 0.125)).collect();
    let mesh = Mesh {
        positions: positions.clone(),
        normals: vec![Vec3::Z; 4],
        triangles: vec![[0, 1, 2], [0, 2, 3]],
        polygons: vec![Polygon { first: 0, triangles: 2 }],
    };
    let look = Look { uv_sets: vec![square.to_vec()], ..Look::default() };
    let part =
        |name| ObjPart { name, mesh: &mesh, positions: &positions, normals: &mesh.normals, look: &look };
    let (obj, mtl) = write_obj(&[part("left cuff"), part("right")], Frame::default(), "cuffs.mtl");
    insta::assert_snapshot!(format!("{obj}---\n{mtl}"));
    let again = read("cuffs.obj", obj.as_bytes(), &Companions::new()).unwrap();
    let names: Vec<&str> = again.groups.iter().map(|g| g.name.as_str()).collect();
    assert_eq!(names, ["left_cuff", "right"]);
    let all = &again.groups[0].mesh;
    assert_eq!((all.triangles.len(), all.polygons.len()), (2, 1));
    assert!(all.positions.iter().all(|p| p.z == 0.125));
}

/// Two files may have a material of one name and other colours: each part keeps its own.
#[test]
fn two_materials_of_one_name_keep_their_colours() {
    let mesh = Mesh {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y],
        normals: vec![Vec3::Z; 3],
        triangles: vec![[0, 1, 2]],
        polygons: Vec::new(),
    };
    let look = |red: f32| {
        let surface = serde_json::json!({ "baseColorFactor": [red, 0.0, 0.0, 1.0] });
        let felt = serde_json::json!({ "name": "felt", "pbrMetallicRoughness": surface });
        let materials = Materials { materials: vec![felt], ..Materials::default() };
        let runs = vec![MaterialRun { first: 0, material: Some(0) }];
        Look { runs, materials: materials.into(), ..Look::default() }
    };
    let (red, dark) = (look(1.0), look(0.25));
    let part =
        |name, look| ObjPart { name, mesh: &mesh, positions: &mesh.positions, normals: &mesh.normals, look };
    let parts = [part("hat", &red), part("cuff", &dark), part("band", &red), part("strap", &dark)];
    let (obj, mtl) = write_obj(&parts, Frame::default(), "felt.mtl");
    let used: Vec<&str> = obj.lines().filter_map(|l| l.strip_prefix("usemtl ")).collect();
    assert_eq!(used, ["felt", "felt_2", "felt", "felt_2"]);
    assert_eq!(mtl, "newmtl felt\nKd 1 0 0\nd 1\nnewmtl felt_2\nKd 0.25 0 0\nd 1\n");
}

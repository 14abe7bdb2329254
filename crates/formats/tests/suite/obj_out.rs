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

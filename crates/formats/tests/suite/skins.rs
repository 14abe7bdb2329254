//! Files with several skins that were bound in other poses than one another, and saved in yet another.

use crate::bad_input::glb;
use serde_json::{json, Value};
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_formats::{read, Companions};

/// Where the elbow is, metres from the root along x.
const ELBOW: f32 = 0.3;

/// One face of three corners near `at`, wholly on joint `joint`; its bytes.
fn face(at: Vec3, joint: u8) -> Vec<u8> {
    let corners = [at, at + Vec3::Y * 0.01, at + Vec3::Z * 0.01];
    let mut bytes: Vec<u8> = corners.iter().flat_map(|p| p.to_array()).flat_map(f32::to_le_bytes).collect();
    bytes.extend([[joint, 0, 0, 0]; 3].concat());
    bytes.extend([[1.0f32, 0.0, 0.0, 0.0]; 3].concat().into_iter().flat_map(f32::to_le_bytes));
    bytes
}

/// An arm in a file that was saved with its elbow turned by `saved`, and a glove whose skin was bound with the elbow
/// turned by `bound`; the glove is the first of the skins, and lies on the hand as it was bound.
fn file(saved: f32, bound: f32) -> Vec<u8> {
    let (elbow, turn) = (Mat4::from_translation(Vec3::X * ELBOW), Mat4::from_rotation_z(bound));
    let hand = Vec3::new(0.25, 0.02, 0.0);
    let bent = elbow * turn;
    let arm = [Mat4::IDENTITY, elbow.inverse()];
    let glove = [bent.inverse()];
    let mut bin = face(bent.transform_point3(hand), 0);
    bin.extend(face(Vec3::X * ELBOW + hand, 1));
    let binds = |list: &[Mat4]| -> Vec<u8> {
        list.iter().flat_map(|m| m.to_cols_array()).flat_map(f32::to_le_bytes).collect()
    };
    bin.extend(binds(&glove));
    bin.extend(binds(&arm));
    let view = |at: usize, length: usize| json!({ "buffer": 0, "byteOffset": at, "byteLength": length });
    let mut views: Vec<Value> = Vec::new();
    for mesh in 0..2 {
        views.extend([view(mesh * 96, 36), view(mesh * 96 + 36, 12), view(mesh * 96 + 48, 48)]);
    }
    views.extend([view(192, 64), view(256, 128)]);
    let of = |view: usize, component: u32, count: usize, kind: &str| {
        json!({ "bufferView": view, "componentType": component, "count": count, "type": kind,
                "min": [-1, -1, -1], "max": [1, 1, 1] })
    };
    let mesh = |first: usize| {
        json!({ "primitives": [{ "attributes":
            { "POSITION": first, "JOINTS_0": first + 1, "WEIGHTS_0": first + 2 } }] })
    };
    let accessors: Vec<Value> = (0..2)
        .flat_map(|m| {
            [of(3 * m, 5126, 3, "VEC3"), of(3 * m + 1, 5121, 3, "VEC4"), of(3 * m + 2, 5126, 3, "VEC4")]
        })
        .chain([of(6, 5126, 1, "MAT4"), of(7, 5126, 2, "MAT4")])
        .collect();
    let turned = Quat::from_rotation_z(saved).to_array();
    let document = json!({
        "asset": { "version": "2.0" },
        "buffers": [{ "byteLength": bin.len() }],
        "bufferViews": views,
        "accessors": accessors,
        "meshes": [mesh(0), mesh(3)],
        "skins": [{ "joints": [3], "inverseBindMatrices": 6 }, { "joints": [2, 3], "inverseBindMatrices": 7 }],
        "nodes": [
            { "name": "glove", "mesh": 0, "skin": 0 },
            { "name": "arm", "mesh": 1, "skin": 1 },
            { "name": "root", "children": [3] },
            { "name": "elbow", "translation": [ELBOW, 0.0, 0.0], "rotation": turned },
        ],
        "scenes": [{ "nodes": [0, 1, 2] }],
    });
    glb(&document, &bin)
}

/// The glove lies where the hand is, whatever pose its skin was bound in and the file was saved in: what it is bound
/// by says how it lies on its joint.
#[test]
fn a_second_skins_own_bind_matrices_say_where_it_lies() {
    for (saved, bound) in [(0.0, 0.0), (0.9, 0.0), (0.0, 1.2), (0.9, 1.2), (-0.7, 0.4)] {
        let document = read("arm.glb", &file(saved, bound), &Companions::new()).unwrap();
        let first = |name: &str| document.meshes.iter().find(|m| m.name == name).unwrap().mesh.positions[0];
        let apart = first("glove").distance(first("arm")) * 1000.0;
        assert!(apart < 0.01, "{apart} mm apart, saved at {saved}, bound at {bound}");
        // Rest is the arm's bind pose.
        assert!(first("arm").distance(Vec3::new(0.55, 0.02, 0.0)) < 1e-5, "{}", first("arm"));
    }
}

//! Everything a person can hand in by mistake: one clear sentence, no panic.

use proptest::prelude::*;
use serde_json::{json, Value};
use tin_cloak_formats::{read, Companions, ReadError};

/// A skinned triangle with two joints as glTF JSON and its buffer.
fn triangle() -> (Value, Vec<u8>) {
    let mut bin = Vec::new();
    let floats = |bin: &mut Vec<u8>, list: &[f32]| list.iter().for_each(|f| bin.extend(f.to_le_bytes()));
    floats(&mut bin, &[0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0]); // positions, 36
    bin.extend([0u8, 1, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0]); // joints, 12
    floats(&mut bin, &[0.5, 0.5, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0]); // weights, 48
    bin.extend([0u16, 1, 2].iter().flat_map(|i| i.to_le_bytes())); // indices, 6
    bin.extend([0, 0]);
    let identity = [1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0];
    floats(&mut bin, &identity); // bind matrices at 104, 128
    floats(&mut bin, &identity);
    let json = json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0, 1]}],
        "nodes": [{"mesh": 0, "skin": 0, "name": "flag"}, {"name": "root", "children": [2]}, {"name": "tip"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "JOINTS_0": 1, "WEIGHTS_0": 2}, "indices": 3}]}],
        "skins": [{"joints": [1, 2], "inverseBindMatrices": 4}],
        "buffers": [{"byteLength": bin.len()}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 12},
            {"buffer": 0, "byteOffset": 48, "byteLength": 48}, {"buffer": 0, "byteOffset": 96, "byteLength": 6},
            {"buffer": 0, "byteOffset": 104, "byteLength": 128}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5121, "count": 3, "type": "VEC4"},
            {"bufferView": 2, "componentType": 5126, "count": 3, "type": "VEC4"},
            {"bufferView": 3, "componentType": 5123, "count": 3, "type": "SCALAR"},
            {"bufferView": 4, "componentType": 5126, "count": 2, "type": "MAT4"}],
    });
    (json, bin)
}

pub fn glb(json: &Value, bin: &[u8]) -> Vec<u8> {
    let mut text = serde_json::to_vec(json).unwrap();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut out = b"glTF".to_vec();
    for word in [2, (12 + 8 + text.len() + 8 + bin.len()) as u32, text.len() as u32] {
        out.extend(word.to_le_bytes());
    }
    out.extend(b"JSON");
    out.extend(&text);
    out.extend((bin.len() as u32).to_le_bytes());
    out.extend(b"BIN\0");
    out.extend(bin);
    out
}

fn refusal(bytes: &[u8]) -> String {
    read("upload.glb", bytes, &Companions::new()).unwrap_err().to_string()
}

fn changed(change: impl FnOnce(&mut Value, &mut Vec<u8>)) -> String {
    let (mut json, mut bin) = triangle();
    change(&mut json, &mut bin);
    refusal(&glb(&json, &bin))
}

#[test]
fn the_unchanged_file_is_fine() {
    let (json, bin) = triangle();
    let document = read("a.glb", &glb(&json, &bin), &Companions::new()).unwrap();
    assert_eq!(document.meshes[0].name, "flag");
    assert_eq!(document.skeleton.unwrap().names, ["root", "tip"]);
    assert_eq!(document.meshes[0].skin.as_ref().unwrap().row(0).count(), 2);
}

#[test]
fn positions_in_an_accessor_that_is_not_there() {
    let text = changed(|json, _| json["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = json!(99));
    assert!(text.contains("mesh 0 has its positions in accessor 99"), "{text}");
    let text = changed(|json, _| drop(json.as_object_mut().unwrap().remove("accessors")));
    assert!(text.contains("and there are 0"), "{text}");
}

#[test]
fn truncated() {
    let (json, bin) = triangle();
    let whole = glb(&json, &bin);
    for cut in [5, 15, 60, whole.len() - 40] {
        let text = refusal(&whole[..cut]);
        assert!(text.contains("cut short"), "{cut}: {text}");
    }
}

#[test]
fn not_a_gltf() {
    assert!(refusal(b"solid cube, honest").contains("not a file this program reads"));
    assert!(refusal(b"").contains("empty"));
    assert!(refusal(b"{\"hello\": 1}").contains("not a valid glTF"));
}

#[test]
fn nan_positions() {
    let text = changed(|_, bin| bin[12..16].copy_from_slice(&f32::NAN.to_le_bytes()));
    assert!(text.contains("vertex 1 is not a number"), "{text}");
}

#[test]
fn index_out_of_range() {
    let text = changed(|_, bin| bin[98] = 200);
    assert!(text.contains("names vertex 200, but there are only 3"), "{text}");
}

#[test]
fn joint_out_of_range() {
    let text = changed(|_, bin| bin[36] = 99);
    assert!(text.contains("joint 99") && text.contains("only 2 joints"), "{text}");
}

#[test]
fn a_cycle_of_nodes() {
    let text = changed(|json, _| json["nodes"][2]["children"] = json!([1]));
    assert!(text.contains("cycle"), "{text}");
}

#[test]
fn no_triangles() {
    let text = changed(|json, _| json["meshes"][0]["primitives"][0]["mode"] = json!(0));
    assert!(text.contains("no mesh with faces"), "{text}");
}

#[test]
fn a_count_that_would_need_gigabytes() {
    let text = changed(|json, _| json["accessors"][0]["count"] = json!(4_000_000_000u64));
    assert!(text.contains("4000000000 entries"), "{text}");
    // A sparse accessor without a buffer is all zeros but for a few: nothing in the file limits it.
    let text = changed(|json, _| {
        json["accessors"][0]["count"] = json!(4_000_000_000u64);
        json["accessors"][0].as_object_mut().unwrap().remove("bufferView");
        json["accessors"][0]["sparse"] = json!({
            "count": 1, "indices": {"bufferView": 3, "componentType": 5123}, "values": {"bufferView": 0}
        });
    });
    assert!(text.contains("4000000000 entries"), "{text}");
}

#[test]
fn all_zero_weights() {
    let text = changed(|_, bin| bin[48..96].fill(0));
    assert!(text.contains("3 vertices have no weight"), "{text}");
}

#[test]
fn a_vertex_without_weight_follows_its_neighbour_and_is_told() {
    let (json, mut bin) = triangle();
    bin[64..80].fill(0);
    bin[80..84].copy_from_slice(&0.25f32.to_le_bytes());
    let part = read("flag.glb", &glb(&json, &bin), &Companions::new()).unwrap().meshes.remove(0);
    assert_eq!(part.weight_faults.weightless, [1]);
    assert_eq!(part.weight_faults.unnormalised, 1);
    let skin = part.skin.unwrap();
    assert!((0..3).all(|v| (skin.row(v).map(|e| e.1).sum::<f32>() - 1.0).abs() < 1e-6));
}

#[test]
fn a_singular_bind_matrix() {
    let text = changed(|_, bin| bin[104..168].fill(0));
    assert!(text.contains("“root” has a singular bind matrix"), "{text}");
}

#[test]
fn a_wrong_attribute_type() {
    let text = changed(|json, _| json["accessors"][0]["type"] = json!("VEC2"));
    assert!(text.contains("positions") && text.contains("VEC3"), "{text}");
}

#[test]
fn an_uri_leading_out_of_the_upload() {
    for uri in ["../secret.bin", "/etc/passwd", "file:///etc/passwd", "a/b.bin", "..\\x.bin"] {
        let text = changed(|json, _| json["buffers"][0]["uri"] = json!(uri));
        assert!(text.contains("outside the upload"), "{uri}: {text}");
    }
    let (mut json, bin) = triangle();
    json["buffers"][0]["uri"] = json!("flag.bin");
    let text = serde_json::to_vec(&json).unwrap();
    let alone = read("flag.gltf", &text, &Companions::new()).unwrap_err();
    assert!(matches!(&alone, ReadError::OtherFile { uri, .. } if uri == "flag.bin"), "{alone}");
    let beside = Companions::from([("flag.bin".to_owned(), bin)]);
    assert_eq!(read("flag.gltf", &text, &beside).unwrap().meshes.len(), 1);
}

#[test]
fn bad_obj_and_bvh_lines_are_named() {
    let obj = b"v 0 0 0\nv 1 0 0\nv 0 spam 0\nf 1 2 3\n";
    let text = read("a.obj", obj, &Companions::new()).unwrap_err().to_string();
    assert!(text.contains("line 3"), "{text}");
    let bvh = b"HIERARCHY\nROOT hips\n{\nOFFSET 0 0 0\nCHANNELS 3 Xrotation Yrotation Spin\n}\n";
    let text = read("a.bvh", bvh, &Companions::new()).unwrap_err().to_string();
    assert!(text.contains("line 5") && text.contains("spin"), "{text}");
}

#[test]
fn a_small_file_that_adds_up_to_gigabytes() {
    // Twenty thousand nodes that draw one mesh of 300 vertices.
    let (mut json, mut bin) = triangle();
    let first = bin.len();
    bin.resize(first + 300 * 12, 0);
    json["buffers"][0]["byteLength"] = json!(bin.len());
    json["bufferViews"].as_array_mut().unwrap().push(json!({
        "buffer": 0, "byteOffset": first, "byteLength": 300 * 12
    }));
    json["accessors"].as_array_mut().unwrap().push(json!({
        "bufferView": 5, "componentType": 5126, "count": 300, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0, 0]
    }));
    json["meshes"] = json!([{"primitives": [{"attributes": {"POSITION": 5}}]}]);
    json["nodes"] = json!(vec![json!({"mesh": 0}); 20_000]);
    json["scenes"][0]["nodes"] = json!([0]);
    json.as_object_mut().unwrap().remove("skins");
    let text = refusal(&glb(&json, &bin));
    assert!(text.contains("adds up to 6000000 vertices, and 4000000 are read"), "{text}");
    // Primitives that share their vertices still have faces of their own.
    json["nodes"] = json!([{"mesh": 0}]);
    json["meshes"][0]["primitives"] = json!(vec![json!({"attributes": {"POSITION": 5}}); 200_000]);
    assert!(refusal(&glb(&json, &bin)).contains("adds up to 60000000 vertices"));
}

#[test]
fn a_stride_shorter_than_its_element() {
    let text = changed(|json, _| json["bufferViews"][0]["byteStride"] = json!(4));
    assert!(text.contains("steps 4 bytes") && text.contains("12 bytes"), "{text}");
}

#[test]
fn a_name_that_fills_the_screen() {
    let (mut json, mut bin) = triangle();
    json["nodes"][0]["name"] = json!("long\n".repeat(25_000));
    let part = read("a.glb", &glb(&json, &bin), &Companions::new()).unwrap().meshes.remove(0);
    assert!(part.name.chars().count() <= 201 && !part.name.contains('\n'));
    bin[36] = 99;
    assert!(refusal(&glb(&json, &bin)).len() < 1000);
}

#[test]
fn things_of_one_name_are_told_apart() {
    let (mut json, bin) = triangle();
    json["nodes"][1]["name"] = json!("tip");
    let twice = json["nodes"][0].clone();
    json["nodes"].as_array_mut().unwrap().extend([twice.clone(), twice]);
    let document = read("a.glb", &glb(&json, &bin), &Companions::new()).unwrap();
    let names: Vec<&str> = document.meshes.iter().map(|m| m.name.as_str()).collect();
    assert_eq!(names, ["flag", "flag 2", "flag 3"]);
    assert_eq!(document.skeleton.as_ref().unwrap().names, ["tip", "tip 2"]);
    assert!(document.part("flag 2").is_ok());
    // Written and read again, nothing is numbered twice.
    json["nodes"][3]["name"] = json!("flag 2");
    let again = read("a.glb", &glb(&json, &bin), &Companions::new()).unwrap();
    assert_eq!(
        again.meshes.iter().map(|m| m.name.as_str()).collect::<Vec<_>>(),
        ["flag", "flag 2", "flag 3"]
    );
}

/// The triangle with a clip that turns its tip: keys at 0 and 1 s.
fn turning(keys: [[f32; 4]; 2], times: [f32; 2]) -> Vec<u8> {
    let (mut json, mut bin) = triangle();
    let first = bin.len();
    times.iter().chain(keys.iter().flatten()).for_each(|f| bin.extend(f.to_le_bytes()));
    json["buffers"][0]["byteLength"] = json!(bin.len());
    let views = json["bufferViews"].as_array_mut().unwrap();
    views.push(json!({"buffer": 0, "byteOffset": first, "byteLength": 8}));
    views.push(json!({"buffer": 0, "byteOffset": first + 8, "byteLength": 32}));
    let accessors = json["accessors"].as_array_mut().unwrap();
    accessors.push(json!({"bufferView": 5, "componentType": 5126, "count": 2, "type": "SCALAR"}));
    accessors.push(json!({"bufferView": 6, "componentType": 5126, "count": 2, "type": "VEC4"}));
    json["animations"] = json!([{"name": "turn", "samplers": [{"input": 5, "output": 6}],
        "channels": [{"sampler": 0, "target": {"node": 2, "path": "rotation"}}]}]);
    glb(&json, &bin)
}

#[test]
fn a_motion_that_cannot_be_played_is_left_out_whole_and_told() {
    let rest = [0.0, 0.0, 0.0, 1.0];
    let read = |bytes: &[u8]| read("a.glb", bytes, &Companions::new()).unwrap();
    assert_eq!(read(&turning([rest, rest], [0.0, 1.0])).clips.len(), 1);
    for (keys, times, says) in [
        ([[0.0; 4], rest], [0.0, 1.0], "the rotation of “tip” at 0 s is zero"),
        ([rest, [f32::NAN; 4]], [0.0, 1.0], "at 1 s is zero, endless or no number"),
        ([rest, [3e38; 4]], [0.0, 1.0], "at 1 s is zero, endless or no number"),
        ([rest, rest], [0.0, f32::NAN], "has a key at NaN s"),
        ([rest, rest], [0.0, 3e38], "has a key at 3"),
        ([rest, rest], [1.0, 0.5], "has a key at 0.5 s after one at 1 s"),
    ] {
        let document = read(&turning(keys, times));
        assert!(document.clips.is_empty());
        let unsound = &document.unsound_clips[0];
        assert!(unsound.name == "turn" && unsound.why.contains(says), "{}", unsound.why);
    }
}

#[test]
fn bvh_motions_that_nobody_recorded() {
    let of = |channels: &str, frames: &str, step: &str| {
        let text = format!(
            "HIERARCHY\nROOT hips\n{{\nOFFSET 0 90 0\n{channels}\nEnd Site\n{{\nOFFSET 0 9 0\n}}\n}}\n\
             MOTION\nFrames: {frames}\nFrame Time: {step}\n0 0 0\n"
        );
        read("a.bvh", text.as_bytes(), &Companions::new()).map_err(|e| e.to_string())
    };
    let turns = "CHANNELS 3 Zrotation Xrotation Yrotation";
    assert!(of(turns, "1", "0.04").is_ok());
    assert!(of("", "1000000000000", "0.04").unwrap_err().contains("frames of 0 channels"));
    assert!(of(turns, "1000000000000", "0.04").unwrap_err().contains("adds up to"));
    assert!(of(turns, "1", "1e38").unwrap_err().contains("takes up to 60 s"));
    assert!(of(turns, "1", "0").unwrap_err().contains("takes up to 60 s"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever bytes are changed, the reader answers and does not panic.
    #[test]
    fn flipped_bytes_never_panic(flips in prop::collection::vec((0usize..2400, any::<u8>()), 1..8)) {
        let (json, bin) = triangle();
        let mut bytes = glb(&json, &bin);
        for (at, value) in flips {
            let length = bytes.len();
            bytes[at % length] = value;
        }
        let _ = read("upload.glb", &bytes, &Companions::new());
    }
}

/// Every refusal of a file, as people read it.
#[test]
fn every_refusal_of_a_file() {
    let attribute = |name: &'static str| {
        move |json: &mut Value, _: &mut Vec<u8>| {
            json["meshes"][0]["primitives"][0]["attributes"][name] = json!(3)
        }
    };
    let text = |name: &str, text: &[u8]| read(name, text, &Companions::new()).unwrap_err().to_string();
    let whole = || {
        let (json, bin) = triangle();
        glb(&json, &bin)
    };
    let said = [
        ("empty", refusal(b"")),
        ("a text", refusal(b"solid cube, honest")),
        ("cut short", refusal(&whole()[..60])),
        ("no glTF", refusal(b"{\"hello\": 1}")),
        (
            "compressed",
            changed(|json, _| {
                json["extensionsRequired"] = json!(["KHR_draco_mesh_compression"]);
                json["extensionsUsed"] = json!(["KHR_draco_mesh_compression"]);
            }),
        ),
        ("a buffer elsewhere", changed(|json, _| json["buffers"][0]["uri"] = json!("flag.bin"))),
        ("a buffer outside", changed(|json, _| json["buffers"][0]["uri"] = json!("../flag.bin"))),
        ("too many entries", changed(|json, _| json["accessors"][0]["count"] = json!(4_000_000_000u64))),
        (
            "no such accessor",
            changed(|json, _| {
                json["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = json!(99);
            }),
        ),
        ("short steps", changed(|json, _| json["bufferViews"][0]["byteStride"] = json!(4))),
        ("positions of two numbers", changed(|json, _| json["accessors"][0]["type"] = json!("VEC2"))),
        ("normals of indices", changed(attribute("NORMAL"))),
        ("joints of floats", changed(|json, _| json["accessors"][1]["componentType"] = json!(5126))),
        ("a circle of nodes", changed(|json, _| json["nodes"][2]["children"] = json!([1]))),
        ("few bind matrices", changed(|json, _| json["accessors"][4]["count"] = json!(1))),
        ("a flat bind matrix", changed(|_, bin| bin[104..168].fill(0))),
        ("no such joint", changed(|_, bin| bin[36] = 99)),
        ("no weights", changed(|_, bin| bin[48..96].fill(0))),
        ("a place that is none", changed(|_, bin| bin[12..16].copy_from_slice(&f32::NAN.to_le_bytes()))),
        ("no such vertex", changed(|_, bin| bin[98] = 200)),
        ("points alone", changed(|json, _| json["meshes"][0]["primitives"][0]["mode"] = json!(0))),
        (
            "a thousand thousand nodes",
            changed(|json, _| {
                json["nodes"] = vec![json!({"mesh": 0}); 100_001].into();
                json["skins"] = json!([]);
            }),
        ),
        (
            "a motion of a node that is not there",
            changed(|json, _| {
                let sampler = json!({"input": 3, "output": 2});
                let channel = json!({"sampler": 0, "target": {"node": 77, "path": "rotation"}});
                json["animations"] = json!([{"samplers": [sampler], "channels": [channel]}]);
            }),
        ),
        ("an OBJ", text("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 spam 0\nf 1 2 3\n")),
        ("an OBJ of points", text("a.obj", b"v 0 0 0\nv 1 0 0\n")),
        ("a BVH", text("a.bvh", b"HIERARCHY\nROOT hips\n{\nOFFSET 0 0 0\nCHANNELS 1 Spin\n}\n")),
    ];
    let lines: Vec<String> = said.iter().map(|(what, text)| format!("{what}: {text}")).collect();
    insta::assert_snapshot!(lines.join("\n"));
}

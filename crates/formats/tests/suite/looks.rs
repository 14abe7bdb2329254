//! Texture coordinates, materials and pictures go out as they came in; OBJ keeps its faces,
//! groups and materials.

use serde_json::{json, Value};
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mesh::Mesh;
use tin_cloak_formats::{
    read, wanted, write_glb, write_gltf, write_usd_with_pictures, write_usda, Companions, Document, Frame,
    GlbPart, GlbScene, Look, MaterialRun, Materials, MeshPart, Picture, ReadError,
};

/// A picture of one dot; its first bytes say what it is.
fn dot(last: u8) -> Picture {
    let bytes = vec![0x89, b'P', b'N', b'G', 13, 10, 26, 10, last];
    Picture { name: format!("dot {last}"), media_type: "image/png".into(), bytes }
}

fn strip() -> Mesh {
    let positions = (0..6).map(|i| Vec3::new((i / 2) as f32, (i % 2) as f32, 0.0)).collect();
    let triangles = vec![[0, 2, 3], [0, 3, 1], [2, 4, 5], [2, 5, 3]];
    Mesh::new("strip", positions, Vec::new(), triangles, Vec::new()).unwrap()
}

fn two_materials() -> Look {
    let textured = json!({
        "name": "tin", "doubleSided": false, "alphaCutoff": 0.25, "alphaMode": "MASK",
        "normalTexture": { "index": 1, "scale": 0.5 },
        "pbrMetallicRoughness": { "baseColorTexture": { "index": 0, "texCoord": 1 }, "metallicFactor": 0.5 },
        "extensions": { "KHR_materials_clearcoat": { "clearcoatTexture": { "index": 1 }, "clearcoatFactor": 0.5 } },
    });
    let plain = json!({ "name": "oilskin", "pbrMetallicRoughness": { "roughnessFactor": 0.25 } });
    let materials = Materials {
        materials: vec![json!({ "name": "never used" }), textured, plain],
        textures: vec![json!({ "source": 0, "sampler": 0 }), json!({ "source": 1 })],
        samplers: vec![json!({ "wrapS": 33071, "magFilter": 9728 })],
        pictures: vec![dot(1), dot(2)],
    };
    let run = |first, material| MaterialRun { first, material };
    let set = |k: f32| (0..6).map(|i| [i as f32 * k, 1.0 - i as f32 * k]).collect();
    Look {
        uv_sets: vec![set(0.25), set(0.125)],
        colours: (0..6).map(|i| [i as f32 / 8.0, 0.5, 0.25, 1.0]).collect(),
        runs: vec![run(0, Some(1)), run(2, Some(2))],
        materials: materials.into(),
        not_kept: Vec::new(),
        hidden: Vec::new(),
    }
}

fn glb(looks: &[&Look]) -> Vec<u8> {
    let mesh = strip();
    let part = |look| GlbPart {
        name: "strip",
        mesh: &mesh,
        skin: None,
        morphs: &[],
        amounts: &[],
        mark: None,
        look,
        colour: [0.5; 3],
    };
    let parts = looks.iter().map(|look| part(*look)).collect();
    write_glb(&GlbScene { parts, skeleton: None, clips: &[] }).unwrap()
}

fn json_of(glb: &[u8]) -> Value {
    let length = u32::from_le_bytes(glb[12..16].try_into().unwrap()) as usize;
    serde_json::from_slice(&glb[20..20 + length]).unwrap()
}

#[test]
fn a_look_comes_back_equal() {
    let look = two_materials();
    let back = read("x.glb", &glb(&[&look]), &Companions::new()).unwrap().meshes.remove(0);
    assert_eq!(back.mesh.positions, strip().positions, "primitives share their vertices");
    assert_eq!(back.mesh.triangles, strip().triangles);
    assert_eq!((&back.look.uv_sets, &back.look.colours), (&look.uv_sets, &look.colours));
    let (was, is) = (&look.materials, &back.look.materials);
    let material =
        |look: &Look, run: usize| look.materials.materials[look.runs[run].material.unwrap() as usize].clone();
    assert_eq!(material(&back.look, 1), material(&look, 1));
    let (old, new) = (material(&look, 0), material(&back.look, 0));
    let texture = |m: &Value, all: &Materials, at: &str| {
        let texture = &all.textures[m.pointer(at).unwrap().as_u64().unwrap() as usize];
        let sampler = texture["sampler"].as_u64().map(|s| all.samplers[s as usize].clone());
        (all.pictures[texture["source"].as_u64().unwrap() as usize].clone(), sampler)
    };
    for at in [
        "/normalTexture/index",
        "/pbrMetallicRoughness/baseColorTexture/index",
        "/extensions/KHR_materials_clearcoat/clearcoatTexture/index",
    ] {
        assert_eq!(texture(&old, was, at), texture(&new, is, at), "{at}");
    }
    for at in ["/alphaCutoff", "/alphaMode", "/doubleSided", "/normalTexture/scale"] {
        assert_eq!(old.pointer(at), new.pointer(at));
    }
    assert_eq!(is.materials.len(), 2, "what nothing uses stays behind");
}

#[test]
fn looks_of_several_parts_are_written_once() {
    let look = two_materials();
    let json = json_of(&glb(&[&look, &look, &Look::default()]));
    let count = |key: &str| json[key].as_array().map_or(0, Vec::len);
    assert_eq!((count("images"), count("textures"), count("samplers"), count("materials")), (2, 2, 1, 3));
    assert_eq!(json["extensionsUsed"], json!(["KHR_materials_clearcoat"]));
}

/// Pictures written beside a glTF are named for what they are (registered media types: image/webp, image/ktx2).
#[test]
fn pictures_keep_their_type() {
    let mut look = two_materials();
    let materials = std::sync::Arc::make_mut(&mut look.materials);
    // The second is the first that is asked for.
    materials.pictures[1].bytes = b"RIFF\x04\0\0\0WEBP".to_vec();
    materials.pictures[0].bytes = b"\xABKTX 20\xBB\r\n\x1A\n".to_vec();
    let types = ["image/webp", "image/ktx2"];
    for (picture, media_type) in materials.pictures.iter_mut().rev().zip(types) {
        picture.media_type = media_type.to_owned();
    }
    let bytes = glb(&[&look]);
    let json = json_of(&bytes);
    let told: Vec<&str> =
        json["images"].as_array().unwrap().iter().filter_map(|i| i["mimeType"].as_str()).collect();
    assert_eq!(told, types);
    let back = read("x.glb", &bytes, &Companions::new()).unwrap().meshes.remove(0);
    let part = GlbPart {
        name: "strip",
        mesh: &back.mesh,
        skin: None,
        morphs: &[],
        amounts: &[],
        mark: None,
        look: &back.look,
        colour: [0.5; 3],
    };
    let files = write_gltf(&GlbScene { parts: vec![part], skeleton: None, clips: &[] }, "strip").unwrap();
    let names: Vec<&str> = files.iter().map(|f| f.0.as_str()).collect();
    assert_eq!(names, ["strip.gltf", "strip.bin", "strip-picture-1.webp", "strip-picture-2.ktx2"]);
    let companions: Companions = files[1..].iter().cloned().collect();
    let again = read("strip.gltf", &files[0].1, &companions).unwrap().meshes.remove(0);
    assert_eq!(again.look.materials.pictures[1].media_type, "image/ktx2");
}

const PICTURED: &str = r#"{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
 "meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0}]}],
 "materials":[{"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],
 "textures":[{"source":0}],"images":[{"uri":"quilt%20one.png"}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
 "bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"uri":"a.bin","byteLength":36}]}"#;

#[test]
fn pictures_come_along_with_a_gltf() {
    let corners: [f32; 9] = [0., 0., 0., 1., 0., 0., 0., 1., 0.];
    let buffer: Vec<u8> = corners.iter().flat_map(|x| x.to_le_bytes()).collect();
    let dropped: Companions = [
        ("a.bin".to_owned(), buffer),
        ("quilt one.png".to_owned(), dot(7).bytes),
        ("another.png".to_owned(), dot(8).bytes),
    ]
    .into();
    let along = wanted(PICTURED.as_bytes(), &dropped);
    assert_eq!(along.keys().collect::<Vec<_>>(), ["a.bin", "quilt one.png"], "only what it names");
    let part = read("x.gltf", PICTURED.as_bytes(), &along).unwrap().meshes.remove(0);
    assert_eq!(part.look.materials.pictures[0].bytes, dot(7).bytes);
    let alone: Companions = along.into_iter().filter(|(n, _)| n == "a.bin").collect();
    let error = read("x.gltf", PICTURED.as_bytes(), &alone).unwrap_err();
    assert!(matches!(&error, ReadError::OtherFile { what: "picture", .. }), "{error}");
}

/// What a file has that is not read is told by name, once.
#[test]
fn what_is_not_kept_is_named() {
    let text = r#"{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
     "meshes":[{"primitives":[{"attributes":{"POSITION":0,"TANGENT":1,"_WIND":0,"_HIDDEN":2},
       "targets":[{"POSITION":0,"NORMAL":0},{"POSITION":0,"NORMAL":0}]}]}],
     "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},
      {"bufferView":0,"componentType":5126,"count":3,"type":"VEC4"},
      {"bufferView":0,"componentType":5126,"count":3,"type":"SCALAR"}],
     "bufferViews":[{"buffer":0,"byteLength":48}],"buffers":[{"uri":"a.bin","byteLength":48}]}"#;
    let corners: [f32; 12] = [0., 0., 0., 1., 0., 0., 0., 1., 0., 0., 0., 1.];
    let buffer: Vec<u8> = corners.iter().flat_map(|x| x.to_le_bytes()).collect();
    let along: Companions = [("a.bin".to_owned(), buffer)].into();
    let part = read("x.gltf", text.as_bytes(), &along).unwrap().meshes.remove(0);
    let mut told = part.look.not_kept.clone();
    told.sort();
    assert_eq!(told, ["attribute _WIND", "normals of shapes", "tangents"]);
    let (less, _) = part.without(&[]);
    assert_eq!(less.look.not_kept, part.look.not_kept);
}

const DRESS: &str =
    "mtllib dress.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0.5 2 0\nvt 0 0\nvt 1 0\nvt 1 1\n\
vt 0 1\nvt 0.5 0.5\n\
g skirt\nusemtl wool\nf 1/1 2/2 3/3 4/4\ng collar\nusemtl tin\nf 4/4 3/3 5/5\nf 1/1 2/2 3/3 5/5 4/4\n";
const MTL: &str =
    "newmtl wool\nKd 0.5 0.25 0.125\nmap_Kd textures/wool.png\nnewmtl tin\nKd 0.5 0.5 0.5\nd 0.5\nNs 98\n";

fn dress(companions: &[(&str, Vec<u8>)]) -> Document {
    let dropped: Companions = companions.iter().map(|(n, b)| ((*n).to_owned(), b.clone())).collect();
    read("dress.obj", DRESS.as_bytes(), &wanted(DRESS.as_bytes(), &dropped)).unwrap()
}

#[test]
fn an_obj_keeps_faces_groups_and_materials() {
    let whole = dress(&[("dress.mtl", MTL.into()), ("wool.png", dot(3).bytes)]);
    let (mesh, look) = (&whole.meshes[0].mesh, &whole.meshes[0].look);
    let sides: Vec<u32> = mesh.polygons.iter().map(|p| p.triangles + 2).collect();
    assert_eq!((mesh.triangles.len(), sides), (6, vec![4, 5]), "a quad and a pentagon");
    let names: Vec<&str> = whole.groups.iter().map(|g| g.name.as_str()).collect();
    assert_eq!(names, ["skirt", "collar"]);
    assert_eq!(whole.groups[1].mesh.triangles.len(), 4);
    let first = mesh.triangles[0][0] as usize;
    assert_eq!(
        (mesh.positions[first], look.uv_sets[0][first]),
        (Vec3::ZERO, [0.0, 1.0]),
        "v runs down in glTF"
    );
    let surface = |i: usize| &look.materials.materials[i]["pbrMetallicRoughness"];
    assert_eq!(surface(0)["baseColorFactor"], json!([0.5, 0.25, 0.125, 1.0]));
    assert_eq!(look.materials.pictures[0].bytes, dot(3).bytes);
    assert!((surface(1)["roughnessFactor"].as_f64().unwrap() - 0.02f64.sqrt()).abs() < 1e-4);
    assert_eq!(look.runs.len(), 2);
    // Without its library the faces are all there, and out of the writer comes a file again.
    let bare = dress(&[]);
    assert_eq!(bare.meshes[0].mesh.triangles.len(), 6);
    let back = read("y.glb", &glb(&[&Look { runs: Vec::new(), ..look.clone() }]), &Companions::new());
    assert!(back.is_ok());
}

/// This text with two pictures of 4 × 4 dots was opened by OpenUSD itself (PyPI: usd-core 26.11), by hand: its
/// validators find nothing, and each picture is found.
#[test]
fn materials_go_out_as_usd_with_their_pictures() {
    let look = two_materials();
    let mut part = MeshPart { name: "strip".into(), mesh: strip(), look, ..MeshPart::default() };
    let mut document = Document { meshes: vec![part.clone()], ..Document::default() };
    // Of another file, by the same names: these are other materials.
    let mut others = (*part.look.materials).clone();
    others.materials[1]["alphaMode"] = json!("OPAQUE");
    part.look.materials = others.into();
    part.name = "second strip".into();
    document.meshes.push(part);
    let (text, pictures) = write_usd_with_pictures(document.clone(), Frame::default());
    let looks = text.split("def Scope \"Looks\"").nth(1).unwrap();
    insta::assert_snapshot!(looks.split("def Mesh").next().unwrap());
    let names: Vec<&str> = pictures.iter().map(|p| p.0.as_str()).collect();
    assert_eq!(names, ["pictures/dot_1.png", "pictures/dot_2.png"]);
    assert!(text.contains("rel material:binding = </Outfit/Looks/tin_2>"));
    let plain = write_usda(document, Frame::default());
    assert!(!plain.contains("@") && plain.contains("float inputs:metallic = 0.5"));
}

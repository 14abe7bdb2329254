//! Sound files with something changed in them, two thousand times: each is refused with one sentence
//! or read to something sound, in little memory.

use cap::Cap;
use serde_json::{json, Value};
use std::alloc::System;
use tin_cloak_core::trial::TrackValues;
use tin_cloak_formats::{read, Companions, Document, MeshPart};

/// No file of a few kilobytes takes more than this.
#[global_allocator]
static MEMORY: Cap<System> = Cap::new(System, 1 << 30);

/// Numbers in an order that looks like chance and is always the same (Steele, Lea & Flood, “Fast
/// splittable pseudorandom number generators”, 2014).
struct Chance(u64);

impl Chance {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        z ^ (z >> 31)
    }

    fn below(&mut self, count: usize) -> usize {
        (self.next() % count.max(1) as u64) as usize
    }

    fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.below(list.len())]
    }
}

/// A skinned quad with a shape, a material, a picture and a motion.
fn banner() -> (Value, Vec<u8>) {
    let mut bin: Vec<u8> = Vec::new();
    let mut views = Vec::new();
    let mut put = |bytes: Vec<u8>| {
        views.push(json!({"buffer": 0, "byteOffset": bin.len(), "byteLength": bytes.len()}));
        bin.extend(bytes);
        bin.resize(bin.len().next_multiple_of(4), 0);
    };
    let floats = |list: &[f32]| list.iter().flat_map(|f| f.to_le_bytes()).collect::<Vec<u8>>();
    put(floats(&[0., 0., 0., 1., 0., 0., 1., 1., 0., 0., 1., 0.]));
    put([[0u8, 1, 0, 0]; 4].concat());
    put(floats(&[[0.5, 0.5, 0.0, 0.0]; 4].concat()));
    put([0u16, 1, 2, 0, 2, 3].iter().flat_map(|i| i.to_le_bytes()).collect());
    let identity = [1., 0., 0., 0., 0., 1., 0., 0., 0., 0., 1., 0., 0., 0., 0., 1.];
    put(floats(&[identity, identity].concat()));
    put(floats(&[0.0, 0.5, 1.0]));
    put(floats(&[[0., 0., 0., 1.], [0.1, 0., 0., 0.995], [0., 0., 0., 1.]].concat()));
    put(floats(&[[0.0, 0.0, 0.1]; 4].concat()));
    put(floats(&[0., 0., 1., 0., 1., 1., 0., 1.]));
    put(vec![0x89, b'P', b'N', b'G', 1, 2, 3, 4]);
    let accessor = |view: usize, component: u32, count: usize, of: &str| {
        json!({"bufferView": view, "componentType": component, "count": count, "type": of,
               "min": [0, 0, 0], "max": [1, 1, 1]})
    };
    let accessors = [
        accessor(0, 5126, 4, "VEC3"),
        accessor(1, 5121, 4, "VEC4"),
        accessor(2, 5126, 4, "VEC4"),
        accessor(3, 5123, 6, "SCALAR"),
        accessor(4, 5126, 2, "MAT4"),
        accessor(5, 5126, 3, "SCALAR"),
        accessor(6, 5126, 3, "VEC4"),
        accessor(7, 5126, 4, "VEC3"),
        accessor(8, 5126, 4, "VEC2"),
    ];
    let json = json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0, 1]}],
        "nodes": [{"mesh": 0, "skin": 0, "name": "banner", "extras": {"tin_cloak": {"role": "piece", "layer": 2}}},
                  {"name": "root", "children": [2], "scale": [1, 1, 1]}, {"name": "tip", "translation": [0, 1, 0]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "JOINTS_0": 1, "WEIGHTS_0": 2, "TEXCOORD_0": 8},
                                    "indices": 3, "material": 0, "targets": [{"POSITION": 7}]}],
                    "extras": {"targetNames": ["full"]}}],
        "skins": [{"joints": [1, 2], "inverseBindMatrices": 4}],
        "animations": [{"samplers": [{"input": 5, "output": 6}],
                        "channels": [{"sampler": 0, "target": {"node": 2, "path": "rotation"}}]}],
        "materials": [{"name": "cloth", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "textures": [{"source": 0}], "images": [{"bufferView": 9, "mimeType": "image/png"}],
        "buffers": [{"byteLength": bin.len()}], "bufferViews": views, "accessors": accessors,
    });
    (json, bin)
}

fn glb(json: &Value, bin: &[u8]) -> Vec<u8> {
    let mut text = serde_json::to_vec(json).unwrap();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut out = b"glTF".to_vec();
    for word in [2, (28 + text.len() + bin.len()) as u32, text.len() as u32] {
        out.extend(word.to_le_bytes());
    }
    out.extend(b"JSON");
    out.extend(&text);
    out.extend((bin.len() as u32).to_le_bytes());
    out.extend(b"BIN\0");
    out.extend(bin);
    out
}

fn values(value: &Value, path: &str, all: &mut Vec<String>) {
    all.push(path.to_owned());
    match value {
        Value::Object(fields) => {
            fields.iter().for_each(|(k, v)| values(v, &format!("{path}/{}", k.replace('/', "~1")), all));
        }
        Value::Array(list) => {
            list.iter().enumerate().for_each(|(i, v)| values(v, &format!("{path}/{i}"), all));
        }
        _ => {}
    }
}

/// Puts something else in the place of some value, or takes it out, or says it often.
fn change_json(json: &mut Value, chance: &mut Chance) {
    let mut all = Vec::new();
    values(json, "", &mut all);
    let path = chance.pick(&all).clone();
    let others = [
        json!(-1),
        json!(0),
        json!(1),
        json!(2),
        json!(255),
        json!(5126),
        json!(65_535),
        json!(4_294_967_295u64),
        json!(1e300),
        json!(null),
        json!([]),
        json!({}),
        json!(true),
        json!("VEC3"),
        json!("x".repeat(2000)),
    ];
    let other = chance.pick(&others).clone();
    let Some(place) = json.pointer_mut(&path) else { return };
    match (chance.below(4), place) {
        (0, Value::Object(fields)) if !fields.is_empty() => {
            let key = fields.keys().nth(chance.below(fields.len())).unwrap().clone();
            fields.remove(&key);
        }
        (1, Value::Array(list)) if !list.is_empty() => {
            let one = chance.pick(list).clone();
            list.extend(std::iter::repeat_n(one, [1, 3, 400][chance.below(3)]));
        }
        (_, place) => *place = other,
    }
}

fn change_bytes(bytes: &mut Vec<u8>, chance: &mut Chance) {
    for _ in 0..=chance.below(6) {
        let at = chance.below(bytes.len());
        match chance.below(5) {
            0 => bytes.truncate(at),
            1 => bytes.splice(at..at, [0xFF, 0xFF, 0x7F, 0x7F]).for_each(drop),
            _ => bytes[at] = chance.next() as u8,
        }
        if bytes.is_empty() {
            return;
        }
    }
}

/// Takes words out, says them twice, or puts a number nobody means in their place.
fn change_words(text: &str, chance: &mut Chance) -> Vec<u8> {
    let mut words: Vec<&str> = text.split_inclusive(|c: char| c.is_whitespace()).collect();
    for _ in 0..=chance.below(3) {
        let at = chance.below(words.len());
        let others: &[&str] =
            &["nan ", "1e38 ", "-5 ", "99999999999999 ", "{\n", "}\n", "f ", "0 ", "// ", "\n"];
        match chance.below(3) {
            0 => drop(words.remove(at)),
            1 => words.insert(at, words[at]),
            _ => words[at] = others[chance.below(others.len())],
        }
        if words.is_empty() {
            break;
        }
    }
    words.concat().into_bytes()
}

fn assert_sound_part(part: &MeshPart, joints: usize) {
    let count = part.mesh.positions.len();
    assert!(part.mesh.positions.iter().all(|p| p.is_finite()));
    assert!(part.mesh.triangles.iter().flatten().all(|v| (*v as usize) < count));
    assert!(part.name.chars().count() <= 201);
    if let Some(skin) = &part.skin {
        assert_eq!(skin.vertices(), count);
        for v in 0..count {
            let sum: f32 = skin.row(v).map(|(j, w)| if j.index() < joints { w } else { f32::NAN }).sum();
            assert!((sum - 1.0).abs() < 1e-4);
        }
    }
    for morph in &part.morphs {
        assert!(morph.offsets.iter().all(|o| o.is_finite()));
        assert!(morph.vertices.iter().all(|v| (*v as usize) < count));
    }
}

fn assert_sound(document: &Document) {
    let joints = document.skeleton.as_ref().map_or(0, |s| s.names.len());
    document.meshes.iter().chain(&document.groups).for_each(|p| assert_sound_part(p, joints));
    for clip in &document.clips {
        assert!(clip.duration().is_finite());
        for track in &clip.tracks {
            assert!(track.joint.index() < joints && track.times.windows(2).all(|w| w[0] <= w[1]));
            match &track.values {
                TrackValues::Rotation(v) => assert!(v.iter().all(|q| q.is_finite())),
                TrackValues::Translation(v) | TrackValues::Scale(v) => {
                    assert!(v.iter().all(|t| t.is_finite()))
                }
            }
        }
        for shapes in &clip.shapes {
            assert!(shapes.times.windows(2).all(|w| w[0] <= w[1]));
            assert!(shapes.at(clip.duration() * 0.5).iter().all(|a| a.is_finite()));
        }
        let pose = clip.sample(document.skeleton.as_ref().unwrap(), clip.duration() * 0.5);
        assert!(pose.rotations.iter().all(|q| q.is_finite()));
    }
}

fn assert_read_or_refused(name: &str, bytes: &[u8], companions: &Companions) -> bool {
    match read(name, bytes, companions) {
        Ok(document) => {
            assert_sound(&document);
            true
        }
        Err(why) => {
            let text = why.to_string();
            assert!(!text.is_empty() && text.len() < 2000 && !text.contains('\n'), "{text}");
            false
        }
    }
}

const OBJ: &str =
    "mtllib flag.mtl\no flag\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n\
                   vn 0 0 1\ng a\nusemtl red\nf 1/1/1 2/2/1 3/3/1 4/4/1\ng b\nf 1 2 3\n";
const MTL: &str = "newmtl red\nKd 1 0 0\nNs 10\nd 0.5\nmap_Kd flag.png\n";
const BVH: &str = "HIERARCHY\nROOT hips\n{\nOFFSET 0 90 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation \
                   Xrotation Yrotation\nJOINT head\n{\nOFFSET 0 60 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n\
                   End Site\n{\nOFFSET 0 20 0\n}\n}\n}\nMOTION\nFrames: 2\nFrame Time: 0.5\n\
                   0 90 0 0 0 0 0 0 0\n0 100 0 0 90 0 0 0 10\n";

#[test]
fn two_thousand_changed_files_are_read_or_refused() {
    let mut chance = Chance(7);
    let (json, bin) = banner();
    let picture = ("flag.png".to_owned(), vec![0x89, b'P', b'N', b'G']);
    let beside = Companions::from([("flag.mtl".to_owned(), MTL.as_bytes().to_vec()), picture]);
    assert!(assert_read_or_refused("a.glb", &glb(&json, &bin), &Companions::new()));
    assert!(assert_read_or_refused("a.obj", OBJ.as_bytes(), &beside));
    assert!(assert_read_or_refused("a.bvh", BVH.as_bytes(), &Companions::new()));
    let mut read = 0;
    for case in 0..2000 {
        let ok = match case % 5 {
            0 => {
                let mut bytes = glb(&json, &bin);
                change_bytes(&mut bytes, &mut chance);
                assert_read_or_refused("a.glb", &bytes, &Companions::new())
            }
            1 | 2 => {
                let mut changed = json.clone();
                (0..=chance.below(3)).for_each(|_| change_json(&mut changed, &mut chance));
                if case % 5 == 1 {
                    assert_read_or_refused("a.glb", &glb(&changed, &bin), &Companions::new())
                } else {
                    if let Some(buffer) = changed.pointer_mut("/buffers/0").and_then(Value::as_object_mut) {
                        buffer.insert("uri".to_owned(), json!("a.bin"));
                    }
                    let companions = Companions::from([("a.bin".to_owned(), bin.clone())]);
                    assert_read_or_refused("a.gltf", &serde_json::to_vec(&changed).unwrap(), &companions)
                }
            }
            3 => {
                let mut beside = beside.clone();
                if chance.below(2) == 0 {
                    beside.insert("flag.mtl".to_owned(), change_words(MTL, &mut chance));
                }
                assert_read_or_refused("a.obj", &change_words(OBJ, &mut chance), &beside)
            }
            _ => assert_read_or_refused("a.bvh", &change_words(BVH, &mut chance), &Companions::new()),
        };
        read += usize::from(ok);
    }
    assert!((200..1800).contains(&read), "{read} of 2000 were still read");
}

//! What goes out comes back the same; a real body is read whole.

use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::glam::{Quat, Vec3};
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::skeleton::{LocalTransform, Pose, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::{Clip, Interpolation, JointRange, ShapeTrack, Track, TrackValues};
use tin_cloak_core::JointId;
use tin_cloak_formats::{
    read, write_glb, Companions, Document, GlbPart, GlbScene, Look, Mark, MarkedJoint, MarkedPatch,
    MarkedPose, PieceKind,
};

fn cube() -> Mesh {
    let positions = (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32)).collect();
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let triangles = quads.iter().flat_map(|&[a, b, c, d]| [[a, b, c], [a, c, d]]).collect();
    let mut mesh = Mesh::new("cube", positions, Vec::new(), triangles, Vec::new()).unwrap();
    mesh.find_quads();
    mesh
}

fn skeleton() -> Skeleton {
    let at = |t, r| LocalTransform { translation: t, rotation: r, scale: Vec3::ONE };
    Skeleton::at_rest(
        vec!["root".into(), "arm".into(), "hand".into()],
        vec![None, Some(JointId(0)), Some(JointId(1))],
        vec![
            at(Vec3::Y, Quat::from_rotation_y(0.3)),
            at(Vec3::X, Quat::from_rotation_z(-0.8)),
            at(Vec3::X * 0.5, Quat::IDENTITY),
        ],
    )
    .unwrap()
}

fn wave() -> Clip {
    let turns = vec![Quat::IDENTITY, Quat::from_rotation_x(1.0), Quat::IDENTITY];
    let track = |joint, times, values, interpolation| Track { joint, times, values, interpolation };
    Clip {
        name: "wave".into(),
        tracks: vec![
            track(JointId(1), vec![0.0, 0.5, 1.0], TrackValues::Rotation(turns), Interpolation::Linear),
            track(
                JointId(0),
                vec![0.0, 1.0],
                TrackValues::Translation(vec![Vec3::Y, Vec3::Y * 2.0]),
                Interpolation::Step,
            ),
            track(
                JointId(2),
                vec![0.0, 1.0],
                TrackValues::Scale(vec![Vec3::ONE, Vec3::new(1.0, 2.0, 0.5)]),
                Interpolation::Linear,
            ),
        ],
        shapes: vec![ShapeTrack {
            mesh: "box".into(),
            times: vec![0.25, 0.75],
            amounts: vec![0.0, 0.125, 0.0, 0.875],
            interpolation: Interpolation::Linear,
        }],
    }
}

#[test]
fn a_dressed_scene_comes_back_equal() {
    let (mesh, skeleton, clip) = (cube(), skeleton(), wave());
    let rows: Vec<Vec<(JointId, f32)>> =
        (0..8).map(|v| (0..3).map(|j| (JointId(j), 1.0 + (v * j) as f32)).collect()).collect();
    let skin = Skin::from_rows(&rows, 3).unwrap();
    let driver = Driver { joint: JointId(2), axis: Vec3::Y, from: 0.5, full: 2.0 };
    let (vertices, offsets) = (vec![3, 7], vec![Vec3::X, Vec3::NEG_Z]);
    let morph = Morph { name: "hand bent".into(), vertices, offsets, driver: Some(driver) };
    let wide = Morph::from_dense("wide".into(), &[Vec3::X; 8]);
    let morphs = [morph.clone(), wide.clone()];
    let mark = Mark {
        role: "piece".into(),
        layer: Some(2),
        kind: Some(PieceKind::Stiff),
        place: Some("torso".into()),
        method: None,
        shells: Some(vec![0, 2]),
        plan: Some(serde_json::json!({ "frames": "all" })),
        ranges: vec![(
            "arm".into(),
            JointRange { forward: [-10.0, 90.0], sideways: [0.0, 45.0], turn: [-5.0, 5.0] },
        )],
        poses: vec![MarkedPose {
            name: "reaching".into(),
            joints: vec![("hand".into(), [0.0, 0.6, 0.0, 0.8], [0.0, 0.25, 0.0])],
            sizes: vec![("root".into(), [1.0, 2.0, 1.0])],
        }],
        joints: vec![MarkedJoint {
            name: "flap".to_owned(),
            parent: "root".to_owned(),
            tip: [0.0, 0.5, 0.25],
            axis: [1.0, 0.0, 0.0],
            range: [-20.0, 35.0],
            reach_mm: 90.0,
        }],
        patches: vec![MarkedPatch::new("hem", &[0, 1, 2, 5])],
    };
    let part = GlbPart {
        name: "box",
        mesh: &mesh,
        skin: Some(&skin),
        morphs: &morphs,
        amounts: &[0.0, 0.5],
        mark: Some(mark.clone()),
        look: &Look::default(),
        colour: [0.5; 3],
    };
    let scene = GlbScene { parts: vec![part], skeleton: Some(&skeleton), clips: std::slice::from_ref(&clip) };
    let bytes = write_glb(&scene).unwrap();
    assert_eq!(bytes, write_glb(&scene).unwrap());
    let back = read("x.glb", &bytes, &Companions::new()).unwrap();
    let part = &back.meshes[0];
    assert_eq!(part.mesh.positions, mesh.positions);
    assert_eq!(part.mesh.triangles, mesh.triangles);
    assert_eq!(part.mesh.polygons, mesh.polygons);
    let read = part.morphs[0].driver.unwrap();
    assert!((read.from - 0.5).abs() < 1e-6 && (read.full - 2.0).abs() < 1e-6, "degrees in between");
    assert_eq!(part.morphs, [Morph { driver: Some(read), ..morph }, wide]);
    assert_eq!(part.amounts, [0.0, 0.5]);
    assert_eq!((read.joint, read.axis), (driver.joint, driver.axis));
    assert_eq!(part.mark, Some(mark));
    for v in 0..8 {
        let (a, b): (Vec<_>, Vec<_>) = (skin.row(v).collect(), part.skin.as_ref().unwrap().row(v).collect());
        assert!(a.len() == b.len() && a.iter().zip(&b).all(|(x, y)| x.0 == y.0 && (x.1 - y.1).abs() < 1e-6));
    }
    let other = back.skeleton.unwrap();
    assert_eq!(other.names, skeleton.names);
    for (a, b) in other.world(&Pose::rest(3)).iter().zip(skeleton.world(&Pose::rest(3))) {
        assert!(a.abs_diff_eq(b, 1e-6));
    }
    assert_eq!(back.clips.len(), 1);
    assert_eq!(back.clips[0].tracks.len(), 3);
    assert_eq!(back.clips[0].tracks[2], clip.tracks[2], "sizes go out as they came");
    // Keyed wherever the joints or the shapes are: what is driven by the pose, the rest as it came.
    let keyed = &back.clips[0].shapes[0];
    assert_eq!((keyed.mesh.as_str(), keyed.times.as_slice()), ("box", &[0.0, 0.25, 0.5, 0.75, 1.0][..]));
    for &time in &keyed.times {
        assert_eq!(keyed.at(time)[1], clip.shapes[0].at(time)[1]);
    }
    let (a, b) = (clip.sample(&skeleton, 0.3), back.clips[0].sample(&other, 0.3));
    assert!(a.rotations.iter().zip(&b.rotations).all(|(x, y)| x.dot(*y).abs() > 0.999_999));
}

/// The box with these shapes and a clip, written and read again.
fn written_with(morphs: &[Morph], clip: &Clip) -> Document {
    let (mesh, skeleton, look) = (cube(), skeleton(), Look::default());
    let part = GlbPart {
        name: "box",
        mesh: &mesh,
        skin: None,
        morphs,
        amounts: &[],
        mark: None,
        look: &look,
        colour: [0.5; 3],
    };
    let clips = std::slice::from_ref(clip);
    let bytes = write_glb(&GlbScene { parts: vec![part], skeleton: Some(&skeleton), clips }).unwrap();
    read("x.glb", &bytes, &Companions::new()).unwrap()
}

/// Beside a shape that a pose drives, what is held from key to key jumps, and what runs on a curve keeps to it.
#[test]
fn keys_beside_driven_shapes_play_as_they_came() {
    let skeleton = skeleton();
    let driver = Driver { joint: JointId(1), axis: Vec3::X, from: 0.2, full: 0.9 };
    let bent = Morph { driver: Some(driver), ..Morph::from_dense("bent".into(), &[Vec3::Z * 0.01; 8]) };
    let wide = Morph::from_dense("wide".into(), &[Vec3::X * 0.01; 8]);
    let times = vec![0.0, 0.5, 1.0];
    // Of both shapes: in-tangents, values, out-tangents for each key of a curve.
    let curve = [[0.0, 0.0], [0.0, 2.0], [0.0, -1.0]].map(|[v, t]| [0.0, t, 0.0, v, 0.0, t]).concat();
    let held = vec![0.0, 0.0, 0.0, 1.0, 0.0, 0.25];
    for (interpolation, amounts) in [(Interpolation::Step, held), (Interpolation::Cubic, curve)] {
        let came = ShapeTrack { mesh: "box".into(), times: times.clone(), amounts, interpolation };
        let clip = Clip { shapes: vec![came.clone()], ..wave() };
        let back = written_with(&[bent.clone(), wide.clone()], &clip);
        let keyed = &back.clips[0].shapes[0];
        assert!(keyed.times.windows(2).all(|w| w[0] < w[1]), "glTF 2.0, 3.11: strictly increasing");
        for frame in 0..=200 {
            let time = frame as f32 / 200.0;
            let (there, wanted) = (keyed.at(time), came.at(time)[1]);
            // 4 µm of 10 mm.
            assert!(
                (there[1] - wanted).abs() < 1e-3,
                "{interpolation:?} at {time}: {} is {wanted}",
                there[1]
            );
            let driven = driver.amount(&clip.sample(&skeleton, time));
            assert!((there[0] - driven).abs() < 1e-3, "driven at {time}: {} is {driven}", there[0]);
        }
    }
}

/// Without a shape that a pose drives, the keys of shapes go out to the bit, however they are joined.
#[test]
fn keys_of_shapes_go_out_as_they_came() {
    let morphs = [Morph::from_dense("wide".into(), &[Vec3::X; 8])];
    let keys = |interpolation, amounts| ShapeTrack {
        mesh: "box".into(),
        times: vec![0.0, 2.0],
        amounts,
        interpolation,
    };
    let tracks = [
        keys(Interpolation::Step, vec![0.0, 1.0]),
        keys(Interpolation::Cubic, vec![0.0, 0.25, 0.5, 0.5, 1.0, 0.0]),
    ];
    for track in tracks {
        let clip = Clip { name: "grow".into(), tracks: Vec::new(), shapes: vec![track] };
        let back = written_with(&morphs, &clip);
        assert_eq!(back.clips, [clip]);
    }
}

#[test]
fn the_real_body_is_read_whole() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human/");
    let open = |name: &str| {
        let bytes = std::fs::read(format!("{root}{name}")).unwrap();
        read(name, &bytes, &Companions::new()).unwrap()
    };
    let body = open("body.glb");
    assert_eq!(body.meshes[0].mesh.positions.len(), 13_380);
    assert_eq!(body.skeleton.as_ref().unwrap().len(), 163);
    assert_eq!(body.clips.len(), 3);
    assert_eq!(body.meshes[0].morphs[0].name, "stout");
    assert!(open("skirt.obj").meshes[0].mesh.quads() > 500, "quads are kept");
}

#[test]
fn a_bvh_of_two_joints() {
    let text = b"HIERARCHY\nROOT hips\n{\n OFFSET 0 90 0\n CHANNELS 6 Xposition Yposition Zposition Zrotation \
     Xrotation Yrotation\n JOINT head\n {\n  OFFSET 0 60 0\n  CHANNELS 3 Zrotation Xrotation Yrotation\n  End \
     Site\n  {\n   OFFSET 0 20 0\n  }\n }\n}\nMOTION\nFrames: 2\nFrame Time: 0.5\n0 90 0 0 0 0 0 0 0\n0 100 0 \
     90 0 0 0 45 0\n";
    let back = read("nod.bvh", text, &Companions::new()).unwrap();
    let skeleton = back.skeleton.unwrap();
    let head = skeleton.world(&back.clips[0].sample(&skeleton, 0.5))[1].w_axis.truncate();
    // In centimetres: hips lifted to 1 m, the head 60 cm to the side after a quarter turn.
    assert!((head - Vec3::new(-0.6, 1.0, 0.0)).length() < 1e-5, "{head}");
}

/// A shape that was added behind those that a clip keys (always on, as the body drawn in is) leaves their keys.
#[test]
fn a_shape_that_was_added_leaves_the_keys_of_the_others() {
    let (mesh, skeleton) = (cube(), skeleton());
    let always = Morph { driver: Some(Driver::always()), ..Morph::from_dense("in".into(), &[-Vec3::Z; 8]) };
    let morphs = [Morph::from_dense("wide".into(), &[Vec3::X; 8]), always];
    let (times, amounts) = (vec![0.0, 2.0], vec![0.0, 1.0]);
    let track = ShapeTrack { mesh: "box".into(), times, amounts, interpolation: Interpolation::Linear };
    let clip = Clip { name: "grow".into(), tracks: Vec::new(), shapes: vec![track] };
    let look = Look::default();
    let (name, amounts, colour) = ("box", &[0.0, 1.0][..], [0.5; 3]);
    let (mark, skin) = (None, None);
    let part = GlbPart { name, mesh: &mesh, skin, morphs: &morphs, amounts, mark, look: &look, colour };
    let scene = GlbScene { parts: vec![part], skeleton: Some(&skeleton), clips: std::slice::from_ref(&clip) };
    let back = read("x.glb", &write_glb(&scene).unwrap(), &Companions::new()).unwrap();
    assert_eq!(back.clips[0].shapes[0].at(1.0), [0.5, 1.0]);
    assert!(back.meshes[0].morphs[1].is_always_on());
    assert_eq!(back.meshes[0].amounts, [0.0, 1.0]);
}

//! A body that is a ball, with a shell over it: the least file in which shapes and motions can be told in millimetres.

use tin_cloak_formats::{write_glb, GlbPart, GlbScene};
use tin_cloak_workshop::core::deform::Morph;
use tin_cloak_workshop::core::glam::{Mat4, Vec3};
use tin_cloak_workshop::core::mesh::{vertex_normals, Mesh};
use tin_cloak_workshop::core::shapes::sphere;
use tin_cloak_workshop::core::skeleton::{LocalTransform, Skeleton};
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::trial::{Clip, Interpolation, ShapeTrack, Track, TrackValues};
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{Board, DressedFile, Mark, MeshPart, NamedFile, TrialSays, TrialWish};

/// Radius of the body, metres.
pub const BODY: f32 = 0.1;

/// The file in the making.
pub struct Ball {
    pub body: MeshPart,
    pub shell: MeshPart,
    pub clips: Vec<Clip>,
}

/// All of a ball's vertices further out by so much, metres.
pub fn grown(part: &MeshPart, name: &str, by: f32) -> Morph {
    let out: Vec<Vec3> = part.mesh.positions.iter().map(|p| p.normalize() * by).collect();
    Morph::from_dense(name.to_owned(), &out)
}

fn part(name: &str, radius: f32, joint: u16, mark: Mark) -> MeshPart {
    let (positions, triangles) = sphere(radius, 32);
    let normals = vertex_normals(&positions, &triangles);
    let skin = Skin::uniform(positions.len(), &[(JointId(joint), 1.0)], 2).unwrap();
    let mesh = Mesh { positions, normals, triangles, polygons: Vec::new() };
    MeshPart { name: name.into(), mesh, skin: Some(skin), mark: Some(mark), ..MeshPart::default() }
}

impl Ball {
    /// The body on the second of two joints, a shell of a radius on the first.
    pub fn in_shell(radius: f32) -> Self {
        let body = Mark { role: "body".into(), ..Mark::default() };
        let piece = Mark { role: "piece".into(), layer: Some(1), ..Mark::default() };
        let (body, shell) = (part("ball", BODY, 1, body), part("shell", radius, 0, piece));
        Self { body, shell, clips: Vec::new() }
    }

    /// A clip of one second in which the body goes so far along x, metres.
    pub fn pushed_by(mut self, along: f32) -> Self {
        let track = Track {
            joint: JointId(1),
            times: vec![0.0, 1.0],
            values: TrackValues::Translation(vec![Vec3::ZERO, Vec3::X * along]),
            interpolation: Interpolation::Linear,
        };
        self.clips.push(Clip { name: "push".into(), tracks: vec![track], ..Clip::default() });
        self
    }

    /// A clip of one second in which the body's joint grows to so many times its size.
    pub fn sized_to(mut self, times: f32) -> Self {
        let track = Track {
            joint: JointId(1),
            times: vec![0.0, 1.0],
            values: TrackValues::Scale(vec![Vec3::ONE, Vec3::splat(times)]),
            interpolation: Interpolation::Linear,
        };
        self.clips.push(Clip { name: "swell up".into(), tracks: vec![track], ..Clip::default() });
        self
    }

    /// Keys of the body's shapes in the first clip.
    pub fn keyed(mut self, times: &[f32], amounts: &[f32], interpolation: Interpolation) -> Self {
        let (times, amounts) = (times.to_vec(), amounts.to_vec());
        self.clips[0].shapes.push(ShapeTrack { mesh: "ball".into(), times, amounts, interpolation });
        self
    }

    pub fn bytes(&self) -> Vec<u8> {
        let skeleton = Skeleton::new(
            vec!["root".into(), "swell".into()],
            vec![None, Some(JointId(0))],
            vec![LocalTransform::IDENTITY; 2],
            vec![Mat4::IDENTITY; 2],
        );
        let part = |p| {
            let MeshPart { name, mesh, skin, morphs, amounts, mark, look, .. }: &MeshPart = p;
            let (skin, mark) = (skin.as_ref(), mark.clone());
            GlbPart { name, mesh, skin, morphs, amounts, mark, look, colour: [0.5; 3] }
        };
        let parts = vec![part(&self.body), part(&self.shell)];
        write_glb(&GlbScene { parts, skeleton: Some(&skeleton.unwrap()), clips: &self.clips }).unwrap()
    }

    pub fn opened(&self, wish: TrialWish) -> DressedFile {
        let file = NamedFile { name: "ball.glb".into(), bytes: self.bytes() };
        DressedFile::open(&file, None, &wish, &TrialSays::default()).unwrap()
    }
}

/// How deep the row of shell over ball is in each pose, millimetres.
pub fn depths(board: &Board) -> Vec<f32> {
    let row = board.pairs.iter().position(|p| p.outer == "shell" && p.inner == "ball").unwrap();
    board.cells.iter().map(|column| column[row].as_ref().unwrap().depth_mm()).collect()
}

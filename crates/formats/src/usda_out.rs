//! A dressed body as USD in its text form: one `SkelRoot` with a `Skeleton`, skinned meshes with blend shapes, a
//! `SkelAnimation` a clip, and preview materials. After the specification of OpenUSD's UsdSkel, UsdGeom and UsdShade
//! schemas. Matrices are written row by row for row vectors.

use crate::document::{Document, MeshPart};
use crate::frame::Frame;
use crate::usda_looks::NamedMaterial;
use crate::usda_shapes::ShapeTokens;
use glam::{Mat4, Quat, Vec3};
use std::fmt::{Display, Write};
use tin_cloak_core::intake::Up;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::trial::Clip;

/// Frames a second of time samples.
const RATE: f64 = 30.0;

/// The text of the file in that frame, its materials by colours alone. Names become identifiers: letters, digits and
/// underscores.
pub fn write_usda(document: Document, frame: Frame) -> String {
    written(&document.in_frame(frame), frame, None).text
}

/// The text of the file and the pictures it refers to, each by its name from there. Pictures are PNG or JPEG; what
/// else a material shows goes by its factors.
pub fn write_usd_with_pictures(document: Document, frame: Frame) -> (String, Vec<(String, Vec<u8>)>) {
    let usd = written(&document.in_frame(frame), frame, Some(Vec::new()));
    (usd.text, usd.pictures.unwrap_or_default())
}

fn written(document: &Document, frame: Frame, pictures: Option<Vec<(String, Vec<u8>)>>) -> Usda {
    let mut usd = Usda { pictures, ..Usda::default() };
    let clips: Vec<&Clip> = document.clips.iter().collect();
    let frames = clips.iter().map(|c| usd_frames_of(c)).max().unwrap_or(1);
    usd.line("#usda 1.0");
    usd.line("(");
    usd.line("    defaultPrim = \"Outfit\"");
    usd.line(format!("    metersPerUnit = {}", frame.unit.metres()));
    usd.line(if frame.up == Up::Z { "    upAxis = \"Z\"" } else { "    upAxis = \"Y\"" });
    usd.line(format!("    startTimeCode = 0\n    endTimeCode = {}", frames - 1));
    usd.line(format!("    timeCodesPerSecond = {RATE}"));
    usd.line(")\n");
    usd.open("def SkelRoot \"Outfit\"", &["SkelBindingAPI"]);
    let names = identifiers(document.meshes.iter().map(|m| m.name.as_str()), &["Skel", "Looks"]);
    let shapes = ShapeTokens::new(document);
    if let Some(skeleton) = &document.skeleton {
        usd.skeleton(skeleton, document, &shapes, &clips);
    }
    usd.looks(document);
    for (mesh, (part, name)) in document.meshes.iter().zip(&names).enumerate() {
        usd.mesh(part, name, &shapes.of_mesh(mesh), document.skeleton.is_some());
    }
    usd.close();
    usd
}

/// How many samples a clip has in a USD.
pub fn usd_frames_of(clip: &Clip) -> usize {
    (f64::from(clip.duration()) * RATE).round() as usize + 1
}

#[derive(Default)]
pub(crate) struct Usda {
    text: String,
    depth: usize,
    /// Names and bytes of the pictures that go along; none when no picture does.
    pub pictures: Option<Vec<(String, Vec<u8>)>>,
    /// Materials that were written.
    pub named: Vec<NamedMaterial>,
}

impl Usda {
    pub fn line(&mut self, text: impl AsRef<str>) {
        for line in text.as_ref().split('\n') {
            let indent = if line.is_empty() { 0 } else { self.depth * 4 };
            let _ = writeln!(self.text, "{:indent$}{line}", "");
        }
    }

    pub fn open(&mut self, what: &str, schemas: &[&str]) {
        match schemas {
            [] => self.line(what),
            list => self.line(format!("{what} (\n    prepend apiSchemas = {}\n)", tokens(list))),
        }
        self.line("{");
        self.depth += 1;
    }

    pub fn close(&mut self) {
        self.depth -= 1;
        self.line("}");
    }

    fn skeleton(&mut self, skeleton: &Skeleton, document: &Document, shapes: &ShapeTokens, clips: &[&Clip]) {
        let paths = joint_paths(skeleton);
        self.open("def Skeleton \"Skel\"", &["SkelBindingAPI"]);
        self.line(format!("uniform token[] joints = {}", tokens(&paths)));
        let bind: Vec<Mat4> = skeleton.inverse_bind.iter().map(Mat4::inverse).collect();
        self.line(format!("uniform matrix4d[] bindTransforms = {}", list(bind.iter().map(matrix))));
        let rest: Vec<Mat4> = skeleton.rest.iter().map(|r| r.matrix()).collect();
        self.line(format!("uniform matrix4d[] restTransforms = {}", list(rest.iter().map(matrix))));
        let names = identifiers(clips.iter().map(|c| c.name.as_str()), &["Rest"]);
        let bound = names.first().map_or("Rest", String::as_str);
        self.line(format!("rel skel:animationSource = </Outfit/Skel/{bound}>"));
        if clips.is_empty() {
            self.animation("Rest", skeleton, &paths, shapes, None, document);
        }
        for (clip, name) in clips.iter().zip(&names) {
            self.animation(name, skeleton, &paths, shapes, Some(clip), document);
        }
        self.close();
    }

    fn animation(
        &mut self,
        name: &str,
        skeleton: &Skeleton,
        paths: &[String],
        shapes: &ShapeTokens,
        clip: Option<&Clip>,
        document: &Document,
    ) {
        self.open(&format!("def SkelAnimation \"{name}\""), &[]);
        self.line(format!("uniform token[] joints = {}", tokens(paths)));
        self.line(format!("uniform token[] blendShapes = {}", tokens(&shapes.tokens)));
        let poses: Vec<(usize, Pose)> = match clip {
            None => vec![(0, Pose::rest(skeleton.len()))],
            Some(clip) => {
                let at = |f: usize| (f, clip.sample(skeleton, (f as f64 / RATE) as f32));
                (0..usd_frames_of(clip)).map(at).collect()
            }
        };
        let local = |pose: &Pose, j: usize| pose.local(&skeleton.rest[j], j);
        let turns = |pose: &Pose| list((0..skeleton.len()).map(|j| quaternion(local(pose, j).rotation)));
        let places = |pose: &Pose| list((0..skeleton.len()).map(|j| vector(local(pose, j).translation)));
        let sizes = |pose: &Pose| list((0..skeleton.len()).map(|j| vector(local(pose, j).scale)));
        match poses.iter().any(|(_, pose)| !pose.scales.is_empty()) {
            true => self.samples("half3[] scales", poses.iter().map(|(f, pose)| (*f, sizes(pose)))),
            false => self.line(format!("half3[] scales = {}", sizes(&Pose::rest(skeleton.len())))),
        }
        self.samples("quatf[] rotations", poses.iter().map(|(f, pose)| (*f, turns(pose))));
        self.samples("float3[] translations", poses.iter().map(|(f, pose)| (*f, places(pose))));
        let weights = |(f, pose): &(usize, Pose)| {
            let time = (*f as f64 / RATE) as f32;
            (*f, list(shapes.amounts(document, clip, time, pose).iter()))
        };
        self.samples("float[] blendShapeWeights", poses.iter().map(weights));
        self.close();
    }

    fn samples(&mut self, what: &str, samples: impl Iterator<Item = (usize, String)>) {
        self.line(format!("{what}.timeSamples = {{"));
        samples.for_each(|(frame, value)| self.line(format!("    {frame}: {value},")));
        self.line("}");
    }

    fn mesh(&mut self, part: &MeshPart, name: &str, shapes: &[&str], has_skeleton: bool) {
        let (mesh, skin) = (&part.mesh, part.skin.as_ref().filter(|_| has_skeleton));
        let schemas: &[&str] =
            if skin.is_some() { &["SkelBindingAPI", "MaterialBindingAPI"] } else { &["MaterialBindingAPI"] };
        self.open(&format!("def Mesh \"{name}\""), schemas);
        self.line("uniform token subdivisionScheme = \"none\"");
        self.line("uniform bool doubleSided = 1");
        let mut faces: Vec<Vec<u32>> = Vec::new();
        let (mut at, mut face_of) = (0, vec![0usize; mesh.triangles.len()]);
        while at < mesh.triangles.len() {
            let corners = mesh.corners_of(at);
            (at..at + corners.len() - 2).for_each(|t| face_of[t] = faces.len());
            at += corners.len() - 2;
            faces.push(corners);
        }
        self.line(format!("int[] faceVertexCounts = {}", list(faces.iter().map(Vec::len))));
        self.line(format!("int[] faceVertexIndices = {}", list(faces.iter().flatten())));
        self.line(format!("point3f[] points = {}", list(mesh.positions.iter().map(|p| vector(*p)))));
        let low = mesh.positions.iter().copied().fold(Vec3::splat(f32::INFINITY), Vec3::min);
        let high = mesh.positions.iter().copied().fold(Vec3::splat(f32::NEG_INFINITY), Vec3::max);
        self.line(format!("float3[] extent = {}", list([low, high].iter().map(|p| vector(*p)))));
        if mesh.normals.len() == mesh.positions.len() {
            let normals = list(mesh.normals.iter().map(|n| vector(*n)));
            self.line(format!("normal3f[] normals = {normals} (\n    interpolation = \"vertex\"\n)"));
        }
        for (n, set) in part.look.uv_sets.iter().enumerate().filter(|(_, s)| s.len() == mesh.positions.len())
        {
            let st = if n == 0 { "st".to_owned() } else { format!("st{n}") };
            let pairs = list(set.iter().map(|[u, v]| format!("({u}, {})", 1.0 - v)));
            self.line(format!("texCoord2f[] primvars:{st} = {pairs} (\n    interpolation = \"vertex\"\n)"));
        }
        if let Some(skin) = skin {
            let most = skin.max_influences().max(1);
            let rows = (0..skin.vertices()).map(|v| skin.row(v).collect::<Vec<_>>());
            let (mut joints, mut weights) = (Vec::new(), Vec::new());
            for row in rows {
                joints.extend((0..most).map(|k| row.get(k).map_or(0, |e| e.0 .0)));
                weights.extend((0..most).map(|k| row.get(k).map_or(0.0, |e| e.1)));
            }
            let meta = format!("(\n    elementSize = {most}\n    interpolation = \"vertex\"\n)");
            self.line(format!("int[] primvars:skel:jointIndices = {} {meta}", list(joints.iter())));
            self.line(format!("float[] primvars:skel:jointWeights = {} {meta}", list(weights.iter())));
            self.line(format!("matrix4d primvars:skel:geomBindTransform = {}", matrix(&Mat4::IDENTITY)));
            self.line("rel skel:skeleton = </Outfit/Skel>");
            self.blend_shapes(part, name, shapes);
        }
        self.bound_looks(part, &face_of);
        self.close();
    }

    fn blend_shapes(&mut self, part: &MeshPart, name: &str, called: &[&str]) {
        if part.morphs.is_empty() {
            return;
        }
        let own = identifiers(part.morphs.iter().map(|m| m.name.as_str()), &[]);
        self.line(format!("uniform token[] skel:blendShapes = {}", tokens(called)));
        let targets = own.iter().map(|s| format!("</Outfit/{name}/{s}>"));
        self.line(format!("rel skel:blendShapeTargets = {}", list(targets)));
        for (shape, own) in part.morphs.iter().zip(&own) {
            self.open(&format!("def BlendShape \"{own}\""), &[]);
            let offsets = list(shape.offsets.iter().map(|o| vector(*o)));
            self.line(format!("uniform vector3f[] offsets = {offsets}"));
            self.line(format!("uniform int[] pointIndices = {}", list(shape.vertices.iter())));
            self.close();
        }
    }
}

/// The path of each joint: those above it, then itself.
fn joint_paths(skeleton: &Skeleton) -> Vec<String> {
    let own = identifiers(skeleton.names.iter().map(String::as_str), &[]);
    let mut paths: Vec<String> = Vec::new();
    for (j, name) in own.iter().enumerate() {
        paths.push(match skeleton.parents[j] {
            Some(parent) => format!("{}/{name}", paths[parent.index()]),
            None => name.clone(),
        });
    }
    paths
}

/// Names as identifiers, no two alike and none of those `taken`.
pub(crate) fn identifiers<'a>(names: impl Iterator<Item = &'a str>, taken: &[&str]) -> Vec<String> {
    let mut known: Vec<String> = taken.iter().map(|t| (*t).to_owned()).collect();
    let first = known.len();
    for name in names {
        let free = free_name(&identifier(name), |n| !known.iter().any(|k| k == n));
        known.push(free);
    }
    known.split_off(first)
}

/// The name, or the first of it with a number behind that is free.
pub(crate) fn free_name(plain: &str, is_free: impl Fn(&str) -> bool) -> String {
    let numbered = (2..).map(|n| format!("{plain}_{n}"));
    std::iter::once(plain.to_owned()).chain(numbered).find(|n| is_free(n)).unwrap_or_default()
}

pub(crate) fn identifier(name: &str) -> String {
    let letters = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' });
    let text: String = letters.collect();
    match text.chars().next() {
        None => "_".to_owned(),
        Some(c) if c.is_ascii_digit() => format!("_{text}"),
        Some(_) => text,
    }
}

pub(crate) fn list<T: Display>(items: impl Iterator<Item = T>) -> String {
    let mut text = String::from("[");
    for (n, item) in items.enumerate() {
        let _ = write!(text, "{}{item}", if n == 0 { "" } else { ", " });
    }
    text.push(']');
    text
}

fn tokens<T: Display>(items: &[T]) -> String {
    list(items.iter().map(|t| format!("\"{t}\"")))
}

fn vector(v: Vec3) -> String {
    format!("({}, {}, {})", v.x, v.y, v.z)
}

/// The real part first.
fn quaternion(q: Quat) -> String {
    format!("({}, {}, {}, {})", q.w, q.x, q.y, q.z)
}

fn matrix(m: &Mat4) -> String {
    let row = |c: [f32; 4]| format!("({}, {}, {}, {})", c[0], c[1], c[2], c[3]);
    let rows = m.to_cols_array_2d().map(row);
    format!("({})", rows.join(", "))
}

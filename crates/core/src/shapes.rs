//! Simple shapes with known answers, for examples, tests and benchmarks.

use crate::clearance::{settle_walls, BodySurface, CoverageSettings, Layer, Outfit, Walls};
use crate::mesh::Topology;
use crate::skeleton::{LocalTransform, Skeleton};
use crate::skin::Skin;
use crate::{JointId, LayerIndex};
use glam::{Quat, Vec3};
use std::f32::consts::{PI, TAU};
use std::sync::Arc;

/// Positions in metres, and the triangles over them.
pub type Shape = (Vec<Vec3>, Vec<[u32; 3]>);

/// A closed sphere with outward faces.
pub fn sphere(radius: f32, segments: u32) -> Shape {
    let rings = segments / 2;
    let mut positions = vec![Vec3::Y * radius];
    for r in 1..rings {
        let a = PI * r as f32 / rings as f32;
        for s in 0..segments {
            let b = TAU * s as f32 / segments as f32;
            positions.push(Vec3::new(a.sin() * b.sin(), a.cos(), a.sin() * b.cos()) * radius);
        }
    }
    positions.push(Vec3::NEG_Y * radius);
    let last = positions.len() as u32 - 1;
    let at = |r: u32, s: u32| 1 + (r - 1) * segments + s % segments;
    let mut triangles = Vec::new();
    for s in 0..segments {
        triangles.push([0, at(1, s), at(1, s + 1)]);
        triangles.push([last, at(rings - 1, s + 1), at(rings - 1, s)]);
        for r in 1..rings - 1 {
            triangles.push([at(r, s), at(r + 1, s), at(r + 1, s + 1)]);
            triangles.push([at(r, s), at(r + 1, s + 1), at(r, s + 1)]);
        }
    }
    (positions, triangles)
}

/// An open tube along Y from `low` to `high`, `part` of the way round, with outward faces.
pub fn tube(radius: f32, low: f32, high: f32, segments: u32, rings: u32, part: f32) -> Shape {
    let closed = part >= 1.0;
    let columns = if closed { segments } else { segments + 1 };
    let mut positions = Vec::new();
    for r in 0..=rings {
        let y = low + (high - low) * r as f32 / rings as f32;
        for s in 0..columns {
            let b = TAU * part * (s as f32 / segments as f32 - 0.5) + PI;
            positions.push(Vec3::new(radius * b.sin(), y, radius * b.cos()));
        }
    }
    let at = |r: u32, s: u32| r * columns + s % columns;
    let mut triangles = Vec::new();
    for r in 0..rings {
        for s in 0..segments {
            triangles.push([at(r, s), at(r, s + 1), at(r + 1, s + 1)]);
            triangles.push([at(r, s), at(r + 1, s + 1), at(r + 1, s)]);
        }
    }
    (positions, triangles)
}

/// The shape carried along.
pub fn moved((positions, triangles): Shape, by: Vec3) -> Shape {
    (positions.into_iter().map(|p| p + by).collect(), triangles)
}

/// Two shapes as one mesh.
pub fn joined(a: Shape, b: Shape) -> Shape {
    let (mut positions, mut triangles) = a;
    let first = positions.len() as u32;
    positions.extend(b.0);
    triangles.extend(b.1.into_iter().map(|t| t.map(|v| v + first)));
    (positions, triangles)
}

/// The shape with every face turned round.
pub fn turned_inside_out((positions, triangles): Shape) -> Shape {
    (positions, triangles.into_iter().map(|[a, b, c]| [a, c, b]).collect())
}

/// A layer bound to joint 0 altogether.
pub fn layer(shape: &Shape, index: u16, body: Option<&Shape>) -> Layer {
    let topology = Topology::of_welded(shape.0.len(), &shape.1);
    let walls = match body {
        Some(b) => settle_walls(&topology, &shape.0, &BodySurface::new(&b.0, &b.1)),
        None => Walls::as_wound(&topology),
    };
    Layer {
        layer: LayerIndex(index),
        skin: Arc::new(held_by_one(shape.0.len())),
        topology: Arc::new(topology),
        rest: shape.0.clone(),
        walls: Arc::new(walls),
        stiff: false,
        rigid: Arc::default(),
        morphs: Vec::new(),
    }
}

/// A body and pieces over it, the first piece on layer 1.
pub fn outfit(body: &Shape, pieces: &[Shape]) -> Outfit {
    let mut layers = vec![layer(body, 0, None)];
    layers.extend(pieces.iter().enumerate().map(|(i, p)| layer(p, i as u16 + 1, Some(body))));
    Outfit::new(layers, CoverageSettings::default())
}

fn held_by_one(vertices: usize) -> Skin {
    Skin::uniform(vertices, &[(JointId(0), 1.0)], 2).unwrap_or_else(|_| unreachable!("one joint, whole"))
}

/// An arm along Y, 0.6 m long and 0.1 m thick, with two joints: 0 the shoulder, at the origin, and 1
/// the elbow, half-way along.
pub struct Arm {
    /// Its two joints.
    pub skeleton: Skeleton,
    /// Its surface, open at both ends, with 24 rings of 16 vertices.
    pub surface: Shape,
    /// Weights that go from one joint to the other within 50 mm of the elbow.
    pub skin: Skin,
}

impl Arm {
    /// The arm at rest.
    pub fn new() -> Self {
        let at = |y: f32| LocalTransform { translation: Vec3::Y * y, ..LocalTransform::IDENTITY };
        let names = vec!["shoulder".to_owned(), "elbow".to_owned()];
        let skeleton = Skeleton::at_rest(names, vec![None, Some(JointId(0))], vec![at(0.0), at(0.3)]);
        let surface = tube(0.05, 0.0, 0.6, 16, 23, 1.0);
        let row = |p: &Vec3| {
            let elbow = ((p.y - 0.25) / 0.1).clamp(0.0, 1.0);
            vec![(JointId(0), 1.0 - elbow), (JointId(1), elbow)]
        };
        let rows: Vec<_> = surface.0.iter().map(row).collect();
        let skin = Skin::from_rows(&rows, 2);
        match (skeleton, skin) {
            (Ok(skeleton), Ok(skin)) => Self { skeleton, surface, skin },
            _ => unreachable!("two joints in a row, weights that sum to one"),
        }
    }

    /// Skin matrices with the elbow bent by so many degrees, towards +Z.
    pub fn bent(&self, degrees: f32) -> Vec<glam::Mat4> {
        let mut pose = crate::skeleton::Pose::rest(2);
        pose.rotations[1] = Quat::from_rotation_x(degrees.to_radians());
        self.skeleton.skin_matrices(&pose)
    }
}

impl Default for Arm {
    fn default() -> Self {
        Self::new()
    }
}

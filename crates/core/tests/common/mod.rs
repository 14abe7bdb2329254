//! Simple shapes with known answers.
#![allow(dead_code, missing_docs, clippy::unwrap_used)]

use std::f32::consts::{PI, TAU};
use std::sync::Arc;
use tin_cloak_core::clearance::{settle_walls, BodySurface, CoverageSettings, Layer, Outfit, Walls};
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::{JointId, LayerIndex};

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
pub fn tube(radius: f32, (low, high): (f32, f32), segments: u32, rings: u32, part: f32) -> Shape {
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

pub fn moved((positions, triangles): Shape, by: Vec3) -> Shape {
    (positions.into_iter().map(|p| p + by).collect(), triangles)
}

pub fn joined(a: Shape, b: Shape) -> Shape {
    let (mut positions, mut triangles) = a;
    let first = positions.len() as u32;
    positions.extend(b.0);
    triangles.extend(b.1.into_iter().map(|t| t.map(|v| v + first)));
    (positions, triangles)
}

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
        skin: Skin::uniform(shape.0.len(), &[(JointId(0), 1.0)], 2).unwrap(),
        topology: Arc::new(topology),
        rest: shape.0.clone(),
        walls: Arc::new(walls),
        stiff: false,
        morphs: Vec::new(),
    }
}

/// A body and pieces over it, the first piece on layer 1.
pub fn outfit(body: &Shape, pieces: &[Shape]) -> Outfit {
    let mut layers = vec![layer(body, 0, None)];
    layers.extend(pieces.iter().enumerate().map(|(i, p)| layer(p, i as u16 + 1, Some(body))));
    Outfit::new(layers, CoverageSettings::default())
}

pub fn still() -> [Mat4; 2] {
    [Mat4::IDENTITY; 2]
}

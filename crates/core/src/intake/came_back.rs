//! A mesh that comes back changed: where on the old one each of its vertices lies.

use crate::mesh::{bounds, mix, vertex_normals, Alignment, Topology};
use crate::query::{Bvh, Closest};
use glam::{Mat4, Quat, Vec3};
use rayon::prelude::*;
use std::collections::BTreeMap;

/// A place on a mesh, and how far from it the vertex lies that it was found for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct OldPlace {
    /// The corners of the face it is on.
    pub corners: [u32; 3],
    /// What each counts; together 1.
    pub shares: [f32; 3],
    /// Metres.
    pub off: f32,
}

/// Where the vertices of a mesh lie on the one that it takes the place of.
#[derive(Clone, Debug, PartialEq)]
pub struct CameBack {
    /// What brings the new mesh to the old one's size and axes; the identity where they agree.
    pub frame: Mat4,
    /// A place for each new vertex.
    pub places: Vec<OldPlace>,
}

/// A mesh: welded, metres.
#[derive(Clone, Copy)]
pub struct Shape<'a> {
    /// Where its vertices are.
    pub positions: &'a [Vec3],
    /// Over them.
    pub topology: &'a Topology,
}

/// Sizes by which files of one thing differ: centimetres, millimetres, inches, and back.
const SIZES: [f32; 6] = [0.01, 100.0, 0.001, 1000.0, 0.0254, 39.370_08];
/// A size is taken where it fits by this share.
const FITS: f32 = 0.03;
/// So many vertices are asked how well a frame fits.
const SAMPLES: usize = 400;
/// Normals agree where their cosine is above this.
const SAME_WAY: f32 = 0.3;

/// Where each vertex of `new` lies on `old`: at the nearest point whose normal agrees, part by part, once the new mesh
/// has the old one's unit and upward axis.
///
/// ```
/// use tin_cloak_core::{intake::{came_back, Shape}, mesh::Topology, shapes::sphere};
///
/// // Finer, and saved in centimetres.
/// let (old, new) = (sphere(0.2, 24), sphere(20.0, 48));
/// let of = |(p, t): &(Vec<_>, Vec<_>)| Topology::of_welded(p.len(), t);
/// let (a, b) = (of(&old), of(&new));
/// let (old, new) = (Shape { positions: &old.0, topology: &a }, Shape { positions: &new.0, topology: &b });
/// let back = came_back(old, new);
/// assert!(back.places.iter().all(|p| p.off < 0.01));
/// ```
pub fn came_back(old: Shape, new: Shape) -> CameBack {
    let tree = Bvh::build(old.positions, &old.topology.triangles);
    let frame = frame_of(&tree, old.positions, new.positions);
    let positions: Vec<Vec3> = match frame == Mat4::IDENTITY {
        true => new.positions.to_vec(),
        false => new.positions.iter().map(|p| frame.transform_point3(*p)).collect(),
    };
    let normals = vertex_normals(&positions, &new.topology.triangles);
    let one = |tree: &Bvh, v: usize| {
        let facing = tree.closest_facing(positions[v], f32::INFINITY, normals[v], SAME_WAY);
        facing.or_else(|| tree.closest(positions[v], f32::INFINITY))
    };
    let mut hits: Vec<Option<Closest>> =
        (0..positions.len()).into_par_iter().with_min_len(256).map(|v| one(&tree, v)).collect();
    let faces: Vec<u32> = (0..old.topology.triangles.len() as u32).collect();
    let mut numbers = vec![0usize; hits.len()];
    let (mut trees, parts) = (vec![(tree, faces)], old_parts(old.topology, new.topology, &hits));
    for (v, hit) in hits.iter_mut().enumerate() {
        let part = parts[new.topology.shell_of_vertex[v] as usize];
        let is_there = |h: &Closest| part_of(old.topology, h) == part;
        if hit.as_ref().is_none_or(is_there) {
            continue;
        }
        // Asked again of that part alone: a button's back is not the coat's front.
        let known = (1..trees.len()).find(|t| part_of_face(old.topology, trees[*t].1[0]) == part);
        let at = known.unwrap_or_else(|| {
            trees.push(tree_of_part(old, part));
            trees.len() - 1
        });
        (*hit, numbers[v]) = (one(&trees[at].0, v), at);
    }
    let place = |(v, hit): (usize, &Option<Closest>)| match hit {
        Some(hit) => OldPlace {
            corners: old.topology.triangles[trees[numbers[v]].1[hit.triangle as usize] as usize],
            shares: hit.barycentric,
            off: hit.distance_squared.sqrt(),
        },
        None => OldPlace { corners: [0; 3], shares: [1.0, 0.0, 0.0], off: f32::INFINITY },
    };
    CameBack { frame, places: hits.iter().enumerate().map(place).collect() }
}

impl OldPlace {
    /// What is there of a value that each old vertex has.
    pub fn mixed(&self, of: &[Vec3]) -> Vec3 {
        mix(self.corners, self.shares, |v| of[v as usize])
    }

    /// The old vertex that it is nearest to.
    pub fn vertex(&self) -> u32 {
        let heaviest = (0..3).max_by(|a, b| self.shares[*a].total_cmp(&self.shares[*b]));
        self.corners[heaviest.unwrap_or(0)]
    }
}

fn part_of_face(topology: &Topology, face: u32) -> u32 {
    topology.shell_of_vertex[topology.triangles[face as usize][0] as usize]
}

fn part_of(topology: &Topology, hit: &Closest) -> u32 {
    part_of_face(topology, hit.triangle)
}

/// For each new part the old one that most of it lies on.
fn old_parts(old: &Topology, new: &Topology, hits: &[Option<Closest>]) -> Vec<u32> {
    let mut votes: Vec<BTreeMap<u32, usize>> = vec![BTreeMap::new(); new.shells];
    for (v, hit) in hits.iter().enumerate() {
        if let Some(hit) = hit {
            *votes[new.shell_of_vertex[v] as usize].entry(part_of(old, hit)).or_default() += 1;
        }
    }
    let most = |votes: &BTreeMap<u32, usize>| {
        votes.iter().max_by_key(|(part, n)| (**n, u32::MAX - **part)).map(|v| *v.0)
    };
    votes.iter().map(|v| most(v).unwrap_or(0)).collect()
}

fn tree_of_part(old: Shape, part: u32) -> (Bvh, Vec<u32>) {
    let of_part = |f: &u32| part_of_face(old.topology, *f) == part;
    let faces: Vec<u32> = (0..old.topology.triangles.len() as u32).filter(of_part).collect();
    let triangles: Vec<[u32; 3]> = faces.iter().map(|f| old.topology.triangles[*f as usize]).collect();
    (Bvh::build(old.positions, &triangles), faces)
}

/// What brings the new mesh nearest to the old one: nothing, another unit, another upward axis; where neither does,
/// the turn and shift that a few rounds of closest points find (Besl & McKay 1992).
fn frame_of(tree: &Bvh, old: &[Vec3], new: &[Vec3]) -> Mat4 {
    let (a, b) = (bounds(old), bounds(new));
    let (size, new_size) = ((a.1 - a.0).length(), (b.1 - b.0).length());
    if size <= 0.0 || new_size <= 0.0 {
        return Mat4::IDENTITY;
    }
    let is_near = |s: &f32| (size / new_size / s - 1.0).abs() < FITS;
    let scale = SIZES.into_iter().find(is_near).unwrap_or(1.0);
    let samples: Vec<Vec3> = new.iter().step_by((new.len() / SAMPLES).max(1)).copied().collect();
    let off = |frame: &Mat4| {
        let far = |p: &Vec3| {
            tree.closest(frame.transform_point3(*p), f32::INFINITY).map_or(0.0, |h| h.distance_squared)
        };
        samples.par_iter().map(far).collect::<Vec<f32>>().iter().map(|d| d.sqrt()).sum::<f32>()
            / samples.len() as f32
    };
    let right = std::f32::consts::FRAC_PI_2;
    let turns = [0.0, -right, right].map(Quat::from_rotation_x);
    let frames =
        turns.map(|turn| Mat4::from_scale_rotation_translation(Vec3::splat(scale), turn, Vec3::ZERO));
    // On a tie the first, which changes least.
    let mut best = (off(&frames[0]), frames[0]);
    for frame in &frames[1..] {
        let now = off(frame);
        if now < best.0 * 0.5 {
            best = (now, *frame);
        }
    }
    if best.0 < size * 0.01 {
        return best.1;
    }
    let mut moved = best.1;
    for _ in 0..20 {
        let at: Vec<Vec3> = samples.iter().map(|p| moved.transform_point3(*p)).collect();
        let to: Vec<Vec3> =
            at.iter().map(|p| tree.closest(*p, f32::INFINITY).map_or(*p, |h| h.point)).collect();
        let fit = Alignment { scale: 1.0, ..Alignment::between(&at, &to) };
        moved = fit.matrix() * moved;
    }
    if off(&moved) < best.0 * 0.5 {
        moved
    } else {
        best.1
    }
}

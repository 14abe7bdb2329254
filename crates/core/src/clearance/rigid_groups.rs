//! What moves as one: between two poses whatever hangs on joints that do not move against each other keeps its shape,
//! so that what lay in a look's way there lies in it still.

use super::Outfit;
use crate::deform::TrialPose;
use crate::mesh::Topology;
use glam::Mat4;

/// Joints whose matrices differ by no more than this move as one: metres, or lengths of an axis.
const SAME: f32 = 1e-6;

/// With what something moves, 1 up; 0 for what bends.
pub type With = u16;
/// What bends.
pub const BENDS: With = 0;

/// By layer of an outfit, with what its vertices and the faces of its outside move from one pose to another.
pub struct RigidGroups {
    vertices: Vec<Vec<With>>,
    faces: Vec<Vec<With>>,
}

impl RigidGroups {
    /// Of the layers that are `wanted`, from a pose to another.
    pub fn between(outfit: &Outfit, wanted: &[bool], from: &TrialPose, to: &TrialPose) -> Self {
        let joints = joints_as_one(&from.matrices, &to.matrices);
        let amount = |pose: &TrialPose, shape: usize| pose.amounts.get(shape).copied().unwrap_or(0.0);
        let of_layer = |index: usize| -> (Vec<With>, Vec<With>) {
            let layer = &outfit.layers[index];
            if !wanted[index] {
                return Default::default();
            }
            let of_vertex = |v: usize| {
                let mut all = layer.skin.row(v).filter(|(_, w)| *w > 0.0).map(|(j, _)| joints[j.index()]);
                all.next().filter(|first| all.all(|other| other == *first)).unwrap_or(BENDS)
            };
            let mut vertices: Vec<With> = (0..layer.rest.len()).map(of_vertex).collect();
            for (n, shape) in layer.morphs.iter().enumerate() {
                if amount(from, n) != amount(to, n) {
                    shape.vertices.iter().for_each(|v| vertices[*v as usize] = BENDS);
                }
            }
            let faces = &layer.walls.outside().topology.triangles;
            let faces = faces.iter().map(|t| one_of(&vertices, t.iter().copied())).collect();
            (vertices, faces)
        };
        let (vertices, faces) = (0..outfit.layers.len()).map(of_layer).unzip();
        Self { vertices, faces }
    }

    /// With what a face of the outside of a layer moves.
    #[inline]
    pub fn face(&self, layer: usize, face: u32) -> With {
        self.faces[layer][face as usize]
    }

    /// With what the three corners of a place move; of a vertex, it and all that are next to it: its normal is theirs.
    pub fn place(&self, layer: usize, topology: &Topology, place: [u32; 3]) -> With {
        let next = topology.neighbours.row(place[0] as usize);
        match place[0] == place[1] {
            true => one_of(&self.vertices[layer], next.iter().copied().chain([place[0]])),
            false => one_of(&self.vertices[layer], place.into_iter()),
        }
    }
}

fn one_of(with: &[With], mut vertices: impl Iterator<Item = u32>) -> With {
    let first = vertices.next().map_or(BENDS, |v| with[v as usize]);
    if vertices.all(|v| with[v as usize] == first) {
        first
    } else {
        BENDS
    }
}

/// For each joint the number, 1 up, of those that move as it does from one pose to another.
pub fn joints_as_one(from: &[Mat4], to: &[Mat4]) -> Vec<With> {
    let mut known: Vec<Mat4> = Vec::new();
    let number = |(from, to): (&Mat4, &Mat4)| {
        let moved = *to * from.inverse();
        let at = known.iter().position(|k| k.abs_diff_eq(moved, SAME)).unwrap_or_else(|| {
            known.push(moved);
            known.len() - 1
        });
        // A matrix that is none is like no other; more joints than there are numbers do not occur.
        With::try_from(at + 1).ok().filter(|_| moved.is_finite()).unwrap_or(BENDS)
    };
    from.iter().zip(to).map(number).collect()
}

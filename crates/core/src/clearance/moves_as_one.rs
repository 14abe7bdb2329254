//! What moves as one: between two poses whatever hangs on joints that do not move against each other keeps its shape,
//! so that what lay in a look's way there lies in it still.

use super::Outfit;
use crate::mend::TrialPose;
use crate::mesh::Topology;
use glam::Mat4;

/// Joints whose matrices differ by no more than this move as one: metres, or lengths of an axis.
const SAME: f32 = 1e-6;

/// With what something moves, 1 up; 0 for what bends.
pub(super) type With = u16;
pub(super) const BENDS: With = 0;

/// By layer of an outfit, with what its vertices and the faces of its outside move from one pose to another.
pub(super) struct MovesAsOne {
    vertices: Vec<Vec<With>>,
    faces: Vec<Vec<With>>,
}

impl MovesAsOne {
    /// Of the layers that are `wanted`, from a pose to another.
    pub fn between(outfit: &Outfit, wanted: &[bool], (from, to): (&TrialPose, &TrialPose)) -> Self {
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
    pub fn place(&self, (layer, topology): (usize, &Topology), place: [u32; 3]) -> With {
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
fn joints_as_one(from: &[Mat4], to: &[Mat4]) -> Vec<With> {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes::{outfit, sphere};
    use glam::Vec3;

    #[test]
    fn a_body_on_one_joint_moves_as_one_and_where_a_shape_changes_it_bends() {
        let mut outfit = outfit(&sphere(0.1, 8), &[]);
        let pose = |at: Vec3, amount: f32| TrialPose {
            matrices: vec![Mat4::from_rotation_z(at.x) * Mat4::from_translation(at)],
            amounts: vec![amount],
        };
        let mut offsets = vec![Vec3::ZERO; outfit.layers[0].rest.len()];
        offsets[0] = Vec3::X * 0.01;
        outfit.layers[0].morphs = vec![crate::deform::Morph::from_dense("bump".into(), &offsets)];
        let topology = &outfit.layers[0].topology;
        let beside = topology.neighbours.row(0)[0];
        let far =
            (0..topology.vertices() as u32).find(|v| *v != 0 && !topology.neighbours.row(0).contains(v));
        let with = |amount: f32, v: u32| {
            let (from, to) = (pose(Vec3::ZERO, 0.0), pose(Vec3::X, amount));
            let as_one = MovesAsOne::between(&outfit, &[true], (&from, &to));
            as_one.place((0, topology), [v; 3])
        };
        assert_eq!([with(0.0, 0), with(0.0, beside)], [1, 1]);
        assert_eq!([with(1.0, 0), with(1.0, beside), with(1.0, far.unwrap_or(0))], [BENDS, BENDS, 1]);
    }

    #[test]
    fn joints_that_keep_their_place_to_each_other_are_one() {
        let from = [Mat4::IDENTITY, Mat4::from_translation(Vec3::Y), Mat4::IDENTITY];
        let turn = Mat4::from_rotation_x(0.3);
        let to = [turn, turn * from[1], Mat4::from_translation(Vec3::Z)];
        assert_eq!(joints_as_one(&from, &to), [1, 1, 2]);
    }
}

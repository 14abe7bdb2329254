//! Stiff before following: a stiff part goes with a blend of joints only as far as that does not bend it.

use crate::clearance::stiffness_error;
use crate::skin::{Skin, SkinError};
use crate::JointId;
use glam::{Mat4, Vec3};
use rayon::prelude::*;

/// Stiff parts after it was seen to that they keep their shape.
#[derive(Clone, Debug, PartialEq)]
pub struct KeptStiff {
    /// All weights.
    pub skin: Skin,
    /// Parts that follow what they did only in part now.
    pub changed: usize,
    /// How far the middle of a part goes from where it would be by following, at most, in any pose, metres.
    pub off: f32,
}

type Row = Vec<(JointId, f32)>;

/// So many of the poses in which a part bends most are tried first.
const WORST: usize = 16;
/// Joints of a blend, at most.
const MOST: usize = 4;
/// Halvings of the share.
const HALVINGS: usize = 7;

/// Each of `parts` (its vertices, all of one blend of joints) that leaves its shape by more than `most` (metres) in one
/// of `poses` is drawn towards fewer of the joints of its blend, by the least share with which it keeps to that; of all
/// choices of joints the one is taken with which its middle stays nearest to where it was. A blend of joints that are
/// turned against each other shears and shrinks (Lewis, Cordner & Fong, “Pose space deformation”, 2000); one joint
/// never does.
///
/// ```
/// use tin_cloak_core::bind::keep_stiff;
/// use tin_cloak_core::skin::Skin;
/// use tin_cloak_core::{glam::Vec3, shapes::{moved, sphere, Arm}, JointId};
///
/// // A ball at the elbow that is to follow both halves of the arm, bent by a right angle.
/// let (arm, ball) = (Arm::new(), moved(sphere(0.03, 8), Vec3::new(0.4, 0.0, 0.05)).0);
/// let half = Skin::uniform(ball.len(), &[(JointId(0), 0.5), (JointId(1), 0.5)], 2)?;
/// let parts = [(0..ball.len() as u32).collect::<Vec<_>>()];
/// let kept = keep_stiff(&ball, &half, &parts, &[arm.bent(90.0)], 0.001)?;
/// assert_eq!(kept.changed, 1);
/// assert!(kept.skin.row(0).next().unwrap().1 > 0.9, "nearly all of one joint");
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never in practice: rows stay sound.
pub fn keep_stiff(
    rest: &[Vec3],
    skin: &Skin,
    parts: &[Vec<u32>],
    poses: &[Vec<Mat4>],
    most: f32,
) -> Result<KeptStiff, SkinError> {
    let kept: Vec<Option<(Row, f32)>> = parts
        .par_iter()
        .map(|part| {
            let row: Row = skin.row(*part.first()? as usize).collect();
            let places: Vec<Vec3> = part.iter().map(|&v| rest[v as usize]).collect();
            drawn_to_one(&places, &row, poses, most)
        })
        .collect();
    let mut rows: Vec<Row> = (0..skin.vertices()).map(|v| skin.row(v).collect()).collect();
    let mut told = KeptStiff { skin: skin.clone(), changed: 0, off: 0.0 };
    for (part, (row, off)) in parts.iter().zip(kept).filter_map(|(part, kept)| Some((part, kept?))) {
        part.iter().for_each(|&v| rows[v as usize].clone_from(&row));
        (told.changed, told.off) = (told.changed + 1, told.off.max(off));
    }
    if told.changed > 0 {
        let joints = poses.first().map_or(0, Vec::len);
        told.skin = Skin::from_rows(&rows, joints)?;
    }
    Ok(told)
}

/// The row with which a part keeps its shape, and how far its middle goes from where it was; none when it does already.
fn drawn_to_one(places: &[Vec3], row: &Row, poses: &[Vec<Mat4>], most: f32) -> Option<(Row, f32)> {
    if row.len() < 2 {
        return None;
    }
    let mut by_pose: Vec<(f32, usize)> = poses.iter().map(|m| bent_in(places, row, m)).zip(0..).collect();
    by_pose.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    if by_pose.first()?.0 <= most {
        return None;
    }
    // Where it bends most it is tried first; nearly always that is enough.
    let worst: Vec<&Vec<Mat4>> = by_pose.iter().take(WORST).map(|(_, pose)| &poses[*pose]).collect();
    let all: Vec<&Vec<Mat4>> = poses.iter().collect();
    let (kept, _) = drawn(places, row, &worst, most)?;
    if bent(places, &kept, &all) <= most {
        let off = apart(places, row, &kept, &all);
        return Some((kept, off));
    }
    drawn(places, row, &all, most)
}

/// The same for some of the poses.
fn drawn(places: &[Vec3], row: &Row, poses: &[&Vec<Mat4>], most: f32) -> Option<(Row, f32)> {
    // Each bit stands for a joint that stays.
    let towards = |few: u32| {
        let stays = |n: usize| few & (1 << n) != 0;
        let sum: f32 = (0..row.len()).filter(|&n| stays(n)).map(|n| row[n].1).sum();
        let by = |share: f32| -> Row {
            let left = |(n, &(j, w)): (usize, &(JointId, f32))| {
                (j, w * (1.0 - share) + if stays(n) { share * w / sum } else { 0.0 })
            };
            row.iter().enumerate().map(left).filter(|e| e.1 > 0.0).collect()
        };
        if bent(places, &by(1.0), poses) > most {
            return None;
        }
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..HALVINGS {
            let share = 0.5 * (low + high);
            if bent(places, &by(share), poses) > most {
                low = share;
            } else {
                high = share;
            }
        }
        let kept = by(high);
        let off = apart(places, row, &kept, poses);
        Some((kept, off))
    };
    let all = 1..(1u32 << row.len().min(MOST)) - 1;
    all.filter_map(towards).min_by(|a, b| a.1.total_cmp(&b.1))
}

/// How far apart two blends take the middle of a part, in any pose, metres.
fn apart(places: &[Vec3], row: &Row, other: &Row, poses: &[&Vec<Mat4>]) -> f32 {
    let middle = places.iter().sum::<Vec3>() / places.len() as f32;
    let at = |row: &Row, m: &[Mat4]| blend(row, m).transform_point3(middle);
    poses.iter().map(|m| at(row, m).distance(at(other, m))).fold(0.0, f32::max)
}

fn blend(row: &Row, matrices: &[Mat4]) -> Mat4 {
    row.iter().fold(Mat4::ZERO, |sum, (j, w)| sum + matrices[j.index()] * *w)
}

/// How far a part leaves its shape, over all poses, metres.
fn bent(places: &[Vec3], row: &Row, poses: &[&Vec<Mat4>]) -> f32 {
    poses.iter().map(|m| bent_in(places, row, m)).fold(0.0, f32::max)
}

fn bent_in(places: &[Vec3], row: &Row, matrices: &[Mat4]) -> f32 {
    let by = blend(row, matrices);
    let posed: Vec<Vec3> = places.iter().map(|p| by.transform_point3(*p)).collect();
    stiffness_error(places, &posed)
}

//! Carrying a motion from one skeleton to another.

use super::{read_name, Humanoid, NameParts};
use crate::skeleton::{Pose, Skeleton};
use crate::JointId;
use glam::{Mat4, Quat, Vec3};

/// Which joint of one skeleton drives which joint of another.
#[derive(Clone, Debug)]
pub struct JointMap {
    /// Source joint for each target joint.
    source_of: Vec<Option<JointId>>,
    hips: Option<(JointId, JointId)>,
    scale: f32,
}

impl JointMap {
    /// Pairs joints of the same name, then (for persons) of the same part; `None` when nothing
    /// pairs up.
    pub fn between(from: &Skeleton, to: &Skeleton) -> Option<Self> {
        let mut source_of: Vec<Option<JointId>> = to.names.iter().map(|n| same_name(from, n)).collect();
        let (a, b) = (Humanoid::find(from), Humanoid::find(to));
        for (source, target) in parts(&a).into_iter().zip(parts(&b)) {
            if let (Some(s), Some(t)) = (source, target) {
                source_of[t.index()].get_or_insert(s);
            }
        }
        let spread = |list: &[JointId], i: usize, n: usize| list.get(i * list.len() / n.max(1)).copied();
        for (i, t) in b.spine.iter().enumerate() {
            if let Some(s) = spread(&a.spine, i, b.spine.len()).filter(|_| source_of[t.index()].is_none()) {
                source_of[t.index()] = Some(s);
            }
        }
        let scale = relative_height(from, to);
        source_of.iter().any(Option::is_some).then(|| Self { source_of, hips: a.hips.zip(b.hips), scale })
    }

    /// The pairs as given: target joints with their sources; none when the list is empty.
    pub fn of_pairs(from: &Skeleton, to: &Skeleton, pairs: &[(JointId, JointId)]) -> Option<Self> {
        let mut source_of = vec![None; to.len()];
        for &(source, target) in pairs {
            *source_of.get_mut(target.index())? = Some(source).filter(|s| s.index() < from.len());
        }
        let target = Humanoid::find(to).hips;
        let hips = target.and_then(|t| Some((source_of[t.index()]?, t)));
        let any = source_of.iter().any(Option::is_some);
        any.then(|| Self { source_of, hips, scale: relative_height(from, to) })
    }

    /// Source joint for each target joint.
    pub fn sources(&self) -> &[Option<JointId>] {
        &self.source_of
    }

    /// `pose` of the source skeleton as a pose of the target: each paired joint turns in model
    /// space, away from its rest, as its source does; the hips also travel, by relative height.
    ///
    /// ```
    /// use tin_cloak_core::shapes::Arm;
    /// use tin_cloak_core::{glam::Quat, skeleton::Pose, trial::retarget::JointMap};
    ///
    /// // From an arm to the same arm, twice as long: the elbow turns alike.
    /// let (from, to) = (Arm::new().skeleton, Arm::new().skeleton.placed(2.0, Quat::IDENTITY));
    /// let mut pose = Pose::rest(2);
    /// pose.rotations[1] = Quat::from_rotation_x(1.0);
    /// let carried = JointMap::between(&from, &to).unwrap().carry(&from, &to, &pose);
    /// assert!(carried.rotations[1].angle_between(pose.rotations[1]) < 1e-3);
    /// ```
    pub fn carry(&self, from: &Skeleton, to: &Skeleton, pose: &Pose) -> Pose {
        let turn = |m: &Mat4| m.to_scale_rotation_translation().1;
        let rest_from = from.world(&Pose::rest(from.len()));
        let posed_from = from.world(pose);
        let at_rest_to = to.world(&Pose::rest(to.len()));
        let rest_to: Vec<Quat> = at_rest_to.iter().map(turn).collect();
        let mut world: Vec<Quat> = Vec::with_capacity(to.len());
        let mut out = Pose::rest(to.len());
        for j in 0..to.len() {
            let above = to.parents[j].map_or(Quat::IDENTITY, |p| world[p.index()]);
            let at_rest = above * to.rest[j].rotation;
            if let Some(s) = self.source_of[j] {
                let away = turn(&posed_from[s.index()]) * turn(&rest_from[s.index()]).inverse();
                out.rotations[j] = (at_rest.inverse() * away * rest_to[j]).normalize();
            }
            world.push((at_rest * out.rotations[j]).normalize());
        }
        if let Some((source, target)) = self.hips {
            let place = |m: &[Mat4]| m[source.index()].w_axis.truncate();
            let travel: Vec3 = (place(&posed_from) - place(&rest_from)) * self.scale;
            let parent = to.parents[target.index()].map(JointId::index);
            let above = parent.map_or(Quat::IDENTITY, |p| world[p]);
            // What is above may be sized, as in an armature in centimetres: the way is in its units.
            let size = parent.map_or(Vec3::ONE, |p| at_rest_to[p].to_scale_rotation_translation().0);
            out.translations[target.index()] = (above.inverse() * travel) / size;
        }
        out
    }
}

fn relative_height(from: &Skeleton, to: &Skeleton) -> f32 {
    let height = |s: &Skeleton| {
        let (low, high) = crate::mesh::bounds(&s.rest_positions());
        (high.y - low.y).max(1e-3)
    };
    height(to) / height(from)
}

fn same_name(skeleton: &Skeleton, name: &str) -> Option<JointId> {
    skeleton.find(name).or_else(|| {
        let NameParts { role, side, helper } = read_name(name);
        // A part without a side (spine, neck) may have several joints: only exact names pair.
        (role.is_some() && side.is_some() && helper.is_none()).then_some(())?;
        let lower = name.to_ascii_lowercase();
        let found = skeleton.names.iter().position(|n| n.to_ascii_lowercase() == lower)?;
        Some(JointId(found as u16))
    })
}

fn parts(h: &Humanoid) -> Vec<Option<JointId>> {
    let mut list = vec![h.hips, h.neck.first().copied(), h.head];
    for l in [&h.left, &h.right] {
        list.extend([l.shoulder, l.upper_arm, l.lower_arm, l.hand, l.upper_leg, l.lower_leg, l.foot, l.toe]);
    }
    list
}

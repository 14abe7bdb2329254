//! Joints, poses and world transforms.

use crate::JointId;
use glam::{Mat4, Quat, Vec3};
use serde::{Deserialize, Serialize};

/// Translation, rotation and scale of a joint in its parent's frame.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LocalTransform {
    /// Metres.
    pub translation: Vec3,
    /// Unit quaternion.
    pub rotation: Quat,
    /// Per axis.
    pub scale: Vec3,
}

impl LocalTransform {
    /// Nothing moved.
    pub const IDENTITY: Self = Self { translation: Vec3::ZERO, rotation: Quat::IDENTITY, scale: Vec3::ONE };

    /// As a matrix.
    pub fn matrix(&self) -> Mat4 {
        Mat4::from_scale_rotation_translation(self.scale, self.rotation, self.translation)
    }
}

/// A joint hierarchy in struct-of-arrays form; parents always come before their children.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Skeleton {
    /// One name a joint.
    pub names: Vec<String>,
    /// The parent of each joint, if any.
    pub parents: Vec<Option<JointId>>,
    /// Rest transform in the parent's frame.
    pub rest: Vec<LocalTransform>,
    /// From model space at rest into the joint's frame.
    pub inverse_bind: Vec<Mat4>,
}

/// What can be wrong with a skeleton.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SkeletonError {
    /// A parent does not come before its child (or there is a cycle).
    #[error(
        "joint “{name}”: its parent does not come before it; the joints form a cycle or are out of order"
    )]
    ParentOrder {
        /// The joint.
        name: String,
    },
    /// The arrays have different lengths.
    #[error("the skeleton's joint lists differ in length ({names} names, {others} of another list)")]
    Lengths {
        /// Number of names.
        names: usize,
        /// Number in the list that differs.
        others: usize,
    },
    /// A bind matrix cannot be inverted or holds numbers that are not finite.
    #[error(
        "joint “{name}” has a singular bind matrix: freeze its scale (it is zero on some axis) and export again"
    )]
    SingularBind {
        /// The joint.
        name: String,
    },
    /// Joint ids are 16 bits wide.
    #[error("{count} joints are too many: up to 65535 are handled")]
    TooMany {
        /// How many there were.
        count: usize,
    },
}

/// True when `m` is finite and has a usable inverse.
///
/// ```
/// use tin_cloak_core::{glam::{Mat4, Vec3}, skeleton::is_invertible};
///
/// assert!(is_invertible(&Mat4::IDENTITY));
/// assert!(!is_invertible(&Mat4::from_scale(Vec3::new(1.0, 0.0, 1.0))));
/// ```
pub fn is_invertible(m: &Mat4) -> bool {
    let determinant = glam::Mat3::from_mat4(*m).determinant();
    m.is_finite() && determinant.is_finite() && determinant.abs() > 1e-18
}

impl Skeleton {
    /// A checked skeleton; see the fields for the shapes.
    ///
    /// # Errors
    /// Lists of different length, a parent after its child, or a singular bind matrix.
    pub fn new(
        names: Vec<String>,
        parents: Vec<Option<JointId>>,
        rest: Vec<LocalTransform>,
        inverse_bind: Vec<Mat4>,
    ) -> Result<Self, SkeletonError> {
        let count = names.len();
        if count > usize::from(u16::MAX) {
            return Err(SkeletonError::TooMany { count });
        }
        for others in [parents.len(), rest.len(), inverse_bind.len()] {
            if others != count {
                return Err(SkeletonError::Lengths { names: count, others });
            }
        }
        for (j, name) in names.iter().enumerate() {
            if parents[j].is_some_and(|p| p.index() >= j) {
                return Err(SkeletonError::ParentOrder { name: name.clone() });
            }
            if !is_invertible(&inverse_bind[j]) {
                return Err(SkeletonError::SingularBind { name: name.clone() });
            }
        }
        Ok(Self { names, parents, rest, inverse_bind })
    }

    /// A skeleton whose bind pose is its rest pose: inverse bind matrices are computed.
    ///
    /// # Errors
    /// As [`Skeleton::new`].
    pub fn at_rest(
        names: Vec<String>,
        parents: Vec<Option<JointId>>,
        rest: Vec<LocalTransform>,
    ) -> Result<Self, SkeletonError> {
        let count = names.len();
        let mut skeleton = Self::new(names, parents, rest, vec![Mat4::IDENTITY; count])?;
        let world = skeleton.world(&Pose::rest(count));
        for (name, m) in skeleton.names.iter().zip(&world) {
            if !is_invertible(m) {
                return Err(SkeletonError::SingularBind { name: name.clone() });
            }
        }
        skeleton.inverse_bind = world.iter().map(Mat4::inverse).collect();
        Ok(skeleton)
    }

    /// The skeleton with one more joint at the end: at `place` (model space at rest, metres), its
    /// axes those of model space, at rest moving what it holds as `parent` does.
    pub fn with_joint(&self, name: &str, parent: JointId, place: Vec3) -> Self {
        let mut more = self.clone();
        let local = self.inverse_bind[parent.index()] * Mat4::from_translation(place);
        let (scale, rotation, translation) = local.to_scale_rotation_translation();
        more.names.push(name.to_owned());
        more.parents.push(Some(parent));
        more.rest.push(LocalTransform { translation, rotation: rotation.normalize(), scale });
        more.inverse_bind.push(Mat4::from_translation(-place));
        more
    }

    /// Number of joints.
    pub fn len(&self) -> usize {
        self.names.len()
    }

    /// No joints.
    pub fn is_empty(&self) -> bool {
        self.names.is_empty()
    }

    /// The joint of that exact name.
    pub fn find(&self, name: &str) -> Option<JointId> {
        self.names.iter().position(|n| n == name).map(|j| JointId(j as u16))
    }

    /// The children of each joint, ascending.
    pub fn children(&self) -> Vec<Vec<JointId>> {
        let mut children = vec![Vec::new(); self.len()];
        for (j, parent) in self.parents.iter().enumerate() {
            if let Some(p) = parent {
                children[p.index()].push(JointId(j as u16));
            }
        }
        children
    }

    /// For each joint whether it is `joint` or hangs from it.
    pub fn hanging_from(&self, joint: JointId) -> Vec<bool> {
        let mut below = vec![false; self.len()];
        for j in 0..self.len() {
            below[j] = j == joint.index() || self.parents[j].is_some_and(|p| below[p.index()]);
        }
        below
    }

    /// How many joints are above each.
    pub fn depths(&self) -> Vec<usize> {
        let mut depths = vec![0; self.len()];
        for j in 0..self.len() {
            depths[j] = self.parents[j].map_or(0, |p| depths[p.index()] + 1);
        }
        depths
    }

    /// All joints, each one's children right after it.
    pub fn down_the_tree(&self) -> Vec<JointId> {
        let children = self.children();
        let roots = (0..self.len()).rev().filter(|&j| self.parents[j].is_none());
        let mut next: Vec<JointId> = roots.map(|j| JointId(j as u16)).collect();
        let mut order = Vec::with_capacity(self.len());
        while let Some(joint) = next.pop() {
            order.push(joint);
            next.extend(children[joint.index()].iter().rev());
        }
        order
    }

    /// World matrix of every joint in `pose`, in one pass.
    pub fn world(&self, pose: &Pose) -> Vec<Mat4> {
        let mut world: Vec<Mat4> = Vec::with_capacity(self.len());
        for j in 0..self.len() {
            let local = pose.local(&self.rest[j], j).matrix();
            let matrix = match self.parents[j] {
                Some(p) => world[p.index()] * local,
                None => local,
            };
            world.push(matrix);
        }
        world
    }

    /// Model space at rest to model space in `pose`, for every joint: what skinning blends.
    pub fn skin_matrices(&self, pose: &Pose) -> Vec<Mat4> {
        self.world(pose).iter().zip(&self.inverse_bind).map(|(w, b)| *w * *b).collect()
    }

    /// The skeleton of a body whose every point is multiplied by `scale` and then turned by `turn`:
    /// skinning gives the old result, scaled and turned, and joints keep their own scale.
    pub fn placed(&self, scale: f32, turn: Quat) -> Self {
        let sized = |t: &LocalTransform| LocalTransform { translation: t.translation * scale, ..*t };
        let turned = |t: LocalTransform| LocalTransform {
            translation: turn * t.translation,
            rotation: (turn * t.rotation).normalize(),
            ..t
        };
        let rest = self.rest.iter().zip(&self.parents);
        let back = Mat4::from_quat(turn.inverse());
        let bind = |m: &Mat4| {
            let mut sized = *m;
            sized.w_axis = (m.w_axis.truncate() * scale).extend(1.0);
            sized * back
        };
        Self {
            names: self.names.clone(),
            parents: self.parents.clone(),
            rest: rest.map(|(t, p)| if p.is_some() { sized(t) } else { turned(sized(t)) }).collect(),
            inverse_bind: self.inverse_bind.iter().map(bind).collect(),
        }
    }

    /// The partner's rotation that mirrors `rotation` of joint `joint` across the plane x = 0:
    /// both are in the joints' own rest frames, as in a [`Pose`].
    pub fn mirrored_rotation(&self, joint: JointId, rotation: Quat, partner: JointId) -> Quat {
        let world = self.world(&Pose::rest(self.len()));
        let frame = |j: JointId| world[j.index()].to_scale_rotation_translation().1;
        let (own, other) = (frame(joint), frame(partner));
        let turn = own * rotation * own.inverse();
        let image = Quat::from_xyzw(turn.x, -turn.y, -turn.z, turn.w);
        (other.inverse() * image * other).normalize()
    }

    /// World position of every joint at rest, metres.
    pub fn rest_positions(&self) -> Vec<Vec3> {
        self.world(&Pose::rest(self.len())).iter().map(|m| m.w_axis.truncate()).collect()
    }
}

/// How far each joint is from rest: a rotation applied in the joint's own rest frame, a
/// translation added to its rest translation (parent's frame, metres), and its size.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Pose {
    /// One unit quaternion a joint.
    pub rotations: Vec<Quat>,
    /// One offset a joint, metres.
    pub translations: Vec<Vec3>,
    /// What the size of each joint at rest is multiplied by, along its own axes; 1 for those that are missing.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub scales: Vec<Vec3>,
}

impl Pose {
    /// The rest pose of a skeleton of `joints` joints.
    pub fn rest(joints: usize) -> Self {
        let (rotations, translations) = (vec![Quat::IDENTITY; joints], vec![Vec3::ZERO; joints]);
        Self { rotations, translations, scales: Vec::new() }
    }

    /// The pose at a share of the way from rest to this one, 0 to 1: every joint by the shortest turn.
    ///
    /// ```
    /// use glam::Quat;
    /// use tin_cloak_core::skeleton::Pose;
    ///
    /// let mut bent = Pose::rest(1);
    /// bent.rotations[0] = Quat::from_rotation_x(1.0);
    /// assert!(bent.on_the_way(0.25).rotations[0].angle_between(Quat::from_rotation_x(0.25)) < 1e-3);
    /// ```
    #[must_use]
    pub fn on_the_way(&self, share: f32) -> Self {
        Self {
            rotations: self.rotations.iter().map(|q| Quat::IDENTITY.slerp(*q, share)).collect(),
            translations: self.translations.iter().map(|t| *t * share).collect(),
            scales: self.scales.iter().map(|s| Vec3::ONE.lerp(*s, share)).collect(),
        }
    }

    /// What the size of joint `j` at rest is multiplied by.
    pub fn scale(&self, j: usize) -> Vec3 {
        self.scales.get(j).copied().unwrap_or(Vec3::ONE)
    }

    /// Sizes joint `j` of `joints`, by what its size at rest is multiplied by.
    pub fn set_scale(&mut self, j: usize, joints: usize, scale: Vec3) {
        self.scales.resize(joints, Vec3::ONE);
        self.scales[j] = scale;
    }

    /// Local transform of joint `j` whose rest transform is `rest`.
    pub fn local(&self, rest: &LocalTransform, j: usize) -> LocalTransform {
        LocalTransform {
            translation: rest.translation + self.translations[j],
            rotation: (rest.rotation * self.rotations[j]).normalize(),
            scale: rest.scale * self.scale(j),
        }
    }
}

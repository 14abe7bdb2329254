//! Morph targets: sparse offsets added to the rest positions before skinning.

use crate::driver::Driver;
use crate::mesh::Weld;
use crate::skeleton::Pose;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// A named shape: offsets (metres) of the vertices it moves.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Morph {
    /// The shape's name.
    pub name: String,
    /// Vertices moved, ascending.
    pub vertices: Vec<u32>,
    /// Offset of each of those vertices.
    pub offsets: Vec<Vec3>,
    /// What calls it up; nothing for a shape chosen by hand.
    pub driver: Option<Driver>,
}

impl Morph {
    /// True for a shape that every pose has in full.
    pub fn is_always_on(&self) -> bool {
        self.driver.is_some_and(|d| d.is_always())
    }

    /// From one offset a vertex; zeros are left out.
    pub fn from_dense(name: String, offsets: &[Vec3]) -> Self {
        let moved = offsets.iter().enumerate().filter(|(_, o)| **o != Vec3::ZERO);
        let (vertices, offsets) = moved.map(|(v, o)| (v as u32, *o)).unzip();
        Self { name, vertices, offsets, driver: None }
    }

    /// The shape over welded vertices, from one over split vertices.
    pub fn gather(&self, weld: &Weld) -> Self {
        let dense = self.to_dense(weld.of_vertex.len());
        Self { driver: self.driver, ..Self::from_dense(self.name.clone(), &weld.gather(&dense)) }
    }

    /// The shape of the mirror image across a plane x = constant.
    pub fn mirrored(&self) -> Self {
        self.turned(|_, o| Vec3::new(-o.x, o.y, o.z))
    }

    /// The shape with each offset replaced by what `turn` makes of it, given its vertex.
    pub fn turned(&self, turn: impl Fn(u32, Vec3) -> Vec3) -> Self {
        let offsets = self.vertices.iter().zip(&self.offsets).map(|(v, o)| turn(*v, *o)).collect();
        Self { offsets, ..self.clone() }
    }

    /// So much of the shape: 1 for all of it.
    pub fn scaled(mut self, amount: f32) -> Self {
        self.offsets.iter_mut().for_each(|o| *o *= amount);
        self
    }

    /// The shape over split vertices, from one over welded ones.
    pub fn scatter(&self, weld: &Weld) -> Self {
        let split = weld.scatter(&self.to_dense(weld.count()));
        Self { driver: self.driver, ..Self::from_dense(self.name.clone(), &split) }
    }

    /// The shape over the vertices that are `kept`, by their old numbers.
    pub fn pick(&self, kept: &[u32]) -> Self {
        let end = kept.iter().chain(&self.vertices).max().map_or(0, |v| *v as usize + 1);
        let dense = self.to_dense(end);
        let left: Vec<Vec3> = kept.iter().map(|&v| dense[v as usize]).collect();
        Self { driver: self.driver, ..Self::from_dense(self.name.clone(), &left) }
    }

    /// One offset a vertex, for `vertices` vertices.
    pub fn to_dense(&self, vertices: usize) -> Vec<Vec3> {
        let mut dense = vec![Vec3::ZERO; vertices];
        for (&v, &o) in self.vertices.iter().zip(&self.offsets) {
            dense[v as usize] = o;
        }
        dense
    }
}

/// Adds each shape times its amount to `positions`; shapes and amounts go in pairs.
///
/// ```
/// use tin_cloak_core::{deform::{add_morphs, Morph}, glam::Vec3};
///
/// let mut positions = [Vec3::ZERO, Vec3::X];
/// let taller = Morph::from_dense("taller".into(), &[Vec3::ZERO, Vec3::Y]);
/// add_morphs(&mut positions, &[taller], &[0.25]);
/// assert_eq!(positions, [Vec3::ZERO, Vec3::new(1.0, 0.25, 0.0)]);
/// ```
pub fn add_morphs(positions: &mut [Vec3], morphs: &[Morph], amounts: &[f32]) {
    for (morph, &amount) in morphs.iter().zip(amounts) {
        if amount == 0.0 {
            continue;
        }
        for (&v, &offset) in morph.vertices.iter().zip(&morph.offsets) {
            positions[v as usize] += offset * amount;
        }
    }
}

/// Amount of each shape in `pose`; 0 for those nothing drives.
///
/// ```
/// use tin_cloak_core::deform::{driven_amounts, Driver, Morph};
/// use tin_cloak_core::{glam::{Quat, Vec3}, skeleton::Pose, JointId};
///
/// // A shape that begins at 20° of the elbow and is there in full at 120°.
/// let driver = Driver { joint: JointId(1), axis: Vec3::X, from: 20f32.to_radians(), full: 120f32.to_radians() };
/// let bulge = Morph { driver: Some(driver), ..Morph::from_dense("bulge".into(), &[Vec3::Z]) };
/// let mut pose = Pose::rest(2);
/// pose.rotations[1] = Quat::from_rotation_x(70f32.to_radians());
/// assert!((driven_amounts(&[bulge], &pose)[0] - 0.5).abs() < 1e-5);
/// ```
pub fn driven_amounts(morphs: &[Morph], pose: &Pose) -> Vec<f32> {
    morphs.iter().map(|m| m.driver.map_or(0.0, |d| d.amount(pose))).collect()
}

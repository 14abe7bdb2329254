//! In which units, and with which axis up, a file is written where its form leaves that open.

use crate::{Document, MeshPart};
use glam::{Quat, Vec3};
use serde::{Deserialize, Serialize};
use std::fmt;
use tin_cloak_core::intake::Up;

/// A unit of length.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum Unit {
    /// As here.
    #[default]
    #[serde(rename = "m")]
    Metre,
    /// A hundredth of a metre.
    #[serde(rename = "cm")]
    Centimetre,
    /// A thousandth of a metre.
    #[serde(rename = "mm")]
    Millimetre,
    /// 25.4 mm.
    #[serde(rename = "in")]
    Inch,
    /// 304.8 mm.
    #[serde(rename = "ft")]
    Foot,
}

impl Unit {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::Metre, Self::Centimetre, Self::Millimetre, Self::Inch, Self::Foot];

    /// How many metres one is.
    pub fn metres(self) -> f64 {
        match self {
            Self::Metre => 1.0,
            Self::Centimetre => 0.01,
            Self::Millimetre => 0.001,
            Self::Inch => 0.0254,
            Self::Foot => 0.3048,
        }
    }

    /// As it is written for short.
    pub fn sign(self) -> &'static str {
        match self {
            Self::Metre => "m",
            Self::Centimetre => "cm",
            Self::Millimetre => "mm",
            Self::Inch => "in",
            Self::Foot => "ft",
        }
    }

    /// The one that is written so for short.
    pub fn of_sign(sign: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|u| u.sign() == sign)
    }
}

impl fmt::Display for Unit {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str(match self {
            Self::Metre => "metres",
            Self::Centimetre => "centimetres",
            Self::Millimetre => "millimetres",
            Self::Inch => "inches",
            Self::Foot => "feet",
        })
    }
}

/// The unit and the upward axis of a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Frame {
    /// Its unit.
    pub unit: Unit,
    /// Its upward axis.
    pub up: Up,
}

impl fmt::Display for Frame {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        let axis = if self.up == Up::Z { "Z" } else { "Y" };
        write!(f, "{}, {axis} up", self.unit)
    }
}

impl Frame {
    /// Units a metre.
    pub fn scale(self) -> f32 {
        (1.0 / self.unit.metres()) as f32
    }

    /// From Y up to its axes.
    pub fn turn(self) -> Quat {
        self.up.rotation().inverse()
    }

    /// Where a point goes that is in metres with Y up.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, intake::Up};
    /// use tin_cloak_formats::{Frame, Unit};
    ///
    /// let frame = Frame { unit: Unit::Centimetre, up: Up::Z };
    /// let there = frame.point(Vec3::new(0.25, 1.5, 0.5));
    /// assert!(there.distance(Vec3::new(25.0, -50.0, 150.0)) < 1e-4);
    /// ```
    pub fn point(self, p: Vec3) -> Vec3 {
        if self == Self::default() {
            return p;
        }
        self.turn() * (p * self.scale())
    }

    /// The same of a direction.
    pub fn direction(self, d: Vec3) -> Vec3 {
        if self.up == Up::Y {
            return d;
        }
        self.turn() * d
    }
}

impl Document {
    /// The document with its meshes, shapes, joints and motions in another frame than metres with Y up. What marks say
    /// of lengths stays in metres: no form but glTF carries them.
    pub fn in_frame(mut self, frame: Frame) -> Self {
        if frame == Frame::default() {
            return self;
        }
        let (scale, turn) = (frame.scale(), frame.turn());
        let place = |part: &mut MeshPart| part.place(scale, turn);
        self.meshes.iter_mut().chain(&mut self.groups).for_each(place);
        if let Some(skeleton) = &mut self.skeleton {
            self.clips.iter_mut().for_each(|c| *c = c.placed(skeleton, scale, turn));
            *skeleton = skeleton.placed(scale, turn);
        }
        self
    }
}

//! How a piece is to be bound, as its state keeps it.

use crate::error::WorkshopError;
use crate::state::names::{FileRef, PieceId};
use crate::state::stroke::Reach;
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::sides::BodySide;

/// How cloth takes its weights.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Method {
    /// Match where the nearest point and the normal agree, fill in the rest.
    #[default]
    Both,
    /// Match the surface beneath where distance and normal agree, fill in the rest.
    Inpaint,
    /// Where the normal meets the surface; fill in the rest.
    Normal,
    /// Nearest surface point.
    Surface,
    /// Nearest vertex.
    Vertex,
    /// From the skeleton alone, by heat.
    Heat,
    /// From one end to the other of a hose or strap.
    Ends,
    /// The weights of the piece's own file.
    Came,
}

impl Method {
    /// All of them, in the order people choose from.
    pub const ALL: [Self; 8] = [
        Self::Both,
        Self::Inpaint,
        Self::Normal,
        Self::Surface,
        Self::Vertex,
        Self::Heat,
        Self::Ends,
        Self::Came,
    ];

    /// The word used in files and on the command line.
    pub fn word(self) -> &'static str {
        match self {
            Self::Both => "both",
            Self::Inpaint => "inpaint",
            Self::Normal => "normal",
            Self::Surface => "surface",
            Self::Vertex => "vertex",
            Self::Heat => "heat",
            Self::Ends => "ends",
            Self::Came => "came",
        }
    }

    /// What people read.
    pub fn sentence(self) -> &'static str {
        match self {
            Self::Both => "matching both ways and filling",
            Self::Inpaint => "matching and filling",
            Self::Normal => "along the normal",
            Self::Surface => "nearest surface",
            Self::Vertex => "nearest vertex",
            Self::Heat => "heat from the skeleton",
            Self::Ends => "end to end",
            Self::Came => "as it came",
        }
    }

    /// True when what finds no match is filled in.
    pub fn fills(self) -> bool {
        matches!(self, Self::Both | Self::Inpaint | Self::Normal)
    }

    /// The method of a word.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|m| m.word() == word)
    }
}

/// A joint of a piece's file and the joint of the body that stands for it, by name.
pub type CamePair = (String, String);

/// How to bind.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct BindOptions {
    /// For cloth.
    pub method: Method,
    /// Most influences a vertex.
    pub max_influences: usize,
    /// A match is no further than this, millimetres; a twentieth of the piece's size when nothing
    /// is said.
    pub match_mm: Option<f32>,
    /// And its normal turned no more than this, degrees.
    pub match_deg: f32,
    /// Left and right kept apart, mixed over so many millimetres to either side of the middle.
    pub apart_mm: Option<f32>,
    /// Of a hose or strap: the joints of its lower and upper end; none takes what is beneath.
    pub ends: [Option<String>; 2],
    /// The share of its length that stretches, 0 to 1.
    pub stretch: f32,
    /// Stiff before following: a stiff part that goes with a blend of joints leaves its shape by no more than this,
    /// millimetres; as far as following takes it when nothing is said.
    pub bend_mm: Option<f32>,
}

impl Default for BindOptions {
    fn default() -> Self {
        Self {
            method: Method::default(),
            max_influences: 4,
            match_mm: None,
            match_deg: 30.0,
            apart_mm: None,
            ends: [None, None],
            stretch: 1.0,
            bend_mm: None,
        }
    }
}

impl BindOptions {
    /// These, when the numbers make sense.
    ///
    /// # Errors
    /// When one does not.
    pub fn checked(&self) -> Result<(), WorkshopError> {
        let within = |x: f32, least: f32, most: f32| (least..=most).contains(&x);
        let sane = (1..=8).contains(&self.max_influences)
            && self.match_mm.is_none_or(|mm| within(mm, 0.1, 1000.0))
            && within(self.match_deg, 0.0, 180.0)
            && self.apart_mm.is_none_or(|mm| within(mm, 0.0, 500.0))
            && within(self.stretch, 0.0, 1.0)
            && self.bend_mm.is_none_or(|mm| within(mm, 0.0, 100.0));
        sane.then_some(()).ok_or(WorkshopError::BadBinding)
    }
}

/// Whose weights a piece takes.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Takes {
    /// The body's.
    #[default]
    Body,
    /// Those of pieces, whichever is nearest.
    Pieces(Vec<PieceId>),
    /// Those of the body and of all pieces on layers beneath, whichever is nearest.
    Beneath,
    /// It hangs in a cage, and has its weights.
    Cage(PieceId),
    /// Those of a binding that was kept.
    Template(FileRef),
}

impl Takes {
    /// The pieces named.
    pub fn pieces(&self) -> &[PieceId] {
        match self {
            Self::Pieces(list) => list,
            Self::Cage(id) => std::slice::from_ref(id),
            Self::Body | Self::Beneath | Self::Template(_) => &[],
        }
    }
}

/// Which part of it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SourcePart {
    /// All of it.
    #[default]
    Whole,
    /// What these joints move most.
    Joints(Vec<String>),
    /// Parts (shells) of the first piece named, by number.
    Shells(Vec<u32>),
    /// One side.
    Side(BodySide),
    /// A patch of the first piece named, under a brush.
    Patch(Reach),
    /// A patch of it that is kept, by name.
    Kept(String),
    /// These vertices of it.
    Vertices(Vec<u32>),
}

/// What a stiff part follows.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FollowWish {
    /// The joint that is heaviest beneath it.
    Main,
    /// A joint.
    Joint(String),
    /// The mean of what is beneath it.
    Blend,
    /// The place of the cloth under its middle.
    Patch,
}

/// Which of the body's joints a piece may follow.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct JointChoice {
    /// True for these alone, false for all but these.
    pub only: bool,
    /// By name.
    pub joints: Vec<String>,
}

/// A place of which a person has said which side it is.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct SideWish {
    /// Welded vertex.
    pub vertex: u32,
    /// The side.
    pub side: BodySide,
    /// How far it reaches along the surface, millimetres.
    pub reach_mm: f32,
}

/// All of it: what is written down of a piece before it is bound.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Recipe {
    /// How.
    pub options: BindOptions,
    /// From whom.
    pub takes: Takes,
    /// From which part of it.
    pub part: SourcePart,
    /// With which joints; all that deform when nothing is said.
    pub joints: Option<JointChoice>,
    /// What its stiff parts follow: a part by number, or all.
    pub follows: Vec<(Option<u32>, FollowWish)>,
    /// Where sides were said.
    pub sides: Vec<SideWish>,
    /// Joints of the piece's file, and the body's that stand for them.
    pub came: Vec<CamePair>,
}

impl Recipe {
    /// For a piece that is no longer to have the weights it came with.
    pub fn leave_came(&mut self) {
        if self.options.method == Method::Came {
            self.options.method = Method::default();
        }
    }

    /// The names of the body's joints in it, to be exchanged for others.
    pub fn joints_mut(&mut self) -> impl Iterator<Item = &mut String> {
        let follows = self.follows.iter_mut().filter_map(|(_, follow)| match follow {
            FollowWish::Joint(name) => Some(name),
            FollowWish::Main | FollowWish::Blend | FollowWish::Patch => None,
        });
        let of_part = match &mut self.part {
            SourcePart::Joints(list) => list.as_mut_slice(),
            _ => &mut [],
        };
        let chosen = self.joints.iter_mut().flat_map(|c| &mut c.joints);
        chosen.chain(self.options.ends.iter_mut().flatten()).chain(follows).chain(of_part)
    }

    /// What a stiff part follows, when that was said.
    pub fn follow_of(&self, shell: u32) -> Option<&FollowWish> {
        let of = |wanted: Option<u32>| self.follows.iter().find(|f| f.0 == wanted).map(|f| &f.1);
        of(Some(shell)).or_else(|| of(None))
    }
}

//! Which vertices of a piece are chosen, written down as what was meant, so that it can be asked again of other
//! weights.

use crate::state::names::PieceId;
use crate::state::stroke::Reach;
use serde::{Deserialize, Serialize};
use tin_cloak_core::bind::sides::BodySide;

/// What a pick does to what is chosen so far.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PickHow {
    /// It is chosen too.
    #[default]
    Add,
    /// It is no longer chosen.
    Take,
    /// Only what lies within it stays.
    Within,
}

/// What a pick is about.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum What {
    /// All of the piece.
    All,
    /// These, by number.
    Vertices(Vec<u32>),
    /// Those under a brush.
    Around(Reach),
    /// The connected part that a vertex is of.
    Part(u32),
    /// What has the material of the file that a vertex has.
    Material(u32),
    /// The loop that an edge lies on.
    Loop([u32; 2]),
    /// What lies between the loops of two edges, both with it.
    Between([[u32; 2]; 2]),
    /// Rows from the open edge nearest to a vertex: 0 for the edge alone.
    Rows { vertex: u32, rows: usize },
    /// The shortest way along edges between two vertices.
    Way([u32; 2]),
    /// One side of the body.
    Side(BodySide),
    /// One wall where it is double: the outside one, or that towards the body. Single cloth is of both.
    Wall { outside: bool },
    /// Influenced by a joint by more than this.
    Joint { joint: String, over: f32 },
    /// Of more joints than this.
    OverJoints(usize),
    /// Without a mirror image on the piece: mirroring leaves these as they are.
    NoImage,
    /// Torn from all round them.
    Torn,
    /// Filled in when it was bound, not matched.
    Filled,
    /// A kept patch, by name.
    Patch(String),
    /// What other picks come to.
    Group(Vec<Pick>),
    /// Changed by the last step on weights.
    Changed,
    /// Nearer than this to what lies beneath at rest, millimetres.
    Nearer { mm: f32 },
    /// Stretched or squashed by more than this share in the pose looked at.
    Strained { by: f32 },
    /// Through, or with something through it, in the pose looked at.
    Through,
    /// In a snag over all poses, by its place in the list, or where it is through.
    Snag(usize),
    /// In all snags of two parts, by number (0 is the body).
    Snags([PieceId; 2]),
    /// What lies where a kept patch of another part is.
    PatchOf { piece: PieceId, name: String },
    /// Within a line drawn on the screen: corners in the picture (−1 to 1), the matrix that takes model space
    /// there (column by column), the eye, and whether what is behind is meant too.
    Lasso { line: Vec<[f32; 2]>, to_picture: Vec<f32>, eye: [f32; 3], through: bool },
    /// So many rings more, or fewer where it is below 0, of what is chosen so far.
    Rings(i32),
    /// So many millimetres along the surface more, or fewer, of what is chosen so far.
    Wider { mm: f32 },
    /// All that is not chosen so far.
    Invert,
    /// The mirror image of what is chosen so far, too.
    Mirrored,
}

/// One step of choosing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Pick {
    #[serde(default)]
    pub how: PickHow,
    pub what: What,
}

impl Pick {
    /// True when it says that one wall alone is meant.
    pub fn is_of_a_wall(&self) -> bool {
        match &self.what {
            What::Wall { .. } => true,
            What::Group(picks) => picks.iter().any(Self::is_of_a_wall),
            _ => false,
        }
    }

    /// What is chosen too.
    pub fn add(what: What) -> Self {
        Self { how: PickHow::Add, what }
    }
}

/// A choice kept with a piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Patch {
    pub name: String,
    pub picks: Vec<Pick>,
}

/// The numbers that vertices have on a mesh that takes the place of another.
pub struct Numbers<'a> {
    /// Of one vertex; none where it is gone.
    pub one: &'a dyn Fn(u32) -> Option<u32>,
    /// Of all that lies where some were.
    pub many: &'a dyn Fn(&[u32]) -> Vec<u32>,
}

/// Follows vertices of `picks` to their new numbers; what is gone is left out.
pub fn renumber(picks: &mut Vec<Pick>, new: &Numbers) {
    picks.retain_mut(|pick| renumber_what(&mut pick.what, new));
}

fn renumber_what(what: &mut What, new: &Numbers) -> bool {
    let edge = |[a, b]: [u32; 2]| Some([(new.one)(a)?, (new.one)(b)?]);
    let one = |vertex: &mut u32| match (new.one)(*vertex) {
        Some(now) => {
            *vertex = now;
            true
        }
        None => false,
    };
    match what {
        What::Vertices(list) => *list = (new.many)(list),
        What::Around(reach) => reach.dabs = reach.dabs.iter().filter_map(|v| (new.one)(*v)).collect(),
        What::Part(vertex) | What::Material(vertex) | What::Rows { vertex, .. } => return one(vertex),
        What::Loop(ends) | What::Way(ends) => match edge(*ends) {
            Some(now) => *ends = now,
            None => return false,
        },
        What::Between([first, second]) => match edge(*first).zip(edge(*second)) {
            Some((a, b)) => (*first, *second) = (a, b),
            None => return false,
        },
        What::Group(picks) => renumber(picks, new),
        _ => {}
    }
    true
}

/// The names of joints in `picks`, to be exchanged for others.
pub fn joints_of_picks(picks: &mut [Pick]) -> Vec<&mut String> {
    let mut joints = Vec::new();
    for pick in picks {
        match &mut pick.what {
            What::Joint { joint, .. } => joints.push(joint),
            What::Group(picks) => joints.extend(joints_of_picks(picks)),
            _ => {}
        }
    }
    joints
}

/// Takes joints and sides of `picks` to the other side.
pub fn to_other_side(picks: &mut [Pick], other_joint: &dyn Fn(&str) -> String) {
    for pick in picks {
        match &mut pick.what {
            What::Joint { joint, .. } => *joint = other_joint(joint),
            What::Side(side) => *side = side.opposite(),
            What::Group(picks) => to_other_side(picks, other_joint),
            _ => {}
        }
    }
}

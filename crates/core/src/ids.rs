//! Newtypes for ids, so that a joint is never taken for a vertex.

use serde::{Deserialize, Serialize};

/// A joint: its index in [`crate::skeleton::Skeleton`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct JointId(pub u16);

impl JointId {
    /// The joint's index as an array index.
    pub fn index(self) -> usize {
        usize::from(self.0)
    }
}

/// The place of a piece in the pile: 0 is the skin, higher lies further out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct LayerIndex(pub u16);

//! Names and details of a file, as people can read them.

use crate::ReadError;
use std::collections::{HashMap, HashSet};

/// Longer names are cut, in characters.
const LONGEST: usize = 200;

/// `name` without control characters, cut where it is longer than anyone reads.
pub(crate) fn tidy(name: &str) -> String {
    let mut letters = name.chars().filter(|c| !c.is_control());
    let mut tidy: String = letters.by_ref().take(LONGEST).collect();
    if letters.next().is_some() {
        tidy.push('…');
    }
    tidy
}

/// The name of something, or what it is called without one.
pub(crate) fn or_number(name: Option<&str>, what: &str, number: usize) -> String {
    name.map_or_else(|| format!("{what} {number}"), tidy)
}

/// Gives every name of a list that stands there already a number: meshes, joints and clips are asked
/// for by name.
pub(crate) fn make_unique<'a>(names: impl Iterator<Item = &'a mut String>) {
    let mut taken: HashSet<String> = HashSet::new();
    let mut next: HashMap<String, usize> = HashMap::new();
    for name in names {
        let wanted = name.clone();
        while !taken.insert(name.clone()) {
            let number = next.entry(wanted.clone()).or_insert(1);
            *number += 1;
            *name = format!("{wanted} {number}");
        }
    }
}

impl ReadError {
    /// The same with what libraries and files say cut to what fits in a sentence.
    pub(crate) fn shortened(mut self) -> Self {
        match &mut self {
            Self::NotGltf { name: text }
            | Self::Truncated { detail: text }
            | Self::Invalid { detail: text }
            | Self::Extension { name: text }
            | Self::Obj { detail: text, .. }
            | Self::Bvh { detail: text, .. } => *text = tidy(text),
            _ => {}
        }
        self
    }
}

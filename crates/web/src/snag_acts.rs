//! The presses of a snag, where it is named.

use tin_cloak_workshop::{snag_acts, PieceId, Room, SnagAct};

/// Something that may help, as a button has it.
pub(crate) struct SnagPress {
    pub words: &'static str,
    pub title: String,
    /// Its step, as JSON.
    pub step: String,
    pub tried_first: bool,
}

pub(crate) fn snag_presses(room: &Room, ids: [PieceId; 2], pose: usize) -> Vec<SnagPress> {
    let press = |SnagAct { words, title, step, tried_first }: SnagAct| SnagPress {
        words,
        title,
        step: serde_json::to_string(&step).unwrap_or_default(),
        tried_first,
    };
    snag_acts(room, ids, pose).into_iter().map(press).collect()
}

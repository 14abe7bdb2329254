//! What was made of something that has changed since: it stays as it is, and is told.

use crate::mending::hide::HideOfRoom;
use std::collections::{BTreeMap, BTreeSet};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::corrective::Corrective;
use tin_cloak_model::state::made_of::{Facet, MadeOf};
use tin_cloak_model::state::names::{PieceId, BODY};

/// Asked of a room: what is older than what it was made of.
pub trait OutdatedOfRoom {
    /// A sentence each: what it is, what has changed since, and what makes it anew.
    fn outdated(&self) -> Vec<String>;
}

impl OutdatedOfRoom for Room {
    fn outdated(&self) -> Vec<String> {
        let mut told = Vec::new();
        weights(self, &mut told);
        followed(self, &mut told);
        shapes(self, &mut told);
        hidden(self, &mut told);
        told
    }
}

fn name_of(room: &Room, part: PieceId) -> &str {
    let piece = room.state.pieces.iter().find(|p| p.id == part);
    piece.map_or(room.dress.body.name.as_str(), |p| p.name())
}

/// The names of what has changed of all that some things were made of, in the order of their numbers.
fn changed(room: &Room, facet: Facet, made: &[&MadeOf]) -> Option<String> {
    let parts: BTreeSet<PieceId> = made.iter().flat_map(|m| m.changed(&room.state, facet)).collect();
    let names: Vec<&str> = parts.into_iter().map(|part| name_of(room, part)).collect();
    (!names.is_empty()).then(|| names.join(" and "))
}

fn weights(room: &Room, told: &mut Vec<String>) {
    let mut by_source: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for piece in room.state.pieces.iter().filter(|p| p.bound.is_some()) {
        let of_body = piece.is_older_than(room.state.body_skin.as_ref());
        let body = of_body.then(|| name_of(room, BODY).to_owned());
        for from in body.into_iter().chain(changed(room, Facet::Weights, &[&piece.took])) {
            by_source.entry(from).or_default().push(piece.name());
        }
    }
    told.extend(by_source.into_iter().map(|(from, names)| {
        let names = names.join(", ");
        format!("took weights from {from} before those changed, and are to be bound again: {names}")
    }));
}

fn followed(room: &Room, told: &mut Vec<String>) {
    for piece in room.state.pieces.iter().filter(|p| p.carried.is_some()) {
        if let Some(what) = changed(room, Facet::Shape, &[&piece.carried_on]) {
            let name = piece.name();
            told.push(format!(
                "the shapes that {name} follows were carried to it before {what} changed: let it follow them again \
                 (Seating)"
            ));
        }
    }
}

fn shapes(room: &Room, told: &mut Vec<String>) {
    for piece in &room.state.pieces {
        let (tucks, turns): (Vec<&Corrective>, _) = piece.correctives.iter().partition(|c| !c.by.is_empty());
        let made = |list: &[&Corrective]| {
            let made: Vec<&MadeOf> = list.iter().map(|c| &c.made_of).collect();
            changed(room, Facet::Worn, &made)
        };
        let name = piece.name();
        if let Some(what) = made(&turns) {
            told.push(format!(
                "correctives of {name} were made before {what} changed: make them again (Mending)"
            ));
        }
        if let Some(what) = made(&tucks) {
            told.push(format!("{name} was drawn in before {what} changed: draw it in again (Mending)"));
        }
    }
    let tucks: Vec<&MadeOf> = room.state.tucks.iter().map(|t| &t.made_of).collect();
    if let Some(what) = changed(room, Facet::Worn, &tucks) {
        let name = name_of(room, BODY);
        told.push(format!("{name} was drawn in before {what} changed: draw it in again (Mending)"));
    }
    let turns: Vec<&MadeOf> = room.state.body_correctives.iter().map(|c| &c.made_of).collect();
    if let Some(what) = changed(room, Facet::Worn, &turns) {
        let name = name_of(room, BODY);
        told.push(format!(
            "correctives of {name} were made before {what} changed: make them again (Mending)"
        ));
    }
}

fn hidden(room: &Room, told: &mut Vec<String>) {
    let of: BTreeSet<String> = room.masks().into_iter().filter(|m| m.older).map(|m| m.of).collect();
    if !of.is_empty() {
        let of = of.into_iter().collect::<Vec<_>>().join(" and ");
        told.push(format!(
            "what is hidden of {of} was looked for before what is worn or tried changed: look for it again (Mending)"
        ));
    }
}

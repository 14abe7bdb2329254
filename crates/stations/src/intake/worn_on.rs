//! Where on the body pieces are worn.

use crate::intake::finding::{Finding, Grade};
use tin_cloak_core::intake::{guess_place, Place};
use tin_cloak_core::trial::Humanoid;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::step::{IntakeStep, Step};

/// Where it is worn, and who else is there on the same layer.
pub fn place_findings(room: &Room, index: usize, id: u32) -> Vec<Finding> {
    let dress = &room.dress;
    let (guess, share) = guessed_place(room, index);
    let piece = &dress.pieces[index];
    let place = piece.place.unwrap_or(guess);
    let words = match guess {
        Place::Held | Place::Hung => {
            format!("{} beside the body: {:.0} % of it lies off the skin", guess.word(), share * 100.0)
        }
        _ => format!("worn on the {} ({:.0} % of it)", guess.word(), share * 100.0),
    };
    let mut found = Vec::new();
    match piece.place {
        Some(said) if said != guess => {
            let text = format!("filed under {}, but seems to be {words}", said.word());
            let step = Step::Intake(IntakeStep::SetPlace { piece: id, place: guess });
            let label = format!("File it under {}", guess.word());
            found.push(Finding::new(Grade::Doubt, text).cured_by(label, step));
        }
        _ => found.push(Finding::new(Grade::Note, words)),
    }
    let others = (0..dress.pieces.len()).filter(|&i| i != index && dress.pieces[i].layer == piece.layer);
    for other in others.filter(|&i| room.place_of(i) == place) {
        let name = &dress.pieces[other].name;
        let text = format!(
            "shares the {} on layer {} with {name}: they are not measured against each other",
            place.word(),
            piece.layer
        );
        found.push(Finding::new(Grade::Doubt, text));
    }
    found
}

/// Asked of a room: where on the body pieces are worn.
pub trait WornOnOfRoom {
    /// Where piece `index` is worn: as was said, else as guessed.
    fn place_of(&self, index: usize) -> Place;
}

impl WornOnOfRoom for Room {
    fn place_of(&self, index: usize) -> Place {
        self.dress.pieces[index].place.unwrap_or_else(|| guessed_place(self, index).0)
    }
}

/// Where a piece seems to be worn, by what lies beneath it, with its share.
fn guessed_place(room: &Room, index: usize) -> (Place, f32) {
    let key = Key::begin("place").and_key(room.contents.body).and_key(room.contents.shapes[index]);
    let guess = room.derived.get_or(key.end(), || {
        let body = &room.dress.body;
        let (person, parents) = (Humanoid::find(&body.skeleton), &body.skeleton.parents);
        let (rest, triangles) = (&body.rest, &body.topology.triangles);
        let piece = &room.dress.pieces[index].rest;
        vec![guess_place(piece, rest, triangles, &body.welded_skin, parents, &person)]
    });
    guess[0]
}

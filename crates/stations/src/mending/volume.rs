//! Volume that turns of joints lose, told and given back by correctives.

use crate::making::doing::Doing;
use crate::mending::correct::CalledUp;
use crate::mending::hide::HideOfRoom;
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::mend::{gives_back, lost_volume, LostIn, LostVolume};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;

/// What a turn draws in of the body and of what is worn.
#[derive(Clone, Debug, PartialEq)]
pub struct LostRow {
    /// The joint and how far it is turned, in words.
    pub turn: String,
    /// How much the worst vertex is drawn in, millimetres.
    pub most_mm: f32,
    /// The body and pieces of which something is drawn in.
    pub parts: Vec<LostPart>,
    /// True when correctives give it back already.
    pub given_back: bool,
}

/// What a turn draws in of a part.
#[derive(Clone, Debug, PartialEq)]
pub struct LostPart {
    /// Its name.
    pub name: String,
    /// Vertices that are drawn in.
    pub vertices: usize,
    /// What it encloses less, cubic centimetres.
    pub cm3: f32,
}

/// Turns that draw in less are not told, millimetres.
pub const LEAST_LOST_MM: f32 = 1.0;

/// What a turn draws in of parts: by their places in the dress, none for the body.
struct LostParts {
    driver: Driver,
    most: f32,
    parts: Vec<(Option<usize>, LostIn)>,
}

/// What turns lose of pieces, by their places in the dress (none for the body).
fn lost_of(room: &Room, parts: &[Option<usize>], least_mm: f32) -> Vec<LostParts> {
    let (outfit, piece_of) = room.dress.outfit();
    let layers = outfit.layers.into_iter().zip(piece_of).filter(|(_, part)| parts.contains(part));
    let (layers, part_of): (Vec<_>, Vec<Option<usize>>) = layers.unzip();
    let poses: Vec<Pose> = room.counted_poses().iter().map(|p| room.trials.trials[*p].pose.clone()).collect();
    let by_part = |LostVolume { driver, most, layers }: LostVolume| LostParts {
        driver,
        most,
        parts: layers.into_iter().map(|lost| (part_of[lost.layer], lost)).collect(),
    };
    let lost = lost_volume(&layers, &room.dress.body.skeleton, &poses, from_mm(least_mm));
    lost.into_iter().map(by_part).collect()
}

/// True when a part has a shape that gives back what that turn loses of it, or less of it.
fn is_given_back(room: &Room, part: Option<usize>, driver: &Driver) -> bool {
    let gives = |m: &Morph| m.driver.is_some_and(|d| gives_back(&d, driver));
    match part {
        None => room.dress.body.made_shapes().iter().any(gives),
        Some(piece) => room.dress.pieces[piece].correctives.iter().any(|m| gives(m)),
    }
}

/// Asked of a room: volume that turns of joints lose, told and given back by correctives.
pub trait VolumeOfRoom {
    /// What the widest twists, turns of wrists and bends of elbows and knees in the counted poses draw in of the body
    /// and of what is worn and bound, the worst first.
    fn lost_volume(&self) -> Vec<LostRow>;
}

impl VolumeOfRoom for Room {
    fn lost_volume(&self) -> Vec<LostRow> {
        let all: Vec<Option<usize>> = (0..self.dress.pieces.len()).map(Some).chain([None]).collect();
        let row = |lost: LostParts| {
            let part = |(part, lost): &(Option<usize>, LostIn)| LostPart {
                name: self.dress.layer_name(*part).to_owned(),
                vertices: lost.offsets.iter().filter(|o| o.length_squared() > 0.0).count(),
                cm3: lost.volume * 1e6,
            };
            LostRow {
                turn: turn_in_words(self, &lost.driver),
                most_mm: to_mm(lost.most),
                given_back: lost.parts.iter().all(|(part, _)| is_given_back(self, *part, &lost.driver)),
                parts: lost.parts.iter().map(part).collect(),
            }
        };
        lost_of(self, &all, LEAST_LOST_MM).into_iter().map(row).collect()
    }
}

/// The joint and its turn, which has a sign: that of the longest part of its axis.
fn turn_in_words(room: &Room, driver: &Driver) -> String {
    let name = &room.dress.body.skeleton.names[driver.joint.index()];
    let way = driver.axis[driver.axis.abs().max_position()].signum();
    format!("{name}, {:.0}°", driver.full.to_degrees() * way)
}

impl Doing<'_> {
    /// Correctives that give back what twists, turns of wrists and deep bends draw in; of the body where it is named.
    pub fn keep_volume(&mut self, pieces: &[PieceId], least_mm: f32) -> Result<String, WorkshopError> {
        if !(least_mm.is_finite() && least_mm >= 0.0) {
            return Err(WorkshopError::BadAmount);
        }
        let (bound, body) = self.bound_parts(pieces)?;
        let parts: Vec<Option<usize>> = bound.into_iter().map(Some).chain(body.then_some(None)).collect();
        let names: Vec<&str> = parts.iter().map(|p| self.room.dress.layer_name(*p)).collect();
        let mut lost = lost_of(self.room, &parts, least_mm);
        for turn in &mut lost {
            turn.parts.retain(|(part, _)| !is_given_back(self.room, *part, &turn.driver));
        }
        lost.retain(|l| !l.parts.is_empty());
        if lost.is_empty() {
            return Err(WorkshopError::NoVolumeLost { least_mm });
        }
        let mut draft = self.draft.clone();
        for LostParts { driver, most, parts } in lost {
            // Each is named beside those before it.
            let room = self.room_of(&draft)?;
            let offsets = parts.into_iter().map(|(part, lost)| (part, lost.offsets)).collect();
            draft = self.with_corrective(&room, draft, &CalledUp { driver, offsets })?;
            draft.notes.push(format!("{}: {:.1} mm", turn_in_words(&room, &driver), to_mm(most)));
        }
        *self.draft = draft;
        Ok(format!("Give back what turns draw in: {}", names.join(", ")))
    }
}

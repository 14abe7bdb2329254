//! Volume that turns of joints lose, told and given back by correctives.

use crate::making::doing::Doing;
use crate::mending::correct::CalledUp;
use crate::mending::hide::HideOfRoom;
use tin_cloak_core::deform::Driver;
use tin_cloak_core::mend::{gives_back, lost_volume, LostVolume};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;

/// What a turn draws in of what is worn.
#[derive(Clone, Debug, PartialEq)]
pub struct LostRow {
    /// The joint and how far it is turned, in words.
    pub turn: String,
    /// How much the worst vertex is drawn in, millimetres.
    pub most_mm: f32,
    /// Pieces, and how many vertices of each are drawn in.
    pub pieces: Vec<(String, usize)>,
    /// True when a corrective gives it back already.
    pub given_back: bool,
}

/// Turns that draw in less are not told, millimetres.
pub const LEAST_LOST_MM: f32 = 1.0;

/// What turns lose of pieces, by their places in the dress.
fn lost_of(room: &Room, pieces: &[usize], least_mm: f32) -> Vec<LostVolume> {
    let (outfit, piece_of) = room.dress.outfit();
    let layers = outfit.layers.into_iter().zip(piece_of);
    let (layers, piece_of): (Vec<_>, Vec<usize>) =
        layers.filter_map(|(layer, p)| Some((layer, p.filter(|p| pieces.contains(p))?))).unzip();
    let poses: Vec<Pose> = room.counted_poses().iter().map(|p| room.trials.trials[*p].pose.clone()).collect();
    let mut lost = lost_volume(&layers, &room.dress.body.skeleton, &poses, least_mm * 0.001);
    lost.iter_mut().flat_map(|l| &mut l.offsets).for_each(|(layer, _)| *layer = piece_of[*layer]);
    lost
}

/// True when pieces have a shape that gives back what that turn loses, or less of it.
fn is_given_back(room: &Room, driver: &Driver) -> bool {
    let made = room.dress.pieces.iter().flat_map(|p| &p.correctives);
    made.filter_map(|m| m.driver).any(|d| gives_back(&d, driver))
}

/// Asked of a room: volume that turns of joints lose, told and given back by correctives.
pub trait VolumeOfRoom {
    /// What the widest twists and turns of wrists in the counted poses draw in of what is worn and bound, the worst
    /// first.
    fn lost_volume(&self) -> Vec<LostRow>;
}

impl VolumeOfRoom for Room {
    fn lost_volume(&self) -> Vec<LostRow> {
        let pieces: Vec<usize> = (0..self.dress.pieces.len()).collect();
        let row = |lost: LostVolume| {
            let of_piece = |(piece, offsets): &(usize, Vec<glam::Vec3>)| {
                let drawn = offsets.iter().filter(|o| o.length_squared() > 0.0).count();
                (self.dress.pieces[*piece].name.clone(), drawn)
            };
            LostRow {
                turn: turn_in_words(self, &lost.driver),
                most_mm: lost.most * 1000.0,
                pieces: lost.offsets.iter().map(of_piece).collect(),
                given_back: is_given_back(self, &lost.driver),
            }
        };
        lost_of(self, &pieces, LEAST_LOST_MM).into_iter().map(row).collect()
    }
}

/// The joint and its turn, which has a sign: that of the longest part of its axis.
fn turn_in_words(room: &Room, driver: &Driver) -> String {
    let name = &room.dress.body.skeleton.names[driver.joint.index()];
    let way = driver.axis[driver.axis.abs().max_position()].signum();
    format!("{name}, {:.0}°", driver.full.to_degrees() * way)
}

impl Doing<'_> {
    /// Correctives that give back what twists and turns of wrists draw in.
    pub fn keep_volume(&mut self, pieces: &[PieceId], least_mm: f32) -> Result<String, WorkshopError> {
        if !(least_mm.is_finite() && least_mm >= 0.0) {
            return Err(WorkshopError::BadAmount);
        }
        let bound = self.bound_pieces(pieces)?;
        let names: Vec<&str> = bound.iter().map(|&i| self.room.dress.pieces[i].name.as_str()).collect();
        let mut lost = lost_of(self.room, &bound, least_mm);
        lost.retain(|l| !is_given_back(self.room, &l.driver));
        if lost.is_empty() {
            return Err(WorkshopError::NoVolumeLost { least_mm });
        }
        let mut draft = self.draft.clone();
        for LostVolume { driver, most, offsets } in lost {
            // Each is named beside those before it.
            let room = self.room_of(&draft)?;
            draft = self.with_corrective(&room, draft, &CalledUp { driver, offsets })?;
            draft.notes.push(format!("{}: {:.1} mm", turn_in_words(&room, &driver), most * 1000.0));
        }
        *self.draft = draft;
        Ok(format!("Give back what turns draw in: {}", names.join(", ")))
    }
}

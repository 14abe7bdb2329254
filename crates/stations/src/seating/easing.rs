//! Easing a piece off what lies beneath.

use crate::seating::ground::GroundOfRoom;
use crate::seating::ground::{Ground, REACH};
use glam::Vec3;
use serde::Serialize;
use tin_cloak_core::seat::{ease, GapWish, PieceSurface};
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::EaseOptions;
use tin_cloak_model::state::stroke::Chosen;

/// New rest positions of piece `index` with its `chosen` vertices eased.
///
/// # Errors
/// When the piece is stiff or the wish makes no sense.
pub fn eased(
    dress: &Dress,
    index: usize,
    chosen: &[bool],
    options: EaseOptions,
) -> Result<Vec<Vec3>, WorkshopError> {
    let piece = &dress.pieces[index];
    if piece.kind == PieceKind::Stiff {
        return Err(WorkshopError::StiffIsNotEased { piece: piece.name.clone() });
    }
    let most = options.most_mm.unwrap_or(f32::INFINITY);
    let sane = options.least_mm.is_finite() && options.least_mm.abs() <= 200.0 && most >= options.least_mm;
    if !sane {
        return Err(WorkshopError::BadEase);
    }
    let wish = GapWish { least: from_mm(options.least_mm), most: from_mm(most) };
    let ground = Ground::beneath(dress, index);
    let side = &piece.walls().towards_body;
    let rigid = rigid_parts(piece);
    let own = PieceSurface { start: &piece.rest, side, topology: &piece.topology, rigid: &rigid };
    Ok(ease(own, chosen, ground.covering(), wish, REACH))
}

/// How many vertices moved, and how far at most, millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct HowFar {
    pub vertices: usize,
    pub most_mm: f32,
}

impl HowFar {
    fn between(before: &[Vec3], after: &[Vec3]) -> Self {
        let moves = before.iter().zip(after).map(|(a, b)| a.distance(*b)).filter(|d| *d > 1e-5);
        let (vertices, most) = moves.fold((0, 0.0f32), |(n, most), d| (n + 1, most.max(d)));
        Self { vertices, most_mm: to_mm(most) }
    }
}

/// The same as a sentence.
pub fn moved_note(name: &str, before: &[Vec3], after: &[Vec3]) -> String {
    let HowFar { vertices, most_mm } = HowFar::between(before, after);
    format!("{name}: {vertices} vertices moved, at most {most_mm:.1} mm")
}

/// Asked of a room: easing a piece off what lies beneath.
pub trait EasingOfRoom {
    /// A piece at rest as easing would leave it, with its gaps (millimetres),
    /// and how far it would move.
    ///
    /// # Errors
    /// As [`eased`], and when the piece is not there.
    fn ease_view(
        &self,
        piece: PieceId,
        chosen: &Chosen,
        options: EaseOptions,
    ) -> Result<(ViewPart, HowFar), WorkshopError>;
}

impl EasingOfRoom for Room {
    fn ease_view(
        &self,
        piece: PieceId,
        chosen: &Chosen,
        options: EaseOptions,
    ) -> Result<(ViewPart, HowFar), WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        let piece = &self.dress.pieces[index];
        let chosen = Choosing::on(piece, &self.dress.body).chosen(chosen)?;
        let rest = eased(&self.dress, index, &chosen, options)?;
        let gaps = self.ground(index).gaps_at(piece, &rest);
        Ok((self.part_with_gaps(index, &rest, &gaps), HowFar::between(&piece.rest, &rest)))
    }
}

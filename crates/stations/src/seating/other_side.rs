//! What a hand did to one side is done to the other: within a piece, or from one piece to its pair.

use crate::making::carried::Turned;
use crate::making::doing::Doing;
use crate::seating::easing::moved_note;
use glam::Vec3;
use tin_cloak_core::bind::by_hand::towards;
use tin_cloak_core::bind::clean::{mirror_image, BoundMesh, Row};
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::mend::keep_rigid;
use tin_cloak_core::mesh::Alignment;
use tin_cloak_core::seat::{in_a_mirror, places_across, ImagePlace};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_bound;
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::OtherSide;
use tin_cloak_model::state::stroke::Chosen;

/// Both sides of one piece are mixed over so much about the plane, millimetres: no crease down the middle.
const SEAM_MM: f32 = 2.0;
/// The best half is sought so often.
const TRIMS: usize = 4;
/// Places that came apart by more than this share have no image in the shape they came in.
const MOST_LOST: f32 = 0.5;

/// The surface that gives: as it came and as it is.
struct Giver {
    rest: Vec<Vec3>,
    came: Vec<Vec3>,
}

/// Where the image of each vertex lies, and where it would be if its side were like the other.
struct Image {
    places: Vec<ImagePlace>,
    wished: Vec<Vec3>,
}

impl Doing<'_> {
    pub fn other_side(
        &mut self,
        piece: PieceId,
        chosen: &Chosen,
        options: &OtherSide,
    ) -> Result<String, WorkshopError> {
        let OtherSide { from, from_left, shape, weights } = *options;
        if !shape && !weights {
            return Err(WorkshopError::NothingGiven);
        }
        let (index, worn) = self.worn_piece(piece)?;
        let (worn, giver) = (worn.clone(), self.worn_piece(from)?.1.clone());
        let (name, plane) = (worn.name.clone(), self.room.dress.body.plane());
        let given =
            Giver { came: as_placed(&self.came_in(&giver, from)?, &giver.rest), rest: giver.rest.to_vec() };
        let came = as_placed(&self.came_in(&worn, piece)?, &worn.rest);
        let image = imaged(&worn, &came, &given, &giver.topology.triangles, plane);
        let picked = Choosing::on(&worn, &self.room.dress.body).chosen(chosen)?;
        let side = if from_left { -1.0 } else { 1.0 };
        let share = |v: usize| match (picked[v] && image.places[v].is_some(), from == piece) {
            (false, _) => 0.0,
            (true, false) => 1.0,
            (true, true) => (0.5 + 0.5 * (worn.rest[v].x - plane) * side / from_mm(SEAM_MM)).clamp(0.0, 1.0),
        };
        let shares: Vec<f32> = (0..worn.rest.len()).map(share).collect();
        if shares.iter().all(|s| *s == 0.0) {
            return Err(WorkshopError::NoOtherSide { piece: name, from: giver.name.clone() });
        }
        self.tell_image(&worn, &picked, &image, &shares);
        if weights {
            self.give_weights(piece, &worn, &giver, &image.places, &shares)?;
        }
        if shape {
            let towards = |v: usize| worn.rest[v].lerp(image.wished[v], shares[v]);
            let mut next: Vec<Vec3> = (0..worn.rest.len()).map(towards).collect();
            keep_rigid(&rigid_parts(&worn), &worn.rest, &mut next, f32::INFINITY);
            self.draft.notes.push(moved_note(&name, &worn.rest, &next));
            self.draft.reseat(self.room, index, &next, &Turned::Not)?;
        }
        let what = match (shape, weights) {
            (true, true) => "shape and weights",
            (true, false) => "the shape",
            _ => "the weights",
        };
        Ok(match from == piece {
            true if from_left => format!("Give {what} of the left of {name} to its right"),
            true => format!("Give {what} of the right of {name} to its left"),
            false => format!("Give {name} {what} of {}, mirrored", giver.name),
        })
    }

    /// How far the sides were apart, and what has no image.
    fn tell_image(&mut self, worn: &Piece, picked: &[bool], image: &Image, shares: &[f32]) {
        let apart = |v: usize| worn.rest[v].distance(image.wished[v]);
        let mut far: Vec<f32> = (0..shares.len()).filter(|v| shares[*v] > 0.0).map(apart).collect();
        far.sort_by(f32::total_cmp);
        let mean = far.iter().sum::<f32>() / far.len() as f32;
        self.draft.notes.push(format!(
            "{}: {} vertices were off the other side’s by {:.1} mm on the mean, {:.1} mm at most",
            worn.name,
            far.len(),
            to_mm(mean),
            to_mm(far[far.len() - 1])
        ));
        let lost = (0..shares.len()).filter(|v| picked[*v] && image.places[*v].is_none()).count();
        if lost > 0 {
            self.draft.notes.push(format!("{}: {lost} vertices have no image there and stay", worn.name));
        }
    }

    fn give_weights(
        &mut self,
        piece: PieceId,
        worn: &Piece,
        giver: &Piece,
        places: &[ImagePlace],
        shares: &[f32],
    ) -> Result<(), WorkshopError> {
        let (old, given) = worn.bound.as_ref().zip(giver.bound.as_ref()).ok_or(WorkshopError::BindFirst)?;
        let skin = mirrored_weights(self, worn, &old.skin, &given.skin, places, shares)?;
        let bound = Bound { skin, ..(**old).clone() };
        let blob = self.draft.keep(pack_bound(&bound)?);
        self.draft.piece(piece)?.bound = Some(blob);
        let note =
            format!("{}: bound anew it has its own weights again; give it them once more then", worn.name);
        self.draft.notes.push(note);
        self.bind_hanging(piece, bound)
    }
}

/// The shape that a piece came in where the piece is now: moved, turned and sized as the half of it was that has been
/// least changed otherwise.
fn as_placed(came: &[Vec3], rest: &[Vec3]) -> Vec<Vec3> {
    let mut fit = Alignment::between(came, rest);
    for _ in 0..TRIMS {
        let whole = fit.matrix();
        let off = |v: &usize| whole.transform_point3(came[*v]).distance_squared(rest[*v]);
        let mut nearest: Vec<usize> = (0..came.len()).collect();
        nearest.sort_by(|a, b| off(a).total_cmp(&off(b)));
        nearest.truncate(came.len().div_ceil(2));
        let of = |list: &[Vec3]| nearest.iter().map(|v| list[*v]).collect::<Vec<_>>();
        fit = Alignment::between(&of(came), &of(rest));
    }
    let whole = fit.matrix();
    came.iter().map(|p| whole.transform_point3(*p)).collect()
}

/// By the shapes in which both came, so that what was done to one side since is done to the other; where those lie
/// nowhere near each other in a mirror, by the shapes as they are.
fn imaged(worn: &Piece, came: &[Vec3], giver: &Giver, faces: &[[u32; 3]], plane: f32) -> Image {
    let places = places_across(came, &giver.came, faces, plane);
    let lost = places.iter().filter(|p| p.is_none()).count();
    if (lost as f32) < MOST_LOST * places.len() as f32 {
        let done: Vec<Vec3> = giver.rest.iter().zip(&giver.came).map(|(is, was)| *is - *was).collect();
        let moves = in_a_mirror(&places, &done);
        let wished = came.iter().zip(moves).map(|(p, m)| *p + m).collect();
        return Image { places, wished };
    }
    let places = places_across(&worn.rest, &giver.rest, faces, plane);
    let at = |(v, place): (usize, &ImagePlace)| match place {
        Some((corners, parts)) => {
            let there: Vec3 =
                corners.iter().zip(parts).map(|(c, part)| giver.rest[*c as usize] * *part).sum();
            mirror_image(there, plane)
        }
        None => worn.rest[v],
    };
    let wished = places.iter().enumerate().map(at).collect();
    Image { places, wished }
}

fn mirrored_weights(
    doing: &Doing,
    worn: &Piece,
    old: &Skin,
    given: &Skin,
    places: &[ImagePlace],
    shares: &[f32],
) -> Result<Skin, WorkshopError> {
    let skeleton = &doing.room.dress.body.skeleton;
    let partners: Vec<JointId> = (0..skeleton.len() as u16)
        .map(|j| mirror_partner(skeleton, JointId(j)).unwrap_or(JointId(j)))
        .collect();
    let image = |v: usize| -> Option<Row> {
        let (corners, parts) = places[v]?;
        Some(given.at(corners, parts).into_iter().map(|(j, w)| (partners[j.index()], w)).collect())
    };
    let chosen: Vec<bool> = shares.iter().map(|s| *s > 0.0).collect();
    let bound = BoundMesh {
        positions: &worn.rest,
        topology: &worn.topology,
        skin: old,
        chosen: &chosen,
        locked: &vec![false; skeleton.len()],
        most: old.max_influences().max(given.max_influences()),
    };
    let fail = |source| WorkshopError::Bind { piece: worn.name.clone(), source };
    Ok(towards(bound, image, shares).map_err(|e| fail(e.into()))?.skin)
}

//! What of a bound piece lies on one side of the body and follows joints of the other.

use crate::binding::sides::sides_of;
use crate::intake::finding::{counted, Finding, Grade};
use tin_cloak_core::bind::sides::BodySide;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::recipe::{BindOptions, Method};
use tin_cloak_model::state::step::{BindingStep, Step};

/// Nearer to the middle than this both sides may move a vertex, metres.
const MIDDLE: f32 = 0.04;
/// What lies further off the skin than this lies on no limb, metres.
const ON_IT: f32 = 0.03;
/// Less weight than this beyond what the skin beneath has is no fault.
const LEAST: f32 = 0.2;
/// The cure mixes sides over so much to either side of the middle, millimetres.
const MIXED_MM: f32 = 20.0;

/// How many vertices, and how far beyond the middle the furthest lies; the cure keeps sides apart where the piece is
/// bound by what lies beneath it.
pub fn crossed_sides(room: &Room, index: usize) -> Option<Finding> {
    let (piece, state) = (&room.dress.pieces[index], room.piece_state(index));
    let bound = piece.bound.as_ref()?;
    let sides = sides_of(&room.dress.body);
    let (mut count, mut furthest) = (0, (0.0f32, 0));
    let body = &room.dress.body;
    for (v, p) in piece.rest.iter().enumerate() {
        let off = p.x - piece.plane;
        if off.abs() < MIDDLE {
            continue;
        }
        let other = if off > 0.0 { BodySide::Right } else { BodySide::Left };
        let across = |skin: &Skin, v: u32| -> f32 {
            let of_other = |e: &(JointId, f32)| sides.get(e.0.index()) == Some(&other);
            skin.row(v as usize).filter(of_other).map(|e| e.1).sum()
        };
        // Cloth that bridges from limb to limb goes with both; what lies on one goes as that does.
        let Some((corners, shares)) = body.surface.nearest(*p, ON_IT) else { continue };
        let beneath: f32 = corners.iter().zip(shares).map(|(c, s)| across(&body.welded_skin, *c) * s).sum();
        if across(&bound.skin, v as u32) < beneath + LEAST {
            continue;
        }
        count += 1;
        if off.abs() > furthest.0 {
            furthest = (off.abs(), v);
        }
    }
    if count == 0 {
        return None;
    }
    let one = "vertex follows joints of the other side";
    let many = "vertices follow joints of the other side";
    let text =
        format!("{}, as far as {:.0} mm from the middle", counted(count, one, many), to_mm(furthest.0));
    let found = Finding::new(Grade::Note, text).at(piece.rest[furthest.1]);
    let options = &state.recipe.options;
    let is_matched =
        matches!(options.method, Method::Both | Method::Inpaint | Method::Normal | Method::Surface);
    if options.apart_mm.is_some() || !is_matched {
        return Some(found);
    }
    let options = BindOptions { apart_mm: Some(MIXED_MM), ..options.clone() };
    Some(found.cured_by(
        "Bind it with sides apart",
        Step::Binding(BindingStep::ChooseMethod { piece: state.id, options }),
    ))
}

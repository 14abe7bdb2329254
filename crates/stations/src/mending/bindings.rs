//! Other weights that may help: by another method, of what lies beneath, and those of what lies beneath near trouble.

use crate::mending::means::{in_words, name, Means, MeansKind, Out, OutByRow};
use std::collections::BTreeSet;
use tin_cloak_formats::PieceKind;
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::by_hand::HandChange;
use tin_cloak_model::state::choice::{Pick, What};
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::recipe::{BindOptions, Method, SourcePart, Takes};
use tin_cloak_model::state::step::{BindingStep, Step};
use tin_cloak_model::state::stroke::Chosen;

/// The methods that are tried.
const METHODS: [Method; 3] = [Method::Surface, Method::Both, Method::Inpaint];
/// Weights of what lies beneath reach this far about trouble, and fade over so much more, millimetres.
const NEAR_MM: f32 = 30.0;
const FADE_MM: f32 = 60.0;

/// Of each piece of cloth that is in something, or has something in it, the other ways to take its weights, the
/// innermost first: what lies over it may take them from it.
pub(super) fn bindings(room: &Room, rows: &OutByRow) -> Vec<Vec<Means>> {
    let groups = cloth(room).into_iter().filter_map(|index| {
        let state = room.piece_state(index);
        let out = out_of(rows, state.id).filter(|out| out.cells > 0)?;
        Some(ways_to_bind(room, state, has_beneath(room, index), &in_words(&out)))
    });
    groups.filter(|group| !group.is_empty()).collect()
}

/// Bound cloth, the innermost first.
fn cloth(room: &Room) -> Vec<usize> {
    let pieces = &room.dress.pieces;
    let is_cloth = |i: &usize| {
        let piece = &pieces[*i];
        piece.bound.is_some() && !piece.cage && piece.kind != PieceKind::Stiff
    };
    let mut cloth: Vec<usize> = (0..pieces.len()).filter(is_cloth).collect();
    cloth.sort_by_key(|i| pieces[*i].layer);
    cloth
}

fn has_beneath(room: &Room, index: usize) -> bool {
    let layer = room.dress.pieces[index].layer;
    room.dress.pieces.iter().any(|p| p.layer < layer && p.bound.is_some() && !p.cage)
}

fn out_of(rows: &OutByRow, piece: u32) -> Option<Out> {
    let own = rows.iter().filter(|(ids, _)| ids.0 != ids.1 && (ids.0 == piece || ids.1 == piece));
    own.map(|(_, out)| *out).reduce(|a, b| Out {
        cells: a.cells + b.cells,
        deepest_mm: a.deepest_mm.max(b.deepest_mm),
        ..a
    })
}

fn ways_to_bind(room: &Room, state: &PieceState, has_beneath: bool, why: &str) -> Vec<Means> {
    let by_method = !matches!(state.recipe.options.method, Method::Ends | Method::Heat);
    // What was cleaned by hand is somebody's work.
    if !by_method || !state.cleaned.is_empty() || state.recipe.takes != Takes::Body {
        return Vec::new();
    }
    let (piece, own) = (state.id, state.recipe.options.method);
    let means = |words: String, step: Step| Means { kind: MeansKind::Bind, words, why: why.to_owned(), step };
    let by = |method: Method| {
        let options = BindOptions { method, ..state.recipe.options.clone() };
        let words = format!("Bind {} by {}", name(room, piece), method.sentence());
        means(words, Step::Binding(BindingStep::ChooseMethod { piece, options }))
    };
    let mut ways: Vec<Means> = METHODS.into_iter().filter(|m| *m != own).map(by).collect();
    if has_beneath && own != Method::Came {
        let words = format!("Let {} move as what lies beneath it", name(room, piece));
        let (takes, part) = (Takes::Beneath, SourcePart::Whole);
        ways.push(means(words, Step::Binding(BindingStep::TakeFrom { piece, takes, part })));
    }
    ways
}

/// Cloth over other pieces that is in them, or has them in it, takes their weights there.
pub(super) fn beneaths(room: &Room, now: &Measured) -> Vec<Means> {
    let near = near_trouble(room, now);
    let one = |index: usize| {
        let vertices: Vec<u32> = near[index].iter().copied().collect();
        let state = room.piece_state(index);
        let hangs = matches!(state.recipe.takes, Takes::Cage(_));
        if vertices.is_empty() || hangs || !has_beneath(room, index) {
            return None;
        }
        let why = format!("{} places where something is through", vertices.len());
        let change = HandChange::Beneath { share: 1.0, fade_mm: FADE_MM };
        let picks = vec![Pick::add(What::Vertices(vertices)), Pick::add(What::Wider { mm: NEAR_MM })];
        Some(Means {
            kind: MeansKind::Beneath,
            words: format!("Near trouble let {} move as what lies beneath it", name(room, state.id)),
            why,
            step: Step::Binding(BindingStep::Clean {
                piece: state.id,
                clean: Clean::ByHand { change, firm_percent: None },
                chosen: Chosen::Picks(picks),
                locked: Vec::new(),
            }),
        })
    };
    cloth(room).into_iter().filter_map(one).collect()
}

/// By piece the vertices at which it is in what lies beneath, or that in it.
fn near_trouble(room: &Room, now: &Measured) -> Vec<BTreeSet<u32>> {
    let mut near = vec![BTreeSet::new(); room.dress.pieces.len()];
    for place in now.trouble.iter().flatten() {
        let Some(lying) = now.outfit.lying_at(place) else { continue };
        let layer_of = |at: (usize, u32)| now.piece_of[at.0].map_or(0, |i| room.dress.pieces[i].layer);
        // The outer one moves as the inner one does.
        let Some((layer, v)) = lying.into_iter().max_by_key(|at| layer_of(*at)) else { continue };
        if let Some(piece) = now.piece_of[layer] {
            near[piece].insert(v);
        }
    }
    near
}

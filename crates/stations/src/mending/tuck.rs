//! The body, or a piece, is drawn in under what it pokes through: only where nobody sees it, so that no change shows.

use crate::making::doing::{Doing, Phase};
use crate::making::draft::Draft;
use crate::mending::hide::HideOfRoom;
use crate::mending::push_out::{is_better, Pushing, ToMend};
use crate::mending::unseen::{unseen, Hidden};
use glam::Vec3;
use std::collections::BTreeMap;
use tin_cloak_core::choose::{grow, grow_by};
use tin_cloak_core::clearance::{Outfit, Place};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mend::{push_out, Mending, PoseCache, PushSettings};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_measure::measuring::cells::{through_of, Counts, Kept, ThroughOf};
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::Trial;
use tin_cloak_model::dress::tucked::names_of;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_positions;
use tin_cloak_model::state::corrective::Corrective;
use tin_cloak_model::state::fitting::FittingState;
use tin_cloak_model::state::made_of::{Facet, MadeOf};
use tin_cloak_model::state::mask::HideOptions;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::push::{Against, MendOptions};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::tuck::Tuck;

/// Rounds of moving and asking anew.
const ROUNDS: usize = 8;
/// What is further than this from all that is through is not drawn in, metres: more than a push moves along.
const NEAR: f32 = 0.05;
/// Rings beyond that are looked at, too: what lies next to what was not looked at is taken for seen.
const BEYOND: usize = 4;

/// What is drawn in.
struct Tucked<'a> {
    part: PieceId,
    name: &'a str,
    /// Its place in the dress; the body has none.
    piece: Option<usize>,
    /// The only vertices of it that go in.
    only: Option<Vec<bool>>,
    against: Against,
}

impl Doing<'_> {
    /// Draws a piece, or the body, in under what is worn over it; what was drawn in of it before is solved anew.
    /// Only where it is chosen, and against what is through in one pose alone, where that is said.
    pub fn tuck(
        &mut self,
        options: MendOptions,
        of: Option<PieceId>,
        chosen: &Chosen,
        pose: Option<usize>,
    ) -> Result<String, WorkshopError> {
        let options = options.checked()?;
        if self.room.pile().facts.len() < 2 {
            return Err(WorkshopError::BindFirst);
        }
        let room = self.room;
        let piece = of.map(|id| room.find(id)).transpose()?;
        let against = Against { pair: None, pose };
        self.check_against(against)?;
        let only = self.only_chosen(&[piece], chosen)?.pop().map(|(_, flags)| flags);
        let name = room.dress.layer_name(piece);
        let tucked = Tucked { part: of.unwrap_or(BODY), name, piece, only, against };
        let phase = |from, to| Phase { job: self.job, from, to };
        let before = self.measured(None, &|s| phase(0.0, 0.1).tell(s))?;
        let mut made = self.drawn_in(&tucked, options)?;
        let after = self.measured(Some(made.clone()), &|s| phase(0.8, 0.99).tell(s))?;
        let (were, are) = (before.board.bad_cells(), after.board.bad_cells());
        let did = format!("Draw {} in under what is worn{}", tucked.name, self.in_pose(pose, &[]));
        if !is_better(&all_of(room, options, against), &after.board, &before.board) {
            self.draft
                .notes
                .push(format!("nothing was taken: drawn in, {are} of {were} cells are out of tolerance"));
            return Ok(did);
        }
        made.notes.push(format!("{were} cells were out of tolerance, {are} are"));
        *self.draft = made;
        let tucks = self.room_of(self.draft)?.tucks();
        let told = tucks
            .iter()
            .filter(|t| t.of == tucked.name)
            .map(|t| format!("under {}: {} vertices, at most {:.1} mm", t.by, t.count, t.most_mm));
        self.draft.notes.extend(told);
        Ok(did)
    }

    /// The draft with a part drawn in.
    fn drawn_in(&self, tucked: &Tucked, options: MendOptions) -> Result<Draft, WorkshopError> {
        let phase = |from, to| Phase { job: self.job, from, to };
        let mut made = self.draft.clone();
        match tucked.piece {
            None => made.state.tucks.clear(),
            Some(_) => made.piece(tucked.part)?.correctives.retain(|c| c.by.is_empty()),
        }
        let room = self.room_of(&made)?;
        let now = self.measured_in(&room, &PoseCache::none(), &|s| phase(0.1, 0.2).tell(s))?;
        let not_bound = || WorkshopError::NotBound { piece: tucked.name.to_owned() };
        let layer = now.piece_of.iter().position(|p| *p == tucked.piece).ok_or_else(not_bound)?;
        let counts = Counts::default();
        let kept = Kept { derived: self.decoder.derived(), store: self.store, counts: &counts };
        let through = with_what_is_so_at_rest(&room, through_of(&room, kept)?);
        let look = HideOptions { rings: 1, beneath: tucked.piece.is_some(), through: true };
        let tell = |s: f32| phase(0.2, 0.4).tell(s);
        let mut near = near_trouble(&all_of(&room, options, tucked.against), &now, layer);
        tucked.only.iter().for_each(|only| near.iter_mut().zip(only).for_each(|(n, c)| *n &= *c));
        let only = Some((tucked.part, &near[..]));
        let hidden = unseen(&room, &room.counted_poses(), &through, only, look, &tell)?;
        let under = covered(&now.outfit.layers[layer].topology, &hidden, tucked.part);
        let mut under = under;
        tucked
            .only
            .iter()
            .for_each(|only| under.iter_mut().zip(only).filter(|u| !u.1).for_each(|u| *u.0 = None));
        let tell = |s: f32| phase(0.4, 0.8).tell(s);
        let offsets = drawn_in(&room, &now, layer, &under, options, tucked.against, &tell)?;
        for (by, offsets) in by_cover(&under, &offsets) {
            let offsets = made.keep(pack_positions(&offsets));
            match tucked.piece {
                None => {
                    let parts = by.iter().copied().chain([BODY]);
                    let made_of = MadeOf::now(&made.state, Facet::Worn, parts);
                    made.state.tucks.push(Tuck { by, offsets, amount: 1.0, made_of });
                }
                Some(_) => {
                    let name = free_name(&made.state, tucked, &by);
                    let parts = by.iter().copied().chain([tucked.part]);
                    let made_of = MadeOf::now(&made.state, Facet::Worn, parts);
                    let shape = Corrective { made_of, ..Corrective::of_tuck(name, by, offsets) };
                    made.piece(tucked.part)?.correctives.push(shape);
                }
            }
        }
        Ok(made)
    }

    /// So much of how far a part is drawn in under pieces: 1 for all, 0 takes it back.
    pub fn change_tuck(&mut self, of: PieceId, by: &[PieceId], share: f32) -> Result<String, WorkshopError> {
        if !(0.0..=1.0).contains(&share) {
            return Err(WorkshopError::BadAmount);
        }
        let piece = (of != BODY).then(|| self.room.find(of)).transpose()?;
        let part = self.room.dress.layer_name(piece).to_owned();
        let under = names_of(&self.draft.state, by);
        let mut known = 0;
        if of == BODY {
            let tucks = &mut self.draft.state.tucks;
            tucks.iter_mut().filter(|t| t.by == by).for_each(|t| (t.amount, known) = (share, known + 1));
            tucks.retain(|t| t.amount > 0.0);
        } else {
            let shapes = &mut self.draft.piece(of)?.correctives;
            let tucks = shapes.iter_mut().filter(|c| !c.by.is_empty() && c.by == by);
            tucks.for_each(|t| (t.amount, known) = (share, known + 1));
            shapes.retain(|t| t.amount > 0.0);
        }
        match (known, share) {
            (0, _) => Err(WorkshopError::NoSuchTuck { part }),
            (_, 0.0) => Ok(format!("Draw {part} in under {under} no longer")),
            _ => Ok(format!("Draw {part} in under {under} by {:.0} %", share * 100.0)),
        }
    }

    /// Lets the body and the pieces be as they were.
    pub fn untuck(&mut self) -> Result<String, WorkshopError> {
        let state = &mut self.draft.state;
        let mut names: Vec<&str> = Vec::new();
        if !std::mem::take(&mut state.tucks).is_empty() {
            names.push(&self.room.dress.body.name);
        }
        for piece in &mut state.pieces {
            let before = piece.correctives.len();
            piece.correctives.retain(|c| c.by.is_empty());
            if piece.correctives.len() < before {
                names.push(piece.name());
            }
        }
        match names[..] {
            [] => Err(WorkshopError::NothingTucked),
            _ => Ok(format!("Draw {} in no longer", names.join(", "))),
        }
    }
}

/// A name for the shape of a piece under others that no shape of the piece has.
fn free_name(state: &FittingState, tucked: &Tucked, by: &[PieceId]) -> String {
    let about = format!("{} tucked under {}", tucked.name, names_of(state, by));
    let made = state.pieces.iter().filter(|p| p.id == tucked.part).flat_map(|p| &p.correctives);
    let known: Vec<&str> = made.map(|c| c.name.as_str()).collect();
    let numbered = (2..).map(|n| format!("{about} ({n})"));
    let mut names = std::iter::once(about.clone()).chain(numbered);
    names.find(|n| !known.contains(&n.as_str())).unwrap_or_default()
}

fn all_of(room: &Room, options: MendOptions, against: Against) -> ToMend<'_> {
    ToMend {
        dress: &room.dress,
        ids: &[],
        trials: &room.trials,
        pieces: &[],
        body: false,
        chosen: &[],
        options,
        tolerance_mm: room.state.tolerance_mm,
        against,
    }
}

/// A tuck as people read it.
#[derive(Clone, Debug, PartialEq)]
pub struct TuckRow {
    /// The numbers of what is drawn in, and of what lies over it.
    pub ids: (PieceId, Vec<PieceId>),
    /// So much of it as was found: 1 for all.
    pub amount: f32,
    /// What is drawn in.
    pub of: String,
    /// What lies over it.
    pub by: String,
    /// Vertices that are drawn in.
    pub count: usize,
    /// The furthest of them, millimetres.
    pub most_mm: f32,
}

/// Asked of a room: what is drawn in under what is worn.
pub trait TuckOfRoom {
    /// How far the body and pieces are drawn in under what.
    fn tucks(&self) -> Vec<TuckRow>;
}

impl TuckOfRoom for Room {
    fn tucks(&self) -> Vec<TuckRow> {
        let row = |(id, of): (PieceId, &str), (by, amount): (&[PieceId], f32), shape: &Morph| TuckRow {
            ids: (id, by.to_vec()),
            amount,
            of: of.to_owned(),
            by: names_of(&self.state, by),
            count: shape.vertices.len(),
            most_mm: shape.offsets.iter().map(|o| to_mm(o.length())).fold(0.0, f32::max),
        };
        let of_body = self.state.tucks_on().zip(self.dress.body.made_shapes());
        let body = (BODY, self.dress.body.name.as_str());
        let of_body = of_body.map(|(tuck, shape)| row(body, (&tuck.by, tuck.amount), shape));
        let of_piece = |(index, piece): (usize, &Piece)| {
            let all = self.piece_state(index).correctives.iter().zip(&piece.correctives);
            let on = all.filter(|(made, shape)| !made.by.is_empty() && shape.driver.is_some());
            let one = |(made, shape): (&Corrective, &std::sync::Arc<Morph>)| {
                row((piece.id, &piece.name), (&made.by, made.amount), shape)
            };
            on.map(one).collect::<Vec<_>>()
        };
        of_body.chain(self.dress.pieces.iter().enumerate().flat_map(of_piece)).collect()
    }
}

/// Flags of the vertices of a layer near what of it is through in some pose: nothing else is drawn in.
fn near_trouble(what: &ToMend, now: &Measured, layer: usize) -> Vec<bool> {
    let Pushing { outfit, trouble, .. } = Pushing::new(what, now);
    let tucked = &outfit.layers[layer];
    let mut through = vec![false; tucked.rest.len()];
    let lying = trouble.iter().flatten().filter_map(|place| through_a_cover(&outfit, place, layer));
    lying.for_each(|v| through[v as usize] = true);
    grow(&tucked.topology, &grow_by(&tucked.rest, &tucked.topology, &through, NEAR), BEYOND)
}

/// What is through in each pose, with what is so at rest already: a pose is told of what it adds to that.
fn with_what_is_so_at_rest(room: &Room, mut through: ThroughOf) -> ThroughOf {
    let Some(rest) = room.trials.trials.iter().position(Trial::is_rest) else { return through };
    for of_layer in &mut through {
        let at_rest = of_layer[rest].clone();
        for in_pose in of_layer {
            in_pose.extend(&at_rest);
            in_pose.sort_unstable();
            in_pose.dedup_by_key(|t| t.0);
        }
    }
    through
}

/// The vertex of a layer at a place where it is through one that lies over it.
fn through_a_cover(outfit: &Outfit, place: &Place, layer: usize) -> Option<u32> {
    let [a, b] = outfit.lying_at(place)?;
    let inner = if a.0 < b.0 { a } else { b };
    (inner.0 == layer).then_some(inner.1)
}

/// How far each vertex of a layer is drawn in: the push's own programme with that layer as all that may move, held
/// where it is seen, so that what is drawn in fades out towards openings.
fn drawn_in(
    room: &Room,
    now: &Measured,
    layer: usize,
    under: &[Cover],
    options: MendOptions,
    against: Against,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Vec<Vec3>, WorkshopError> {
    let dress = &room.dress;
    let what = all_of(room, options, against);
    let Pushing { outfit, at_rest, poses, mut trouble, .. } = Pushing::new(&what, now);
    for places in &mut trouble {
        places.retain(|p| through_a_cover(&outfit, p, layer).is_some());
    }
    let mut held: Vec<Vec<bool>> = vec![Vec::new(); outfit.layers.len()];
    held[layer] = under.iter().map(|by| by.is_none()).collect();
    let limit = from_mm(options.limit_mm);
    let settings = PushSettings { limit, reach: limit, rounds: ROUNDS, ..what.settings() };
    let mending = Mending {
        outfit: &outfit,
        movable: &[layer],
        held: &held,
        poses: &poses,
        trouble: &trouble,
        at_rest: &at_rest,
        shape: None,
        settings,
    };
    let fail = |source| WorkshopError::Bind { piece: dress.body.name.clone(), source };
    let pushed = push_out(mending, progress).map_err(fail)?.ok_or(WorkshopError::Stopped)?;
    Ok(pushed.rest[layer].iter().zip(&outfit.layers[layer].rest).map(|(p, r)| *p - *r).collect())
}

/// The pieces that hide a vertex; none where it is seen.
type Cover<'h> = Option<&'h [PieceId]>;

/// For each vertex of a part the pieces that hide all of its faces: the fewest that do.
fn covered<'h>(topology: &Topology, hidden: &'h [Hidden], part: PieceId) -> Vec<Cover<'h>> {
    let of_part: Vec<&Hidden> = hidden.iter().filter(|h| h.of == part).collect();
    let hides = |list: &Hidden, v: usize| {
        let faces = topology.incident.row(v);
        !faces.is_empty() && faces.iter().all(|f| list.faces.binary_search(f).is_ok())
    };
    let fewest =
        |v: usize| of_part.iter().filter(|h| hides(h, v)).map(|h| h.by.as_slice()).min_by_key(|b| b.len());
    (0..topology.vertices()).map(fewest).collect()
}

/// The offsets by what lies over the vertices: those that several pieces hide go with the fewest.
fn by_cover(under: &[Cover], offsets: &[Vec3]) -> BTreeMap<Vec<PieceId>, Vec<Vec3>> {
    let mut all: BTreeMap<Vec<PieceId>, Vec<Vec3>> = BTreeMap::new();
    for (v, by) in under.iter().enumerate() {
        if let Some(by) = by.filter(|_| offsets[v] != Vec3::ZERO) {
            all.entry(by.to_vec()).or_insert_with(|| vec![Vec3::ZERO; offsets.len()])[v] = offsets[v];
        }
    }
    all
}

//! The body is drawn in under cloth that it pokes through: only where nobody sees it, so that no change shows.

use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::making::doing::{Doing, Phase};
use crate::measuring::cells::{through_of, Counts, Kept};
use crate::measuring::measured::Measured;
use crate::mending::push_out::{is_better, Pushing, ToMend};
use crate::mending::unseen::{unseen, Hidden};
use crate::state::blobs::pack_positions;
use crate::state::mask::HideOptions;
use crate::state::names::{PieceId, BODY};
use crate::state::push::{Against, MendOptions};
use crate::state::tuck::Tuck;
use glam::Vec3;
use std::collections::BTreeMap;
use tin_cloak_core::choose::{grow, grow_by};
use tin_cloak_core::mend::{push_out, Mending, PushSettings};
use tin_cloak_core::mesh::Topology;

/// Rounds of moving and asking anew.
const ROUNDS: usize = 8;
/// What is further than this from all that is through is not drawn in, metres: more than a push moves along.
const NEAR: f32 = 0.05;
/// Rings beyond that are looked at, too: what lies next to what was not looked at is taken for seen.
const BEYOND: usize = 4;

impl Doing<'_> {
    /// Draws the body in under what is worn; what was drawn in before is solved anew.
    pub fn tuck(&mut self, options: MendOptions) -> Result<String, WorkshopError> {
        if self.room.pile().facts.len() < 2 {
            return Err(WorkshopError::BindFirst);
        }
        let phase = |from, to| Phase { job: self.job, from, to };
        let before = self.measured(None, &|s| phase(0.0, 0.1).tell(s))?;
        let mut bare = self.draft.clone();
        bare.state.tucks.clear();
        let room = self.room_of(&bare)?;
        let now = self.measured_in(&room, &|s| phase(0.1, 0.2).tell(s))?;
        let counts = Counts::default();
        let kept = Kept { derived: self.decoder.derived(), store: self.store, counts: &counts };
        let through = through_of(&room, kept)?;
        let look = HideOptions { rings: 1, beneath: false, through: true };
        let tell = |s: f32| phase(0.2, 0.4).tell(s);
        let near = near_trouble(&all_of(&room, options), &now);
        let hidden = unseen(&room, (&room.counted_poses(), &through, &near), look, &tell)?;
        let under = covered(&room.dress.body.topology, &hidden);
        let offsets = drawn_in(&room, (&now, &under), options, &|s| phase(0.4, 0.8).tell(s))?;
        let mut tucked = bare;
        for (by, offsets) in by_cover(&under, &offsets) {
            let offsets = tucked.keep(pack_positions(&offsets));
            tucked.state.tucks.push(Tuck { by, offsets });
        }
        let after = self.measured(Some(tucked.clone()), &|s| phase(0.8, 0.99).tell(s))?;
        let (were, are) = (before.board.bad_cells(), after.board.bad_cells());
        if !is_better(&all_of(&room, options), &after.board, &before.board) {
            self.draft
                .notes
                .push(format!("nothing was taken: drawn in, {are} of {were} cells are out of tolerance"));
            return Ok(format!("Draw {} in under what is worn", room.dress.body.name));
        }
        tucked.notes.push(format!("{were} cells were out of tolerance, {are} are"));
        *self.draft = tucked;
        let tucks = self.room_of(self.draft)?.tucks();
        let told = tucks
            .iter()
            .map(|t| format!("under {}: {} vertices, at most {:.1} mm", t.by, t.count, t.most_mm));
        self.draft.notes.extend(told);
        Ok(format!("Draw {} in under what is worn", room.dress.body.name))
    }

    /// Lets the body be as it was.
    pub fn untuck(&mut self) -> Result<String, WorkshopError> {
        if std::mem::take(&mut self.draft.state.tucks).is_empty() {
            return Err(WorkshopError::NothingTucked);
        }
        Ok(format!("Draw {} in no longer", self.room.dress.body.name))
    }
}

fn all_of(room: &Room, options: MendOptions) -> ToMend<'_> {
    ToMend {
        dress: &room.dress,
        ids: &[],
        trials: &room.trials,
        pieces: &[],
        chosen: &[],
        options,
        against: Against::default(),
    }
}

/// A tuck as people read it.
#[derive(Clone, Debug, PartialEq)]
pub struct TuckRow {
    /// What lies over it.
    pub by: String,
    /// Vertices of the body that are drawn in.
    pub count: usize,
    /// The furthest of them, millimetres.
    pub most_mm: f32,
}

impl Room {
    /// How far the body is drawn in under what.
    pub fn tucks(&self) -> Vec<TuckRow> {
        let on = self.state.tucks_on().zip(self.dress.body.tucks());
        on.map(|(tuck, shape)| TuckRow {
            by: crate::dress::tucked::names_of(&self.state, &tuck.by),
            count: shape.vertices.len(),
            most_mm: shape.offsets.iter().map(|o| o.length() * 1000.0).fold(0.0, f32::max),
        })
        .collect()
    }
}

/// Flags of the vertices of the body near what of it is through in some pose: nothing else is drawn in.
fn near_trouble(what: &ToMend, now: &Measured) -> Vec<bool> {
    let Pushing { outfit, trouble, .. } = Pushing::of(what, now);
    let lying = trouble.iter().flatten().filter_map(|place| outfit.lying_at(place)).flatten();
    let body = &outfit.layers[0];
    let mut through = vec![false; body.rest.len()];
    lying.filter(|(layer, _)| *layer == 0).for_each(|(_, v)| through[v as usize] = true);
    grow(&body.topology, &grow_by((&body.rest, &body.topology), &through, NEAR), BEYOND)
}

/// How far each vertex of the body is drawn in: the push's own programme with the body as all that may move, held
/// where it is seen, so that what is drawn in fades out towards openings.
fn drawn_in(
    room: &Room,
    (now, under): (&Measured, &[Cover]),
    options: MendOptions,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Vec<Vec3>, WorkshopError> {
    let dress = &room.dress;
    let what = all_of(room, options);
    let Pushing { outfit, at_rest, poses, mut trouble, .. } = Pushing::of(&what, now);
    for places in &mut trouble {
        places.retain(|p| outfit.lying_at(p).is_some_and(|layers| layers.iter().any(|l| l.0 == 0)));
    }
    let held = vec![under.iter().map(|by| by.is_none()).collect()];
    let limit = options.limit_mm * 0.001;
    let settings = PushSettings { limit, reach: limit, rounds: ROUNDS, ..what.settings() };
    let mending = Mending {
        outfit: &outfit,
        movable: &[0],
        held: &held,
        poses: &poses,
        trouble: &trouble,
        at_rest: &at_rest,
        shape: None,
        settings,
    };
    let fail = |source| WorkshopError::Bind { piece: dress.body.name.clone(), source };
    let pushed = push_out(mending, progress).map_err(fail)?.ok_or(WorkshopError::Stopped)?;
    Ok(pushed.rest[0].iter().zip(&outfit.layers[0].rest).map(|(p, r)| *p - *r).collect())
}

/// The pieces that hide a vertex of the body; none where it is seen.
type Cover<'h> = Option<&'h [PieceId]>;

/// For each vertex of the body the pieces that hide all of its faces: the fewest that do.
fn covered<'h>(topology: &Topology, hidden: &'h [Hidden]) -> Vec<Cover<'h>> {
    let of_body: Vec<&Hidden> = hidden.iter().filter(|h| h.of == BODY).collect();
    let hides = |list: &Hidden, v: usize| {
        let faces = topology.incident.row(v);
        !faces.is_empty() && faces.iter().all(|f| list.faces.binary_search(f).is_ok())
    };
    let fewest =
        |v: usize| of_body.iter().filter(|h| hides(h, v)).map(|h| h.by.as_slice()).min_by_key(|b| b.len());
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

//! Choosing on what is looked at: what depends on the moment becomes vertices, and what a choice comes to is told.

use crate::looking::choosing_else::ChoosingElseOfRoom;
use crate::looking::view::ViewOfRoom;
use crate::looking::view::ViewRequest;
use crate::seating::ground::GroundOfRoom;
use glam::{Mat4, Vec2, Vec3};
use serde::Serialize;
use tin_cloak_core::bind::by_hand::differing;
use tin_cloak_core::choose::{lasso, listed, Lasso};
use tin_cloak_core::clearance::vertex_strains;
use tin_cloak_core::units::to_mm;
use tin_cloak_measure::measuring::posed::PosedOfRoom;
use tin_cloak_measure::measuring::snag_tracks::SnagTracks;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::weighted::Weighted;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::choice::{Pick, What};
use tin_cloak_model::state::names::PieceId;

/// What is chosen, and who moves it.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct ChosenView {
    /// How many welded vertices.
    pub count: usize,
    /// Vertices of the mesh as it is drawn, ascending.
    pub drawn: Vec<u32>,
    /// Joint, its mean weight there, its least and its most; heaviest first.
    pub joints: Vec<(String, f32, f32, f32)>,
    /// The weights of its first vertices of the joints that move it most.
    pub table: WeightTable,
    /// Their middle in the pose looked at, metres; none when nothing is chosen.
    pub middle: Option<Vec3>,
    /// The picks with what depends on the moment settled.
    pub picks: Vec<Pick>,
    /// Names of the piece's patches.
    pub patches: Vec<String>,
    /// What else could be chosen, in words: snags over all poses, patches of other parts.
    pub more: Vec<(String, What)>,
}

/// Weights as they are typed in.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct WeightTable {
    pub joints: Vec<String>,
    /// Welded vertex, and its weight of each joint.
    pub rows: Vec<(u32, Vec<f32>)>,
}

/// A table has no more rows and columns than this.
const TABLE: (usize, usize) = (300, 12);

/// A lasso has no more corners than this.
const MOST_CORNERS: usize = 2000;

/// What choosing may depend on.
#[derive(Clone, Copy)]
pub struct Moment<'a> {
    /// The pose looked at.
    pub view: &'a ViewRequest,
    /// The fitting a step earlier.
    pub before: Option<&'a Room>,
    /// The snags over all poses, once the board is whole.
    pub tied: Option<&'a SnagTracks>,
}

impl<'a> Moment<'a> {
    /// Of a pose alone.
    pub fn new(view: &'a ViewRequest) -> Self {
        Self { view, before: None, tied: None }
    }
}

/// Asked of a room: what a choice on the screen comes to.
pub trait ChoosingOfRoom {
    /// What picks on a piece come to at a moment.
    ///
    /// # Errors
    /// When something that they name is not there, or a number makes no sense.
    fn choose(&self, piece: PieceId, picks: &[Pick], now: Moment) -> Result<ChosenView, WorkshopError>;
}

impl ChoosingOfRoom for Room {
    fn choose(&self, piece: PieceId, picks: &[Pick], now: Moment) -> Result<ChosenView, WorkshopError> {
        let worn = self.weighted(piece)?;
        let settle = |pick: &Pick| {
            let what = settled(self, &worn, &pick.what, now)?;
            Ok::<_, WorkshopError>(Pick { how: pick.how, what })
        };
        let picks: Vec<Pick> = picks.iter().map(settle).collect::<Result<_, _>>()?;
        let chosen = Choosing::on(&worn, &self.dress.body).picked(&picks)?;
        let of_vertex = &worn.topology.weld.of_vertex;
        let drawn = (0..of_vertex.len() as u32).filter(|v| chosen[of_vertex[*v as usize] as usize]);
        let joints = who_moves(self, &worn, &chosen);
        Ok(ChosenView {
            table: table_of(self, &worn, &chosen, &joints),
            count: chosen.iter().filter(|c| **c).count(),
            drawn: drawn.collect(),
            middle: middle(self.posed_by_hand(now.view)?.positions_of(&worn), &chosen),
            joints,
            picks,
            more: self.more_to_choose(&worn, now.tied),
            patches: self.patches_of(&worn).iter().map(|p| p.name.clone()).collect(),
        })
    }
}

/// The middle of those chosen.
fn middle(positions: &[Vec3], chosen: &[bool]) -> Option<Vec3> {
    let list = listed(chosen);
    let sum: Vec3 = list.iter().map(|v| positions[*v as usize]).sum();
    (!list.is_empty()).then(|| sum / list.len() as f32)
}

/// Vertices whose weights are not those of the fitting `before`.
fn changed_since(worn: &Piece, before: Option<&Room>) -> Vec<bool> {
    let then = before.and_then(|b| b.weighted(worn.id).ok()?.bound.clone());
    let count = worn.rest.len();
    let Some((now, then)) = worn.bound.as_ref().zip(then).filter(|(_, t)| t.skin.vertices() == count) else {
        return vec![false; count];
    };
    differing(&then.skin, &now.skin)
}

fn table_of(room: &Room, worn: &Piece, chosen: &[bool], moves: &[(String, f32, f32, f32)]) -> WeightTable {
    let Some(bound) = &worn.bound else { return WeightTable::default() };
    let joints: Vec<String> = moves.iter().take(TABLE.1).map(|j| j.0.clone()).collect();
    let skeleton = &room.dress.body.skeleton;
    let columns: Vec<_> = joints.iter().filter_map(|j| skeleton.find(j)).collect();
    let row = |v: u32| {
        let weight = |j| bound.skin.row(v as usize).filter(|e| e.0 == j).map(|e| e.1).sum();
        (v, columns.iter().map(|j| weight(*j)).collect())
    };
    WeightTable { joints, rows: listed(chosen).into_iter().take(TABLE.0).map(row).collect() }
}

fn who_moves(room: &Room, worn: &Piece, chosen: &[bool]) -> Vec<(String, f32, f32, f32)> {
    let Some(bound) = &worn.bound else { return Vec::new() };
    let list = listed(chosen);
    let names = &room.dress.body.skeleton.names;
    let mut sums = vec![(0.0f32, f32::INFINITY, 0.0f32, 0usize); names.len()];
    for &v in &list {
        for (j, w) in bound.skin.row(v as usize) {
            let at = &mut sums[j.index()];
            *at = (at.0 + w, at.1.min(w), at.2.max(w), at.3 + 1);
        }
    }
    let told = |(j, &(sum, least, most, has)): (usize, &(f32, f32, f32, usize))| {
        let least = if has < list.len() { 0.0 } else { least };
        (names[j].clone(), sum / list.len() as f32, least, most)
    };
    let moved = sums.iter().enumerate().filter(|(_, s)| s.3 > 0);
    let mut joints: Vec<_> = moved.map(told).collect();
    joints.sort_by(|a, b| b.1.total_cmp(&a.1));
    joints
}

/// A pick as it can be kept: what depends on the moment as vertices, a patch as what it is made of.
fn settled(room: &Room, worn: &Weighted, what: &What, now: Moment) -> Result<What, WorkshopError> {
    let request = now.view;
    let posed = || room.posed_by_hand(request);
    let vertices = |flags: Vec<bool>| Ok(What::Vertices(listed(&flags)));
    match what {
        What::Patch(name) => {
            let patch = room.patches_of(worn).iter().find(|p| p.name == *name);
            let missing = || WorkshopError::NoSuchPatch { patch: name.clone() };
            Ok(What::Group(patch.ok_or_else(missing)?.picks.clone()))
        }
        What::Changed => vertices(changed_since(worn, now.before)),
        What::Nearer { mm } if !(-100.0..=1000.0).contains(mm) => Err(WorkshopError::BadChoice),
        What::Nearer { mm } => {
            let near = |gap: &Option<_>| {
                gap.as_ref().is_some_and(|g: &tin_cloak_core::seat::Gap| to_mm(g.clearance) < *mm)
            };
            let index = worn.index().ok_or(WorkshopError::NothingBeneathBody)?;
            vertices(room.rest_gaps(index).iter().map(near).collect())
        }
        What::Strained { by } => {
            let strains = vertex_strains(&worn.topology, &worn.rest, posed()?.positions_of(worn));
            vertices(strains.into_iter().map(|s| s.abs() > *by).collect())
        }
        What::Through => Ok(What::Vertices(through_of(room, worn.index(), request)?)),
        What::Snag(number) => Ok(What::Vertices(room.in_snags(worn, now.tied, |n, _| n == *number))),
        What::Snags(pair) => Ok(What::Vertices(room.in_snags(worn, now.tied, |_, of| of == *pair))),
        What::PatchOf { piece, name } => vertices(room.where_patch_is(worn, *piece, name)?),
        What::Lasso { line, to_picture, eye, through } => {
            let Ok(matrix) = <[f32; 16]>::try_from(to_picture.as_slice()) else {
                return Err(WorkshopError::BadChoice);
            };
            if line.len() > MOST_CORNERS {
                return Err(WorkshopError::BadChoice);
            }
            let line = line.iter().map(|c| Vec2::from_array(*c)).collect();
            let to_picture = Mat4::from_cols_array(&matrix);
            let drawn = Lasso { line, to_picture, eye: Vec3::from_array(*eye), through: *through };
            vertices(lasso(posed()?.positions_of(worn), &worn.topology.triangles, &drawn))
        }
        other => Ok(other.clone()),
    }
}

/// Vertices of a piece, or of the body, that are through something, or have something through them, in a pose.
fn through_of(room: &Room, index: Option<usize>, request: &ViewRequest) -> Result<Vec<u32>, WorkshopError> {
    let (worn, posed) = (room.worn(), room.posed_by_hand(request)?);
    let Some(layer) = worn.piece_of.iter().position(|p| *p == index) else {
        return Err(WorkshopError::BindFirst);
    };
    let points = room.points(&worn, &posed);
    let mut found: Vec<u32> = Vec::new();
    for (at, pair) in worn.outfit.pairs.iter().enumerate() {
        let tolerance = room.settings_of(&worn, at).tolerance;
        let (coverage, points) = (&pair.coverage, &points.0[at]);
        if pair.inner == layer {
            let out = coverage.covered.iter().zip(&points.inner);
            found.extend(out.filter(|(_, a)| a.is_some_and(|a| a.clearance < -tolerance)).map(|o| *o.0));
        }
        if pair.outer == layer {
            let out = coverage.over.iter().zip(&points.outer);
            found.extend(out.filter(|(_, a)| a.is_some_and(|a| a.clearance < -tolerance)).map(|o| *o.0));
            // What pokes through lies under the corners of the face that it pokes through.
            let faces = &worn.outfit.layers[layer].walls.towards_body.topology.triangles;
            let poking = points.inner.iter().flatten().filter(|a| a.clearance < -tolerance);
            found.extend(poking.flat_map(|a| faces[a.triangle as usize]));
        }
    }
    found.sort_unstable();
    found.dedup();
    Ok(found)
}

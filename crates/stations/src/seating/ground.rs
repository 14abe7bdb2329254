//! All that lies beneath a piece at rest, and the gaps to it.

use glam::Vec3;
use rayon::prelude::*;
use std::sync::Arc;
use tin_cloak_core::clearance::{Covering, PosedSide, Side};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::vertex_normals_into;
use tin_cloak_core::seat::Gap;
use tin_cloak_core::units::to_mm;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::shading::ViewPart;
use tin_cloak_model::state::key::Key;

/// Nothing further from a piece than this is what it lies on, metres.
pub const REACH: f32 = 0.08;

/// The gap of each welded vertex of a piece.
pub type Gaps = Arc<Vec<Option<Gap>>>;

/// All that lies beneath a piece, at rest, as one surface.
pub struct Ground {
    side: Arc<Side>,
    posed: PosedSide,
    positions: Vec<Vec3>,
}

impl Weighed for Ground {
    fn bytes(&self) -> usize {
        self.positions.len() * 12 + self.side.topology.triangles.len() * 80 + self.posed.bytes()
    }
}

impl Ground {
    /// The body and the pieces on layers below that of piece `index`.
    pub fn beneath(dress: &Dress, index: usize) -> Self {
        let body = &dress.body;
        let (mut positions, mut triangles) = (body.rest.clone(), body.topology.triangles.clone());
        let layer = dress.pieces[index].layer;
        for piece in dress.pieces.iter().filter(|p| p.layer < layer && !p.cage) {
            let first = positions.len() as u32;
            positions.extend(piece.rest.iter());
            let outside = &piece.walls().outside().topology.triangles;
            triangles.extend(outside.iter().map(|t| t.map(|v| v + first)));
        }
        let side = Arc::new(Side::new(positions.len(), &triangles));
        Self { posed: side.pose(&positions), side, positions }
    }

    /// The same with its vertices moved by `offsets`.
    pub fn moved(&self, offsets: &[Vec3]) -> Self {
        self.at(self.positions.iter().zip(offsets).map(|(p, o)| *p + *o).collect())
    }

    /// The same with its vertices elsewhere: those of the body, then of the pieces beneath.
    fn at(&self, positions: Vec<Vec3>) -> Self {
        Self { posed: self.side.pose(&positions), side: self.side.clone(), positions }
    }

    /// For each of the body's shapes an offset for each of the vertices beneath piece `index`: of the body, then of
    /// the pieces, whose shapes `of_piece` tells.
    pub fn offsets(dress: &Dress, index: usize, of_piece: &dyn Fn(usize) -> Vec<Morph>) -> Vec<Vec<Vec3>> {
        let body = &dress.body;
        let own = &body.welded_morphs[..body.own_shapes().len()];
        // What is drawn in under cloth draws no cloth in.
        let moves = |m: &Morph| match m.is_always_on() {
            true => vec![Vec3::ZERO; body.rest.len()],
            false => m.to_dense(body.rest.len()),
        };
        let mut all: Vec<Vec<Vec3>> = own.iter().map(moves).collect();
        let layer = dress.pieces[index].layer;
        for (i, piece) in dress.pieces.iter().enumerate().filter(|(_, p)| p.layer < layer && !p.cage) {
            let shapes = of_piece(i);
            all.iter_mut().zip(shapes).for_each(|(a, m)| a.extend(m.to_dense(piece.rest.len())));
        }
        all
    }

    pub fn covering(&self) -> Covering<'_> {
        Covering { side: &self.side, posed: &self.posed, positions: &self.positions }
    }

    /// The way from the nearest vertex of `piece` to the surface, metres.
    pub fn way_to(&self, piece: &Piece) -> Option<Vec3> {
        let way = |p: &Vec3| Some(self.posed.tree.closest(*p, f32::INFINITY)?.point - *p);
        let ways = piece.rest.par_iter().with_min_len(256).filter_map(way);
        ways.min_by(|a, b| a.length_squared().total_cmp(&b.length_squared()))
    }

    /// The gap of each vertex of the measured side of `piece`.
    pub fn gaps(&self, piece: &Piece) -> Vec<Option<Gap>> {
        self.gaps_at(piece, &piece.rest)
    }

    /// The same with the piece's vertices at `positions` (welded, metres).
    pub fn gaps_at(&self, piece: &Piece, positions: &[Vec3]) -> Vec<Option<Gap>> {
        self.covering().gaps(positions, &outward_normals(piece, positions), REACH)
    }

    /// The same of the vertices named, in their order.
    pub fn gaps_of(&self, piece: &Piece, positions: &[Vec3], vertices: &[usize]) -> Vec<Option<Gap>> {
        let normals = outward_normals(piece, positions);
        let pick = |list: &[Vec3]| vertices.iter().map(|&v| list[v]).collect::<Vec<_>>();
        self.covering().gaps(&pick(positions), &pick(&normals), REACH)
    }
}

/// Unit normals of a piece's measured side, away from the body; zero off that side.
pub fn outward_normals(piece: &Piece, positions: &[Vec3]) -> Vec<Vec3> {
    let side = &piece.walls().towards_body.topology;
    let mut normals = vec![Vec3::ZERO; positions.len()];
    vertex_normals_into(positions, &side.triangles, &side.incident, &mut normals);
    normals
}

/// Gaps as a map: millimetres, not a number where nothing lies beneath.
pub fn mm_of(gaps: &[Option<Gap>]) -> Vec<f32> {
    gaps.iter().map(|g| g.map_or(f32::NAN, |g| to_mm(g.clearance))).collect()
}

/// Asked of a room: all that lies beneath a piece at rest, and the gaps to it.
pub trait GroundOfRoom {
    /// What lies beneath piece `index`.
    fn ground(&self, index: usize) -> Arc<Ground>;

    /// The gaps of piece `index` at rest.
    fn rest_gaps(&self, index: usize) -> Gaps;

    /// A piece with its vertices at `positions` (welded), coloured by its gaps.
    fn part_with_gaps(&self, index: usize, positions: &[Vec3], gaps: &[Option<Gap>]) -> ViewPart {
        self.part_with_map(index, positions, &mm_of(gaps))
    }

    /// A piece with its vertices at `positions` (welded), with a figure for each.
    fn part_with_map(&self, index: usize, positions: &[Vec3], map: &[f32]) -> ViewPart;
}

impl GroundOfRoom for Room {
    fn ground(&self, index: usize) -> Arc<Ground> {
        self.derived.get_or(self.ground_key(index), || Ground::beneath(&self.dress, index))
    }

    fn rest_gaps(&self, index: usize) -> Gaps {
        let key = Key::begin("gaps").and_key(self.ground_key(index)).and_key(self.contents.shapes[index]);
        self.derived.get_or(key.end(), || self.ground(index).gaps(&self.dress.pieces[index]))
    }

    fn part_with_map(&self, index: usize, positions: &[Vec3], map: &[f32]) -> ViewPart {
        let piece = &self.dress.pieces[index];
        let weld = &piece.topology.weld;
        let positions = weld.scatter(positions);
        let normals = piece.shading.normals(&positions);
        ViewPart { id: self.piece_state(index).id, positions, normals, map: Some(weld.scatter(map)) }
    }
}

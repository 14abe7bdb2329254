//! The weights of what lies beneath a piece: of the body and the bound pieces on layers below.

use crate::dress::body::Body;
use crate::dress::derived::Weighed;
use crate::dress::dressed::Dress;
use crate::dress::room::Room;
use crate::state::bound::Bound;
use crate::state::key::Key;
use crate::state::names::{PieceId, BODY};
use glam::Vec3;
use std::collections::HashMap;
use std::sync::Arc;
use tin_cloak_core::bind::clean::Row;
use tin_cloak_core::query::Bvh;
use tin_cloak_core::skin::Skin;

/// Surfaces with weights.
pub struct Beneath(Vec<Surface>);

struct Surface {
    tree: Bvh,
    triangles: Vec<[u32; 3]>,
    skin: Skin,
}

impl Weighed for Beneath {
    fn bytes(&self) -> usize {
        self.0.iter().map(|s| s.tree.bytes() + s.triangles.len() * 12 + s.skin.vertices() * 24).sum()
    }
}

impl Beneath {
    /// What lies beneath piece `index`; `fresh` are weights of pieces that are not in the dress yet.
    pub fn new(dress: &Dress, body: &Body, index: usize, fresh: &HashMap<usize, Bound>) -> Self {
        let surface = |rest: &[Vec3], triangles: &[[u32; 3]], skin: &Skin| Surface {
            tree: Bvh::build(rest, triangles),
            triangles: triangles.to_vec(),
            skin: skin.clone(),
        };
        let mut all = vec![surface(&body.rest[..], &body.topology.triangles[..], &body.welded_skin)];
        let layer = dress.pieces[index].layer;
        for (i, piece) in dress.pieces.iter().enumerate().filter(|(_, p)| p.layer < layer && !p.cage) {
            let bound = fresh.get(&i).or(piece.bound.as_deref());
            all.extend(bound.map(|b| surface(&piece.rest, &piece.topology.triangles, &b.skin)));
        }
        Self(all)
    }

    /// One part alone: the body where no piece is named; none where that piece is not bound.
    pub fn of_part(
        dress: &Dress,
        body: &Body,
        index: Option<usize>,
        fresh: &HashMap<usize, Bound>,
    ) -> Option<Self> {
        let (rest, triangles, skin) = match index {
            None => (&body.rest[..], &body.topology.triangles[..], &body.welded_skin),
            Some(i) => {
                let piece = &dress.pieces[i];
                let bound = fresh.get(&i).or(piece.bound.as_deref())?;
                (&piece.rest[..], &piece.topology.triangles[..], &bound.skin)
            }
        };
        let surface =
            Surface { tree: Bvh::build(rest, triangles), triangles: triangles.to_vec(), skin: skin.clone() };
        Some(Self(vec![surface]))
    }

    /// The weights at the place nearest to `p`.
    pub fn at(&self, p: Vec3) -> Option<Row> {
        let mut nearest = None;
        let mut within = f32::INFINITY;
        for surface in &self.0 {
            if let Some(hit) = surface.tree.closest(p, within) {
                within = hit.distance_squared.sqrt();
                nearest = Some((surface, hit));
            }
        }
        let (surface, hit) = nearest?;
        Some(surface.skin.at(surface.triangles[hit.triangle as usize], hit.barycentric))
    }
}

impl Room {
    /// What weights by hand are taken from: what lies beneath piece `index`, or one part by its number.
    pub fn taken_from(&self, index: Option<usize>, part: Option<PieceId>) -> Option<Arc<Beneath>> {
        let none = HashMap::new();
        let of = |i| Beneath::of_part(&self.dress, &self.dress.body, i, &none).map(Arc::new);
        match part {
            None => Some(self.beneath(index)),
            Some(BODY) => of(None),
            Some(id) => of(Some(self.index_of(id)?)),
        }
    }

    /// What lies beneath piece `index`; nothing lies beneath the body.
    pub fn beneath(&self, index: Option<usize>) -> Arc<Beneath> {
        let Some(index) = index else { return Arc::new(Beneath(Vec::new())) };
        let mut key = Key::begin("weights beneath").and_key(self.ground_key(index));
        for i in (0..self.dress.pieces.len()).filter(|i| !self.dress.pieces[*i].cage) {
            key = key.and(&self.piece_state(i).bound);
        }
        let none = HashMap::new();
        self.derived.get_or(key.end(), || Beneath::new(&self.dress, &self.dress.body, index, &none))
    }

    /// The shapes of body and pieces beneath piece `index`.
    pub fn ground_key(&self, index: usize) -> Key {
        let layer = self.dress.pieces[index].layer;
        let beneath = |i: &usize| self.dress.pieces[*i].layer < layer && !self.dress.pieces[*i].cage;
        let under = (0..self.dress.pieces.len()).filter(beneath);
        let key = Key::begin("ground").and_key(self.contents.body_mesh);
        under.fold(key, |key, i| key.and_key(self.contents.shapes[i])).end()
    }
}

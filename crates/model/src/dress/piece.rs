//! A piece in memory: a garment, a plate, anything worn.

use crate::dress::body::Body;
use crate::dress::derived::Weighed;
use crate::dress::figure_shapes::Carried;
use crate::dress::imported_weights::ImportedWeights;
use crate::dress::shading::Shading;
use crate::error::WorkshopError;
use crate::state::bound::Bound;
use crate::state::motion::RangeState;
use crate::state::names::{PieceId, BODY};
use glam::{Mat4, Vec3};
use std::sync::Arc;
use tin_cloak_core::clearance::{settle_walls, Walls};
use tin_cloak_core::deform::{add_morphs, linear_blend, Morph};
use tin_cloak_core::intake::Place;
use tin_cloak_core::mesh::{Kept, Mesh, Topology};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_formats::{Look, MeshPart, PieceKind};

/// A piece: a garment, a plate, anything worn.
#[derive(Clone, Debug)]
pub struct Piece {
    /// Its number.
    pub id: PieceId,
    /// Its name.
    pub name: String,
    /// Place in the pile; 1 lies next to the skin.
    pub layer: u16,
    /// How it moves.
    pub kind: PieceKind,
    /// Where on the body it is worn, when that was said.
    pub place: Option<Place>,
    /// Parts that were said to be stiff, or not, by number.
    pub shell_kinds: Vec<(u32, bool)>,
    /// What it leaves of the ranges of motion.
    pub limits: Vec<RangeState>,
    /// True for a cage: other pieces hang in it, nobody wears it.
    pub cage: bool,
    /// Which of its file's vertices and faces it has.
    pub kept: Arc<Kept>,
    /// Geometry as its file has it (rest positions are in `rest`).
    pub mesh: Arc<Mesh>,
    /// Texture coordinates and materials.
    pub look: Arc<Look>,
    /// Adjacency over welded vertices.
    pub topology: Arc<Topology>,
    /// Which vertices are shaded as one.
    pub shading: Arc<Shading>,
    /// Welded rest positions as they are now, metres: with its own shapes as far as they are worn.
    pub rest: Arc<Vec<Vec3>>,
    /// The same without its shapes.
    pub unshaped: Arc<Vec<Vec3>>,
    /// Its own shapes, over welded vertices.
    pub shapes: Arc<Vec<Morph>>,
    /// How much of each is worn; missing ones are 0.
    pub amounts: Vec<f32>,
    /// What it does in each of the body's shapes, when those were carried to it.
    pub carried: Option<Arc<Carried>>,
    /// How much of each of these the body wears at rest, and the piece with it.
    along: Vec<f32>,
    /// What it does when joints are turned so far.
    pub correctives: Vec<Arc<Morph>>,
    /// Its weights, once bound.
    pub bound: Option<Arc<Bound>>,
    /// The weights of its file, when it has some.
    pub came: Option<Arc<ImportedWeights>>,
    walls: Arc<Walls>,
    /// The plane of symmetry of the body that it is worn on: x, metres.
    pub plane: f32,
}

impl Weighed for Piece {
    fn bytes(&self) -> usize {
        // Positions, normals, texture, adjacency and walls of a vertex and a face.
        self.mesh.positions.len() * 120 + self.mesh.triangles.len() * 160
    }
}

impl Piece {
    /// From a mesh of a file, to be worn on `body`. Weights the file brings are taken when its
    /// joints are the body's (`skeleton_matches`).
    pub fn new(part: MeshPart, layer: u16, kind: PieceKind, body: &Body, skeleton_matches: bool) -> Self {
        Self::unsettled(part, layer, kind, skeleton_matches).settled(body)
    }

    /// The body as if it were a piece, bound by the weights it has.
    pub(super) fn of_body(body: &Body) -> Self {
        let rest = Arc::new(body.rest.clone());
        Self {
            id: BODY,
            name: body.name.clone(),
            layer: 0,
            kind: PieceKind::Soft,
            place: None,
            shell_kinds: Vec::new(),
            limits: Vec::new(),
            cage: false,
            kept: Arc::new(Kept::all_of(&body.mesh)),
            shading: Arc::new(body.shading.clone()),
            mesh: Arc::new(body.mesh.clone()),
            look: Arc::new(body.look.clone()),
            topology: Arc::clone(&body.topology),
            unshaped: Arc::clone(&rest),
            rest,
            shapes: Arc::default(),
            amounts: Vec::new(),
            carried: None,
            along: Vec::new(),
            correctives: Vec::new(),
            bound: Some(Arc::new(Bound::by("body", body.welded_skin.clone()))),
            came: None,
            walls: Arc::clone(&body.walls),
            plane: body.plane(),
        }
    }

    /// The same before it is settled which way is out: all faces as they are wound.
    pub fn unsettled(part: MeshPart, layer: u16, kind: PieceKind, skeleton_matches: bool) -> Self {
        let topology = Topology::of_shaped(&part.mesh, &part.morphs);
        let rest = topology.weld.gather(&part.mesh.positions);
        let shapes = part.morphs.iter().map(|m| m.gather(&topology.weld)).collect();
        let walls = Walls::as_wound(&topology);
        let method = part.mark.as_ref().and_then(|m| m.method.clone()).unwrap_or_else(|| "file".to_owned());
        let skin = part.skin.filter(|_| skeleton_matches).map(|skin| skin.gather(&topology.weld));
        let bound = skin.map(|skin| Arc::new(Bound::by(&method, skin)));
        let rest = Arc::new(rest);
        let piece = Self {
            id: 0,
            name: part.name,
            layer,
            kind,
            place: None,
            shell_kinds: Vec::new(),
            limits: Vec::new(),
            cage: false,
            kept: Arc::new(Kept::all_of(&part.mesh)),
            shading: Arc::new(Shading::new(&part.mesh)),
            mesh: Arc::new(part.mesh),
            look: Arc::new(part.look),
            topology: Arc::new(topology),
            unshaped: Arc::clone(&rest),
            rest,
            shapes: Arc::new(shapes),
            amounts: Vec::new(),
            carried: None,
            along: Vec::new(),
            correctives: Vec::new(),
            bound,
            came: None,
            walls: Arc::new(walls),
            plane: 0.0,
        };
        piece.wearing(&part.amounts)
    }

    /// The piece with so much of each of its shapes.
    pub fn wearing(mut self, amounts: &[f32]) -> Self {
        amounts.clone_into(&mut self.amounts);
        self.amounts.truncate(self.shapes.len());
        // What is always on is added in every pose.
        let always =
            self.amounts.iter_mut().zip(self.shapes.iter()).filter(|(_, shape)| shape.is_always_on());
        always.for_each(|(amount, _)| *amount = 0.0);
        self.rest = Arc::clone(&self.unshaped);
        if self.amounts.iter().chain(&self.along).any(|a| *a != 0.0) {
            let mut rest = self.unshaped.to_vec();
            self.add_worn(&mut rest, 1.0);
            self.rest = Arc::new(rest);
        }
        self
    }

    /// Adds what it wears of its shapes and goes along with of the body's, `times` over.
    fn add_worn(&self, positions: &mut [Vec3], times: f32) {
        let share = |amounts: &[f32]| amounts.iter().map(|a| a * times).collect::<Vec<_>>();
        add_morphs(positions, &self.shapes, &share(&self.amounts));
        if let Some(carried) = &self.carried {
            add_morphs(positions, &carried.0, &share(&self.along));
        }
    }

    /// The piece with shapes of the body carried to it, or none: what the body wears of them it goes along with. Where
    /// its vertices are without them stays.
    pub fn carrying(mut self, carried: Option<Arc<Carried>>, body: &Body) -> Self {
        let own = |name: &str| self.shapes.iter().any(|m| m.name == name);
        let along = |(worn, shape): (f32, &Morph)| if own(&shape.name) { 0.0 } else { worn };
        self.along = body.worn_amounts().into_iter().zip(body.own_shapes()).map(along).collect();
        self.carried = carried;
        let amounts = std::mem::take(&mut self.amounts);
        self.wearing(&amounts)
    }

    /// How much of a shape of the body that it follows is part of its rest.
    pub fn goes_along(&self, shape: usize) -> f32 {
        let carried = self.carried.as_ref().map_or(0.0, |_| 1.0);
        self.along.get(shape).copied().unwrap_or(0.0) * carried
    }

    /// True when the body wears a shape that was carried to it: part of its rest is not its own.
    pub fn moves_along(&self) -> bool {
        self.carried.is_some() && self.along.iter().any(|a| *a != 0.0)
    }

    /// Its rest without its own shapes, but where it goes along with the body's: what it is without those that were
    /// made for it.
    pub fn bare(&self) -> Vec<Vec3> {
        if !self.moves_along() {
            return self.unshaped.to_vec();
        }
        Self { carried: None, ..self.clone() }.without_shapes(&self.rest)
    }

    /// The piece with other offsets of its shapes: all vertices of the first, then of the next.
    pub fn with_offsets(mut self, offsets: &[Vec3]) -> Self {
        let each = offsets.chunks(self.unshaped.len().max(1));
        let shape = |(m, dense): (&Morph, &[Vec3])| Morph {
            driver: m.driver,
            ..Morph::from_dense(m.name.clone(), dense)
        };
        self.shapes = Arc::new(self.shapes.iter().zip(each).map(shape).collect());
        self
    }

    /// Shapes of offsets: all vertices in the first, then in the next.
    pub fn shapes_of_offsets(&self, offsets: &[Vec3]) -> Carried {
        let each = offsets.chunks(self.unshaped.len().max(1));
        Carried(each.map(|dense| Morph::from_dense(String::new(), dense)).collect())
    }

    /// The amounts of its shapes with another of one.
    ///
    /// # Errors
    /// When it has no such shape, or the amount makes no sense.
    pub fn with_amount(&self, shape: usize, amount: f32) -> Result<Vec<f32>, WorkshopError> {
        if shape >= self.shapes.len() {
            return Err(WorkshopError::Missing { what: "shape", id: shape as i64 });
        }
        if !(-1.0..=2.0).contains(&amount) {
            return Err(WorkshopError::BadAmount);
        }
        let mut amounts = self.amounts.clone();
        amounts.resize(self.shapes.len(), 0.0);
        amounts[shape] = amount;
        Ok(amounts)
    }

    /// What is worn of its shapes, taken off positions that it has with them.
    pub fn without_shapes(&self, rest: &[Vec3]) -> Vec<Vec3> {
        let mut bare = rest.to_vec();
        self.add_worn(&mut bare, -1.0);
        bare
    }

    /// The piece with the weights that its file brings, over joints of the file's skeleton.
    pub fn with_came(mut self, skin: Option<Skin>, skeleton: Option<Arc<Skeleton>>) -> Self {
        let came = |(skin, skeleton): (Skin, Arc<Skeleton>)| {
            let skin = skin.gather(&self.topology.weld);
            Arc::new(ImportedWeights { skin, skeleton, mirrored: false })
        };
        self.came = skin.zip(skeleton).map(came);
        self
    }

    /// True when its file has a joint of that name.
    pub fn came_with(&self, joint: &str) -> bool {
        self.came.as_ref().is_some_and(|c| c.skeleton.find(joint).is_some())
    }

    /// Welded positions under the joints' `matrices`; at rest while it is not bound.
    pub fn posed(&self, matrices: &[Mat4]) -> Vec<Vec3> {
        let mut posed = self.rest.to_vec();
        if let Some(bound) = &self.bound {
            linear_blend(&self.rest, &bound.skin, matrices, &mut posed);
        }
        posed
    }

    /// Which of its faces are measured.
    pub fn walls(&self) -> &Walls {
        &self.walls
    }

    /// The same, to be held on to.
    pub(super) fn shared_walls(&self) -> Arc<Walls> {
        Arc::clone(&self.walls)
    }

    /// The piece with its vertices at `rest` (welded, metres): which walls face the body is
    /// settled anew.
    pub fn moved_to(self, rest: Vec<Vec3>, body: &Body) -> Self {
        let unshaped = Arc::new(self.without_shapes(&rest));
        Self { rest: Arc::new(rest), unshaped, ..self }.settled(body)
    }

    /// The piece with its walls told apart, as it lies on the body.
    pub(super) fn settled(mut self, body: &Body) -> Self {
        self.walls = Arc::new(settle_walls(&self.topology, &self.rest, &body.surface));
        self.plane = body.plane();
        self
    }

    /// True when most of it has two walls.
    pub fn is_double_walled(&self) -> bool {
        self.walls.double_walled > 0.5
    }

    /// Rest positions of the vertices of `mesh` as they are now: seam copies move alike.
    pub fn split_positions(&self) -> Vec<Vec3> {
        self.topology.weld.scatter(&self.rest)
    }
}

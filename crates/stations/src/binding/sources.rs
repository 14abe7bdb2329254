//! What a piece takes its weights from, as one skinned surface.

use glam::Vec3;
use std::collections::HashMap;
use tin_cloak_core::bind::sides::BodySide;
use tin_cloak_core::choose::{flags, listed};
use tin_cloak_core::intake::{move_weight_off, JointRole};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::regions::main_joints;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::names::BODY;
use tin_cloak_model::state::recipe::{JointChoice, Recipe, SourcePart, Takes};

/// A skinned surface at rest.
pub struct SourceMesh {
    pub positions: Vec<Vec3>,
    pub triangles: Vec<[u32; 3]>,
    /// One row a position.
    pub skin: Skin,
}

impl SourceMesh {
    /// The body with its own weights.
    pub fn of_body(body: &Body) -> Self {
        Self {
            positions: body.rest.clone(),
            triangles: body.topology.triangles.clone(),
            skin: body.welded_skin.clone(),
        }
    }

    /// A bound cage: all of it.
    pub fn of_cage(cage: &Piece, skin: &Skin) -> Self {
        let triangles = cage.topology.triangles.clone();
        Self { positions: cage.rest.to_vec(), triangles, skin: skin.clone() }
    }

    /// The outside of a bound piece.
    fn of_piece(piece: &Piece, skin: &Skin) -> Self {
        Self {
            positions: piece.rest.to_vec(),
            triangles: piece.walls().outside().topology.triangles.clone(),
            skin: skin.clone(),
        }
    }

    /// The part of it that a recipe asks for, of the piece named; numbers of vertices and shells are those of
    /// `in_front`, whose vertices come first.
    ///
    /// # Errors
    /// When a joint is not there or nothing is left.
    pub fn only_part(
        mut self,
        body: &Body,
        piece: &str,
        part: &SourcePart,
        in_front: &Topology,
    ) -> Result<Self, WorkshopError> {
        let count = in_front.vertices();
        let wanted: Vec<bool> = match part {
            SourcePart::Whole => return Ok(self),
            SourcePart::Joints(names) => {
                let find = |name: &String| {
                    let missing = || WorkshopError::NoSuchJoint { joint: name.clone() };
                    body.skeleton.find(name).ok_or_else(missing)
                };
                let joints: Vec<JointId> = names.iter().map(find).collect::<Result<_, _>>()?;
                main_joints(&self.skin).iter().map(|j| joints.contains(j)).collect()
            }
            SourcePart::Shells(shells) => (0..self.positions.len())
                .map(|v| v < count && shells.contains(&in_front.shell_of_vertex[v]))
                .collect(),
            SourcePart::Side(side) => {
                let plane = body.plane();
                let is_there = |p: &Vec3| match side {
                    BodySide::Left => p.x >= plane,
                    BodySide::Right => p.x <= plane,
                    BodySide::Centre => true,
                };
                self.positions.iter().map(is_there).collect()
            }
            SourcePart::Vertices(list) => flags(self.positions.len(), list),
            // By name it is known only where its piece is.
            SourcePart::Kept(patch) => return Err(WorkshopError::NoSuchPatch { patch: patch.clone() }),
            SourcePart::Patch(reach) => {
                let mut touched = reach.vertices_of(&self.positions[..count], body.plane(), in_front)?;
                touched.resize(self.positions.len(), false);
                touched
            }
        };
        self.triangles.retain(|t| t.iter().all(|&v| wanted[v as usize]));
        if self.triangles.is_empty() {
            return Err(WorkshopError::NothingOfSource { piece: piece.to_owned() });
        }
        Ok(self)
    }

    /// All of them as one.
    fn joined(list: Vec<Self>, joints: usize) -> Result<Self, SkinError> {
        let mut all = Self { positions: Vec::new(), triangles: Vec::new(), skin: Skin::from_rows(&[], 0)? };
        let mut rows = Vec::new();
        for mesh in list {
            let first = all.positions.len() as u32;
            all.triangles.extend(mesh.triangles.iter().map(|t| t.map(|v| v + first)));
            rows.extend((0..mesh.positions.len()).map(|v| mesh.skin.row(v).collect::<Vec<_>>()));
            all.positions.extend(mesh.positions);
        }
        all.skin = Skin::from_rows(&rows, joints)?;
        Ok(all)
    }

    /// Without control and attachment joints, and without those that `choice` rules out. Their
    /// weight goes to the others of the vertex, or to the nearest joint that is left.
    ///
    /// # Errors
    /// When a joint is not there or none is left.
    pub fn following(mut self, body: &Body, choice: Option<&JointChoice>) -> Result<Self, WorkshopError> {
        let allowed = allowed_joints(body, choice)?;
        let ids = |wanted: bool| -> Vec<JointId> {
            (0..allowed.len()).filter(|&j| allowed[j] == wanted).map(|j| JointId(j as u16)).collect()
        };
        let barred = ids(false);
        let used = (0..self.skin.vertices()).flat_map(|v| self.skin.row(v)).any(|e| !allowed[e.0.index()]);
        if used {
            let moved = move_weight_off(&self.skin, &barred, &ids(true), &self.positions, &body.skeleton);
            let fail = |e: SkinError| WorkshopError::Bind { piece: body.name.clone(), source: e.into() };
            self.skin = moved.map_err(fail)?.skin;
        }
        Ok(self)
    }
}

/// For each joint whether a piece may follow it.
///
/// # Errors
/// When a joint is not there or none is left.
pub fn allowed_joints(body: &Body, choice: Option<&JointChoice>) -> Result<Vec<bool>, WorkshopError> {
    let facts = body.joint_facts();
    let mut allowed: Vec<bool> =
        facts.iter().map(|f| !matches!(f.role, JointRole::Control | JointRole::Attachment)).collect();
    if let Some(choice) = choice {
        let named = choice.joints.iter().map(|name| {
            let missing = || WorkshopError::NoSuchJoint { joint: name.clone() };
            body.skeleton.find(name).ok_or_else(missing)
        });
        let named: Vec<JointId> = named.collect::<Result<_, _>>()?;
        let is_named = |j: usize| named.contains(&JointId(j as u16));
        // A joint that is named is wanted, whatever it is for.
        (0..allowed.len()).for_each(|j| {
            allowed[j] = if choice.only { is_named(j) } else { allowed[j] && !is_named(j) };
        });
    }
    if !allowed.contains(&true) {
        return Err(WorkshopError::NoJointLeft);
    }
    Ok(allowed)
}

/// Asked of a room: what a piece takes its weights from, as one skinned surface.
pub trait SourcesOfRoom {
    /// The part of its source that a recipe asks for, a kept patch of the first one as the vertices it is now.
    ///
    /// # Errors
    /// When there is no such patch.
    fn part_of(&self, recipe: &Recipe) -> Result<SourcePart, WorkshopError>;

    /// Positions in the dress of the pieces that a piece takes weights from.
    fn sources_of(&self, index: usize, takes: &Takes) -> Vec<usize>;

    /// The surface that a piece takes its weights from; `fresh` has the weights of pieces bound in
    /// the same step.
    ///
    /// # Errors
    /// When a source is not bound, a joint is not there, or nothing is left of it.
    fn source_of(
        &self,
        body: &Body,
        index: usize,
        recipe: &Recipe,
        fresh: &HashMap<usize, Bound>,
    ) -> Result<SourceMesh, WorkshopError>;
}

impl SourcesOfRoom for Room {
    fn part_of(&self, recipe: &Recipe) -> Result<SourcePart, WorkshopError> {
        let SourcePart::Kept(name) = &recipe.part else { return Ok(recipe.part.clone()) };
        let missing = || WorkshopError::NoSuchPatch { patch: name.clone() };
        // A kept binding has no patches.
        if matches!(recipe.takes, Takes::Template(_)) {
            return Err(missing());
        }
        let on = self.weighted(recipe.takes.pieces().first().copied().unwrap_or(BODY))?;
        let patch = self.patches_of(&on).iter().find(|p| p.name == *name).ok_or_else(missing)?;
        Ok(SourcePart::Vertices(listed(&Choosing::on(&on, &self.dress.body).picked(&patch.picks)?)))
    }

    fn sources_of(&self, index: usize, takes: &Takes) -> Vec<usize> {
        match takes {
            Takes::Body | Takes::Template(_) => Vec::new(),
            Takes::Cage(id) => self.index_of(*id).into_iter().collect(),
            Takes::Pieces(list) => list.iter().filter_map(|&id| self.index_of(id)).collect(),
            Takes::Beneath => {
                let layer = self.dress.pieces[index].layer;
                let under = |i: &usize| self.dress.pieces[*i].layer < layer && !self.dress.pieces[*i].cage;
                (0..self.dress.pieces.len()).filter(under).collect()
            }
        }
    }

    fn source_of(
        &self,
        body: &Body,
        index: usize,
        recipe: &Recipe,
        fresh: &HashMap<usize, Bound>,
    ) -> Result<SourceMesh, WorkshopError> {
        let piece = &self.dress.pieces[index];
        let mut list = Vec::new();
        if recipe.takes.pieces().is_empty() {
            list.push(SourceMesh::of_body(body));
        }
        for from in self.sources_of(index, &recipe.takes) {
            let source = &self.dress.pieces[from];
            let bound = fresh.get(&from).or(source.bound.as_deref());
            match bound {
                Some(bound) => list.push(SourceMesh::of_piece(source, &bound.skin)),
                // Of all that lies beneath, what is not bound yet is passed over.
                None if recipe.takes == Takes::Beneath => {}
                None => {
                    let (piece, from) = (piece.name.clone(), source.name.clone());
                    return Err(WorkshopError::SourceNotBound { piece, from });
                }
            }
        }
        let fail = |e: SkinError| WorkshopError::Bind { piece: piece.name.clone(), source: e.into() };
        let whole = SourceMesh::joined(list, body.skeleton.len()).map_err(fail)?;
        // Numbers of vertices and shells are those of the first source, which stands in front.
        // Of all that lies beneath the body is the first.
        let named = recipe.takes.pieces().first().and_then(|&id| self.index_of(id));
        let topology = named.map_or(&body.topology, |i| &self.dress.pieces[i].topology);
        let part = whole.only_part(body, &piece.name, &self.part_of(recipe)?, topology)?;
        part.following(body, recipe.joints.as_ref())
    }
}

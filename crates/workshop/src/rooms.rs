//! States in memory: what a fitting's files and blobs decode to, kept while they are in use.

use crate::bundle;
use crate::intake::{look_over_body, look_over_piece};
use crate::motions::{checked_pairs, keep_to_ranges, range_row, used_by_clips, RangeRow};
use crate::own_joints::{own_joint_trials, with_own_joints};
use crate::trials::{kept_trial, matched_trials};
use crate::view::Posed;
use crate::{
    clip_trials, range_trials, sort_document, Board, Body, Bound, Dress, FileRef, Finding, FittingState,
    Gaps, Ground, MeshPart, Piece, PieceState, TrialSet, WorkshopError,
};
use glam::Vec3;
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use tin_cloak_core::clearance::{Buffers, Outfit};
use tin_cloak_core::intake::Place;
use tin_cloak_core::mesh::Kept;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::trial::{JointRange, MotionRanges};
use tin_cloak_core::JointId;
use tin_cloak_store::{BlobId, Store};

/// Frames tried of each of the body's clips.
const CLIP_FRAMES: usize = 12;

/// A fitting's state, decoded.
pub struct Room {
    /// The state it was made from.
    pub state: FittingState,
    /// Body and pieces.
    pub dress: Dress,
    /// Where each piece of the state stands in the dress (sorted by layer).
    pub order: Vec<usize>,
    /// The poses.
    pub trials: Arc<TrialSet>,
    /// The board, once measured.
    pub board: Option<Board>,
    outfit: OnceLock<(Outfit, Vec<Option<usize>>)>,
    buffers: Mutex<Option<Buffers>>,
    /// See [`Room::wall_partners`].
    pub(crate) partners: OnceLock<Vec<Vec<(u32, u32)>>>,
    /// See [`Room::ground`].
    pub(crate) grounds: Mutex<HashMap<usize, Arc<Ground>>>,
    /// See [`Room::rest_gaps`].
    pub(crate) gaps: Mutex<HashMap<usize, Gaps>>,
    /// See [`Room::regions`].
    pub(crate) regions: OnceLock<Vec<(u8, bool)>>,
    /// Findings that a step has left as they were: of the body (0) and of pieces.
    pub(crate) known_findings: HashMap<u32, Vec<Finding>>,
    /// Where pieces seem to be worn.
    pub(crate) places: OnceLock<Vec<(Place, f32)>>,
    /// See [`Room::findings`].
    pub(crate) findings: OnceLock<Vec<(u32, Vec<Finding>)>>,
    /// The pose last looked at.
    pub(crate) last: Mutex<Option<Arc<Posed>>>,
}

impl Room {
    /// The bound layers, ready to be measured.
    pub fn outfit(&self) -> &(Outfit, Vec<Option<usize>>) {
        self.outfit.get_or_init(|| self.dress.outfit())
    }

    /// What was found on the body (number 0) and on each piece, by its number.
    pub fn findings(&self) -> &[(u32, Vec<Finding>)] {
        self.findings.get_or_init(|| {
            let known = |id: u32| self.known_findings.get(&id).cloned();
            let body = known(0).unwrap_or_else(|| look_over_body(&self.dress.body));
            let piece = |i: usize| {
                let id = self.piece_state(i).id;
                (id, known(id).unwrap_or_else(|| look_over_piece(self, i)))
            };
            let pieces: Vec<_> = (0..self.dress.pieces.len()).into_par_iter().map(piece).collect();
            std::iter::once((0, body)).chain(pieces).collect()
        })
    }

    /// All that settles the shape of a piece at rest.
    fn shape_key(&self, index: usize) -> impl PartialEq + use<'_> {
        let p = self.piece_state(index);
        (&p.source, &p.cut, &p.rest)
    }

    /// All that settles what lies beneath a piece.
    fn beneath_key(&self, index: usize) -> impl PartialEq + use<'_> {
        let layer = self.dress.pieces[index].layer;
        let under = (0..self.dress.pieces.len()).filter(|&i| self.dress.pieces[i].layer < layer);
        (self.shape_key(index), under.map(|i| self.shape_key(i)).collect::<Vec<_>>())
    }

    /// All else that settles what is found on a piece.
    fn sorting_key(&self, index: usize) -> impl PartialEq + use<'_> {
        let p = self.piece_state(index);
        let with = (0..self.dress.pieces.len()).filter(|&o| self.dress.pieces[o].layer == p.layer);
        let other = |o: usize| (&self.dress.pieces[o].name, self.dress.pieces[o].place, self.shape_key(o));
        let others: Vec<_> = with.map(other).collect();
        (p.kind, p.place, &p.shells, p.bound.is_some(), others)
    }

    /// Takes over from the room before a step what the step has left as it was.
    pub(crate) fn inherit(mut self, before: &Self) -> Self {
        if !Arc::ptr_eq(&self.dress.body, &before.dress.body) {
            return self;
        }
        let found = before.findings.get();
        let of = |id: u32| found.and_then(|f| f.iter().find(|(i, _)| *i == id)).map(|(_, list)| list.clone());
        self.known_findings.extend(of(0).map(|list| (0, list)));
        let place = |index: usize| {
            let old = before.index_of(self.piece_state(index).id)?;
            let alike = self.shape_key(index) == before.shape_key(old);
            before.places.get().filter(|_| alike).map(|p| p[old])
        };
        let places: Option<Vec<(Place, f32)>> = (0..self.dress.pieces.len()).map(place).collect();
        if let Some(places) = places {
            self.places = OnceLock::from(places);
        }
        for index in 0..self.dress.pieces.len() {
            let id = self.piece_state(index).id;
            let Some(old) = before.index_of(id).filter(|&o| self.beneath_key(index) == before.beneath_key(o))
            else {
                continue;
            };
            let ground = before.grounds.lock().unwrap_or_else(PoisonError::into_inner).get(&old).cloned();
            let gaps = before.gaps.lock().unwrap_or_else(PoisonError::into_inner).get(&old).cloned();
            let of_ground = self.grounds.get_mut().unwrap_or_else(PoisonError::into_inner);
            of_ground.extend(ground.map(|g| (index, g)));
            self.gaps.get_mut().unwrap_or_else(PoisonError::into_inner).extend(gaps.map(|g| (index, g)));
            if self.sorting_key(index) == before.sorting_key(old) {
                self.known_findings.extend(of(id).map(|list| (id, list)));
            }
        }
        self
    }

    /// True when trouble was found; nothing when nobody has looked yet.
    pub fn has_trouble(&self) -> Option<bool> {
        let trouble = |(_, list): &(u32, Vec<Finding>)| list.iter().any(|f| f.grade == crate::Grade::Trouble);
        self.findings.get().map(|all| all.iter().any(trouble))
    }

    pub(crate) fn with_board(self, board: Option<Board>) -> Self {
        Self { board, ..self }
    }

    /// Runs `work` with buffers that are kept from call to call.
    pub fn with_buffers<T>(&self, work: impl FnOnce(&mut Buffers) -> T) -> T {
        let kept = self.buffers.lock().unwrap_or_else(PoisonError::into_inner).take();
        let mut buffers = kept.unwrap_or_else(|| self.outfit().0.buffers());
        let answer = work(&mut buffers);
        *self.buffers.lock().unwrap_or_else(PoisonError::into_inner) = Some(buffers);
        answer
    }

    /// The range of motion of a joint, when it is a known part of a person, and what the clips
    /// use of it.
    pub fn range_of(&self, ranges: &MotionRanges, joint: JointId) -> Option<(RangeRow, Option<JointRange>)> {
        let row = range_row(ranges, &self.dress.body.skeleton, &self.state, joint)?;
        Some((row, used_by_clips(ranges, &self.trials, joint)))
    }

    /// Where a joint of a piece's own would be: at the vertex picked, else at its top in the middle.
    ///
    /// # Errors
    /// When the piece or the vertex is not there.
    pub fn place_for_joint(&self, piece: u32, vertex: Option<u32>) -> Result<Vec3, WorkshopError> {
        let missing = |what, id: u32| WorkshopError::Missing { what, id: i64::from(id) };
        let index = self.index_of(piece).ok_or_else(|| missing("piece", piece))?;
        let rest = &self.dress.pieces[index].rest;
        if let Some(v) = vertex {
            return rest.get(v as usize).copied().ok_or_else(|| missing("vertex", v));
        }
        let (low, high) = tin_cloak_core::mesh::bounds(rest);
        Ok(Vec3::new((low.x + high.x) * 0.5, high.y, (low.z + high.z) * 0.5))
    }

    /// How a piece is to be bound.
    ///
    /// # Errors
    /// When it is not there.
    pub fn recipe_of(&self, piece: u32) -> Result<crate::Recipe, WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        Ok(self.piece_state(index).recipe.clone())
    }

    /// Numbers of the pieces that are not bound.
    pub fn unbound_pieces(&self) -> Vec<u32> {
        self.state.pieces.iter().filter(|p| p.bound.is_none()).map(|p| p.id).collect()
    }

    /// Position in the dress of a piece of the state.
    pub fn index_of(&self, piece: u32) -> Option<usize> {
        let at = self.state.pieces.iter().position(|p| p.id == piece)?;
        self.order.iter().position(|&o| o == at)
    }

    /// The state of the piece at a position of the dress.
    pub fn piece_state(&self, index: usize) -> &crate::PieceState {
        &self.state.pieces[self.order[index]]
    }
}

/// The last few of something, by all that settles it.
type Known<T> = Mutex<Vec<(String, Arc<T>)>>;

/// Where blobs come from: the store, or a step in the making.
pub(crate) type ReadBlob<'a> = &'a dyn Fn(&BlobId) -> Result<Vec<u8>, WorkshopError>;

/// Decoded states and files, a few of each.
#[derive(Default)]
pub(crate) struct Rooms {
    rooms: Mutex<Vec<(BlobId, Arc<Room>)>>,
    bodies: Mutex<HashMap<FileRef, Arc<Body>>>,
    pieces: Known<Piece>,
    /// Bodies changed by steps.
    cured: Known<Body>,
    trials: Known<TrialSet>,
}

const ROOMS_KEPT: usize = 6;
const PIECES_KEPT: usize = 48;

impl Rooms {
    /// The room of a stored state.
    pub fn open(&self, store: &Store, id: &BlobId) -> Result<Arc<Room>, WorkshopError> {
        let known = |list: &mut Vec<(BlobId, Arc<Room>)>| {
            let at = list.iter().position(|(k, _)| k == id)?;
            let entry = list.remove(at);
            list.push(entry);
            list.last().map(|(_, r)| Arc::clone(r))
        };
        if let Some(room) = known(&mut self.rooms.lock().unwrap_or_else(PoisonError::into_inner)) {
            return Ok(room);
        }
        let state: FittingState = serde_json::from_slice(&store.blob(id)?)?;
        let room = Arc::new(self.build(store, state, &|id| Ok(store.blob(id)?))?);
        self.keep(id.clone(), &room);
        Ok(room)
    }

    /// Keeps a room that was just made.
    pub fn keep(&self, id: BlobId, room: &Arc<Room>) {
        let mut list = self.rooms.lock().unwrap_or_else(PoisonError::into_inner);
        list.retain(|(k, _)| *k != id);
        list.push((id, Arc::clone(room)));
        if list.len() > ROOMS_KEPT {
            list.remove(0);
        }
    }

    /// Decodes a state.
    pub fn build(&self, store: &Store, state: FittingState, blob: ReadBlob) -> Result<Room, WorkshopError> {
        let body = self.body_in_state(store, &state, blob)?;
        let trials = self.trials(store, &state, &body)?;
        let mut pieces = Vec::new();
        for p in &state.pieces {
            let base = self.piece(blob, p, (&state, &body))?;
            pieces.push(piece_in_state(&base, p, &body, blob)?);
        }
        let board = match &state.board {
            Some(id) => Some(serde_json::from_slice(&blob(id)?)?),
            None => None,
        };
        Ok(room_of(state, body, pieces, trials, board))
    }

    /// A body as its file has it.
    pub fn body(&self, store: &Store, file: &FileRef) -> Result<Arc<Body>, WorkshopError> {
        if let Some(known) = self.bodies.lock().unwrap_or_else(PoisonError::into_inner).get(file) {
            return Ok(Arc::clone(known));
        }
        let document = read_stored(store, file)?;
        let (body, _) = sort_document(&file.file_name, document, Some(&file.mesh))?;
        let known = Arc::new(body);
        self.bodies.lock().unwrap_or_else(PoisonError::into_inner).insert(file.clone(), Arc::clone(&known));
        Ok(known)
    }

    /// The body of a state, with the state's weights, size and roles.
    pub fn body_in_state(
        &self,
        store: &Store,
        state: &FittingState,
        blob: ReadBlob,
    ) -> Result<Arc<Body>, WorkshopError> {
        let body = self.body(store, &state.body)?;
        let as_in_file = state.body_skin.is_none() && state.body_size.is_none();
        if as_in_file && state.roles.is_empty() && state.joints.is_empty() {
            return Ok(body);
        }
        let key = serde_json::to_string(&(
            &state.body,
            &state.body_skin,
            &state.roles,
            &state.body_size,
            &state.joints,
        ))?;
        known_or((&self.cured, ROOMS_KEPT), &key, || {
            let mut cured = match &state.body_skin {
                Some(id) => body.with_skin(serde_json::from_slice(&blob(id)?)?),
                None => (*body).clone(),
            };
            if let Some((scale, up)) = state.body_size {
                cured = cured.placed(scale, up.rotation());
            }
            cured.set_roles.clone_from(&state.roles);
            with_own_joints(cured, &state.joints)
        })
    }

    /// The poses of a state: rest and ranges, the body's clips, the motions, those set by hand.
    pub fn trials(
        &self,
        store: &Store,
        state: &FittingState,
        body: &Body,
    ) -> Result<Arc<TrialSet>, WorkshopError> {
        let limits: Vec<_> = state.pieces.iter().map(|p| (p.id, &p.limits)).collect();
        let body_key = (&state.body, &state.body_size, &state.joints);
        let key = serde_json::to_string(&(body_key, &state.motions, &state.poses, &state.ranges, limits))?;
        known_or((&self.trials, ROOMS_KEPT), &key, || {
            let mut set = range_trials(body);
            set.trials.extend(own_joint_trials(body, state));
            set = set.and(clip_trials(body, CLIP_FRAMES));
            for motion in &state.motions {
                let document = read_stored(store, &motion.source)?;
                let pairs = checked_pairs(body, &motion.source.file_name, &document, &motion.pairs)?;
                set = set.and(matched_trials(body, &document, &pairs, CLIP_FRAMES));
            }
            keep_to_ranges(body, state, &mut set);
            set.trials.extend(state.poses.iter().map(|kept| kept_trial(kept, body.skeleton.len())));
            Ok(set)
        })
    }

    /// The mesh that a piece is made from, with the skeleton of its file.
    pub fn rigged_part(
        &self,
        blob: ReadBlob,
        file: &FileRef,
    ) -> Result<(MeshPart, Option<Skeleton>), WorkshopError> {
        let missing = |meshes| WorkshopError::NoSuchMesh {
            file: file.file_name.clone(),
            mesh: file.mesh.clone(),
            meshes,
        };
        let mut document = read_blob(blob, file)?;
        let skeleton = document.skeleton.take();
        Ok((document.take(&file.mesh).map_err(missing)?, skeleton))
    }

    /// A piece as its file has it, cut as its state says, unbound.
    pub fn piece(
        &self,
        blob: ReadBlob,
        piece: &PieceState,
        (state, body): (&FittingState, &Body),
    ) -> Result<Arc<Piece>, WorkshopError> {
        let key = serde_json::to_string(&(&piece.source, &piece.cut, &state.body, &state.body_size))?;
        known_or((&self.pieces, PIECES_KEPT), &key, || {
            let mut part = self.rigged_part(blob, &piece.source)?.0;
            let mut kept = Kept::all_of(&part.mesh);
            if let Some(id) = &piece.cut.left_out {
                (part, kept) = part.without(&unpack_indices(&blob(id)?));
            }
            if piece.cut.mirrored {
                part.mesh = part.mesh.mirrored(0.0);
            }
            let mut piece = Piece::new(part, 1, crate::PieceKind::Soft, body, false);
            piece.kept = Arc::new(kept);
            Ok(piece)
        })
    }
}

/// What a list has under `key`, or what is made now; the list keeps the last few.
fn known_or<T>(
    (list, most): (&Known<T>, usize),
    key: &str,
    make: impl FnOnce() -> Result<T, WorkshopError>,
) -> Result<Arc<T>, WorkshopError> {
    let find = |list: &Vec<(String, Arc<T>)>| list.iter().find(|(k, _)| k == key).map(|k| Arc::clone(&k.1));
    if let Some(known) = find(&list.lock().unwrap_or_else(PoisonError::into_inner)) {
        return Ok(known);
    }
    let made = Arc::new(make()?);
    let mut list = list.lock().unwrap_or_else(PoisonError::into_inner);
    list.push((key.to_owned(), Arc::clone(&made)));
    if list.len() > most {
        list.remove(0);
    }
    Ok(made)
}

/// A piece as a state has it: its file's, with the state's layer, kind, shape and weights.
pub(crate) fn piece_in_state(
    base: &Piece,
    state: &PieceState,
    body: &Body,
    blob: ReadBlob,
) -> Result<Piece, WorkshopError> {
    let mut piece = base.clone();
    (piece.layer, piece.kind, piece.place) = (state.layer, state.kind, state.place);
    piece.name = state.name().to_owned();
    piece.cage = state.cage;
    piece.shell_kinds.clone_from(&state.shells);
    if let Some(rest) = &state.rest {
        piece = piece.moved_to(unpack_positions(&blob(rest)?), body);
    }
    piece.bound = match &state.bound {
        Some(bound) => Some(unpack_bound(&blob(bound)?)?),
        None => None,
    };
    Ok(piece)
}

/// A room from its parts; the dress is sorted by layer, outer pieces last.
pub(crate) fn room_of(
    state: FittingState,
    body: Arc<Body>,
    pieces: Vec<Piece>,
    trials: Arc<TrialSet>,
    board: Option<Board>,
) -> Room {
    let mut order: Vec<usize> = (0..pieces.len()).collect();
    order.sort_by_key(|&i| pieces[i].layer);
    let pieces = order.iter().map(|&i| pieces[i].clone()).collect();
    let dress = Dress { body, pieces };
    Room {
        state,
        dress,
        order,
        trials,
        board,
        outfit: OnceLock::new(),
        buffers: Mutex::new(None),
        partners: OnceLock::new(),
        grounds: Mutex::new(HashMap::new()),
        gaps: Mutex::new(HashMap::new()),
        places: OnceLock::new(),
        regions: OnceLock::new(),
        known_findings: HashMap::new(),
        findings: OnceLock::new(),
        last: Mutex::new(None),
    }
}

pub(crate) fn read_stored(store: &Store, file: &FileRef) -> Result<crate::Document, WorkshopError> {
    read_blob(&|id| Ok(store.blob(id)?), file)
}

/// A file behind a blob of the store or of a step in the making.
pub(crate) fn read_blob(blob: ReadBlob, file: &FileRef) -> Result<crate::Document, WorkshopError> {
    let (bytes, companions) = bundle::unpack(blob(&file.file)?)?;
    crate::read(&file.file_name, &bytes, &companions)
        .map_err(|source| WorkshopError::Read { file: file.file_name.clone(), source })
}

/// Positions as little-endian floats.
pub(crate) fn pack_positions(positions: &[Vec3]) -> Vec<u8> {
    bytemuck::cast_slice(positions).to_vec()
}

fn unpack_positions(bytes: &[u8]) -> Vec<Vec3> {
    let float = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    bytes.chunks_exact(12).map(|c| Vec3::new(float(&c[..4]), float(&c[4..8]), float(&c[8..]))).collect()
}

/// Numbers as little-endian integers.
pub(crate) fn pack_indices(indices: &[u32]) -> Vec<u8> {
    indices.iter().flat_map(|i| i.to_le_bytes()).collect()
}

pub(crate) fn unpack_indices(bytes: &[u8]) -> Vec<u32> {
    bytes.chunks_exact(4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
}

/// Weights as a row of places a vertex, with how they were found in front.
pub(crate) fn pack_bound(bound: &Bound) -> Result<Vec<u8>, WorkshopError> {
    Ok(serde_json::to_vec(bound)?)
}

fn unpack_bound(bytes: &[u8]) -> Result<Bound, WorkshopError> {
    Ok(serde_json::from_slice(bytes)?)
}

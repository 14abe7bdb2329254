//! States in memory: what files and blobs decode to, each part by the content it comes from.

use crate::dress::body::{body_of, Body};
use crate::dress::derived::{Derived, Weighed};
use crate::dress::dressed::{Dress, Masked};
use crate::dress::driven_shapes::driven_shapes;
use crate::dress::figure_shapes::{own_shapes, OwnShape};
use crate::dress::file_settings::FileSettings;
use crate::dress::keys::{body_key, body_mesh_key, shape_key, trials_key};
use crate::dress::motions::{checked_pairs, keep_to_ranges, SaidRanges};
use crate::dress::own_joints::{body_trials, with_own_joints};
use crate::dress::piece::Piece;
use crate::dress::room::{Contents, Room};
use crate::dress::trials::{
    clip_trials, kept_trial, matched_trials, plan_trials, shaped_clip_trials, trials_on_the_way, TrialSet,
};
use crate::dress::tucked::made_shapes;
use crate::error::WorkshopError;
use crate::state::blobs::{
    unpack_bound, unpack_edges, unpack_indices, unpack_positions, unpack_skin, ReadBlob,
};
use crate::state::bound::Bound;
use crate::state::bundle;
use crate::state::fitting::{BodyPart, FittingState, PieceState};
use crate::state::key::Key;
use crate::state::names::FileRef;
use crate::state::trial_plan::Tries;
use std::sync::Arc;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::{Kept, Topology};
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::trial::Clip;
use tin_cloak_formats::{Document, MeshPart, PieceKind};
use tin_cloak_store::{BlobId, Store};

/// Decodes states; what it has decoded is kept among the derived values.
#[derive(Default)]
pub struct Decoder {
    derived: Arc<Derived>,
}

/// Rooms know the cache that they are kept in: emptied, it lets go of them, and they of it.
impl Drop for Decoder {
    fn drop(&mut self) {
        self.derived.forget_all();
    }
}

impl Weighed for Bound {
    fn bytes(&self) -> usize {
        self.skin.vertices() * self.skin.stride() * 6 + self.filled.len() * 4
    }
}

impl Weighed for Document {
    fn bytes(&self) -> usize {
        let part = |m: &MeshPart| {
            let shapes: usize = m.morphs.iter().map(|s| s.vertices.len() * 16).sum();
            let pictures: usize = m.look.materials.pictures.iter().map(|p| p.bytes.len()).sum();
            m.mesh.positions.len() * 80 + m.mesh.triangles.len() * 12 + shapes + pictures
        };
        let frames = |c: &Clip| c.tracks.iter().map(|t| t.times.len() * 32).sum::<usize>();
        let parts = self.meshes.iter().chain(&self.groups).map(part).sum::<usize>();
        parts + self.clips.iter().map(frames).sum::<usize>()
    }
}

impl Decoder {
    /// One that keeps at most so many bytes of what it decodes, and of what is derived from it.
    pub fn of_size(bytes: u64) -> Self {
        Self { derived: Arc::new(Derived::of_size(bytes)) }
    }

    /// The room of a stored state.
    ///
    /// # Errors
    /// When a blob is not there or cannot be understood.
    pub fn open(&self, store: &Store, id: &BlobId) -> Result<Arc<Room>, WorkshopError> {
        self.derived.try_get_or_once(Key::hashed("room", id), || {
            let state: FittingState = serde_json::from_slice(&store.blob(id)?)?;
            self.build(store, state, &|id| Ok(store.blob(id)?))
        })
    }

    /// The cache behind it.
    pub fn derived(&self) -> &Derived {
        &self.derived
    }

    /// Keeps the room of a state that was just made.
    pub fn keep(&self, id: &BlobId, room: Room) {
        self.derived.put(Key::hashed("room", id), room);
    }

    /// Decodes a state.
    ///
    /// # Errors
    /// When a blob is not there or cannot be understood.
    pub fn build(&self, store: &Store, state: FittingState, blob: ReadBlob) -> Result<Room, WorkshopError> {
        let body = self.body_in_state(store, &state, blob)?;
        let mut pieces = Vec::new();
        for p in &state.pieces {
            pieces.push(self.piece_in_state(blob, p, &state, &body)?);
        }
        let mut order: Vec<usize> = (0..pieces.len()).collect();
        order.sort_by_key(|&i| pieces[i].layer);
        let contents = Contents {
            body: body_key(&state),
            body_mesh: body_mesh_key(&state),
            shapes: order.iter().map(|&i| shape_key(&state, &state.pieces[i])).collect(),
        };
        let pieces: Vec<Piece> = order.iter().map(|&i| pieces[i].clone()).collect();
        let body = self.with_made(&state, body, blob)?;
        let body = self.calling_up(&state, body, &pieces);
        let trials = self.trials(store, &state, &body, &own_shapes(&body, &pieces))?;
        let masked = Arc::new(masked_faces(&state, &body, &pieces, blob)?);
        let dress = Dress { body, pieces, said: Arc::new(FileSettings::of_state(&state)), masked };
        Ok(Room::new(state, order, dress, trials, contents, Arc::clone(&self.derived)))
    }

    /// A file behind a blob of the store or of a step in the making; read once, however many of its meshes are used.
    ///
    /// # Errors
    /// When it is not there or cannot be read.
    pub fn document(&self, blob: ReadBlob, file: &FileRef) -> Result<Arc<Document>, WorkshopError> {
        let key = Key::hashed("document", &(&file.file, &file.file_name));
        self.derived.try_get_or(key, || read_blob(blob, file))
    }

    /// A file of the store.
    ///
    /// # Errors
    /// When it is not there or cannot be read.
    pub fn stored(&self, store: &Store, file: &FileRef) -> Result<Arc<Document>, WorkshopError> {
        self.document(&|id| Ok(store.blob(id)?), file)
    }

    /// A body as its file has it, of the meshes named; of the one that `file` names when none is.
    ///
    /// # Errors
    /// When the file cannot be read or has no such body.
    pub fn body(
        &self,
        store: &Store,
        file: &FileRef,
        parts: &[BodyPart],
    ) -> Result<Arc<Body>, WorkshopError> {
        self.derived.try_get_or(Key::hashed("body of file", &(file, parts)), || {
            let document = (*self.stored(store, file)?).clone();
            let whole = [BodyPart::whole(&file.mesh)];
            let parts = if parts.is_empty() { &whole } else { parts };
            Ok(body_of(&file.file_name, document, parts)?.0)
        })
    }

    /// The body of a state, with the state's weights, size and roles.
    ///
    /// # Errors
    /// When its file or weights cannot be read.
    pub fn body_in_state(
        &self,
        store: &Store,
        state: &FittingState,
        blob: ReadBlob,
    ) -> Result<Arc<Body>, WorkshopError> {
        let body = self.body(store, &state.body, &state.body_parts)?;
        let as_in_file =
            state.body_skin.is_none() && state.body_size.is_none() && state.body_amounts.is_none();
        let as_said = state.roles.is_empty() && state.body_drivers.is_empty();
        if as_in_file && as_said && state.joints.is_empty() {
            return Ok(body);
        }
        self.derived.try_get_or(body_key(state), || {
            let mut cured = match &state.body_skin {
                Some(id) => body.with_skin(unpack_skin(&blob(id)?)?),
                None => (*body).clone(),
            };
            if let Some((scale, up)) = state.body_size {
                cured = cured.placed(scale, up.rotation());
            }
            if !state.body_drivers.is_empty() {
                cured = cured.called_up_by(&state.body_drivers);
            }
            if let Some(amounts) = &state.body_amounts {
                cured = cured.wearing(amounts);
            }
            cured.set_roles.clone_from(&state.roles);
            with_own_joints(cured, &state.joints)
        })
    }

    /// The body with the shapes that were made for it.
    fn with_made(
        &self,
        state: &FittingState,
        body: Arc<Body>,
        blob: ReadBlob,
    ) -> Result<Arc<Body>, WorkshopError> {
        let shapes = made_shapes(state, &body, blob)?;
        if shapes.is_empty() {
            return Ok(body);
        }
        let key = Key::begin("body with what was made").and_key(body_key(state)).and(&shapes).end();
        Ok(self.derived.get_or(key, || body.with_made(shapes)))
    }

    /// The body with numbers for the shapes that poses call up on pieces alone.
    fn calling_up(&self, state: &FittingState, body: Arc<Body>, pieces: &[Piece]) -> Arc<Body> {
        let shapes = driven_shapes(&body, pieces);
        if shapes.is_empty() {
            return body;
        }
        let made = state.body_made();
        let key = Key::begin("body calling up").and_key(body_key(state)).and(&(made, &shapes)).end();
        self.derived.get_or(key, || body.calling_up(shapes))
    }

    /// The poses of a state: rest and ranges, the body's clips, the motions, those set by hand; where the plan asks
    /// for shapes, those of pieces too.
    ///
    /// # Errors
    /// When the file of a motion cannot be read.
    pub fn trials(
        &self,
        store: &Store,
        state: &FittingState,
        body: &Body,
        own: &[OwnShape],
    ) -> Result<Arc<TrialSet>, WorkshopError> {
        self.derived.try_get_or(trials_key(state, body, own), || {
            let tries = |what: Tries| !state.plan.left_out.contains(&what);
            let mut set = if tries(Tries::BuiltIn) { body_trials(body) } else { TrialSet::default() };
            let frames = state.plan.frames;
            if tries(Tries::Clips) {
                set = set.and(clip_trials(body, own, frames));
                if state.plan.shapes_in_clips {
                    set.trials.extend(shaped_clip_trials(body, own, frames));
                }
            }
            for motion in state.motions.iter().filter(|_| tries(Tries::Motions)) {
                let document = self.stored(store, &motion.source)?;
                let pairs = checked_pairs(body, &motion.source.file_name, &document, &motion.pairs)?;
                set = set.and(matched_trials(body, &document, &pairs, frames));
            }
            keep_to_ranges(body, &SaidRanges::new(state), &mut set);
            if state.plan.on_the_way {
                set.trials.extend(trials_on_the_way(&set));
            }
            if tries(Tries::Planned) {
                set.trials.extend(plan_trials(body, own, &state.plan, &SaidRanges::new(state)).trials);
            }
            let by_hand = state.poses.iter().filter(|_| tries(Tries::ByHand));
            set.trials.extend(by_hand.map(|kept| kept_trial(kept, body.skeleton.len())));
            set.trials.iter_mut().for_each(|t| t.driven_off = state.plan.driven_off);
            Ok(set)
        })
    }

    /// The mesh that a piece is made from, with the skeleton of its file.
    ///
    /// # Errors
    /// When the file cannot be read or has no such mesh.
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
        let document = self.document(blob, file)?;
        Ok((document.part(&file.mesh).map_err(missing)?.clone(), document.skeleton.clone()))
    }

    /// A piece as its file has it, cut as its state says, unbound, its walls not told apart.
    ///
    /// # Errors
    /// When its file cannot be read.
    pub fn piece(&self, blob: ReadBlob, piece: &PieceState) -> Result<Arc<Piece>, WorkshopError> {
        self.derived.try_get_or(Key::hashed("piece as cut", &(&piece.source, &piece.cut)), || {
            let (mut part, skeleton) = self.rigged_part(blob, &piece.source)?;
            let mut kept = Kept::all_of(&part.mesh);
            if let Some(id) = &piece.cut.left_out {
                (part, kept) = part.without(&unpack_indices(&blob(id)?));
            }
            if piece.cut.mirrored {
                part.mesh = part.mesh.mirrored(0.0);
                part.morphs.iter_mut().for_each(|m| *m = m.mirrored());
            }
            for added in &piece.cut.rows {
                let topology = Topology::of_shaped(&part.mesh, &part.morphs);
                let crossed = unpack_edges(&blob(&added.crossed)?);
                let known = |e: &[u32; 2]| e.iter().all(|v| (*v as usize) < topology.vertices());
                let crossed: Vec<[u32; 2]> = crossed.into_iter().filter(known).collect();
                part = part.with_rows(&topology, &crossed, &added.shares()).0;
            }
            let skin = part.skin.take();
            let mut made = Piece::unsettled(part, 1, PieceKind::Soft, false);
            made.kept = Arc::new(kept);
            made = made.with_came(skin, skeleton.map(Arc::new));
            if let Some(came) = made.came.as_mut().filter(|_| piece.cut.mirrored) {
                Arc::make_mut(came).mirrored = true;
            }
            Ok::<_, WorkshopError>(made)
        })
    }

    /// A piece as a state has it: its file's, with the state's layer, kind, shape and weights.
    fn piece_in_state(
        &self,
        blob: ReadBlob,
        of: &PieceState,
        state: &FittingState,
        body: &Body,
    ) -> Result<Piece, WorkshopError> {
        let shaped = self.derived.try_get_or(shape_key(state, of), || {
            let mut base = (*self.piece(blob, of)?).clone();
            if let Some(id) = &of.shapes {
                base = base.with_offsets(&unpack_positions(&blob(id)?));
            }
            if let Some(id) = &of.rest {
                base.unshaped = Arc::new(unpack_positions(&blob(id)?));
            }
            if let Some(id) = &of.carried {
                let read = || Ok::<_, WorkshopError>(base.shapes_of_offsets(&unpack_positions(&blob(id)?)));
                let carried = self.derived.try_get_or(Key::hashed("carried", id), read)?;
                base = base.carrying(Some(carried), body);
            }
            Ok::<_, WorkshopError>(base.wearing(&of.amounts).settled(body))
        })?;
        let mut piece = (*shaped).clone();
        (piece.layer, piece.kind, piece.place) = (of.layer, of.kind, of.place);
        piece.name = of.name().to_owned();
        piece.id = of.id;
        piece.cage = of.cage;
        piece.shell_kinds.clone_from(&of.shells);
        piece.limits.clone_from(&of.limits);
        for corrective in &of.correctives {
            let (id, name) = (&corrective.offsets, corrective.name.clone());
            let driver = corrective.driver(&body.skeleton, |id| state.is_worn(id));
            let read = || {
                let shape = Morph::from_dense(name, &unpack_positions(&blob(id)?));
                Ok::<_, WorkshopError>(Morph { driver, ..shape.scaled(corrective.amount) })
            };
            let key = Key::begin("corrective").and(&(corrective, driver)).and(&body.skeleton.names).end();
            piece.correctives.push(self.derived.try_get_or(key, read)?);
        }
        if let Some(id) = &of.bound {
            let bound = self.derived.try_get_or(Key::hashed("bound", id), || unpack_bound(&blob(id)?))?;
            piece.bound = Some(bound);
        }
        Ok(piece)
    }
}

/// Faces that are left out of parts while all of what hides them is worn.
fn masked_faces(
    state: &FittingState,
    body: &Body,
    pieces: &[Piece],
    blob: ReadBlob,
) -> Result<Masked, WorkshopError> {
    let mut masked = Masked::default();
    for mask in state.masks.iter().filter(|m| m.by.iter().all(|id| state.is_worn(*id))) {
        masked.0.entry(mask.of).or_default().extend(unpack_indices(&blob(&mask.faces)?));
    }
    for (part, faces) in &mut masked.0 {
        let piece = pieces.iter().find(|p| p.id == *part);
        let all = piece.map_or(body.topology.triangles.len(), |p| p.topology.triangles.len());
        faces.sort_unstable();
        faces.dedup();
        faces.retain(|f| (*f as usize) < all);
    }
    Ok(masked)
}

/// A file behind a blob of the store or of a step in the making.
///
/// # Errors
/// When it is not there or cannot be read.
fn read_blob(blob: ReadBlob, file: &FileRef) -> Result<Document, WorkshopError> {
    let (bytes, companions) = bundle::unpack(blob(&file.file)?)?;
    tin_cloak_formats::read(&file.file_name, &bytes, &companions)
        .map_err(|source| WorkshopError::Read { file: file.file_name.clone(), source })
}

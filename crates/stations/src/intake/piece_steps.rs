//! Steps that put pieces on, take them off and sort them.

use crate::intake::brought::brought;
use crate::intake::of_piece::kind_word;
use crate::making::doing::Doing;
use tin_cloak_core::intake::Place;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_formats::{Mark, PieceKind};
use tin_cloak_model::dress::file_settings::ranges_of;
use tin_cloak_model::dress::imported_weights::ENOUGH;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_bound;
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::choice::{Patch, Pick, What};
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::names::{checked_name, FileRef, PieceId, LONGEST_NAME};
use tin_cloak_model::state::recipe::{FollowWish, Method, SourcePart, Takes};
use tin_cloak_model::state::step::PutOn;
use tin_cloak_store::BlobId;

/// So many patches of a file are kept at most.
const MOST_PATCHES: usize = 200;
/// They name each vertex so many times at most, on the mean.
const MOST_TIMES: usize = 8;

impl Doing<'_> {
    pub fn add_piece(
        &mut self,
        file: &BlobId,
        file_name: &str,
        mesh: &str,
        layer: u16,
        kind: PieceKind,
    ) -> Result<String, WorkshopError> {
        checked_layer(layer)?;
        let source = FileRef { file: file.clone(), file_name: file_name.to_owned(), mesh: mesh.to_owned() };
        let id = self.draft.state.next_piece;
        let mut piece = PieceState::new(id, source, layer, kind);
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let (part, skeleton) = self.decoder.rigged_part(&blob, &piece.source)?;
        if part.amounts.iter().any(|a| *a != 0.0) {
            piece.amounts.clone_from(&part.amounts);
        }
        piece.limits = ranges_of(part.mark.as_ref(), &self.room.dress.body.skeleton);
        piece.place = part.mark.as_ref().and_then(|m| Place::of_word(m.place.as_ref()?));
        let own = brought(&part, skeleton.as_ref(), &self.room.dress.body.skeleton, id);
        for joint in own.joints {
            // A piece is not refused for a joint that cannot be used.
            if let Err(why) = joint.checked(&self.with_joints_so_far()?) {
                self.draft.notes.push(format!("{mesh} brings the joint {}, left out: {why}", joint.name));
                continue;
            }
            let note = format!("{mesh} brings the joint {} under {}", joint.name, joint.parent);
            self.draft.notes.push(note);
            self.draft.state.joints.push(joint);
        }
        let taken = |follow: &FollowWish| match follow {
            FollowWish::Joint(name) => self.draft.state.joints.iter().any(|j| j.name == *name),
            FollowWish::Main | FollowWish::Blend | FollowWish::Patch => true,
        };
        piece.recipe.follows = own.follows.into_iter().filter(|f| taken(&f.1)).collect();
        self.draft.state.next_piece += 1;
        self.keep_as_it_came(&mut piece)?;
        self.keep_patches(&mut piece, part.mark.as_ref())?;
        self.draft.state.pieces.push(piece);
        Ok(format!("Add {mesh} on layer {layer}"))
    }

    /// Several at once, from the inside out.
    pub fn put_on(&mut self, pieces: &[PutOn]) -> Result<String, WorkshopError> {
        if pieces.is_empty() {
            return Err(WorkshopError::NothingToPutOn);
        }
        let mut names = Vec::new();
        for (done, piece) in pieces.iter().enumerate() {
            self.add_piece(&piece.file, &piece.file_name, &piece.mesh, piece.layer, piece.kind)?;
            names.push(format!("{} on {}", piece.mesh, piece.layer));
            if !self.job.tell(done as f32 / pieces.len() as f32) {
                return Err(WorkshopError::Stopped);
            }
        }
        Ok(format!("Put on as suggested: {}", names.join(", ")))
    }

    /// A piece that comes skinned keeps its weights where its joints are known.
    fn keep_as_it_came(&mut self, piece: &mut PieceState) -> Result<(), WorkshopError> {
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let Some(came) = self.decoder.piece(&blob, piece)?.came.clone() else { return Ok(()) };
        let skeleton = self.with_joints_so_far()?;
        let pairs = came.guessed_pairs(&skeleton);
        let (name, carrying) = (piece.name().to_owned(), came.carrying().len());
        let matched = format!("{} of the {carrying} joints that move it are the body's", pairs.len());
        if came.matched_share(&pairs) < ENOUGH {
            self.draft.notes.push(format!("{name}: {matched}; its own weights wait at Binding, as it came"));
            piece.recipe.came = pairs;
            return Ok(());
        }
        let skin = came.on(&skeleton, &pairs, &name)?;
        self.draft.notes.push(format!("{name} keeps its weights: {matched}"));
        piece.recipe.options.method = Method::Came;
        piece.recipe.came = pairs;
        piece.bound = Some(self.draft.keep(pack_bound(&Bound::by(Method::Came.word(), skin))?));
        Ok(())
    }

    /// What its file keeps of it under names is kept again.
    fn keep_patches(&self, piece: &mut PieceState, mark: Option<&Mark>) -> Result<(), WorkshopError> {
        let Some(mark) = mark.filter(|m| !m.patches.is_empty()) else { return Ok(()) };
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let decoded = self.decoder.piece(&blob, piece)?;
        let of_vertex = &decoded.topology.weld.of_vertex;
        // What a file says is counted before it is kept: a state holds each vertex by number.
        let mut room = of_vertex.len() * MOST_TIMES;
        for patch in mark.patches.iter().take(MOST_PATCHES) {
            let listed = patch.listed(of_vertex.len() as u32);
            if listed.len() > room {
                break;
            }
            room -= listed.len();
            let mut vertices: Vec<u32> = listed.iter().map(|v| of_vertex[*v as usize]).collect();
            vertices.sort_unstable();
            vertices.dedup();
            let is_new = piece.patches.iter().all(|known| known.name != patch.name);
            let is_named = (1..=LONGEST_NAME).contains(&patch.name.chars().count());
            if !vertices.is_empty() && is_new && is_named {
                let picks = vec![Pick::add(What::Vertices(vertices))];
                piece.patches.push(Patch { name: patch.name.clone(), picks });
            }
        }
        Ok(())
    }

    /// The skeleton of the draft.
    fn with_joints_so_far(&self) -> Result<Skeleton, WorkshopError> {
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        Ok(self.decoder.body_in_state(self.store, &self.draft.state, &blob)?.skeleton.clone())
    }

    /// Calls a piece otherwise; what is said of it by name goes along.
    pub fn rename_piece(&mut self, piece: PieceId, name: &str) -> Result<String, WorkshopError> {
        let (old, new) = (self.draft.piece(piece)?.name().to_owned(), checked_name(name)?);
        let others = self.draft.state.pieces.iter().filter(|p| p.id != piece).map(PieceState::name);
        if others.chain([&*self.room.dress.body.name]).any(|n| n == new) {
            return Err(WorkshopError::NameTaken { name: new });
        }
        self.draft.piece(piece)?.own_name = Some(new.clone());
        self.draft.state.plan.rename(&old, &new);
        Ok(format!("Call {old} {new}"))
    }

    pub fn remove_piece(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let name = self.draft.piece(piece)?.name().to_owned();
        self.draft.state.pieces.retain(|p| p.id != piece);
        self.remove_joints_of(piece)?;
        self.draft.state.masks.retain(|m| m.of != piece && !m.by.contains(&piece));
        self.draft.state.tucks.retain(|t| !t.by.contains(&piece));
        for p in &mut self.draft.state.pieces {
            p.correctives.retain(|c| !c.by.contains(&piece));
            if p.recipe.takes == Takes::Cage(piece) {
                // The weights it has are ordinary ones: they stay.
                p.recipe.takes = Takes::Body;
            }
            if let Takes::Pieces(list) = &mut p.recipe.takes {
                let first = list.first().copied();
                list.retain(|id| *id != piece);
                // Numbers of parts and vertices were those of the first source.
                if first == Some(piece) {
                    p.recipe.part = SourcePart::Whole;
                }
                if list.is_empty() {
                    p.recipe.takes = Takes::Body;
                }
            }
        }
        Ok(format!("Take off {name}"))
    }

    pub fn move_to_layer(&mut self, piece: PieceId, layer: u16) -> Result<String, WorkshopError> {
        checked_layer(layer)?;
        let p = self.draft.piece(piece)?;
        p.layer = layer;
        Ok(format!("Move {} to layer {layer}", p.name()))
    }

    pub fn put_over(&mut self, piece: PieceId, over: Option<PieceId>) -> Result<String, WorkshopError> {
        let name = self.draft.piece(piece)?.name().to_owned();
        if over == Some(piece) {
            return Err(WorkshopError::OverItself { piece: name });
        }
        let beneath = match over {
            Some(other) => {
                let p = self.draft.piece(other)?;
                Some((p.layer, p.name().to_owned()))
            }
            None => None,
        };
        let layer = beneath.as_ref().map_or(0, |b| b.0) + 1;
        checked_layer(layer)?;
        let others = || self.draft.state.pieces.iter().filter(|p| p.id != piece);
        // Pieces further out make room only when they must.
        if others().any(|p| p.layer == layer) {
            if others().any(|p| p.layer >= 99) {
                return Err(WorkshopError::BadLayer);
            }
            let further = |p: &&mut PieceState| p.id != piece && p.layer >= layer;
            self.draft.state.pieces.iter_mut().filter(further).for_each(|p| p.layer += 1);
        }
        self.draft.piece(piece)?.layer = layer;
        Ok(match beneath {
            Some((_, other)) => format!("Put {name} over {other}, on layer {layer}"),
            None => format!("Put {name} next to the skin"),
        })
    }

    pub fn set_kind(&mut self, piece: PieceId, kind: PieceKind) -> Result<String, WorkshopError> {
        self.draft.piece(piece)?.kind = kind;
        let weights = self.bound_again(piece)?;
        Ok(format!("File {} as {}{weights}", self.draft.piece(piece)?.name(), kind_word(kind)))
    }

    pub fn set_place(&mut self, piece: PieceId, place: Place) -> Result<String, WorkshopError> {
        let p = self.draft.piece(piece)?;
        p.place = Some(place);
        Ok(format!("File {} under {}", p.name(), place.word()))
    }

    pub fn set_shell(&mut self, piece: PieceId, shell: u32, stiff: bool) -> Result<String, WorkshopError> {
        let parts = self.worn_piece(piece)?.1.topology.shells;
        if shell as usize >= parts {
            return Err(WorkshopError::Missing { what: "part", id: i64::from(shell) });
        }
        let p = self.draft.piece(piece)?;
        p.shells.retain(|s| s.0 != shell);
        p.shells.push((shell, stiff));
        p.shells.sort_unstable();
        let name = p.name().to_owned();
        let weights = self.bound_again(piece)?;
        let word = if stiff { "stiff" } else { "cloth" };
        Ok(format!("File part {} of {name} as {word}{weights}", shell + 1))
    }
}

fn checked_layer(layer: u16) -> Result<(), WorkshopError> {
    if (1..=99).contains(&layer) {
        Ok(())
    } else {
        Err(WorkshopError::BadLayer)
    }
}

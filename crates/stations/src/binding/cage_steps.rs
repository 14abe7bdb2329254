//! Steps about cages.

use crate::binding::caged::outside_of;
use crate::making::doing::Doing;
use tin_cloak_core::bind::{cage_around, CageSize};
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::units::from_mm;
use tin_cloak_formats::{write_glb, GlbPart, GlbScene, Look, PieceKind};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::names::{FileRef, PieceId};
use tin_cloak_model::state::recipe::Takes;

impl Doing<'_> {
    pub fn make_cage(
        &mut self,
        pieces: &[PieceId],
        offset_mm: f32,
        cell_mm: f32,
    ) -> Result<String, WorkshopError> {
        if !(1.0..=200.0).contains(&offset_mm) || !(4.0..=200.0).contains(&cell_mm) {
            return Err(WorkshopError::BadCage);
        }
        let mut chosen = self.chosen_pieces(pieces)?;
        chosen.retain(|&i| !self.room.dress.pieces[i].cage);
        if chosen.is_empty() {
            return Err(WorkshopError::NothingToBind);
        }
        let dress = &self.room.dress;
        let layers: Vec<_> = chosen
            .iter()
            .map(|&i| (dress.pieces[i].rest.as_slice(), dress.pieces[i].topology.triangles.as_slice()))
            .collect();
        let size = CageSize { offset: from_mm(offset_mm), cell: from_mm(cell_mm) };
        let body = &dress.body;
        let cage = cage_around(&layers, &body.rest, &body.topology.triangles, size);
        let (positions, triangles) = cage.ok_or(WorkshopError::BadCage)?;
        let id = self.draft.state.next_piece;
        let name = self.free_name("cage");
        let vertices = positions.len();
        let unusable = |e: tin_cloak_core::mesh::MeshError| WorkshopError::Job(e.to_string());
        let mut mesh = Mesh::new(&name, positions, Vec::new(), triangles, Vec::new()).map_err(unusable)?;
        mesh.find_quads();
        let look = Look::default();
        let part = GlbPart {
            name: &name,
            mesh: &mesh,
            skin: None,
            morphs: &[],
            amounts: &[],
            mark: None,
            look: &look,
            colour: [0.6, 0.6, 0.6],
        };
        let bytes = write_glb(&GlbScene { parts: vec![part], skeleton: None, clips: &[] })?;
        let file = self.draft.keep(bytes);
        let source = FileRef { file, file_name: format!("{name}.glb"), mesh: name.clone() };
        let outermost = chosen.iter().map(|&i| dress.pieces[i].layer).max().unwrap_or(0);
        let mut cage = PieceState::new(id, source, (outermost + 1).min(99), PieceKind::Soft);
        cage.cage = true;
        self.draft.state.next_piece += 1;
        self.draft.state.pieces.push(cage);
        for &index in &chosen {
            let piece = self.draft.piece(self.room.piece_state(index).id)?;
            piece.recipe.leave_came();
            (piece.recipe.takes, piece.bound) = (Takes::Cage(id), None);
        }
        self.draft
            .notes
            .push(format!("{name}: {vertices} vertices round {} pieces; bind it, clean it", chosen.len()));
        Ok(format!("Make {name} round {} pieces", chosen.len()))
    }

    /// A name that no piece has: this one, or with a number behind.
    fn free_name(&self, name: &str) -> String {
        let taken = |n: &str| self.draft.state.pieces.iter().any(|p| p.name() == n);
        let numbered = (2..).map(|n| format!("{name} {n}"));
        std::iter::once(name.to_owned()).chain(numbered).find(|n| !taken(n)).unwrap_or_default()
    }

    pub fn use_as_cage(&mut self, piece: PieceId, cage: bool) -> Result<String, WorkshopError> {
        let name = self.worn_piece(piece)?.1.name.clone();
        let hanging = |p: &&mut PieceState| p.recipe.takes == Takes::Cage(piece);
        let mut loose = Vec::new();
        if !cage {
            for p in self.draft.state.pieces.iter_mut().filter(hanging) {
                p.recipe.takes = Takes::Body;
                loose.push(p.id);
            }
        }
        self.draft.piece(piece)?.cage = cage;
        for id in loose {
            self.bound_again(id)?;
        }
        Ok(if cage { format!("Use {name} as a cage") } else { format!("Wear {name} again") })
    }

    /// Tells how much of a piece a cage leaves outside.
    pub(super) fn tell_outside(&mut self, piece: PieceId, cage: PieceId) -> Result<(), WorkshopError> {
        let ((_, hung), (_, cage)) = (self.worn_piece(piece)?, self.worn_piece(cage)?);
        if !cage.cage {
            return Err(WorkshopError::NoCage { piece: cage.name.clone() });
        }
        let (count, furthest) = outside_of(hung, cage);
        let note = match count {
            0 => format!("All of {} lies inside {}", hung.name, cage.name),
            _ => format!(
                "{count} vertices of {} lie outside {}, {furthest:.1} mm at most",
                hung.name, cage.name
            ),
        };
        self.draft.notes.push(note);
        Ok(())
    }
}

//! Which parts of a piece are stiff, and which of them go together.

use crate::dress::piece::Piece;
use tin_cloak_core::bind::assemblies;
use tin_cloak_core::mend::CLOTH;
use tin_cloak_formats::PieceKind;

/// Parts of a stiff piece no further from each other than this are one thing, metres.
const TOUCHING: f32 = 0.005;

/// Which shells of a piece are stiff, by its kind; of a mixed piece those that were said to be, and
/// the closed ones of which nothing was said.
pub fn stiff_shells(piece: &Piece) -> Vec<bool> {
    match piece.kind {
        PieceKind::Soft => vec![false; piece.topology.shells],
        PieceKind::Stiff => vec![true; piece.topology.shells],
        PieceKind::Mixed => {
            let mut stiff = piece.topology.closed_shells();
            for &(shell, said) in &piece.shell_kinds {
                if let Some(one) = stiff.get_mut(shell as usize) {
                    *one = said;
                }
            }
            stiff
        }
    }
}

/// Parts of a stiff piece that touch are one thing; those on cloth go each by itself.
pub fn groups(piece: &Piece) -> Vec<u32> {
    match piece.kind {
        PieceKind::Stiff => assemblies(&piece.topology, &piece.rest, TOUCHING),
        PieceKind::Soft | PieceKind::Mixed => (0..piece.topology.shells as u32).collect(),
    }
}

/// The stiff part of each vertex of a piece; empty when nothing of it is stiff.
pub fn rigid_parts(piece: &Piece) -> Vec<u32> {
    let stiff = stiff_shells(piece);
    if !stiff.contains(&true) {
        return Vec::new();
    }
    let groups = groups(piece);
    let part = |&s: &u32| if stiff[s as usize] { groups[s as usize] } else { CLOTH };
    piece.topology.shell_of_vertex.iter().map(part).collect()
}

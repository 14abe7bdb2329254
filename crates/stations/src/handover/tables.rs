//! What is hidden and what is kept under a name, as tables.

use tin_cloak_core::choose::listed;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::BODY;

/// A name as a cell of a table.
pub(super) fn quoted(name: &str) -> String {
    match name.contains([',', ';', '\t', '"', '\n', '\r']) || name.trim() != name {
        true => format!("\"{}\"", name.replace('"', "\"\"")),
        false => name.to_owned(),
    }
}

/// Asked of a room: what is hidden and what is kept under a name, as tables.
pub trait TablesOfRoom {
    /// The faces that are left out, a row each: of which part, and the number of the triangle.
    fn masks_csv(&self) -> String;

    /// The vertices of the patches that are kept, a row each: of which piece, the patch, the welded vertex.
    ///
    /// # Errors
    /// When what a patch was of is no longer there.
    fn patches_csv(&self) -> Result<String, WorkshopError>;
}

impl TablesOfRoom for Room {
    fn masks_csv(&self) -> String {
        let mut text = String::from("part,triangle\r\n");
        for (part, faces) in &self.dress.masked.0 {
            let piece = self.dress.pieces.iter().find(|p| p.id == *part).filter(|_| *part != BODY);
            let name = quoted(piece.map_or(&self.dress.body.name, |p| &p.name));
            faces.iter().for_each(|f| text.push_str(&format!("{name},{f}\r\n")));
        }
        text
    }

    fn patches_csv(&self) -> Result<String, WorkshopError> {
        let mut text = String::from("piece,patch,vertex\r\n");
        for (index, piece) in self.dress.pieces.iter().enumerate() {
            for patch in &self.piece_state(index).patches {
                let chosen = Choosing::on(piece, &self.dress.body).picked(&patch.picks)?;
                let (piece, name) = (quoted(&piece.name), quoted(&patch.name));
                listed(&chosen).iter().for_each(|v| text.push_str(&format!("{piece},{name},{v}\r\n")));
            }
        }
        Ok(text)
    }
}

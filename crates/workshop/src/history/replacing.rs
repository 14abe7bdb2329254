//! A file that comes back for something worn, or for the body.

use crate::history::workshop::Workshop;
use tin_cloak_formats::Companions;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::step::{IntakeStep, Step};
use tin_cloak_store::Asset;

impl Workshop {
    /// Brings a file in, and answers the step that gives a piece (or the body, which is number 0) its mesh: of several
    /// the one that is called as what it replaces.
    ///
    /// # Errors
    /// When the fitting or the piece is not there, the file cannot be read, or has several meshes of other names.
    pub fn replacement_step(
        &self,
        fitting: i64,
        piece: PieceId,
        file_name: &str,
        bytes: &[u8],
        companions: &Companions,
    ) -> Result<Step, WorkshopError> {
        let room = self.room(fitting, None)?;
        let (name, mesh) = match piece {
            BODY => (room.dress.body.name.clone(), room.state.body.mesh.clone()),
            _ => {
                let index = room.find(piece)?;
                (room.dress.pieces[index].name.clone(), room.piece_state(index).source.mesh.clone())
            }
        };
        let assets = self.bring_in(file_name, bytes, companions)?;
        let Asset { file, file_name, mesh, .. } = the_one(assets, &[&mesh, &name], file_name)?;
        Ok(Step::Intake(IntakeStep::ReplaceFile { piece, file, file_name, mesh }))
    }
}

/// Of several meshes that of the first of the names that one has.
fn the_one(mut assets: Vec<Asset>, names: &[&String], file: &str) -> Result<Asset, WorkshopError> {
    assets.retain(|a| !a.mesh.is_empty());
    if assets.len() == 1 {
        return Ok(assets.remove(0));
    }
    let found = names.iter().find_map(|name| assets.iter().position(|a| a.mesh == **name));
    let meshes = assets.iter().map(|a| a.mesh.clone()).collect::<Vec<_>>().join(", ");
    let missing = WorkshopError::NoSuchMesh { file: file.to_owned(), mesh: names[0].clone(), meshes };
    found.map(|at| assets.swap_remove(at)).ok_or(missing)
}

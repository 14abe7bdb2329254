//! The outfit of one fitting on another body: a fitting of its own.

use crate::history::jobs::JobId;
use crate::history::workshop::Workshop;
use std::sync::Arc;
use tin_cloak_core::wear::StiffSize;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::FileRef;
use tin_cloak_model::state::step::{IntakeStep, Step};
use tin_cloak_stations::wearing::skin_map::laid_along;

impl Workshop {
    /// The step that puts the outfit of a fitting, as it stands, on another body.
    ///
    /// # Errors
    /// When it is not there, or nothing is worn in it.
    pub fn outfit_step(&self, fitting: i64, stiff: StiffSize) -> Result<Step, WorkshopError> {
        let room = self.room(fitting, None)?;
        let of = room.dress.body.name.clone();
        if room.dress.pieces.is_empty() {
            return Err(WorkshopError::NothingWorn { file: of });
        }
        let outfit = self.store.state_at(fitting, None)?;
        Ok(Step::Intake(IntakeStep::WearOutfit { outfit, of, stiff }))
    }

    /// Begins a fitting of the body of an asset, and puts the outfit of a fitting on it; answers the new fitting and
    /// the job that does it.
    ///
    /// # Errors
    /// When one of them is not there, nothing is worn, or the asset is no skinned body. Nothing is begun then.
    pub fn wear_on(
        self: &Arc<Self>,
        fitting: i64,
        asset: i64,
        stiff: StiffSize,
    ) -> Result<(i64, JobId), WorkshopError> {
        let step = self.outfit_step(fitting, stiff)?;
        let (name, body) = (self.stored(fitting)?.name, self.asset(asset)?);
        let file =
            FileRef { file: body.file.clone(), file_name: body.file_name.clone(), mesh: body.mesh.clone() };
        laid_along(&self.room(fitting, None)?.dress.body, &*self.decoder.body(&self.store, &file, &[])?)?;
        let new = self.begin(&format!("{name}, on {}", body.mesh), asset)?;
        Ok((new, self.start(new, step)?))
    }
}

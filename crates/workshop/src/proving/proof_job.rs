//! The handed-over file, made and read again as a job; what that shows is kept with the state it was made of.

use crate::history::jobs::JobId;
use crate::history::workshop::Workshop;
use crate::proving::proof::{prove, Proof};
use std::sync::Arc;
use tin_cloak_core::mend::PoseCache;
use tin_cloak_measure::measuring::cells::board_of;
use tin_cloak_measure::measuring::missing::measure_all;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_stations::making::job::Job;

/// Goes up when the file is written otherwise, or otherwise read: proofs kept before say nothing of it.
const PROOFS: u32 = 3;

fn proof_key(room: &Room) -> Key {
    Key::hashed("proof of the handover", &(PROOFS, &room.state))
}

impl Workshop {
    /// What reading the file of a room again has shown, when that was done.
    ///
    /// # Errors
    /// When the store fails.
    pub fn proof_of(&self, room: &Room) -> Result<Option<Arc<Proof>>, WorkshopError> {
        let key = proof_key(room);
        if let Some(known) = self.decoder.derived().get(key) {
            return Ok(Some(known));
        }
        let stored = self.store.kept(&[key.bytes()])?.pop().flatten();
        let proof = stored.and_then(|bytes| serde_json::from_slice::<Proof>(&bytes).ok());
        Ok(proof.map(|proof| self.decoder.derived().put(key, proof)))
    }

    /// Makes the file and reads it again, as a job.
    ///
    /// # Errors
    /// When nothing is bound, or the fitting has a job running already.
    pub fn prove(self: &Arc<Self>, fitting: i64) -> Result<JobId, WorkshopError> {
        if !self.room(fitting, None)?.is_measurable() {
            return Err(WorkshopError::BindFirst);
        }
        self.found_out(fitting, "Reading the file again", move |shop, job| shop.proved(fitting, job))
    }

    fn proved(&self, fitting: i64, job: &Job) -> Result<String, WorkshopError> {
        let room = self.room(fitting, None)?;
        job.at(0.0, 0.3);
        measure_all(&room, self.kept(), &PoseCache::none(), &|s| job.tell(s))?;
        let board = board_of(&room, self.kept())?;
        job.at(0.3, 1.0);
        let (_, proof) = prove(&room, Some(&board), &|s| job.tell(s))?;
        let key = proof_key(&room);
        self.store.keep(&[(key.bytes(), serde_json::to_vec(&proof)?)])?;
        Ok(self.decoder.derived().put(key, proof).line())
    }
}

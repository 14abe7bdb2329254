//! A dressed body from a file, mended by a plan: in a workshop of its own, which goes when that is done.

use crate::batch::dressed::Tell;
use crate::batch::fit::NamedFile;
use crate::error::WorkshopError;
use crate::history::jobs::JobId;
use crate::history::plan::Plan;
use crate::history::workshop::Workshop;
use crate::making::job::JobState;
use crate::measuring::board::Board;
use crate::mending::means::MeansKind;
use crate::shelf::assets::AssetRole;
use crate::state::step::Step;
use crate::state::trial_plan::TrialPlan;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;
use tin_cloak_formats::Companions;

/// How often the share done is told of.
const TELL_AGAIN: Duration = Duration::from_millis(100);

/// A folder that goes with the value.
struct Folder(PathBuf);

impl Drop for Folder {
    fn drop(&mut self) {
        if let Err(error) = std::fs::remove_dir_all(&self.0) {
            tracing::warn!(%error, "a temporary folder stays");
        }
    }
}

/// A dressed body on which a plan can be made and done.
pub struct Planned {
    shop: Arc<Workshop>,
    fitting: i64,
    _folder: Folder,
}

impl Planned {
    /// Body and bound pieces of a file, tried as the file says, or by `plan`.
    ///
    /// # Errors
    /// When the file cannot be read, has no body, or nothing is worn.
    pub fn open(
        file: &NamedFile,
        plan: Option<TrialPlan>,
        tolerance_mm: Option<f32>,
    ) -> Result<Self, WorkshopError> {
        let path = std::env::temp_dir().join(format!("tin-cloak-mend-{}", std::process::id()));
        let folder = Folder(path.clone());
        let shop = Arc::new(Workshop::open(&path)?);
        shop.measure_behind(false);
        let assets = shop.bring_in(&file.name, &file.bytes, &Companions::new())?;
        let role = |role: AssetRole| assets.iter().filter(move |a| a.role == role.word());
        let body =
            role(AssetRole::Body).next().ok_or(WorkshopError::BodyWithoutSkin { file: file.name.clone() })?;
        let fitting = shop.begin(&body.name, body.id)?;
        let pieces: Vec<i64> = role(AssetRole::Piece).map(|a| a.id).collect();
        if pieces.is_empty() {
            return Err(WorkshopError::NothingWorn { file: file.name.clone() });
        }
        shop.run_now(fitting, shop.put_on_step(fitting, &pieces)?)?;
        if let Some(plan) = plan {
            shop.run_now(fitting, Step::Try { plan, said: "Trials: a set from a file".to_owned() })?;
        }
        if let Some(tolerance_mm) = tolerance_mm {
            shop.run_now(fitting, Step::SetTolerance { tolerance_mm })?;
        }
        Ok(Self { shop, fitting, _folder: folder })
    }

    /// Makes the plan, of the kinds of means wanted (all when none is named).
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn plan(&self, only: &[MeansKind], tell: Tell) -> Result<Arc<Plan>, WorkshopError> {
        self.waited_for(self.shop.make_plan(self.fitting, only.to_vec())?, tell)?;
        self.shop.plan_of(&*self.shop.room(self.fitting, None)?)?.ok_or(WorkshopError::NoPlan)
    }

    /// Does the plan that was made, and answers the bytes of the mended GLB.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn done(&self, tell: Tell) -> Result<Vec<u8>, WorkshopError> {
        let plan = self.shop.plan_of(&*self.shop.room(self.fitting, None)?)?;
        if plan.is_some_and(|p| !p.steps.is_empty()) {
            self.waited_for(self.shop.do_plan(self.fitting)?, tell)?;
        }
        Ok(self.shop.export(self.fitting, false)?.1)
    }

    /// Measures all of it, and reads what would be handed over again; answers the board.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no.
    pub fn proved(&self, tell: Tell) -> Result<Arc<Board>, WorkshopError> {
        self.waited_for(self.shop.prove(self.fitting)?, tell)?;
        self.shop.measure_now(self.fitting)
    }

    /// The workshop it is in, and its number there.
    pub fn fitting(&self) -> (&Workshop, i64) {
        (&self.shop, self.fitting)
    }

    /// What it is tried in as it stands, and how that counts.
    ///
    /// # Errors
    /// When the store fails.
    pub fn trial_plan(&self) -> Result<TrialPlan, WorkshopError> {
        Ok(self.shop.room(self.fitting, None)?.state.plan.clone())
    }

    fn waited_for(&self, job: JobId, tell: Tell) -> Result<(), WorkshopError> {
        let job = self.shop.jobs().get(job).ok_or(WorkshopError::Stopped)?;
        loop {
            match job.wait_for(TELL_AGAIN) {
                JobState::Running => {
                    if !tell(job.share()) {
                        job.stop();
                    }
                }
                JobState::Done(_) => return Ok(()),
                JobState::Failed(why) => return Err(WorkshopError::Job(why)),
                JobState::Stopped => return Err(WorkshopError::Stopped),
            }
        }
    }
}

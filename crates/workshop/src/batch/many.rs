//! Many bodies and outfits: each job by itself, first a quick verdict of all, then the long work.

use crate::batch::dressed_file::{DressedFile, OnlyAgainst, TrialSays};
use crate::batch::job_row::{write_whole, BatchFolder, JobRow, JobVerdict, PairRow};
use crate::batch::jobs_file::{Job, JobMend, JobsFile, Shard};
use crate::batch::named_file::NamedFile;
use crate::batch::wear::{wear_file, Wearing};
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;
use tin_cloak_measure::measuring::board::{Board, BoardPair};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::push::MendOptions;
use tin_cloak_model::state::trial_plan::Counts;
use tin_cloak_stations::wearing::outfit::NOT_CARRIED;

/// So many jobs share the cores.
const AT_ONCE: usize = 2;
/// The quick verdict is of rest and so many poses.
const QUICK: usize = 8;

/// Told of each job as it ends: its row, and whether that is the quick verdict.
pub type TellRow<'a> = &'a (dyn Fn(&JobRow, bool) + Sync);

/// Makes what is written besides of a job that was measured: bytes by the name of the file.
pub type Besides<'a> = &'a (dyn Fn(&DressedFile) -> Result<Vec<(String, Vec<u8>)>, WorkshopError> + Sync);

/// A batch: what is to be done, where its files are read from and written to.
pub struct Batch<'a> {
    /// The jobs.
    pub jobs: &'a JobsFile,
    /// The folder that paths of the job file go from.
    pub from: &'a Path,
    /// Where all of it is written.
    pub out: BatchFolder,
    /// Which of them are done here.
    pub shard: Shard,
}

impl Batch<'_> {
    /// Does all jobs of the shard that are not done yet, two at a time; answers the rows of all. A job that fails is a
    /// row that says why, and the others go on.
    ///
    /// # Errors
    /// When nothing can be written.
    pub fn run(&self, besides: Besides, tell: TellRow) -> Result<Vec<JobRow>, WorkshopError> {
        let jobs = self.jobs.jobs(self.shard);
        let row_of = |job: &Job| self.out.done(*job, &self.made_of(*job).unwrap_or_default());
        let is_done = |job: &Job| row_of(job).is_some_and(|row| row.verdict != JobVerdict::Failed);
        let (done, open): (Vec<Job>, Vec<Job>) = jobs.iter().partition(|job| is_done(job));
        done.iter().filter_map(row_of).for_each(|row| tell(&row, false));
        let pass = |jobs: &[Job], quick: bool| {
            self.in_turn(jobs, &|job| {
                tell(&self.one(job, quick, besides)?, quick);
                Ok(())
            })
        };
        pass(&open, true)?;
        // What cannot be carried is not tried again.
        let begun: Vec<Job> = open.into_iter().filter(|job| row_of(job).is_none()).collect();
        pass(&begun, false)?;
        Ok(jobs.iter().filter_map(row_of).collect())
    }

    /// One job: begun, or finished.
    fn one(&self, job: Job, quick: bool, besides: Besides) -> Result<JobRow, WorkshopError> {
        let begun = Instant::now();
        let made_of = match self.made_of(job) {
            Ok(made_of) => made_of,
            Err(why) => return self.failed(job, String::new(), &why, begun),
        };
        let known = || self.out.begun(job, &made_of).filter(|_| self.file(job, CARRIED).is_file());
        let made = match (quick, known()) {
            (true, Some(row)) => Ok(row),
            (true, None) => self.begin(job, &made_of),
            (false, Some(row)) => self.finish(job, row, besides),
            (false, None) => self.begin(job, &made_of).and_then(|row| self.finish(job, row, besides)),
        };
        made.or_else(|why| self.failed(job, made_of, &why, begun))
    }

    /// Each job once, [`AT_ONCE`] of them side by side.
    fn in_turn(
        &self,
        jobs: &[Job],
        work: &(dyn Fn(Job) -> Result<(), WorkshopError> + Sync),
    ) -> Result<(), WorkshopError> {
        let next = AtomicUsize::new(0);
        let one_after_the_other = || -> Result<(), WorkshopError> {
            while let Some(job) = jobs.get(next.fetch_add(1, Ordering::Relaxed)) {
                work(*job)?;
            }
            Ok(())
        };
        std::thread::scope(|scope| {
            let hands: Vec<_> = (0..AT_ONCE).map(|_| scope.spawn(one_after_the_other)).collect();
            let ended = |hand: std::thread::ScopedJoinHandle<Result<(), WorkshopError>>| {
                hand.join().unwrap_or_else(|_| Err(WorkshopError::Job("a job broke off".to_owned())))
            };
            hands.into_iter().map(ended).collect::<Vec<_>>().into_iter().collect()
        })
    }

    fn load(&self, path: &Path) -> Result<NamedFile, WorkshopError> {
        let path = self.from.join(path);
        let name = path.display().to_string();
        let bytes =
            std::fs::read(&path).map_err(|source| WorkshopError::Open { path: name.clone(), source })?;
        Ok(NamedFile { name, bytes })
    }

    /// What a job is made of, in a few letters.
    fn made_of(&self, Job { outfit, body }: Job) -> Result<String, WorkshopError> {
        let JobsFile { stiff, mend, trial, frames, tolerance_mm, .. } = self.jobs;
        let wishes = (env!("CARGO_PKG_VERSION"), stiff, mend, trial, frames, tolerance_mm);
        let meshes = (outfit.mesh(), body.mesh());
        let key = Key::begin("batch job").and(&(wishes, meshes));
        let key = key.and_bytes(&self.load(outfit.path())?.bytes).and_bytes(&self.load(body.path())?.bytes);
        Ok(key.end().short())
    }

    fn row(&self, job: Job, made_of: &str) -> JobRow {
        JobRow {
            outfit: job.outfit.name(),
            body: job.body.name(),
            made_of: made_of.to_owned(),
            folder: BatchFolder::of_job(job),
            ..JobRow::default()
        }
    }

    fn failed(
        &self,
        job: Job,
        made_of: String,
        why: &WorkshopError,
        begun: Instant,
    ) -> Result<JobRow, WorkshopError> {
        let row = JobRow {
            error: why.to_string(),
            seconds: begun.elapsed().as_secs_f64(),
            ..self.row(job, &made_of)
        };
        self.out.keep(job, &row)?;
        Ok(row)
    }

    fn file(&self, job: Job, name: &str) -> std::path::PathBuf {
        self.out.0.join(BatchFolder::of_job(job)).join(name)
    }

    /// Carries the outfit over, keeps that, and looks at rest and a few poses.
    fn begin(&self, job: Job, made_of: &str) -> Result<JobRow, WorkshopError> {
        let begun = Instant::now();
        let (outfit, body) = (self.load(job.outfit.path())?, self.load(job.body.path())?);
        let wearing = Wearing {
            from_mesh: job.outfit.mesh().map(str::to_owned),
            body_mesh: job.body.mesh().map(str::to_owned),
            stiff: self.jobs.stiff,
        };
        let (worn, notes) = wear_file(&outfit, &body, &wearing, &|_| true)?;
        write_whole(&self.file(job, CARRIED), &worn.glb()?)?;
        let board = worn.quick_board(QUICK)?;
        let lost = notes.iter().filter_map(|n| n.strip_prefix(NOT_CARRIED));
        let row = JobRow {
            verdict: verdict(&board),
            quick_cells_out: board.bad_cells() + board.unmeasurable_cells(),
            cells_out: board.bad_cells() + board.unmeasurable_cells(),
            deepest_mm: board.deepest_mm(),
            not_carried: lost.map(str::to_owned).collect(),
            seconds: begun.elapsed().as_secs_f64(),
            ..self.row(job, made_of)
        };
        self.out.keep_begun(job, &row)?;
        Ok(row)
    }

    /// Mends what was carried over, measures all of it and writes what there is of it; its row last.
    fn finish(&self, job: Job, quick: JobRow, besides: Besides) -> Result<JobRow, WorkshopError> {
        let begun = Instant::now();
        let path = self.file(job, CARRIED);
        let name = path.display().to_string();
        let bytes =
            std::fs::read(&path).map_err(|source| WorkshopError::Open { path: name.clone(), source })?;
        let tolerance_mm = Some(self.jobs.tolerance_mm);
        let says = TrialSays { frames: self.jobs.frames, tolerance_mm, ..TrialSays::default() };
        let mut dressed =
            DressedFile::open(&NamedFile { name, bytes }, None, &self.jobs.trial.wish(), &says)?;
        match self.jobs.mend {
            JobMend::Nothing => {}
            JobMend::Push => {
                dressed.mend(MendOptions::default(), &OnlyAgainst::default(), &|_| true)?;
            }
            JobMend::Plan => {
                dressed.plan(&[], &|_| true)?;
                dressed.do_plan(&|_| true)?;
            }
        }
        let board = dressed.board(&|_| true)?;
        let report = dressed.measured(&|_| true)?.0;
        write_whole(&self.file(job, "dressed.glb"), &dressed.glb()?)?;
        write_whole(&self.file(job, "report.json"), &serde_json::to_vec_pretty(&report)?)?;
        for (name, bytes) in besides(&dressed)? {
            write_whole(&self.file(job, &name), &bytes)?;
        }
        let row = JobRow {
            verdict: verdict(&board),
            cells_out: board.bad_cells() + board.unmeasurable_cells(),
            deepest_mm: board.deepest_mm(),
            pairs: pair_rows(&board),
            seconds: quick.seconds + begun.elapsed().as_secs_f64(),
            ..quick
        };
        self.out.keep(job, &row)?;
        let _ = std::fs::remove_file(path);
        Ok(row)
    }
}

/// What was carried over and not mended yet.
const CARRIED: &str = "carried.glb";

fn verdict(board: &Board) -> JobVerdict {
    if board.is_clear() && board.unmeasurable_cells() == 0 {
        return JobVerdict::Clear;
    }
    JobVerdict::Out
}

/// The pairs of a board with the poses that are out of tolerance in each, of those that count.
pub fn pair_rows(board: &Board) -> Vec<PairRow> {
    let row = |p: &BoardPair| PairRow { outer: p.outer.clone(), inner: p.inner.clone(), out: Vec::new() };
    let mut rows: Vec<PairRow> = board.pairs.iter().map(row).collect();
    for (pose, at, cell) in board.out(Counts::Counted) {
        rows[at].out.push((board.poses[pose].name.clone(), cell.depth_mm()));
    }
    rows
}

//! A job file: bodies and the outfits that each of them shall wear.

use crate::batch::dressed_file::TrialWish;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use tin_cloak_core::wear::StiffSize;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::trial_plan::Frames;

/// Bodies × outfits, and what is done with each.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct JobsFile {
    /// Rigged bodies.
    pub bodies: Vec<JobFile>,
    /// Dressed bodies, whose outfits they are.
    pub outfits: Vec<JobFile>,
    /// How large stiff parts become.
    #[serde(default)]
    pub stiff: StiffSize,
    /// What is mended before it is judged.
    #[serde(default)]
    pub mend: JobMend,
    /// What it is tried in.
    #[serde(default)]
    pub trial: JobTrial,
    /// How many frames of each clip.
    #[serde(default)]
    pub frames: Option<Frames>,
    /// What is let pass, millimetres.
    #[serde(default = "tolerance")]
    pub tolerance_mm: f32,
}

fn tolerance() -> f32 {
    0.5
}

/// A file of a job: its path alone, or with a name and a mesh.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum JobFile {
    /// A path, from the folder of the job file.
    Path(PathBuf),
    /// The same with what is said of it.
    Named {
        /// The path.
        file: PathBuf,
        /// What rows and folders are called by; the file's name without its ending when nothing is said.
        #[serde(default)]
        name: Option<String>,
        /// Which mesh is the body, when it is not marked.
        #[serde(default)]
        mesh: Option<String>,
    },
}

/// What is mended.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JobMend {
    /// Nothing.
    #[default]
    Nothing,
    /// Cloth is pushed out.
    Push,
    /// A plan is made and done.
    Plan,
}

/// What it is tried in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JobTrial {
    /// The built-in poses.
    #[default]
    Range,
    /// The clips of the body.
    Clips,
    /// All that the outfit's file says.
    Kept,
}

impl JobTrial {
    /// As a dressed file takes it.
    pub fn wish(self) -> TrialWish {
        match self {
            Self::Range => TrialWish::Range,
            Self::Clips => TrialWish::Clips,
            Self::Kept => TrialWish::AsTheFileSays,
        }
    }
}

impl JobFile {
    /// Where it is.
    pub fn path(&self) -> &Path {
        match self {
            Self::Path(file) | Self::Named { file, .. } => file,
        }
    }

    /// What it is called by.
    pub fn name(&self) -> String {
        let stem = || self.path().file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        match self {
            Self::Named { name: Some(name), .. } => name.clone(),
            _ => stem(),
        }
    }

    /// Which mesh is its body.
    pub fn mesh(&self) -> Option<&str> {
        match self {
            Self::Named { mesh, .. } => mesh.as_deref(),
            Self::Path(_) => None,
        }
    }

    /// The name as folders have it: letters, digits and dashes.
    pub fn folder(&self) -> String {
        let plain = |c: char| if c.is_alphanumeric() { c } else { '-' };
        self.name().chars().map(plain).collect::<String>().trim_matches('-').to_lowercase()
    }
}

/// One body and one outfit of a job file.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Job<'a> {
    /// The outfit.
    pub outfit: &'a JobFile,
    /// The body that shall wear it.
    pub body: &'a JobFile,
}

/// A part of all jobs, for one of several machines: the `at`th of `of`, from 1 up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Shard {
    /// Which.
    pub at: usize,
    /// Of how many.
    pub of: usize,
}

impl Shard {
    /// All of them.
    pub const WHOLE: Self = Self { at: 1, of: 1 };
}

impl JobsFile {
    /// A job file as JSON.
    ///
    /// # Errors
    /// When it is no job file, names no body or no outfit, or two that would go by one name.
    pub fn of_json(file: &str, bytes: &[u8]) -> Result<Self, WorkshopError> {
        let wrong = |why: String| WorkshopError::BadJobs { file: file.to_owned(), why };
        let jobs: Self = serde_json::from_slice(bytes).map_err(|e| wrong(e.to_string()))?;
        for (what, list) in [("bodies", &jobs.bodies), ("outfits", &jobs.outfits)] {
            if list.is_empty() {
                return Err(wrong(format!("“{what}” is empty: name at least one file")));
            }
            let mut folders = BTreeSet::new();
            for one in list {
                let folder = one.folder();
                if folder.is_empty() {
                    return Err(wrong(format!("“{}” is no name: use letters and digits", one.name())));
                }
                if !folders.insert(folder) {
                    let name = one.name();
                    return Err(wrong(format!(
                        "two of “{what}” are called “{name}”: give one a name of its own"
                    )));
                }
            }
        }
        if !jobs.tolerance_mm.is_finite() || jobs.tolerance_mm < 0.0 {
            return Err(wrong("tolerance_mm must be a number from 0 up".to_owned()));
        }
        Ok(jobs)
    }

    /// The jobs of a shard, outfit by outfit.
    pub fn jobs(&self, shard: Shard) -> Vec<Job<'_>> {
        let all =
            self.outfits.iter().flat_map(|outfit| self.bodies.iter().map(move |body| Job { outfit, body }));
        all.skip(shard.at - 1).step_by(shard.of).collect()
    }
}

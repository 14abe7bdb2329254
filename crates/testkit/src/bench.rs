//! A fitting of the demo's own files, and what is asked of it again and again.
#![allow(missing_docs)]

use crate::kept::{coarse_wardrobe, data, wardrobe};
use std::path::Path;
use std::sync::Arc;
use tin_cloak_demo::DemoFile;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::{
    BindingStep, Board, Companions, Finding, JobId, JobState, MeansKind, OpenFitting, Piece, PieceKind, Plan,
    Room, Step, TrialPlan, TrialStep, Tries, Workshop,
};

pub struct Bench {
    pub shop: Arc<Workshop>,
    pub fitting: i64,
    pub folder: tempfile::TempDir,
}

/// Wick with the named pieces on, each on its layer, as cloth.
pub fn wearing(pieces: &[(&str, u16)]) -> Bench {
    in_folder(data(&name("worn", pieces), |folder| put_on(folder, wardrobe(), pieces)))
}

/// The same, all bound, and the board measured.
pub fn wearing_bound(pieces: &[(&str, u16)]) -> Bench {
    bound(&name("bound", pieces), wardrobe(), pieces)
}

/// The same with a quarter of the vertices, for what takes long and is asked what it does,
/// not how well.
pub fn wearing_coarse(pieces: &[(&str, u16)]) -> Bench {
    in_folder(data(&name("coarse worn", pieces), |folder| put_on(folder, coarse_wardrobe(), pieces)))
}

/// The same, all bound, and the board measured.
pub fn wearing_coarse_bound(pieces: &[(&str, u16)]) -> Bench {
    bound(&name("coarse bound", pieces), coarse_wardrobe(), pieces)
}

fn bound(name: &str, files: &[DemoFile], pieces: &[(&str, u16)]) -> Bench {
    in_folder(data(name, |folder| {
        put_on(folder, files, pieces);
        let shop = Arc::new(Workshop::open(folder).unwrap());
        shop.run_now(1, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
        shop.measure_now(1).unwrap();
    }))
}

fn name(how: &str, pieces: &[(&str, u16)]) -> String {
    let worn: Vec<String> = pieces.iter().map(|(name, layer)| format!("{name} {layer}")).collect();
    format!("{how} {}", worn.join(", "))
}

fn put_on(folder: &Path, files: &[DemoFile], pieces: &[(&str, u16)]) {
    let shop = Arc::new(Workshop::open(folder).unwrap());
    shop.measure_behind(false);
    let bring = |name: &str| {
        let file = files.iter().find(|f| f.name == format!("{name}.glb")).unwrap();
        shop.bring_in(file.name, &file.bytes, &Companions::new()).unwrap()[0].id
    };
    let fitting = shop.begin("Wick", bring("wick")).unwrap();
    for (name, layer) in pieces {
        let step = shop.piece_step(bring(name), *layer, PieceKind::Soft).unwrap();
        shop.run_now(fitting, step).unwrap();
    }
}

fn in_folder(folder: tempfile::TempDir) -> Bench {
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    Bench { shop, fitting: 1, folder }
}

impl Bench {
    pub fn open(&self) -> OpenFitting {
        self.shop.fitting(self.fitting).unwrap()
    }

    pub fn bind_all(&self) {
        self.run(Step::Binding(BindingStep::Bind { pieces: Vec::new() }));
    }

    /// Only the built-in poses are tried from here on: what needs no motion is done in half of the time.
    pub fn try_no_clips(&self) {
        let plan = TrialPlan { left_out: vec![Tries::Clips, Tries::Motions], ..TrialPlan::default() };
        self.run(Step::Trial(TrialStep::Try { plan, said: "Trials: without clips".to_owned() }));
    }

    pub fn piece(&self, id: u32) -> Piece {
        let room = self.room();
        room.dress.pieces[room.index_of(id).unwrap()].clone()
    }

    pub fn room(&self) -> Arc<Room> {
        self.shop.fitting(self.fitting).unwrap().room
    }

    /// The board, whole.
    pub fn board(&self) -> Arc<Board> {
        self.shop.measure_now(self.fitting).unwrap()
    }

    pub fn run(&self, step: Step) -> String {
        self.shop.run_now(self.fitting, step).unwrap()
    }

    /// Waits for a job's end.
    pub fn waited(&self, job: JobId) -> JobState {
        self.shop.jobs().get(job).unwrap().wait()
    }

    /// A plan of some kinds of means, of all when none is named.
    pub fn planned(&self, only: &[MeansKind]) -> Arc<Plan> {
        let state = self.waited(self.shop.make_plan(self.fitting, only.to_vec()).unwrap());
        assert!(matches!(state, JobState::Done(_)), "{state:?}");
        self.shop.plan_of(&self.room()).unwrap().unwrap()
    }

    pub fn refused(&self, step: Step) -> String {
        self.shop.run_now(self.fitting, step).unwrap_err().to_string()
    }

    pub fn found(&self, subject: u32, part: &str) -> Option<Finding> {
        let room = self.room();
        let list = room.findings().into_iter().find(|(s, _)| *s == subject).unwrap().1;
        list.iter().find(|f| f.sentence.contains(part)).cloned()
    }

    pub fn cure(&self, subject: u32, part: &str) -> String {
        self.run(self.found(subject, part).unwrap().cure.unwrap().step)
    }

    pub fn layers(&self) -> Vec<(u32, u16)> {
        self.room().state.pieces.iter().map(|p| (p.id, p.layer)).collect()
    }

    pub fn rest(&self, piece: u32) -> Vec<Vec3> {
        self.piece(piece).rest.to_vec()
    }
}

//! What mends bring in poses they were made for and in poses they never saw, and what they do to the cloth's look.
//!
//! `cargo run -p tin-cloak-bench --example hold -- demo|human [push|plan]`
#![allow(missing_docs, clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Instant;
use tin_cloak_workshop::core::mend::look_of_change;
use tin_cloak_workshop::{
    export_glb, fit_files, AtRandom, BindOptions, Counts, DressedFile, FollowedShapes, MendOptions,
    NamedFile, OnlyAgainst, PieceFile, TrialPlan, TrialSays, TrialWish, Tried, Tries, Workshop,
};

/// Seeds of the poses that no mend sees.
const SEEDS: [u64; 3] = [11, 12, 13];

fn main() {
    let mut args = std::env::args().skip(1);
    let (what, how) = (args.next().unwrap_or_default(), args.next().unwrap_or_else(|| "push".into()));
    let file = if what == "demo" { demo() } else { human() };
    let built_in = TrialPlan { left_out: vec![Tries::Clips, Tries::Motions], ..TrialPlan::default() };
    let mut dressed = opened(&file, built_in);
    let before = dressed.board(&|_| true).unwrap();
    let rests: Vec<_> =
        dressed.dress().pieces.iter().map(|p| (p.name.clone(), Arc::clone(&p.rest))).collect();
    let unseen: Vec<Depths> = SEEDS.map(|seed| never_seen(&file, seed)).to_vec();
    let begun = Instant::now();
    if how == "plan" {
        let plan = dressed.plan(&[], &|_| true).unwrap();
        for tried in &plan.steps {
            println!("  {}", said(tried));
        }
        for tried in &plan.no_help {
            println!("  brings nothing: {}", said(tried));
        }
        println!("  {}", plan.held.in_words().unwrap_or_default());
        dressed.do_plan(&|_| true).unwrap();
    } else {
        dressed.mend(MendOptions::default(), &OnlyAgainst::default(), &|_| true).unwrap();
    }
    let seconds = begun.elapsed().as_secs_f64();
    let after = dressed.board(&|_| true).unwrap();
    println!("{what}, {how}: {seconds:.1} s");
    println!(
        "built-in: {} → {} cells, {:.0} → {:.0} mm",
        before.bad_cells(),
        after.bad_cells(),
        before.out_mm(),
        after.out_mm()
    );
    let mended = NamedFile { name: "mended.glb".into(), bytes: export_glb(dressed.dress()).unwrap() };
    let then: Vec<Depths> = SEEDS.map(|seed| never_seen(&mended, seed)).to_vec();
    let each = |all: &[Depths]| all.iter().map(|d| d.values().sum::<f32>()).collect::<Vec<_>>();
    let (was, is) = (each(&unseen), each(&then));
    let left = is.iter().sum::<f32>() / was.iter().sum::<f32>() * 100.0;
    println!("never seen, three seeds: {was:.0?} → {is:.0?} mm, {left:.0} % left");
    let names: BTreeSet<&String> = unseen.iter().chain(&then).flat_map(|d| d.keys()).collect();
    for name in names {
        let of = |all: &[Depths]| all.iter().filter_map(|d| d.get(name)).sum::<f32>();
        println!("  {name}: {:.0} → {:.0} mm", of(&unseen), of(&then));
    }
    for (piece, (name, rest)) in dressed.dress().pieces.iter().zip(&rests) {
        if piece.rest.len() != rest.len() {
            continue;
        }
        let look = look_of_change(&piece.topology, rest, &piece.rest);
        if look.faces > 0 {
            println!(
                "  {name}: {} faces moved, turned {:.1}° (95 %), {:.0}° at most, {} over, folds {:.1}°",
                look.faces, look.turned, look.most, look.over, look.folds
            );
        }
    }
}

fn said(tried: &Tried) -> String {
    let brought = tried.brought.as_ref().map(|b| {
        let cells = format!("{} → {} cells", b.cells.0, b.cells.1);
        std::iter::once(cells).chain(b.more_in_words()).collect::<Vec<_>>().join("; ")
    });
    format!("{}: {}", tried.means.words, brought.unwrap_or_else(Clone::clone))
}

fn opened(file: &NamedFile, plan: TrialPlan) -> DressedFile {
    DressedFile::open(file, None, &TrialWish::Set(plan), &TrialSays::default()).unwrap()
}

/// Depths of counted cells by layer pair, millimetres, summed over poses.
type Depths = BTreeMap<String, f32>;

/// What is out in 60 poses of an arm, a leg and the trunk at once.
fn never_seen(file: &NamedFile, seed: u64) -> Depths {
    let left_out = vec![Tries::BuiltIn, Tries::Clips, Tries::Motions, Tries::ByHand];
    let combined = Some(AtRandom { poses: 60, seed });
    let board =
        opened(file, TrialPlan { left_out, combined, ..TrialPlan::default() }).board(&|_| true).unwrap();
    let mut depths = Depths::new();
    for (_, row, cell) in board.out(Counts::Counted) {
        let pair = &board.pairs[row];
        *depths.entry(format!("{} over {}", pair.outer, pair.inner)).or_default() += cell.depth_mm();
    }
    depths
}

fn demo() -> NamedFile {
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    let fitting = tin_cloak_demo::fill(&shop).unwrap();
    let room = shop.room(fitting, None).unwrap();
    NamedFile { name: "demo.glb".into(), bytes: export_glb(&room.dress).unwrap() }
}

fn human() -> NamedFile {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human/");
    let named = |name: &str| NamedFile {
        name: name.into(),
        bytes: std::fs::read(format!("{folder}{name}")).unwrap(),
    };
    let piece = |(layer, name): (u16, &str)| PieceFile {
        file: named(name),
        layer: Some(layer),
        kind: None,
        joint: None,
        keeps: None,
        mesh: None,
    };
    let files = [(1, "bodysuit.glb"), (2, "skirt.obj")].map(piece);
    let (options, follow) = (BindOptions::default(), FollowedShapes::None);
    let bytes = fit_files(&named("body.glb"), None, &files, &options, &follow).unwrap().0;
    NamedFile { name: "human.glb".into(), bytes }
}

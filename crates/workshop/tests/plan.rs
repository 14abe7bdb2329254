//! A plan of mending: made without changing anything, its figures those of a fresh measure, done step by step or whole.
#![allow(missing_docs, clippy::unwrap_used)]

mod common;

use common::{wearing, Bench};
use std::sync::Arc;
use tin_cloak_workshop::{JobId, JobState, MeansKind, Plan, Step};

fn waited(bench: &Bench, job: JobId) -> JobState {
    loop {
        match bench.shop.jobs().get(job).unwrap().state() {
            JobState::Running => std::thread::sleep(std::time::Duration::from_millis(5)),
            state => return state,
        }
    }
}

fn planned(bench: &Bench, only: &[MeansKind]) -> Arc<Plan> {
    let job = bench.shop.make_plan(bench.fitting, only.to_vec()).unwrap();
    assert!(matches!(waited(bench, job), JobState::Done(_)));
    bench.shop.plan_of(&bench.room()).unwrap().unwrap()
}

/// What a reader can judge of a plan.
fn as_text(plan: &Plan) -> String {
    let line = |t: &tin_cloak_workshop::Tried| {
        let cells = t.brought.as_ref().map_or_else(Clone::clone, |b| format!("{:?}", b.cells));
        format!("  {}, against {}: {cells}\n", t.means.words, t.means.why)
    };
    let lines = |list: &[tin_cloak_workshop::Tried]| list.iter().map(line).collect::<String>();
    let left: String = plan.left.iter().map(|(cells, why)| format!("  {cells}: {why}\n")).collect();
    let (steps, no_help) = (lines(&plan.steps), lines(&plan.no_help));
    format!("{:?} cells\n{steps}brings nothing\n{no_help}left\n{left}", plan.cells)
}

#[test]
fn a_plan_says_what_each_step_brings_and_doing_it_brings_that() {
    let bench = wearing(&[("breeches", 1), ("quilted tunic", 2)]);
    let refused = bench.shop.make_plan(bench.fitting, Vec::new()).unwrap();
    assert!(matches!(waited(&bench, refused), JobState::Failed(why) if why.contains("nothing is bound")));
    assert!(bench.shop.do_plan(bench.fitting).unwrap_err().to_string().contains("make one first"));
    bench.bind_all();
    let before = bench.board();
    let plan = planned(&bench, &[]);
    insta::assert_snapshot!(as_text(&plan));
    assert_eq!(bench.open().fitting.cursor, 4, "nothing is changed by making one");
    assert_eq!(bench.board().bad_cells(), before.bad_cells());
    assert_eq!(plan.cells.0, before.bad_cells());
    assert!(plan.cells.1 < plan.cells.0 && plan.steps.len() > 2);
    // One step of it, as told; what is left of the plan is the plan then.
    let first = plan.steps[0].clone();
    bench.run(first.means.step);
    assert_eq!(bench.board().bad_cells(), first.brought.unwrap().cells.1);
    let rest = bench.shop.plan_of(&bench.room()).unwrap().unwrap();
    assert_eq!(rest.steps, plan.steps[1..]);
    // The rest, each a step of its own that undo takes back.
    let job = bench.shop.do_plan(bench.fitting).unwrap();
    assert!(matches!(waited(&bench, job), JobState::Done(_)));
    assert_eq!(bench.board().bad_cells(), plan.cells.1);
    assert_eq!(bench.open().fitting.cursor, 4 + plan.steps.len() as i64);
    let after = bench.shop.plan_of(&bench.room()).unwrap().unwrap();
    assert!(after.steps.is_empty() && after.left == plan.left);
    for _ in &plan.steps {
        bench.shop.undo(bench.fitting).unwrap();
    }
    assert_eq!(bench.board().bad_cells(), before.bad_cells());
}

#[test]
fn a_plan_of_some_means_alone_stops_when_told() {
    let bench = wearing(&[("breeches", 1)]);
    bench.bind_all();
    let only = planned(&bench, &[MeansKind::Hide, MeansKind::Leave]);
    let kinds: Vec<MeansKind> = only.steps.iter().chain(&only.no_help).map(|t| t.means.kind).collect();
    assert!(kinds.contains(&MeansKind::Hide), "{kinds:?}");
    assert!(kinds.iter().all(|k| [MeansKind::Hide, MeansKind::Leave].contains(k)), "{kinds:?}");
    bench.run(Step::SetTolerance { tolerance_mm: 0.4 });
    assert!(bench.shop.plan_of(&bench.room()).unwrap().is_none(), "it was for another state");
    let job = bench.shop.make_plan(bench.fitting, Vec::new()).unwrap();
    bench.shop.jobs().get(job).unwrap().stop();
    assert_eq!(waited(&bench, job), JobState::Stopped);
    assert!(bench.shop.plan_of(&bench.room()).unwrap().is_none());
}

//! A plan of mending: made without changing anything, its figures those of a fresh measure, done step by step or whole.

use tin_cloak_testkit::{wearing_bound, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::{Companions, JobState, MeansKind, PieceKind, Plan, Step, TrialStep, Tried};

/// What a reader can judge of a plan.
fn as_text(plan: &Plan) -> String {
    let line = |t: &Tried| {
        let cells = t.brought.as_ref().map_or_else(Clone::clone, |b| format!("{:?}", b.cells));
        format!("  {}, against {}: {cells}\n", t.means.words, t.means.why)
    };
    let lines = |list: &[Tried]| list.iter().map(line).collect::<String>();
    let left: String = plan.left.iter().map(|(cells, why)| format!("  {cells}: {why}\n")).collect();
    let (steps, no_help) = (lines(&plan.steps), lines(&plan.no_help));
    format!("{:?} cells\n{steps}brings nothing\n{no_help}left\n{left}", plan.cells)
}

#[test]
fn a_plan_says_what_each_step_brings_and_doing_it_brings_that() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2)]);
    let refused = bench.shop.make_plan(bench.fitting, Vec::new()).unwrap();
    assert!(matches!(bench.waited(refused), JobState::Failed(why) if why.contains("nothing is bound")));
    assert!(bench.shop.do_plan(bench.fitting).unwrap_err().to_string().contains("make one first"));
    bench.bind_all();
    bench.try_no_clips();
    let before = bench.board();
    let plan = bench.planned(&[]);
    let text = as_text(&plan);
    let kinds = |list: &[Tried]| list.iter().map(|t| t.means.kind).collect::<Vec<_>>();
    let (taken, all) = (kinds(&plan.steps), [kinds(&plan.steps), kinds(&plan.no_help)].concat());
    // Weights and shapes first, correctives last; what is taken is told with what it brings.
    let tried = [MeansKind::Bind, MeansKind::Beneath, MeansKind::Push, MeansKind::Corrective];
    assert!(tried.iter().all(|kind| all.contains(kind)), "{text}");
    assert!(taken.contains(&MeansKind::Push) || taken.contains(&MeansKind::Corrective), "{text}");
    let order = |k: &MeansKind| MeansKind::ALL.iter().position(|known| known == k);
    assert!(taken.windows(2).all(|k| order(&k[0]) <= order(&k[1])), "{text}");
    assert!(plan.cells.1 <= 3, "{text}");
    assert_eq!(plan.left.iter().map(|l| l.0).sum::<usize>(), plan.cells.1, "{text}");
    let held = plan.held;
    assert!(held.poses > 50 && held.mm.1 < held.mm.0 * 0.5, "{held:?}\n{text}");
    assert_eq!(bench.open().fitting.cursor, 5, "nothing is changed by making one");
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
    assert!(matches!(bench.waited(job), JobState::Done(_)));
    assert_eq!(bench.board().bad_cells(), plan.cells.1);
    assert_eq!(bench.open().fitting.cursor, 5 + plan.steps.len() as i64);
    let after = bench.shop.plan_of(&bench.room()).unwrap().unwrap();
    assert!(after.steps.is_empty() && after.left == plan.left);
    for _ in &plan.steps {
        bench.shop.undo(bench.fitting).unwrap();
    }
    assert_eq!(bench.board().bad_cells(), before.bad_cells());
}

#[test]
fn a_plan_of_some_means_alone_stops_when_told() {
    let bench = wearing_coarse_bound(&[("breeches", 1)]);
    let only = bench.planned(&[MeansKind::Hide, MeansKind::Leave]);
    let kinds: Vec<MeansKind> = only.steps.iter().chain(&only.no_help).map(|t| t.means.kind).collect();
    assert!(kinds.contains(&MeansKind::Hide), "{kinds:?}");
    assert!(kinds.iter().all(|k| [MeansKind::Hide, MeansKind::Leave].contains(k)), "{kinds:?}");
    bench.run(Step::Trial(TrialStep::SetTolerance { tolerance_mm: 0.4 }));
    assert!(bench.shop.plan_of(&bench.room()).unwrap().is_none(), "it was for another state");
    let job = bench.shop.make_plan(bench.fitting, Vec::new()).unwrap();
    bench.shop.jobs().get(job).unwrap().stop();
    assert_eq!(bench.waited(job), JobState::Stopped);
    assert!(bench.shop.plan_of(&bench.room()).unwrap().is_none());
}

/// Stopped at a push, which takes longest, a plan is what was found to help by then.
#[test]
fn a_plan_that_is_stopped_keeps_what_helps_so_far() {
    let bench = wearing_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let before = bench.board().bad_cells();
    let job = bench.shop.make_plan(bench.fitting, Vec::new()).unwrap();
    let told = bench.shop.jobs().get(job).unwrap();
    while told.state() == JobState::Running && !told.text().contains("Push all layers") {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    assert!(told.text().starts_with(&format!("Trying what may help · {before} → ")), "{}", told.text());
    // What was found is shown meanwhile.
    let so_far = bench.shop.plan_so_far(bench.fitting).unwrap();
    assert!(told.news() > 1 && so_far.cells.0 == before && so_far.cells.1 < before, "{so_far:?}");
    told.stop();
    let JobState::Done(said) = bench.waited(job) else { panic!("{:?}", told.state()) };
    let plan = bench.shop.plan_of(&bench.room()).unwrap().unwrap();
    assert!(plan.stopped && !plan.steps.is_empty() && plan.cells.1 < before, "{said}");
    assert!(plan.steps.iter().all(|t| t.means.kind != MeansKind::Push));
    assert!(said.starts_with("Stopped with a plan of"), "{said}");
    assert_eq!((&plan.steps, plan.cells), (&so_far.steps, so_far.cells));
    assert!(bench.shop.plan_so_far(bench.fitting).is_none());
    bench.run(plan.steps[0].means.step.clone());
    assert_eq!(bench.board().bad_cells(), plan.steps[0].brought.clone().unwrap().cells.1);
}

/// Stopped while correctives are sought, a plan has those found by then; made again it seeks the rest, too.
#[test]
fn a_plan_that_is_stopped_among_correctives_keeps_those_found() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let before = bench.board().bad_cells();
    let job = bench.shop.make_plan(bench.fitting, vec![MeansKind::Corrective]).unwrap();
    let told = bench.shop.jobs().get(job).unwrap();
    while told.state() == JobState::Running && !told.text().contains("cells by 2 shapes") {
        std::thread::sleep(std::time::Duration::from_millis(2));
    }
    told.stop();
    let JobState::Done(said) = bench.waited(job) else { panic!("{:?}", told.state()) };
    let plan = bench.shop.plan_of(&bench.room()).unwrap().unwrap();
    assert!(plan.stopped && plan.steps.len() == 1 && plan.cells.1 < before, "{said}");
    let done = bench.shop.do_plan(bench.fitting).unwrap();
    assert!(matches!(bench.waited(done), JobState::Done(_)));
    assert_eq!(bench.board().bad_cells(), plan.cells.1);
    let notes = bench.open().effect().notes.join("\n");
    assert!(notes.contains("stopped before all was tried: these were found by then"), "{notes}");
    bench.shop.undo(bench.fitting).unwrap();
    let whole = bench.planned(&[MeansKind::Corrective]);
    assert!(!whole.stopped && whole.cells.1 < plan.cells.1, "{:?} then {:?}", plan.cells, whole.cells);
}

/// A tube about the left leg as an OBJ, too coarse at the knee.
fn gaiter(bench: &Bench) -> String {
    let skeleton = &bench.room().dress.body.skeleton;
    let at = |name: &str| skeleton.rest_positions()[skeleton.find(name).unwrap().index()];
    let (hip, knee, foot) = (at("upper_leg_left"), at("lower_leg_left"), at("foot_left"));
    let rows = [hip.lerp(knee, 0.5), hip.lerp(knee, 0.8), knee.lerp(foot, 0.2), knee.lerp(foot, 0.5)];
    let (mut text, around) = (String::new(), 16);
    for middle in rows {
        for i in 0..around {
            let (sin, cos) = (std::f32::consts::TAU * i as f32 / around as f32).sin_cos();
            text += &format!("v {} {} {}\n", middle.x + 0.08 * cos, middle.y, middle.z + 0.08 * sin);
        }
    }
    for (row, i) in (1..rows.len()).flat_map(|row| (0..around).map(move |i| (row, i))) {
        let at = |row: usize, i: usize| (row - 1) * around + i % around + 1;
        text += &format!("f {} {} {} {}\n", at(row, i), at(row, i + 1), at(row + 1, i + 1), at(row + 1, i));
    }
    text
}

#[test]
fn cloth_that_is_too_coarse_to_bend_is_offered_rows() {
    let bench = wearing_coarse(&[]);
    let (file, none) = (gaiter(&bench), Companions::new());
    let asset = bench.shop.bring_in("gaiter.obj", file.as_bytes(), &none).unwrap()[0].id;
    bench.run(bench.shop.piece_step(asset, 1, PieceKind::Soft).unwrap());
    bench.bind_all();
    let (before, vertices) = (bench.board(), bench.rest(1).len());
    let plan = bench.planned(&[MeansKind::Rows]);
    insta::assert_snapshot!(as_text(&plan));
    let step = &plan.steps[0];
    bench.run(step.means.step.clone());
    assert!(bench.rest(1).len() >= vertices + 16, "a row goes all about it");
    let (after, brought) = (bench.board(), step.brought.as_ref().unwrap());
    assert_eq!((before.bad_cells(), after.bad_cells()), brought.cells);
}

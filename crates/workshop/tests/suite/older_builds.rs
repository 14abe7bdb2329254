//! What earlier builds kept still opens (see `testdata/kept/README.md`).

use std::sync::Arc;
use tin_cloak_testkit::testdata;
use tin_cloak_workshop::{BindingStep, Chosen, Clean, Step, TrialStep, Workshop};

fn opened(kept: &str) -> (Arc<Workshop>, tempfile::TempDir) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::copy(testdata(&format!("kept/{kept}")), folder.path().join("tin-cloak.sqlite")).unwrap();
    open_in(folder)
}

fn open_in(folder: tempfile::TempDir) -> (Arc<Workshop>, tempfile::TempDir) {
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    (shop, folder)
}

#[test]
fn a_fitting_of_the_first_schema_is_listed_opened_measured_and_worked_on() {
    let (shop, folder) = opened("first-schema.sqlite");
    let (fitting, summary) = shop.listed().unwrap().remove(0);
    let summary = summary.unwrap();
    assert_eq!((fitting.name.as_str(), fitting.cursor), ("kept by an older build", 5));
    assert_eq!(
        (summary.body.as_str(), summary.pieces, summary.deepest_mm),
        ("post", vec!["sleeve".into()], None)
    );

    let open = shop.fitting(fitting.id).unwrap();
    let said: Vec<&str> = open.steps.iter().map(|s| s.sentence.as_str()).collect();
    insta::assert_snapshot!(said.join("\n"), @r"
    Begin with post
    Add sleeve on layer 1
    Bind sleeve
    Smooth weights of sleeve, 0.5 × 1
    Pull out sleeve
    ");
    // Its weights were kept as JSON.
    let bound = open.room.dress.pieces[0].bound.clone().unwrap();
    assert_eq!(
        (bound.method.as_str(), bound.skin.vertices(), bound.skin.max_influences()),
        ("inpaint", 108, 2)
    );
    let part = shop.board(&open.room).unwrap().unwrap();
    assert_eq!(part.missing(), part.size(), "the board was kept otherwise");
    let board = shop.measure_now(fitting.id).unwrap();
    assert!(board.is_whole() && board.size() > 10);
    let now = shop.fitting(fitting.id).unwrap();
    assert_eq!(now.effect().deepest_after_mm, Some(board.deepest_mm()));
    assert_eq!(now.effect().notes, open.effect().notes, "what it said then it still says");
    assert_eq!(shop.listed().unwrap().remove(0).1.unwrap().deepest_mm, Some(board.deepest_mm()));

    // Undone to the first step, done again, gone on with.
    (0..4).for_each(|_| shop.undo(fitting.id).unwrap());
    assert!(shop.fitting(fitting.id).unwrap().room.dress.pieces.is_empty());
    (0..4).for_each(|_| shop.redo(fitting.id).unwrap());
    let clean = Clean::Limit { most: 1 };
    let step =
        Step::Binding(BindingStep::Clean { piece: 1, clean, chosen: Chosen::Everything, locked: Vec::new() });
    shop.run_now(fitting.id, step).unwrap();
    drop(shop);
    let again = Workshop::open(folder.path()).unwrap();
    let room = again.room(fitting.id, None).unwrap();
    assert_eq!(room.dress.pieces[0].bound.as_ref().unwrap().skin.max_influences(), 1);
    assert_eq!(*again.room(fitting.id, Some(5)).unwrap().dress.pieces[0].bound.clone().unwrap(), *bound);
}

/// Opens at every step, says what it said, and is measured and gone on with.
fn assert_is_whole(shop: &Arc<Workshop>) {
    let (fitting, _) = shop.listed().unwrap().remove(0);
    let open = shop.fitting(fitting.id).unwrap();
    let said: Vec<&str> = open.steps.iter().map(|s| s.sentence.as_str()).collect();
    let wanted = [
        "Begin with post",
        "Add sleeve on layer 1",
        "Bind sleeve",
        "Push out sleeve",
        "Draw post in under what is worn",
        "Make correctives for sleeve",
    ];
    assert_eq!(said, wanted);
    for step in &open.steps {
        let known: Step = serde_json::from_str(&step.step).unwrap();
        assert!(!serde_json::to_string(&known).unwrap().contains("tolerance_mm"), "it is the state's alone");
        let room = shop.room(fitting.id, Some(step.seq)).unwrap();
        assert_eq!(room.dress.pieces.len(), usize::from(step.seq > 1));
        assert_eq!(room.state.tolerance_mm, 0.5);
    }
    assert!(shop.measure_now(fitting.id).unwrap().is_whole());
    shop.undo(fitting.id).unwrap();
    shop.redo(fitting.id).unwrap();
    shop.run_now(fitting.id, Step::Trial(TrialStep::SetTolerance { tolerance_mm: 1.0 })).unwrap();
    assert!(shop.measure_now(fitting.id).unwrap().is_whole());
}

#[test]
fn a_fitting_of_the_third_schema_whose_steps_had_a_tolerance_of_their_own_opens() {
    let (shop, _folder) = opened("third-schema.sqlite");
    assert_is_whole(&shop);
}

#[test]
fn a_fitting_of_the_second_schema_opens() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("tin-cloak.sqlite");
    std::fs::copy(testdata("kept/third-schema.sqlite"), &file).unwrap();
    let second = rusqlite::Connection::open(&file).unwrap();
    second.execute_batch("DROP TABLE limit_sets; PRAGMA user_version = 2;").unwrap();
    drop(second);
    let (shop, _folder) = open_in(folder);
    assert_is_whole(&shop);
    assert!(shop.limit_sets().unwrap().is_empty());
}

//! What earlier builds kept still opens (see `testdata/kept/README.md`).

use std::sync::Arc;
use tin_cloak_workshop::{Chosen, Clean, Step, Workshop};

fn opened() -> (Arc<Workshop>, tempfile::TempDir) {
    let folder = tempfile::tempdir().unwrap();
    let kept = format!("{}/../../testdata/kept/first-schema.sqlite", env!("CARGO_MANIFEST_DIR"));
    std::fs::copy(kept, folder.path().join("tin-cloak.sqlite")).unwrap();
    let shop = Arc::new(Workshop::open(folder.path()).unwrap());
    shop.measure_behind(false);
    (shop, folder)
}

#[test]
fn a_fitting_of_the_first_schema_is_listed_opened_measured_and_worked_on() {
    let (shop, folder) = opened();
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
    let step = Step::Clean { piece: 1, clean, chosen: Chosen::Everything, locked: Vec::new() };
    shop.run_now(fitting.id, step).unwrap();
    drop(shop);
    let again = Workshop::open(folder.path()).unwrap();
    let room = again.room(fitting.id, None).unwrap();
    assert_eq!(room.dress.pieces[0].bound.as_ref().unwrap().skin.max_influences(), 1);
    assert_eq!(*again.room(fitting.id, Some(5)).unwrap().dress.pieces[0].bound.clone().unwrap(), *bound);
}

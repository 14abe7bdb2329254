//! Fittings and their steps, assets and schemas.

use rusqlite::Connection;
use tin_cloak_store::*;

fn step(n: u32) -> NewStep {
    NewStep {
        step: format!("{{\"n\":{n}}}"),
        sentence: format!("step {n}"),
        effect: "{}".into(),
        state: format!("state {n}"),
        summary: format!("summary {n}"),
        blobs: vec![vec![n as u8; 5000]],
    }
}

#[test]
fn undo_redo_and_a_new_branch() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let id = store.create_fitting("one", &step(1)).unwrap();
    store.add_step(id, 1, &step(2)).unwrap();
    store.add_step(id, 2, &step(3)).unwrap();
    store.move_cursor(id, 1).unwrap();
    assert_eq!(store.steps(id).unwrap().len(), 3);
    assert_eq!(store.add_step(id, 1, &step(4)).unwrap(), 2);
    let rows = store.steps(id).unwrap();
    assert_eq!(rows.iter().map(|r| r.sentence.as_str()).collect::<Vec<_>>(), ["step 1", "step 4"]);
    assert_eq!(store.blob(&rows[1].state).unwrap(), b"state 4");
    assert!(store.move_cursor(id, 9).is_err());
    assert!(store.add_step(id, 1, &step(5)).is_err(), "the fitting has moved on");
}

#[test]
fn an_effect_is_told_of_the_step_that_had_it() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let id = store.create_fitting("one", &step(1)).unwrap();
    let old = store.state_at(id, None).unwrap();
    store.amend_step(id, 1, &old, "{\"better\":3}", "told").unwrap();
    assert_eq!(store.listed().unwrap()[0].summary, "told");
    store.add_step(id, 1, &step(2)).unwrap();
    assert_eq!(store.listed().unwrap()[0].summary, "summary 2");
    // Another step stands in its place by now.
    store.amend_step(id, 2, &old, "{}", "late").unwrap();
    assert_eq!(store.listed().unwrap()[0].summary, "summary 2");
    assert_eq!(store.state_at(id, Some(1)).unwrap(), old);
    assert!(store.state_at(id, Some(7)).is_err());
}

#[test]
fn a_store_of_the_first_schema_opens_and_keeps_its_steps() {
    let folder = tempfile::tempdir().unwrap();
    let old = Connection::open(folder.path().join("tin-cloak.sqlite")).unwrap();
    old.execute_batch(FIRST_SCHEMA).unwrap();
    old.pragma_update(None, "user_version", 1).unwrap();
    old.execute_batch(
        "INSERT INTO blobs VALUES ('s', 0, x'28b52ffd2000010000');
         INSERT INTO fittings VALUES (7, 'kept', 1, 1);
         INSERT INTO steps VALUES (7, 1, '{}', 'Begin', '{}', 's', 1);",
    )
    .unwrap();
    drop(old);
    let store = Store::open(folder.path()).unwrap();
    let listed = store.listed().unwrap();
    assert_eq!((listed[0].fitting.name.as_str(), listed[0].summary.as_str()), ("kept", ""));
    assert_eq!(store.steps(7).unwrap()[0].sentence, "Begin");
    assert_eq!(store.add_step(7, 1, &step(2)).unwrap(), 2);
    assert!(store.limit_sets().unwrap().is_empty());
}

#[test]
fn a_set_of_limits_is_kept_under_its_name() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    store.keep_limit_set("phone", "{}").unwrap();
    store.keep_limit_set("film", "1").unwrap();
    store.keep_limit_set("phone", "2").unwrap();
    let text = |t: &str| t.to_owned();
    let all = vec![(text("film"), text("1")), (text("phone"), text("2"))];
    assert_eq!(store.limit_sets().unwrap(), all);
    assert!(store.drop_limit_set("film").unwrap() && !store.drop_limit_set("film").unwrap());
    assert_eq!(store.limit_sets().unwrap(), all[1..]);
}

#[test]
fn what_was_answered_is_there_after_reopening() {
    let folder = tempfile::tempdir().unwrap();
    let id = {
        let store = Store::open(folder.path()).unwrap();
        let id = store.create_fitting("one", &step(1)).unwrap();
        store.add_step(id, 1, &step(2)).unwrap();
        // No orderly close: the connection is leaked, as by a killed process.
        std::mem::forget(store);
        id
    };
    let store = Store::open(folder.path()).unwrap();
    assert_eq!(store.fitting(id).unwrap().cursor, 2);
}

#[test]
fn a_newer_schema_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    Store::open(folder.path()).unwrap();
    let connection = Connection::open(folder.path().join("tin-cloak.sqlite")).unwrap();
    connection.pragma_update(None, "user_version", 999).unwrap();
    assert!(matches!(Store::open(folder.path()), Err(StoreError::Newer { found: 999, .. })));
}

#[test]
fn equal_blobs_are_kept_once() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let text = |t: &str| t.to_owned();
    let found = [NewAsset { name: text("a"), role: text("piece"), mesh: text("m"), summary: text("{}") }];
    let one = store.add_assets("a.glb", &[7; 100_000], &found).unwrap();
    let two = store.add_assets("b.glb", &[7; 100_000], &found).unwrap();
    assert_eq!(one[0].file, two[0].file);
    let count: i64 = Connection::open(folder.path().join("tin-cloak.sqlite"))
        .unwrap()
        .query_row("SELECT count(*) FROM blobs", [], |r| r.get(0))
        .unwrap();
    assert_eq!(count, 1);
    let sorted = |id| (id, "body".to_owned(), "{}".to_owned());
    assert!(store.sort_assets(&[sorted(one[0].id), sorted(99)]).is_err());
    assert_eq!(store.assets().unwrap()[0].role, "piece", "all or none");
    store.sort_assets(&[sorted(one[0].id)]).unwrap();
    assert_eq!(store.assets().unwrap()[0].role, "body");
}

#[test]
fn a_step_back_is_a_step_back_however_many_ask() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let id = store.create_fitting("one", &step(1)).unwrap();
    for n in 1..6 {
        store.add_step(id, i64::from(n), &step(n + 1)).unwrap();
    }
    std::thread::scope(|s| {
        let back: Vec<_> = (0..3).map(|_| s.spawn(|| store.step_cursor(id, -1).unwrap())).collect();
        let mut places: Vec<i64> = back.into_iter().map(|t| t.join().unwrap().unwrap()).collect();
        places.sort_unstable();
        assert_eq!(places, [3, 4, 5]);
    });
    assert_eq!(store.fitting(id).unwrap().cursor, 3);
    assert_eq!(store.step_cursor(id, 1).unwrap(), Some(4));
    store.move_cursor(id, 1).unwrap();
    assert_eq!(store.step_cursor(id, -1).unwrap(), None, "there is nothing before the first");
    store.move_cursor(id, 6).unwrap();
    assert_eq!(store.step_cursor(id, 1).unwrap(), None);
    assert!(store.step_cursor(99, 1).is_err());
}

/// What a branch that was left and a fitting that was thrown away had goes; what a state or an asset leads to stays.
#[test]
fn compacting_lets_go_of_what_nothing_leads_to() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let noise = |n: u32| -> Vec<u8> {
        // Of which zstd makes nothing smaller (xorshift, Marsaglia 2003).
        let mut x = 2463534242u32.wrapping_add(n);
        std::iter::repeat_with(|| {
            x ^= x << 13;
            x ^= x >> 17;
            x ^= x << 5;
            x as u8
        })
        .take(300_000)
        .collect()
    };
    let led_to = |n: u32| NewStep {
        state: format!("{{\"state\":{n},\"rest\":\"{}\"}}", BlobId::hashed(&noise(n)).as_str()),
        blobs: vec![noise(n)],
        ..step(n)
    };
    let kept = store.create_fitting("kept", &led_to(1)).unwrap();
    store.add_step(kept, 1, &led_to(2)).unwrap();
    store.move_cursor(kept, 1).unwrap();
    store.add_step(kept, 1, &led_to(3)).unwrap();
    let thrown = store.create_fitting("thrown away", &led_to(4)).unwrap();
    store.delete_fitting(thrown).unwrap();
    let asset =
        NewAsset { name: "coat".into(), role: "piece".into(), mesh: "coat".into(), summary: String::new() };
    let asset = store.add_assets("coat.glb", &noise(5), &[asset]).unwrap().remove(0);

    let Compacted { blobs, bytes: (before, after) } = store.compact().unwrap();
    assert_eq!(blobs, 4, "two states and what each led to");
    assert!(before - after > 500_000, "{before} {after}");
    for n in [1, 3] {
        assert_eq!(store.blob(&BlobId::hashed(&noise(n))).unwrap(), noise(n));
    }
    assert_eq!(store.blob(&asset.file).unwrap(), noise(5));
    for n in [2, 4] {
        assert!(store.blob(&BlobId::hashed(&noise(n))).is_err());
    }
    assert_eq!(store.compact().unwrap().blobs, 0);
    drop(store);
    assert_eq!(Store::open(folder.path()).unwrap().steps(kept).unwrap().len(), 2);
}

//! Many hands on one fitting at once: whatever comes first, nothing is lost and the board is right.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{
    measured_afresh, BindingStep, Chosen, Clean, MapKind, PieceKind, Step, ViewRequest, Workshop,
    WorkshopError,
};

fn smooth(piece: u32, strength: f32) -> Step {
    let clean = Clean::Smooth { strength, times: 1 };
    Step::Binding(BindingStep::Clean { piece, clean, chosen: Chosen::Everything, locked: Vec::new() })
}

fn bound() -> Bench {
    wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)])
}

fn settled(bench: &Bench) {
    let end = Instant::now() + Duration::from_secs(60);
    while bench.shop.measuring(bench.fitting).running || bench.shop.jobs().running(bench.fitting).is_some() {
        assert!(Instant::now() < end, "still at work after a minute");
        std::thread::sleep(Duration::from_millis(5));
    }
}

fn assert_board_is_right(bench: &Bench) {
    // Undone to before it was bound, there is nothing to measure yet.
    let unbound = bench.room().dress.pieces.iter().all(|p| p.bound.is_none());
    if bench.room().dress.pieces.is_empty() {
        return;
    }
    if unbound {
        bench.bind_all();
    }
    let room = bench.room();
    let fresh = measured_afresh(&room, &|_| true).unwrap();
    assert!(bench.board().cells == fresh.cells);
}

/// Steps, undo, redo, looks and measuring from five sides.
#[test]
fn whatever_comes_first_the_fitting_is_whole() {
    let bench = bound();
    let (shop, fitting) = (&bench.shop, bench.fitting);
    let (done, refused) = (AtomicUsize::new(0), AtomicUsize::new(0));
    std::thread::scope(|s| {
        for hand in 0..2u32 {
            let (done, refused) = (&done, &refused);
            s.spawn(move || {
                for i in 0..6 {
                    match shop.run_now(fitting, smooth(1 + hand, 0.05 + i as f32 * 0.1)) {
                        Ok(_) => done.fetch_add(1, Ordering::Relaxed),
                        Err(_) => refused.fetch_add(1, Ordering::Relaxed),
                    };
                }
            });
        }
        s.spawn(move || {
            for i in 0..12 {
                let outcome = if i % 3 == 2 { shop.redo(fitting) } else { shop.undo(fitting) };
                drop(outcome);
                std::thread::sleep(Duration::from_millis(4));
            }
        });
        s.spawn(move || {
            for pose in 0..20 {
                let room = shop.room(fitting, None).unwrap();
                let view = ViewRequest { pose, map: MapKind::Clearance, ..ViewRequest::default() };
                // It may have gone back to before a piece was put on.
                assert_eq!(room.view(&view).unwrap().len(), room.dress.pieces.len() + 1);
                shop.look_at(fitting, pose);
            }
        });
        s.spawn(move || {
            for i in 0..10 {
                shop.measure(fitting).unwrap();
                std::thread::sleep(Duration::from_millis(3));
                if i % 2 == 0 {
                    shop.stop_measuring(fitting);
                }
            }
        });
    });
    settled(&bench);
    assert_eq!(done.load(Ordering::Relaxed) + refused.load(Ordering::Relaxed), 12);
    let open = bench.open();
    let seqs: Vec<i64> = open.steps.iter().map(|s| s.seq).collect();
    assert!(seqs.windows(2).all(|w| w[0] < w[1]), "steps in order: {seqs:?}");
    assert!(open.current().is_some());
    assert_board_is_right(&bench);
    // And it opens again as it was.
    let state = bench.room().state.clone();
    let Bench { shop, fitting, folder } = bench;
    drop(shop);
    let again = Workshop::open(folder.path()).unwrap();
    assert_eq!(again.room(fitting, None).unwrap().state, state);
}

/// A fitting taken off the shelf while something is under way.
#[test]
fn a_fitting_can_be_deleted_while_it_is_measured() {
    let bench = bound();
    bench.shop.measure(bench.fitting).unwrap();
    while !bench.shop.measuring(bench.fitting).running {
        std::thread::sleep(Duration::from_millis(1));
    }
    match bench.shop.delete(bench.fitting) {
        Ok(()) => {
            let gone = bench.shop.fitting(bench.fitting).err().map(|e| e.to_string());
            assert!(gone.is_some_and(|text| text.contains("fitting")));
            let measured = bench.shop.measure_now(bench.fitting);
            assert!(!matches!(measured, Err(WorkshopError::Stopped) | Ok(_)));
        }
        Err(why) => assert!(why.to_string().contains("stop"), "{why}"),
    }
    assert!(bench.shop.fittings().is_ok());
}

/// Two who ask for the same thing at once get equal things.
#[test]
fn two_fittings_of_one_body_do_not_wait_for_each_other() {
    let bench = bound();
    let body = bench.shop.assets().unwrap().into_iter().find(|a| a.role == "body").unwrap();
    let tunic = bench.shop.assets().unwrap().into_iter().find(|a| a.name == "quilted tunic").unwrap();
    let ids: Vec<i64> = (0..3).map(|i| bench.shop.begin(&format!("twin {i}"), body.id).unwrap()).collect();
    let shop = &bench.shop;
    std::thread::scope(|s| {
        for &id in &ids {
            let step = shop.piece_step(tunic.id, 1, PieceKind::Soft).unwrap();
            s.spawn(move || {
                shop.run_now(id, step).unwrap();
                shop.run_now(id, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
            });
        }
    });
    let states: Vec<_> = ids.iter().map(|id| shop.room(*id, None).unwrap().state.pieces.clone()).collect();
    assert!(states[0] == states[1] && states[1] == states[2], "the same weights, to the bit");
}

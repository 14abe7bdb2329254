//! Hiding what nobody sees of the body: whose it is, what is measured and handed over, and when it comes back.

use std::sync::Arc;
use tin_cloak_testkit::{wearing, wearing_coarse};
use tin_cloak_workshop::HideOfRoom;
use tin_cloak_workshop::{
    export_glb, read, Board, Chosen, Companions, Dress, HideOptions, IntakeStep, MendingStep, PieceKind,
    Reach, SeatingStep, Step,
};

/// Faces of the body in the file that is handed over.
fn faces_out(bench: &tin_cloak_testkit::Bench, whole: bool) -> usize {
    let bytes = bench.shop.export(bench.fitting, whole).unwrap().1;
    read("out.glb", &bytes, &Companions::new()).unwrap().meshes[0].mesh.triangles.len()
}

#[test]
fn what_pieces_hide_is_theirs_and_goes_with_them() {
    let bench = wearing(&[("boots", 1), ("breeches", 2), ("quilted tunic", 3)]);
    let hide = |rings| {
        Step::Mending(MendingStep::Hide { options: HideOptions { rings, beneath: false, through: false } })
    };
    assert!(bench.refused(hide(1)).contains("nothing is bound"));
    bench.bind_all();
    bench.try_no_clips();
    assert!(bench.refused(hide(99)).contains("0 to 20 rings"));
    let all = bench.room().dress.body.topology.triangles.len();
    let before = bench.board();
    assert_eq!(bench.run(hide(1)), "Hide what nobody sees of Wick");
    let masks = bench.room().masks();
    let by: Vec<&str> = masks.iter().map(|m| m.by.as_str()).collect();
    assert_eq!(by, ["boots", "breeches", "quilted tunic", "all 3 together"]);
    assert!(masks.iter().all(|m| m.count > 20 && !m.older), "{masks:?}");
    let hidden = bench.room().dress.masked.count();
    assert!((all / 8..all * 3 / 4).contains(&hidden), "{hidden} of {all}");
    // Nothing is there to poke through; what is handed over has as many faces fewer.
    let after = bench.board();
    let out = |board: &Board| board.bad_cells() + board.stress_cells().0;
    assert!(out(&after) < out(&before), "{} {}", out(&after), out(&before));
    assert_eq!((faces_out(&bench, false), faces_out(&bench, true)), (all - hidden, all));
    assert!(bench.refused(hide(1)).contains("nothing else is hidden"));
    // More is kept at openings when that is wished, and the masks say that they are older than another weight.
    bench.run(hide(3));
    assert!(bench.room().dress.masked.count() < hidden);
    insta::assert_snapshot!(bench.open().effect().notes.join("\n"));
    bench.shop.undo(bench.fitting).unwrap();
    // One of them is taken back by itself: no more is there again than it hid.
    let masks = bench.room().masks();
    let one = masks.iter().find(|m| m.by == "breeches").unwrap();
    let (of, by) = one.ids.clone();
    let said = bench.run(Step::Mending(MendingStep::ShowMask { of, by: by.clone() }));
    let back = hidden - bench.room().dress.masked.count();
    assert_eq!(said, format!("Take {back} faces of Wick back that were hidden by breeches"));
    let left: Vec<String> = bench.room().masks().into_iter().map(|m| m.by).collect();
    assert_eq!(left, ["boots", "quilted tunic", "all 3 together"]);
    assert!((1..=one.count).contains(&back), "{back} of {}: others may have some of them, too", one.count);
    assert!(bench
        .refused(Step::Mending(MendingStep::ShowMask { of, by }))
        .contains("nothing else is hidden"));
    bench.shop.undo(bench.fitting).unwrap();
    // The tunic comes off: what it hid, alone or with others, is back; what the rest hide stays.
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: 3 }));
    let left: Vec<String> = bench.room().masks().into_iter().map(|m| m.by).collect();
    assert_eq!(left, ["boots", "breeches"]);
    assert!(bench.room().masks().iter().all(|m| m.older));
    bench.run(Step::Mending(MendingStep::ShowHidden));
    assert_eq!(faces_out(&bench, false), all);
    // By hand: what lies within what is chosen; at less of it, that is back. It stays whatever is worn.
    let disc = |radius_mm| Chosen::Around(Reach { dabs: vec![16000], radius_mm, ..Reach::default() });
    let mask = |chosen, hide| Step::Mending(MendingStep::Mask { part: 0, chosen, hide });
    assert!(bench.refused(mask(disc(30.0), false)).contains("nothing at what is chosen on “Wick” is hidden"));
    let said = bench.run(mask(disc(60.0), true));
    let by_hand = all - faces_out(&bench, false);
    assert_eq!(said, format!("Hide {by_hand} faces of Wick by hand"));
    let said = bench.run(mask(disc(20.0), false));
    let left = all - faces_out(&bench, false);
    assert_eq!(said, format!("Take {} faces of Wick back", by_hand - left));
    assert!(left > 0 && left < by_hand, "{by_hand} {left}");
    assert!(bench.room().masks().iter().all(|m| m.by == "no piece: by hand" && !m.older));
    bench.run(Step::Mending(MendingStep::ShowHidden));
    assert!(bench.refused(Step::Mending(MendingStep::ShowHidden)).contains("nothing else is hidden"));
}

/// What is left of a body once faces are hidden is an island that a cloak may cross: it has not come out for that.
#[test]
fn what_is_left_of_a_leg_is_no_part_that_came_out() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("scale cloak", 3)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Mixed }));
    bench.bind_all();
    bench.try_no_clips();
    let before = bench.board();
    bench.run(Step::Mending(MendingStep::Hide { options: HideOptions::default() }));
    let after = bench.board();
    let (was, is) = (before.deepest_mm(), after.deepest_mm());
    assert!(is < was + 1.0, "{is} mm, {was} mm before anything was hidden");
}

#[test]
fn what_is_worn_beneath_is_hidden_too_and_what_only_shows_as_it_is_through() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("oilskin coat", 3)]);
    bench.run(Step::Intake(IntakeStep::CureAll));
    bench.bind_all();
    bench.try_no_clips();
    bench.run(Step::Mending(MendingStep::Hide { options: HideOptions::default() }));
    let room = bench.room();
    assert!(room.dress.masked.faces_of(0).len() > 1000);
    let of_tunic = room.dress.masked.faces_of(2).len();
    let faces = room.dress.pieces[1].topology.triangles.len();
    assert!((faces / 50..faces).contains(&of_tunic), "{of_tunic} of {faces}");
    assert!(room.dress.masked.faces_of(3).is_empty(), "nothing lies over the coat");
    // The file has as many faces fewer, and the coat takes what it hid with it.
    let out = |whole| {
        let bytes = bench.shop.export(bench.fitting, whole).unwrap().1;
        let file = read("out.glb", &bytes, &Companions::new()).unwrap();
        file.meshes.iter().find(|m| m.name == "quilted tunic").unwrap().mesh.triangles.len()
    };
    assert_eq!((out(false), out(true)), (faces - of_tunic, faces));
    assert!(room.masks().iter().any(|m| m.of == "quilted tunic" && m.by == "oilskin coat"));
    // By hand something of each part stays; a piece of which nobody sees anything is not in the file.
    let all_of = |part| Step::Mending(MendingStep::Mask { part, chosen: Chosen::Everything, hide: true });
    assert!(bench.refused(all_of(2)).contains("nothing of “quilted tunic” would be left: hide less"));
    assert!(bench.refused(all_of(0)).contains("nothing of the body would be left"));
    let mut dress = Dress::clone(&room.dress);
    Arc::make_mut(&mut dress.masked).0.insert(2, (0..faces as u32).collect());
    let file = read("out.glb", &export_glb(&dress).unwrap(), &Companions::new()).unwrap();
    let names: Vec<&str> = file.meshes.iter().map(|m| m.name.as_str()).collect();
    assert_eq!(names, ["Wick", "breeches", "oilskin coat"]);
    bench.run(Step::Intake(IntakeStep::RemovePiece { piece: 3 }));
    assert!(bench.room().masks().iter().all(|m| m.of == "Wick" && m.by != "oilskin coat"));
    // Faces of a piece that is changed have other numbers: its mask is found again.
    bench.shop.undo(bench.fitting).unwrap();
    bench.run(Step::Seating(SeatingStep::Mirror { piece: 2 }));
    assert!(bench.room().masks().iter().all(|m| m.of != "quilted tunic"));
}

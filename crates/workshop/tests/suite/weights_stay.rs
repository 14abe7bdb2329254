//! What becomes of the weights of a bound piece that is moved, sized, mirrored or filed anew.

use tin_cloak_testkit::{wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::intake::mirror_partner;
use tin_cloak_workshop::core::skin::Skin;
use tin_cloak_workshop::core::JointId;
use tin_cloak_workshop::{
    BindingStep, Chosen, Clean, IntakeStep, PieceKind, PlaceOptions, Reach, SeatingStep, SourcePart, Step,
    Takes,
};

/// The tunic, bound and smoothed in one place.
fn cleaned() -> Bench {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let clean = Clean::Smooth { strength: 1.0, times: 4 };
    let chosen = Chosen::Around(Reach { radius_mm: 90.0, dabs: vec![400], mirrored: false });
    bench.run(Step::Binding(BindingStep::Clean { piece: 1, clean, chosen, locked: Vec::new() }));
    bench
}

fn skin(bench: &Bench, piece: u32) -> Skin {
    bench.piece(piece).bound.unwrap().skin.clone()
}

fn place(change: impl FnOnce(&mut PlaceOptions)) -> Step {
    let mut options = PlaceOptions::NONE;
    change(&mut options);
    Step::Seating(SeatingStep::Place { piece: 1, options })
}

#[test]
fn a_move_of_the_whole_keeps_weights_and_a_new_size_binds_again() {
    let bench = cleaned();
    let before = skin(&bench, 1);
    let said = bench.run(place(|o| (o.shift_mm, o.turn_degrees) = ([0.0, 5.0, 2.0], [0.0, 3.0, 0.0])));
    assert_eq!(said, "Place quilted tunic; its weights stay");
    assert_eq!(skin(&bench, 1), before);
    let said = bench.run(place(|o| o.size_percent = [110.0, 100.0, 110.0]));
    assert_eq!(said, "Place quilted tunic; bound again as its recipe says");
    let notes = bench.open().effect().notes;
    assert!(notes.iter().any(|n| n == "again: Smooth weights of quilted tunic, 1 × 4"), "{notes:?}");
    // As if it had been bound and cleaned there.
    let after = skin(&bench, 1);
    bench.run(Step::Binding(BindingStep::ForgetCleaning { piece: 1 }));
    assert_ne!(skin(&bench, 1), after);
    bench.shop.undo(bench.fitting).unwrap();
    bench.bind_all();
    assert_eq!(skin(&bench, 1), after, "binding does again what was cleaned");
    assert!(bench.refused(place(|o| o.size_percent = [0.0; 3])).contains("sizes are above 0"));
    assert_eq!(skin(&bench, 1), after);
}

#[test]
fn a_mirror_image_has_the_weights_of_the_partners() {
    let bench = cleaned();
    let (before, skeleton) = (skin(&bench, 1), bench.room().dress.body.skeleton.clone());
    assert_eq!(
        bench.run(Step::Seating(SeatingStep::Mirror { piece: 1 })),
        "Mirror quilted tunic; its weights are mirrored"
    );
    let after = skin(&bench, 1);
    for j in (0..skeleton.len() as u16).map(JointId) {
        let partner = mirror_partner(&skeleton, j).unwrap_or(j);
        assert_alike(&after.column(partner), &before.column(j));
    }
    bench.run(Step::Seating(SeatingStep::Mirror { piece: 1 }));
    let back = skin(&bench, 1);
    (0..skeleton.len() as u16).map(JointId).for_each(|j| assert_alike(&back.column(j), &before.column(j)));
    let said = bench.run(Step::Seating(SeatingStep::CopyMirrored { piece: 1 }));
    assert!(said.ends_with("; its weights are mirrored"), "{said}");
    assert_eq!(
        skin(&bench, 2),
        skin(&bench, 1).renumbered(|j| mirror_partner(&skeleton, j).unwrap_or(j), skeleton.len()).unwrap()
    );
}

fn assert_alike(a: &[f32], b: &[f32]) {
    let apart = a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(a.len() == b.len() && apart < 1e-6, "{apart}");
}

#[test]
fn filed_as_stiff_it_moves_as_one_and_filed_back_it_is_what_it_was() {
    let bench = cleaned();
    let before = skin(&bench, 1);
    let kind = |kind| Step::Intake(IntakeStep::SetKind { piece: 1, kind });
    assert!(bench.run(kind(PieceKind::Stiff)).ends_with("; bound again as its recipe says"));
    assert_eq!(bench.piece(1).bound.unwrap().method, "stiff");
    bench.run(kind(PieceKind::Soft));
    assert_eq!(skin(&bench, 1), before);
    // Of what cannot be bound again the weights are taken off, and it is said why.
    let bench = wearing_coarse(&[("quilted tunic", 1), ("breeches", 2)]);
    bench.run(Step::Binding(BindingStep::Bind { pieces: vec![2] }));
    let takes = Takes::Pieces(vec![1]);
    let said = bench.run(Step::Binding(BindingStep::TakeFrom { piece: 2, takes, part: SourcePart::Whole }));
    assert!(said.ends_with("from quilted tunic; its weights are taken off"), "{said}");
    let notes = bench.open().effect().notes;
    assert!(
        notes.iter().any(|n| n.contains("could not be bound again") && n.contains("not bound")),
        "{notes:?}"
    );
    assert!(bench.piece(2).bound.is_none());
}

/// Faces left out carry along what was cleaned, and the part that another piece takes.
#[test]
fn what_goes_by_number_is_carried_through_a_cut() {
    let bench = wearing_coarse(&[("tin breastplate", 1), ("lantern", 2)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 1, kind: PieceKind::Soft }));
    bench.bind_all();
    let old = bench.piece(1);
    let seen =
        (0..old.rest.len() as u32).max_by(|a, b| old.rest[*a as usize].z.total_cmp(&old.rest[*b as usize].z));
    let reach = Reach { radius_mm: 60.0, dabs: vec![seen.unwrap()], mirrored: false };
    let part = SourcePart::Patch(reach.clone());
    bench.run(Step::Binding(BindingStep::TakeFrom { piece: 2, takes: Takes::Pieces(vec![1]), part }));
    let clean = Clean::Smooth { strength: 1.0, times: 4 };
    let chosen = Chosen::Around(reach);
    bench.run(Step::Binding(BindingStep::Clean { piece: 1, clean, chosen, locked: Vec::new() }));
    bench.run(Step::Intake(IntakeStep::LeaveOutUnseen { piece: 1 }));
    let new = bench.piece(1);
    assert!(new.rest.len() < old.rest.len());
    let state = bench.room().state.pieces.clone();
    let place = |r: &Reach| new.rest[r.dabs[0] as usize];
    let (Chosen::Around(cleaned), SourcePart::Patch(taken)) =
        (&state[0].cleaned[0].chosen, &state[1].recipe.part)
    else {
        panic!("{state:?}")
    };
    for reach in [cleaned, taken] {
        assert_eq!(place(reach), old.rest[seen.unwrap() as usize]);
    }
}

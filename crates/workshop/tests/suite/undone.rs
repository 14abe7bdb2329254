//! Undo and redo over any way that steps may be taken: a fitting is its steps, and nothing else.

use proptest::prelude::{any, prop, prop_assert_eq, proptest, ProptestConfig, Strategy};
use tin_cloak_testkit::{wearing_coarse, Bench};
use tin_cloak_workshop::core::intake::Place;
use tin_cloak_workshop::{BindingStep, IntakeStep, PieceKind, PlaceOptions, SeatingStep, Step, TrialStep};

const TUNIC: u32 = 1;
const COAT: u32 = 2;

/// What a hand may do next.
#[derive(Clone, Debug)]
enum Act {
    Do(u8),
    Undo,
    Redo,
    Go(u8),
}

fn acts() -> impl Strategy<Value = Vec<Act>> {
    let act = (0..10_u8, any::<u8>()).prop_map(|(kind, n)| match kind {
        0..=4 => Act::Do(n % 8),
        5 | 6 => Act::Undo,
        7 | 8 => Act::Redo,
        _ => Act::Go(n),
    });
    prop::collection::vec(act, 4..14)
}

fn step(n: u8) -> Step {
    let shifted = |mm: f32| PlaceOptions {
        shift_mm: [mm, 0.0, 0.0],
        turn_degrees: [0.0; 3],
        size_percent: [100.0; 3],
        about: None,
        onto: None,
    };
    match n {
        0 => Step::Binding(BindingStep::Bind { pieces: Vec::new() }),
        1 => Step::Intake(IntakeStep::MoveToLayer { piece: TUNIC, layer: 2 }),
        2 => Step::Intake(IntakeStep::MoveToLayer { piece: COAT, layer: 1 }),
        3 => Step::Intake(IntakeStep::SetKind { piece: COAT, kind: PieceKind::Mixed }),
        4 => Step::Seating(SeatingStep::Place { piece: TUNIC, options: shifted(3.0) }),
        5 => Step::Trial(TrialStep::SetTolerance { tolerance_mm: 2.0 }),
        6 => Step::Intake(IntakeStep::RemovePiece { piece: COAT }),
        _ => Step::Intake(IntakeStep::SetPlace { piece: TUNIC, place: Place::Torso }),
    }
}

fn state(bench: &Bench) -> String {
    serde_json::to_string(&bench.room().state).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6, ..ProptestConfig::default() })]

    /// A list of states beside the workshop: undo, redo and going back show what stood there, whatever was tried.
    #[test]
    fn what_is_shown_is_what_stood_there(acts in acts()) {
        let bench = wearing_coarse(&[("quilted tunic", 1), ("oilskin coat", 3)]);
        let first = bench.open().fitting.cursor;
        let (mut stood, mut at) = (vec![state(&bench)], 0_usize);
        for act in acts {
            match act {
                Act::Do(n) => {
                    if bench.shop.run_now(bench.fitting, step(n)).is_ok() {
                        stood.truncate(at + 1);
                        stood.push(state(&bench));
                        at += 1;
                    }
                }
                Act::Undo => {
                    // Before the first state there are those that put the pieces on.
                    if at > 0 {
                        bench.shop.undo(bench.fitting).unwrap();
                        at -= 1;
                    }
                }
                Act::Redo => {
                    let can = at + 1 < stood.len();
                    prop_assert_eq!(bench.shop.redo(bench.fitting).is_ok(), can);
                    at += usize::from(can);
                }
                Act::Go(n) => {
                    at = usize::from(n) % stood.len();
                    bench.shop.go_to(bench.fitting, first + at as i64).unwrap();
                }
            }
            prop_assert_eq!(bench.open().fitting.cursor, first + at as i64);
            prop_assert_eq!(&state(&bench), &stood[at]);
        }
    }
}

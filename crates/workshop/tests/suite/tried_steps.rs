//! Steps that are tried first: made, measured and shown, and nothing is changed.

use tin_cloak_testkit::wearing_coarse_bound;
use tin_cloak_workshop::{
    Against, Chosen, JobState, MendOptions, MendingStep, RelaxOptions, SeatingStep, Step, ViewOfRoom,
    ViewRequest,
};

fn push(limit_mm: f32) -> Step {
    Step::Mending(MendingStep::PushOut {
        pieces: Vec::new(),
        chosen: Chosen::Everything,
        options: MendOptions { limit_mm, ..MendOptions::default() },
        against: Against::default(),
        turns: Vec::new(),
    })
}

#[test]
fn steps_are_tried_side_by_side_looked_at_and_one_is_done() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let (shop, fitting) = (&bench.shop, bench.fitting);
    let (rest, board, steps) = (bench.rest(2), bench.board(), bench.open().steps.len());
    let tried = |step: Step| bench.waited(shop.try_step(fitting, step).unwrap());
    assert!(matches!(tried(push(20.0)), JobState::Done(told) if told.starts_with("Tried: Push out")));
    let tuck = Step::Mending(MendingStep::Tuck {
        options: MendOptions::of_tucks(),
        of: None,
        chosen: Chosen::Everything,
        pose: None,
    });
    assert!(matches!(tried(tuck), JobState::Done(_)));
    assert!(matches!(tried(push(-3.0)), JobState::Failed(why) if why.contains("0 to 200 mm")));
    let list = shop.tried_steps(fitting).unwrap();
    assert_eq!(list.len(), 2, "what is refused is not listed");
    let gain = list[0].brought.unwrap();
    assert_eq!(gain.cells.0, board.bad_cells());
    assert!(gain.cells.1 < gain.cells.0, "{gain:?}");
    // Nothing is changed; each is looked at by a number below all steps.
    assert_eq!((bench.rest(2), bench.open().steps.len()), (rest.clone(), steps));
    let there = shop.room(fitting, Some(-1)).unwrap();
    assert_ne!(there.dress.pieces[there.index_of(2).unwrap()].rest[..], rest[..]);
    assert!(there.view(&ViewRequest { pose: 3, ..ViewRequest::default() }).is_ok());
    assert!(shop.room(fitting, Some(-3)).err().unwrap().to_string().contains("no step that was tried 3"));
    // Tried again it is that one, listed last; of five the first goes.
    assert!(matches!(tried(push(20.0)), JobState::Done(_)));
    assert_eq!(shop.tried_steps(fitting).unwrap().len(), 2);
    let relax = |times| {
        Step::Seating(SeatingStep::Relax {
            piece: 2,
            chosen: Chosen::Everything,
            options: RelaxOptions { times, ..RelaxOptions::default() },
            shape: None,
        })
    };
    (1..=3).for_each(|times| assert!(matches!(tried(relax(times)), JobState::Done(_))));
    let list = shop.tried_steps(fitting).unwrap();
    assert!(list.len() == 4 && list[0].sentence.starts_with("Push out"), "{}", list[0].sentence);

    // Done it is what was shown, and what was tried on another state is not shown any more.
    let shown = shop.room(fitting, Some(-1)).unwrap();
    let wanted = shown.dress.pieces[shown.index_of(2).unwrap()].rest.to_vec();
    assert!(matches!(bench.waited(shop.do_tried(fitting, 0).unwrap()), JobState::Done(_)));
    assert_eq!(bench.rest(2), wanted);
    assert_eq!(bench.board().bad_cells(), gain.cells.1);
    assert!(shop.tried_steps(fitting).unwrap().is_empty());
    assert!(shop.do_tried(fitting, 0).is_err());
    shop.undo(fitting).unwrap();
    assert_eq!(shop.tried_steps(fitting).unwrap().len(), 4, "on that state they are there again");
    shop.forget_tried(fitting);
    assert!(shop.tried_steps(fitting).unwrap().is_empty());
}

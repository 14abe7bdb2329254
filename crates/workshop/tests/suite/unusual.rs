//! Files that are not as most are: shapes that are always on, worn or keyed.

use crate::ball::{depths, grown, Ball};
use tin_cloak_workshop::core::deform::{Driver, Morph};
use tin_cloak_workshop::TrialWish;

/// A shape that is always on is part of rest: what it draws in there is not taken off what a pose pushes out.
#[test]
fn what_a_shape_that_is_always_on_draws_in_at_rest_is_no_trouble_of_rest() {
    // Without it the ball would be 4 mm through at rest.
    let mut ball = Ball::in_shell(0.096).pushed_by(0.010);
    let drawn_in = Morph { driver: Some(Driver::always()), ..grown(&ball.body, "drawn in", -0.010) };
    (ball.body.morphs, ball.body.amounts) = (vec![drawn_in], vec![1.0]);
    let file = ball.opened(TrialWish::Clips);
    let told = depths(&file.board(&|_| true).unwrap());
    assert!(told[0] < 0.01, "6 mm of air at rest, {told:?}");
    let last = *told.last().unwrap();
    assert!((last - 4.0).abs() < 0.2, "10 mm pushed, 6 mm of air: {told:?}");
}

//! What was done to one side by hand is done to the other: within a piece, and from one piece to its pair.

use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::mirror_partner;
use tin_cloak_workshop::{
    BindingStep, Chosen, Clean, HandAmount, HandChange, HandRest, MoveOptions, OtherSide, Pick, Reach,
    SeatingStep, Step, What,
};

const TUNIC: u32 = 1;

fn around(vertex: u32) -> Chosen {
    let reach = Reach { radius_mm: 40.0, dabs: vec![vertex], mirrored: false };
    Chosen::Picks(vec![Pick::add(What::Around(reach))])
}

fn pushed(piece: u32, chosen: Chosen) -> Step {
    let options =
        MoveOptions { shift_mm: [4.0, 3.0, 6.0], off_mm: 5.0, fade_mm: 30.0, ..MoveOptions::default() };
    Step::Seating(SeatingStep::MoveChosen { piece, chosen, options, in_pose: None, into_shape: None })
}

fn given(piece: u32, options: OtherSide) -> Step {
    Step::Seating(SeatingStep::OtherSide { piece, chosen: Chosen::Everything, options })
}

fn both(from: u32, from_left: bool) -> OtherSide {
    OtherSide { from, from_left, shape: true, weights: true }
}

/// The vertex furthest to the left.
fn leftmost(bench: &Bench, piece: u32) -> u32 {
    let rest = bench.rest(piece);
    (0..rest.len() as u32).max_by(|a, b| rest[*a as usize].x.total_cmp(&rest[*b as usize].x)).unwrap()
}

/// The vertex nearest to a place.
fn nearest(rest: &[Vec3], place: Vec3) -> usize {
    (0..rest.len()).min_by(|a, b| rest[*a].distance(place).total_cmp(&rest[*b].distance(place))).unwrap()
}

fn weight(bench: &Bench, piece: u32, vertex: usize, joint: &str) -> f32 {
    let joint = bench.room().dress.body.skeleton.find(joint).unwrap();
    bench.piece(piece).bound.unwrap().skin.column(joint)[vertex]
}

#[test]
fn the_right_of_a_piece_gets_the_shape_and_the_weights_of_its_left() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let (came, vertex) = (bench.rest(TUNIC), leftmost(&bench, TUNIC) as usize);
    let plane = bench.room().dress.body.plane();
    let image = |p: Vec3| Vec3::new(2.0 * plane - p.x, p.y, p.z);
    let other = nearest(&came, image(came[vertex]));
    assert!(came[other].distance(image(came[vertex])) < 0.012, "the tunic is alike enough");

    bench.run(pushed(TUNIC, around(vertex as u32)));
    let skeleton = bench.room().dress.body.skeleton.clone();
    let heaviest = bench.piece(TUNIC).bound.unwrap().skin.row(vertex).max_by(|a, b| a.1.total_cmp(&b.1));
    let joint = heaviest.unwrap().0;
    let partner = mirror_partner(&skeleton, joint).unwrap();
    let (joint, partner) = (&skeleton.names[joint.index()], &skeleton.names[partner.index()]);
    let change =
        HandChange::Give { joint: joint.clone(), amount: HandAmount::Set(0.37), rest: HandRest::Others };
    bench.run(Step::Binding(BindingStep::Clean {
        piece: TUNIC,
        clean: Clean::ByHand { change, firm_percent: None },
        chosen: around(vertex as u32),
        locked: Vec::new(),
    }));
    let (left, before) = (bench.rest(TUNIC), weight(&bench, TUNIC, other, partner));
    let done = left[vertex] - came[vertex];
    assert!(done.length() > 0.008);

    let said = bench.run(given(TUNIC, both(TUNIC, true)));
    assert_eq!(said, "Give shape and weights of the left of quilted tunic to its right");
    let notes = bench.open().effect().notes.join("\n");
    assert!(notes.contains("off the other side’s by") && notes.contains("mm at most"), "{notes}");
    let after = bench.rest(TUNIC);
    // What was done on the left is done on the right, in a mirror; the left is as it was, to the bit.
    let wanted = Vec3::new(-done.x, done.y, done.z);
    let found = after[other] - came[other];
    assert!(found.distance(wanted) < 0.003, "{found} is not {wanted}");
    assert_eq!(after[vertex], left[vertex]);
    let now = weight(&bench, TUNIC, other, partner);
    assert!((now - 0.37).abs() < 0.05, "{partner} had {before}, has {now}");

    // Given again nothing is to be done: both are alike.
    bench.run(given(TUNIC, both(TUNIC, true)));
    let again = bench.rest(TUNIC);
    let most = after.iter().zip(&again).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(most < 2e-4, "{most}");
    bench.shop.undo(bench.fitting).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.rest(TUNIC), left);
}

#[test]
fn a_piece_gets_what_was_done_to_its_pair() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let bring = tin_cloak_testkit::wardrobe().iter().find(|f| f.name == "left pauldron.glb");
    let file = bring.expect("the demo has a pauldron");
    let asset = bench.shop.bring_in(file.name, &file.bytes, &Default::default()).unwrap()[0].id;
    let step = bench.shop.piece_step(asset, 4, tin_cloak_workshop::PieceKind::Soft).unwrap();
    bench.run(step);
    let first = bench.room().state.pieces.last().unwrap().id;
    bench.run(Step::Seating(SeatingStep::CopyMirrored { piece: first }));
    let second = bench.room().state.pieces.iter().map(|p| p.id).max().unwrap();
    bench.bind_all();
    let (came, plane) = (bench.rest(first), bench.room().dress.body.plane());
    bench.run(pushed(first, Chosen::Picks(vec![Pick::add(What::Vertices(vec![0]))])));
    let done = bench.rest(first);
    assert!(done[0].distance(came[0]) > 0.005);
    let said = bench.run(given(second, both(first, false)));
    assert!(said.ends_with(", mirrored"), "{said}");
    let paired = bench.rest(second);
    let image = Vec3::new(2.0 * plane - done[0].x, done[0].y, done[0].z);
    let near = paired[nearest(&paired, image)].distance(image);
    assert!(near < 1e-4, "{near} m off");
}

/// Moved as a whole it is the same piece elsewhere: only what was done besides is given.
#[test]
fn a_piece_that_was_placed_gives_what_was_done_to_it_besides() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let options = tin_cloak_workshop::PlaceOptions {
        shift_mm: [0.0, 25.0, 10.0],
        turn_degrees: [3.0, 0.0, 0.0],
        size_percent: [100.0; 3],
        about: None,
        onto: None,
    };
    bench.run(Step::Seating(SeatingStep::Place { piece: TUNIC, options }));
    let (placed, vertex) = (bench.rest(TUNIC), leftmost(&bench, TUNIC) as usize);
    let shape = OtherSide { from: TUNIC, from_left: true, shape: true, weights: false };
    bench.run(pushed(TUNIC, around(vertex as u32)));
    let edited = bench.rest(TUNIC);
    bench.run(given(TUNIC, shape));
    let after = bench.rest(TUNIC);
    let plane = bench.room().dress.body.plane();
    let moved = |from: &[Vec3], to: &[Vec3], left: bool| -> f32 {
        let here = (0..from.len()).filter(|v| (from[*v].x > plane) == left);
        here.map(|v| from[v].distance(to[v])).fold(0.0, f32::max)
    };
    let (done, given) = (moved(&placed, &edited, true), moved(&edited, &after, false));
    assert!((done - given).abs() < 0.002 && done > 0.008, "{done} m on the left, {given} m on the right");
    // What nobody touched on either side stays: far from the place and from its image.
    let image = Vec3::new(2.0 * plane - placed[vertex].x, placed[vertex].y, placed[vertex].z);
    let is_far = |v: &usize| placed[*v].distance(placed[vertex]) > 0.2 && placed[*v].distance(image) > 0.2;
    let most = (0..placed.len()).filter(is_far).map(|v| placed[v].distance(after[v])).fold(0.0, f32::max);
    assert!(most < 1e-4, "{most} m");
}

#[test]
fn what_cannot_be_given_is_refused() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1), ("boots", 2)]);
    let nothing = OtherSide { from: TUNIC, from_left: true, shape: false, weights: false };
    assert!(bench.refused(given(TUNIC, nothing)).contains("nothing would be given"));
    assert!(bench.refused(given(TUNIC, both(99, true))).contains("piece"));
    assert!(bench.refused(given(2, both(TUNIC, true))).contains("no mirror image"));
}

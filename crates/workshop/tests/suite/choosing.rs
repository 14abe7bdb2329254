//! What picks come to: one after the other, as sets do; along edges, over the surface, by what lies where.

use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::bind::sides::BodySide;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::query::Bvh;
use tin_cloak_workshop::{
    BindingStep, ChoosingOfRoom, Chosen, Clean, HandAmount, HandChange, HandRest, Moment, Pick, PickHow,
    Reach, Step, ViewRequest, What,
};

const TUNIC: u32 = 1;

struct On {
    bench: Bench,
    rest: Vec<Vec3>,
}

impl On {
    fn the_tunic() -> Self {
        let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
        let rest = bench.rest(TUNIC);
        Self { bench, rest }
    }

    /// Welded vertices that picks come to, by what is drawn of them.
    fn picked(&self, picks: &[(PickHow, What)]) -> Vec<u32> {
        let picks: Vec<Pick> =
            picks.iter().map(|(how, what)| Pick { how: *how, what: what.clone() }).collect();
        let (room, view) = (self.bench.room(), ViewRequest::default());
        let found = room.choose(TUNIC, &picks, Moment::new(&view)).unwrap();
        let of_vertex = &self.bench.piece(TUNIC).topology.weld.of_vertex;
        let mut list: Vec<u32> = found.drawn.iter().map(|v| of_vertex[*v as usize]).collect();
        list.sort_unstable();
        list.dedup();
        assert_eq!(list.len(), found.count, "what is lit is what is counted");
        list
    }

    fn of(&self, what: What) -> Vec<u32> {
        self.picked(&[(PickHow::Add, what)])
    }

    fn around(&self, vertex: u32, radius_mm: f32) -> What {
        What::Around(Reach { radius_mm, dabs: vec![vertex], mirrored: false })
    }

    fn chest(&self) -> u32 {
        let front = |v: &&u32| self.rest[**v as usize].z;
        let all: Vec<u32> = (0..self.rest.len() as u32).collect();
        *all.iter().max_by(|a, b| front(a).total_cmp(&front(b))).unwrap()
    }
}

#[test]
fn picks_add_take_away_and_keep_within_as_sets_do() {
    let on = On::the_tunic();
    let (a, b) = (on.around(on.chest(), 90.0), What::Side(BodySide::Left));
    let (set_a, set_b) = (on.of(a.clone()), on.of(b.clone()));
    let both = |how| on.picked(&[(PickHow::Add, a.clone()), (how, b.clone())]);
    let has = |set: &[u32], v: &u32| set.binary_search(v).is_ok();
    let within: Vec<u32> = set_a.iter().copied().filter(|v| has(&set_b, v)).collect();
    let without: Vec<u32> = set_a.iter().copied().filter(|v| !has(&set_b, v)).collect();
    assert!(!within.is_empty() && !without.is_empty());
    assert_eq!(both(PickHow::Within), within);
    assert_eq!(both(PickHow::Take), without);
    assert_eq!(both(PickHow::Add).len(), set_a.len() + set_b.len() - within.len());
    // Turned round twice it is what it was; turned round it is all else.
    let turned = |times: usize| {
        let mut picks = vec![(PickHow::Add, a.clone())];
        picks.extend(vec![(PickHow::Add, What::Invert); times]);
        on.picked(&picks)
    };
    assert_eq!(turned(2), set_a);
    assert_eq!(turned(1).len(), on.rest.len() - set_a.len());
    assert!(turned(1).iter().all(|v| !has(&set_a, v)));
}

#[test]
fn a_choice_grows_and_shrinks_by_rings_and_by_millimetres() {
    let on = On::the_tunic();
    let place = on.around(on.chest(), 40.0);
    let then = |more: &[What]| {
        let mut picks = vec![(PickHow::Add, place.clone())];
        picks.extend(more.iter().map(|what| (PickHow::Add, what.clone())));
        on.picked(&picks)
    };
    let (as_it_is, more, less) = (then(&[]), then(&[What::Rings(2)]), then(&[What::Rings(-1)]));
    assert!(less.len() < as_it_is.len() && as_it_is.len() < more.len());
    let topology = on.bench.piece(TUNIC).topology;
    let touches = |v: &u32, set: &[u32]| {
        topology.neighbours.row(*v as usize).iter().any(|n| set.binary_search(n).is_ok())
    };
    let one = then(&[What::Rings(1)]);
    assert!(one.iter().all(|v| as_it_is.binary_search(v).is_ok() || touches(v, &as_it_is)));
    // What is grown and shrunk again has all that it had: a ring taken off is a ring that was put on.
    let back = then(&[What::Rings(2), What::Rings(-2)]);
    assert!(as_it_is.iter().all(|v| back.binary_search(v).is_ok()));
    // Over the surface, and so not further by the straight line.
    let wider = then(&[What::Wider { mm: 30.0 }]);
    assert!(wider.len() > as_it_is.len());
    let far = |v: &u32| {
        let p = on.rest[*v as usize];
        as_it_is.iter().map(|w| on.rest[*w as usize].distance(p)).fold(f32::MAX, f32::min)
    };
    let furthest = wider.iter().map(far).fold(0.0, f32::max);
    // Distances over a surface are marched from face to face: right within some percent.
    assert!((0.02..=0.0312).contains(&furthest), "{furthest}");
}

#[test]
fn the_way_between_two_clicks_is_connected_and_a_loop_closes() {
    let on = On::the_tunic();
    let topology = on.bench.piece(TUNIC).topology;
    let from = on.chest();
    let low = |v: &&u32| on.rest[**v as usize].y;
    let all: Vec<u32> = (0..on.rest.len() as u32).collect();
    let shell = topology.shell_of_vertex[from as usize];
    let to = *all
        .iter()
        .filter(|v| topology.shell_of_vertex[**v as usize] == shell)
        .min_by(|a, b| low(a).total_cmp(&low(b)))
        .unwrap();
    let way = on.of(What::Way([from, to]));
    assert!(way.contains(&from) && way.contains(&to));
    let inside = |v: &u32| topology.neighbours.row(*v as usize).iter().filter(|n| way.contains(n)).count();
    assert!(way.iter().all(|v| inside(v) >= if *v == from || *v == to { 1 } else { 2 }));

    let [a, b] = topology.edges[topology.edges.len() / 2];
    let ring = on.of(What::Loop([a, b]));
    assert!(ring.contains(&a) && ring.contains(&b) && ring.len() > 2);
}

#[test]
fn a_mirror_image_is_as_large_and_lies_across_the_plane() {
    let on = On::the_tunic();
    let left = |v: &u32| on.rest[*v as usize].x;
    let all: Vec<u32> = (0..on.rest.len() as u32).collect();
    let side = *all.iter().max_by(|a, b| left(a).total_cmp(&left(b))).unwrap();
    let place = on.around(side, 45.0);
    let one = on.of(place.clone());
    let both = on.picked(&[(PickHow::Add, place), (PickHow::Add, What::Mirrored)]);
    let plane = on.bench.room().dress.body.plane();
    let here = both.iter().filter(|v| left(v) > plane).count();
    let there = both.len() - here;
    assert_eq!(here, one.len());
    assert!(there.abs_diff(here) * 10 <= here, "{here} here, {there} there");
}

/// By what moves it: all that a joint has more of than said, and nothing else.
#[test]
fn what_a_joint_moves_is_chosen_by_its_weight() {
    let on = On::the_tunic();
    let (room, bound) = (on.bench.room(), on.bench.piece(TUNIC).bound.unwrap());
    let skeleton = &room.dress.body.skeleton;
    let spine = skeleton.names.iter().find(|n| n.contains("spine")).unwrap();
    let weights = bound.skin.column(skeleton.find(spine).unwrap());
    for over in [0.0, 0.25, 0.9] {
        let found = on.of(What::Joint { joint: spine.clone(), over });
        let wanted: Vec<u32> = (0..weights.len() as u32).filter(|v| weights[*v as usize] > over).collect();
        assert_eq!(found, wanted, "{spine} over {over}");
    }
    let many = on.of(What::OverJoints(2));
    assert!(many.iter().all(|v| bound.skin.row(*v as usize).count() > 2));
}

/// Weights of a named part, of all joints or of one, on just what is chosen.
#[test]
fn what_is_chosen_takes_weights_of_a_part_that_is_named() {
    let on = On::the_tunic();
    let vertex = on.chest();
    let take = |part: u32, joint: Option<&str>| {
        let change = HandChange::TakenFrom { part, share: 1.0, joint: joint.map(str::to_owned) };
        Step::Binding(BindingStep::Clean {
            piece: TUNIC,
            clean: Clean::ByHand { change, firm_percent: None },
            chosen: Chosen::Picks(vec![Pick::add(What::Vertices(vec![vertex]))]),
            locked: Vec::new(),
        })
    };
    let skin = || on.bench.piece(TUNIC).bound.unwrap().skin.clone();
    assert!(on.bench.refused(take(TUNIC, None)).contains("from itself"));
    assert!(on.bench.refused(take(77, None)).contains("bind"));
    assert!(on.bench.refused(take(0, Some("tail"))).contains("tail"));
    // All on one joint first; what is taken then is not that.
    let room = on.bench.room();
    let far = room.dress.body.skeleton.names.iter().position(|n| n.contains("foot_left")).unwrap() as u16;
    let name = room.dress.body.skeleton.names[usize::from(far)].clone();
    let given = HandChange::Give { joint: name, amount: HandAmount::Set(1.0), rest: HandRest::Others };
    on.bench.run(Step::Binding(BindingStep::Clean {
        piece: TUNIC,
        clean: Clean::ByHand { change: given, firm_percent: None },
        chosen: Chosen::Picks(vec![Pick::add(What::Vertices(vec![vertex]))]),
        locked: Vec::new(),
    }));
    let before = skin();
    assert_eq!(before.row(vertex as usize).count(), 1);
    assert_eq!(on.bench.run(take(0, None)), "100 % of the weights of another part on quilted tunic");
    let after = skin();
    // What the body has at the place nearest to it.
    let body = &room.dress.body;
    let tree = Bvh::build(&body.rest, &body.topology.triangles);
    let hit = tree.closest(on.rest[vertex as usize], f32::INFINITY).unwrap();
    for (joint, wanted) in
        body.welded_skin.at(body.topology.triangles[hit.triangle as usize], hit.barycentric)
    {
        let found = after.column(joint)[vertex as usize];
        assert!((found - wanted).abs() < 0.02, "{joint:?}: {found}, not {wanted}");
    }
    let others = (0..on.rest.len()).filter(|v| *v != vertex as usize);
    assert!(others.into_iter().all(|v| after.row(v).eq(before.row(v))), "nothing else changes");
}

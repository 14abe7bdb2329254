//! What is chosen is moved by hand: at rest, faded, mirrored, in a pose, in a shape; shown before as it is then.

use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mesh::vertex_normals;
use tin_cloak_workshop::BrushViewOfRoom;
use tin_cloak_workshop::PosedOfRoom;
use tin_cloak_workshop::{
    Chosen, MendingStep, MoveOptions, MovedOnPiece, Pick, Reach, SeatingStep, Step, StrokePose, What,
};

const TUNIC: u32 = 1;

fn around(vertex: u32, radius_mm: f32) -> Chosen {
    let reach = Reach { radius_mm, dabs: vec![vertex], mirrored: false };
    Chosen::Picks(vec![Pick::add(What::Around(reach))])
}

fn step(chosen: &Chosen, options: MoveOptions) -> Step {
    Step::Seating(SeatingStep::MoveChosen {
        piece: TUNIC,
        chosen: chosen.clone(),
        options,
        in_pose: None,
        into_shape: None,
    })
}

/// A vertex at the side of the tunic, off the middle.
fn at_the_side(bench: &Bench) -> u32 {
    let piece = bench.piece(TUNIC);
    let side = |v: &u32| piece.rest[*v as usize].x - piece.plane;
    let far = (0..piece.rest.len() as u32).filter(|v| (0.10..0.16).contains(&side(v)));
    far.max_by(|a, b| piece.rest[*a as usize].z.total_cmp(&piece.rest[*b as usize].z)).unwrap()
}

fn moves(before: &[Vec3], after: &[Vec3]) -> Vec<Vec3> {
    before.iter().zip(after).map(|(a, b)| *b - *a).collect()
}

#[test]
fn what_is_chosen_goes_and_what_is_about_it_less_and_less() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let (rest, vertex) = (bench.rest(TUNIC), at_the_side(&bench));
    let chosen = around(vertex, 40.0);
    let up = MoveOptions { shift_mm: [0.0, 10.0, 0.0], fade_mm: 60.0, ..MoveOptions::default() };
    for (options, wanted) in [
        (MoveOptions::default(), "say at least one"),
        (MoveOptions { off_mm: 900.0, ..up }, "200 mm off the surface"),
        (MoveOptions { size_percent: [0.0; 3], ..up }, "1 to 1000 %"),
        (MoveOptions { shift_mm: [f32::NAN, 0.0, 0.0], ..up }, "2000 mm"),
    ] {
        assert!(bench.refused(step(&chosen, options)).contains(wanted), "{wanted}");
    }
    assert!(bench.refused(step(&Chosen::Picks(Vec::new()), up)).contains("nothing is chosen"));
    // As it is shown before.
    let by = MovedOnPiece { chosen: &chosen, options: up, in_pose: None, into: None };
    let shown = bench.room().move_view(TUNIC, &by).unwrap();
    assert_eq!(bench.run(step(&chosen, up)), "Move what is chosen of quilted tunic");
    let piece = bench.piece(TUNIC);
    let drawn = piece.topology.weld.scatter(&piece.rest);
    assert!(shown.part.positions.iter().zip(&drawn).all(|(a, b)| a.distance(*b) < 1e-6));
    let moved = moves(&rest, &bench.rest(TUNIC));
    assert!((moved[vertex as usize] - Vec3::Y * 0.010).length() < 1e-5);
    let far = |v: usize| rest[v].distance(rest[vertex as usize]);
    let partly = moved.iter().filter(|m| (0.001..0.009).contains(&m.y)).count();
    assert!(partly > 10, "{partly}");
    assert!((0..rest.len()).all(|v| far(v) < 0.15 || moved[v] == Vec3::ZERO));
    assert!(moved.iter().all(|m| m.x.abs() < 1e-6 && m.y < 0.0101));
    bench.shop.undo(bench.fitting).unwrap();

    // Off the surface along its normals, both sides alike.
    let off = MoveOptions { off_mm: 6.0, both_sides: true, ..MoveOptions::default() };
    assert_eq!(bench.run(step(&chosen, off)), "Move what is chosen of quilted tunic, both sides");
    let moved = moves(&rest, &bench.rest(TUNIC));
    let normals = vertex_normals(&rest, &piece.topology.triangles);
    let out = moved[vertex as usize];
    assert!((out - normals[vertex as usize] * 0.006).length() < 1e-4, "{out}");
    let image = Vec3::new(
        2.0 * piece.plane - rest[vertex as usize].x,
        rest[vertex as usize].y,
        rest[vertex as usize].z,
    );
    let near =
        (0..rest.len()).min_by(|a, b| rest[*a].distance(image).total_cmp(&rest[*b].distance(image))).unwrap();
    assert!(moved[near].distance(Vec3::new(-out.x, out.y, out.z)) < 1.5e-3, "{} {out}", moved[near]);
    bench.shop.undo(bench.fitting).unwrap();

    // Turned and sized about its own middle.
    let turned =
        MoveOptions { turn_degrees: [0.0, 90.0, 0.0], size_percent: [200.0; 3], ..MoveOptions::default() };
    bench.run(step(&chosen, turned));
    let now = bench.rest(TUNIC);
    let set: Vec<usize> = (0..rest.len()).filter(|v| now[*v] != rest[*v]).collect();
    let middle = |list: &[Vec3]| set.iter().map(|v| list[*v]).sum::<Vec3>() / set.len() as f32;
    let (was, is) = (middle(&rest), middle(&now));
    assert!(was.distance(is) < 1e-4);
    let about = |p: Vec3| Vec3::new(p.z, p.y, -p.x) * 2.0;
    assert!(set.iter().all(|v| (now[*v] - is).distance(about(rest[*v] - was)) < 1e-4));
}

#[test]
fn in_a_pose_it_goes_as_the_pose_shows_it_and_into_a_corrective_rest_stays() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let (rest, vertex) = (bench.rest(TUNIC), at_the_side(&bench));
    let pose = bench.room().trials.trials.iter().position(|t| t.name == "squat").unwrap();
    let in_pose = Some(StrokePose { pose, ..StrokePose::default() });
    let posed = |bench: &Bench| bench.room().posed(pose, &[]).unwrap().pieces[0].clone();
    let before = posed(&bench);
    let options = MoveOptions { shift_mm: [0.0, 0.0, 8.0], ..MoveOptions::default() };
    let chosen = around(vertex, 30.0);
    let step = |into_shape: Option<String>| {
        Step::Seating(SeatingStep::MoveChosen {
            piece: TUNIC,
            chosen: chosen.clone(),
            options,
            in_pose: in_pose.clone(),
            into_shape,
        })
    };
    assert_eq!(bench.run(step(None)), "Move what is chosen of quilted tunic, in squat");
    let there = posed(&bench)[vertex as usize] - before[vertex as usize];
    assert!((there - Vec3::Z * 0.008).length() < 1e-4, "{there}");
    bench.shop.undo(bench.fitting).unwrap();
    bench.run(Step::Mending(MendingStep::BeginCorrective {
        part: TUNIC,
        pose,
        turns: Vec::new(),
        joint: None,
    }));
    let name = bench.room().state.pieces[0].correctives[0].name.clone();
    let said = bench.run(step(Some(name.clone())));
    assert_eq!(said, format!("Move what is chosen of quilted tunic in the shape {name}, in squat"));
    assert_eq!(bench.rest(TUNIC), rest);
    let there = posed(&bench)[vertex as usize] - before[vertex as usize];
    assert!((there - Vec3::Z * 0.008).length() < 1e-4, "{there}");
}

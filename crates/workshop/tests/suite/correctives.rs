//! Correctives: shapes that turns of joints call up. Made against what is through, measured, kept, handed over, read
//! again, cut, changed and taken away.

use tin_cloak_testkit::{wearing_coarse, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mend::TrialPose;
use tin_cloak_workshop::core::seat::Stroke;
use tin_cloak_workshop::VolumeOfRoom;
use tin_cloak_workshop::{
    export_glb, read, Against, BrushStroke, Chosen, Companions, Counts, DressedFile, LostRow, MendOptions,
    MendingStep, NamedFile, Reach, SeatingStep, Step, TrialSays, TrialWish,
};

fn correct() -> Step {
    Step::Mending(MendingStep::Correct {
        pieces: Vec::new(),
        options: MendOptions::of_correctives(),
        chosen: Chosen::Everything,
        against: Against::default(),
        turns: Vec::new(),
    })
}

/// How many are tried side by side goes by the threads there are; what comes of it does not.
#[test]
fn correctives_are_the_same_on_any_number_of_threads() {
    let made = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            let bench = wearing_coarse(&[("quilted tunic", 1)]);
            bench.bind_all();
            bench.run(correct());
            let shapes = bench.room().state.pieces[0].correctives.clone();
            (shapes, bench.open().effect().notes.clone())
        })
    };
    let (alone, many) = (made(1), made(4));
    assert!(!alone.0.is_empty());
    // Blobs go by their content: the same name is the same shape to the bit.
    assert_eq!(alone, many);
}

/// What twists draw in is told, given back once, and goes out as what it is; the rest of the poses stay as they are.
#[test]
fn what_twists_draw_in_is_given_back_once() {
    let bench = wearing_coarse(&[("quilted tunic", 1)]);
    let give = |least_mm| Step::Mending(MendingStep::KeepVolume { pieces: Vec::new(), least_mm });
    assert!(bench.refused(give(1.0)).contains("nothing is bound"));
    bench.bind_all();
    let lost = bench.room().lost_volume();
    assert!(lost.len() > 1 && lost.windows(2).all(|w| w[0].most_mm >= w[1].most_mm), "{lost:?}");
    assert!(lost.iter().all(|l| !l.given_back && l.most_mm >= 1.0 && !l.parts.is_empty()));
    let (first, rest) = (posed(&bench, 1), bench.rest(1));
    assert_eq!(bench.run(give(1.0)), "Give back what turns draw in: quilted tunic");
    insta::assert_snapshot!(bench.open().effect().notes.join("\n"));
    assert_eq!(bench.rest(1), rest);
    let (room, now) = (bench.room(), posed(&bench, 1));
    let made = &room.dress.pieces[0].correctives;
    let of_tunic = |l: &&LostRow| l.parts.iter().any(|p| p.name == "quilted tunic");
    assert!(made.len() <= lost.iter().filter(of_tunic).count() && !made.is_empty());
    for (pose, trial) in room.trials.trials.iter().enumerate() {
        if made.iter().all(|m| m.driver.unwrap().amount(&trial.pose) == 0.0) {
            assert_eq!(now[pose], first[pose], "{}", trial.label());
        }
    }
    assert_ne!(now, first);
    assert!(room.lost_volume().iter().all(|l| l.given_back || l.parts.iter().any(|p| p.name == "Wick")));
    assert!(bench.refused(give(1.0)).contains("1.0 mm or more that is not given back already"));
}

/// Where a piece is in each pose of the trials.
fn posed(bench: &Bench, id: u32) -> Vec<Vec<Vec3>> {
    let room = bench.room();
    let (outfit, piece_of) = room.dress.outfit();
    let layer = piece_of.iter().position(|p| *p == room.index_of(id)).unwrap();
    let mut buffers = outfit.buffers();
    let one = |pose: &TrialPose| {
        buffers.pose(&outfit, &pose.matrices, &pose.amounts);
        buffers.positions(layer).to_vec()
    };
    room.trials.poses(&room.dress.body).iter().map(one).collect()
}

#[test]
fn correctives_clear_poses_leave_the_others_go_out_and_are_taken_away() {
    let bench = wearing_coarse(&[("breeches", 1), ("quilted tunic", 2)]);
    assert!(bench.refused(correct()).contains("nothing is bound"));
    bench.bind_all();
    let (before, first, rest) = (bench.board(), posed(&bench, 2), bench.rest(2));
    let said = bench.run(correct());
    assert_eq!(said, "Make correctives for breeches, quilted tunic");
    let after = bench.board();
    assert!(after.bad_cells() <= before.bad_cells() / 10, "{} of {}", after.bad_cells(), before.bad_cells());
    let notes = bench.open().effect().notes.join("\n");
    assert!(notes.starts_with(&format!("{} cells were out of tolerance", before.bad_cells())), "{notes}");
    assert!(notes.contains("half and three quarters of the way to the built-in poses"), "{notes}");
    assert!(notes.contains("° of it, breeches ") && notes.contains(" vertices, at most "), "{notes}");
    // Rest is what it was to the bit, and so is every pose that turns none of the joints.
    assert_eq!(bench.rest(2), rest);
    let (room, now) = (bench.room(), posed(&bench, 2));
    let made = room.dress.pieces[room.index_of(2).unwrap()].correctives.clone();
    assert!(!made.is_empty());
    let mut quiet = 0;
    for (pose, trial) in room.trials.trials.iter().enumerate() {
        if made.iter().all(|m| m.driver.unwrap().amount(&trial.pose) == 0.0) {
            assert_eq!(now[pose], first[pose], "{}", trial.label());
            quiet += 1;
        }
    }
    assert!(quiet > 1 && quiet < now.len());

    // They go out as morph targets with their drivers; the body goes out without them, and read again it measures
    // alike.
    let bytes = export_glb(&room.dress).unwrap();
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    let (body, tunic) = (&out.meshes[0], out.meshes.iter().find(|m| m.name == "quilted tunic").unwrap());
    assert_eq!(body.morphs.len(), room.dress.body.own_shapes().len());
    for corrective in &made {
        let gone_out = tunic.morphs.iter().find(|m| m.name == corrective.name).unwrap();
        let (ours, theirs) = (corrective.driver.unwrap(), gone_out.driver.unwrap());
        assert_eq!(ours.joint, theirs.joint);
        assert!((ours.full - theirs.full).abs() < 1e-4 && ours.axis.distance(theirs.axis) < 1e-4);
    }
    let file = NamedFile { name: "x.glb".into(), bytes };
    let again = DressedFile::open(&file, None, &TrialWish::Range, &TrialSays::default()).unwrap();
    let (_, out) = again.measured(&|_| true).unwrap();
    let ranges = bench.room();
    let still = |pose: usize| ranges.trials.trials[pose].is_still;
    let counted = after.out(Counts::Counted).filter(|(pose, _, _)| still(*pose)).count();
    assert_eq!(out, counted, "read again, the same cells are out");

    // Half of one, none of it.
    let name = made[0].name.clone();
    let change =
        |share: f32| Step::Mending(MendingStep::ChangeCorrective { piece: 2, name: name.clone(), share });
    let whole = made[0].offsets[0];
    assert_eq!(bench.run(change(0.5)), format!("50 % of the corrective {name} on quilted tunic"));
    let half = bench.piece(2).correctives.iter().find(|m| m.name == name).unwrap().offsets[0];
    assert!((half - whole * 0.5).length() < 1e-7);
    assert_eq!(bench.run(change(0.0)), format!("Take the corrective {name} off quilted tunic"));
    assert!(bench.piece(2).correctives.iter().all(|m| m.name != name));
    assert!(bench.refused(change(1.0)).contains("no corrective"));
    assert!(bench.refused(change(f32::NAN)).contains("−100 and 200 %"));
    bench.shop.undo(bench.fitting).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(posed(&bench, 2), now);

    // The brush in one: its change is the corrective's, of whole strength where it is there in full; rest stays.
    let centre = *made[0].vertices.first().unwrap();
    let stroke = |shape: &str| BrushStroke {
        stroke: Stroke::PullOut,
        strength: 5.0,
        into_shape: Some(shape.to_owned()),
        reach: Reach { radius_mm: 40.0, dabs: vec![centre], mirrored: false },
        ..BrushStroke::default()
    };
    let said = bench.run(Step::Seating(SeatingStep::Brush { piece: 2, stroke: stroke(&name) }));
    assert_eq!(said, format!("Pull out quilted tunic in the shape {name}"));
    let brushed = bench.piece(2).correctives.iter().find(|m| m.name == name).unwrap().clone();
    let size = rest.len();
    let moved = brushed.to_dense(size).into_iter().zip(made[0].to_dense(size)).map(|(a, b)| a.distance(b));
    let (count, most) = moved.fold((0, 0.0f32), |(n, most), d| (n + usize::from(d > 1e-5), most.max(d)));
    assert!(count > 3 && (most - 0.005).abs() < 1e-4, "{count} vertices, {most}");
    assert_eq!(bench.rest(2), rest);
    let (room, brushed) = (bench.room(), posed(&bench, 2));
    for (pose, trial) in room.trials.trials.iter().enumerate() {
        let far = brushed[pose].iter().zip(&now[pose]).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
        let amount = made[0].driver.unwrap().amount(&trial.pose);
        assert!(far <= 0.0051 * amount + 1e-6, "{}: {far} at {amount}", trial.label());
    }
    assert!(bench
        .refused(Step::Seating(SeatingStep::Brush { piece: 1, stroke: stroke("no such") }))
        .contains("has no shape"));
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(posed(&bench, 2), now);

    // Mirrored, they would be of the other side: that is said.
    bench.run(Step::Seating(SeatingStep::Mirror { piece: 2 }));
    assert!(bench.piece(2).correctives.is_empty());
    let notes = bench.open().effect().notes.join("\n");
    assert!(notes.contains("has its correctives no longer"), "{notes}");
}

//! What is seen of what is through, against rays of another library: Embree (embreex 4.4.0) casts 256 rays from
//! every vertex that is through on 60 frames of the demo, and says which of them anybody sees, and how far the
//! deepest of those is from the nearest face that looks its way.
//!
//! `reference/sight.json` was made by `reference/sight.py` from what `the_frames_for_the_reference` writes.

use serde::{Deserialize, Serialize};
use tin_cloak_testkit::{wearing, Bench};
use tin_cloak_workshop::core::clearance::{AtRest, InPose, Outfit, Penetration, Settings, Sight};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::{
    BindOptions, BindingStep, Frames, IntakeStep, Method, PieceKind, Step, TrialPlan, TrialStep,
};

/// So many frames of the demo's two clips.
const FRAMES: usize = 60;

/// What another library says of a frame: vertices through in sight, and the deepest of them.
#[derive(Serialize, Deserialize)]
struct Seen {
    through: usize,
    seen: usize,
    deepest_mm: f32,
}

fn bench() -> Bench {
    let bench = wearing(&[("breeches", 1), ("quilted tunic", 2), ("scale cloak", 3)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Mixed }));
    // The reference is of the frames that the published rule makes.
    for piece in 1..=3 {
        let options = BindOptions { method: Method::Inpaint, ..BindOptions::default() };
        bench.run(Step::Binding(BindingStep::ChooseMethod { piece, options }));
    }
    bench.bind_all();
    let plan = TrialPlan { frames: Frames::Some(FRAMES / 2), ..TrialPlan::default() };
    bench.run(Step::Trial(TrialStep::Try { plan, said: "Trials: more frames".to_owned() }));
    bench
}

/// What is through in a pair, by its number, and what of it is seen.
type Found = (usize, Penetration, Sight);

/// Told the frame, where the layers are in it, and what was found.
type Tell<'a> = &'a mut dyn FnMut(usize, &Outfit, &[Vec<Vec3>], Vec<Found>);

/// Tells of each frame what is through in each pair, and what of it is seen.
fn each_frame(bench: &Bench, tell: Tell) {
    let room = bench.room();
    let outfit = room.dress.outfit().0;
    let rest: Vec<AtRest> = {
        let still = outfit.buffers();
        outfit.pairs.iter().map(|p| AtRest::new(&outfit, &still, p.outer, p.inner)).collect()
    };
    let poses = room.trials.poses(&room.dress.body);
    let frames = room.trials.trials.iter().zip(&poses).filter(|(t, _)| !t.is_still);
    let mut buffers = outfit.buffers();
    for (frame, (_, pose)) in frames.enumerate() {
        buffers.pose(&outfit, &pose.matrices, &pose.amounts);
        let at = InPose::new(&outfit, &buffers);
        let of_pair = |pair: usize| {
            let meeting = at.meeting(outfit.pairs[pair].outer, outfit.pairs[pair].inner, &rest[pair]);
            let through = at.through(pair, Settings::default(), &meeting, None);
            let sight = at.see(pair, &through);
            (pair, through, sight)
        };
        let found: Vec<_> = (0..outfit.pairs.len()).map(of_pair).collect();
        let positions: Vec<Vec<Vec3>> =
            (0..outfit.layers.len()).map(|l| buffers.positions(l).to_vec()).collect();
        tell(frame, &outfit, &positions, found);
    }
}

#[test]
fn what_is_seen_is_what_another_library_sees() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/suite/reference/sight.json");
    let theirs: Vec<Seen> = serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap();
    assert_eq!(theirs.len(), FRAMES);
    let (mut ours, mut wanted, mut frames, mut alike) = (0, 0, 0, 0);
    each_frame(&bench(), &mut |frame, _, _, found| {
        let seen = found.iter().flat_map(|(_, t, s)| t.spots.iter().zip(&s.buried)).filter(|(_, b)| !**b);
        let deepest = seen.clone().map(|(spot, _)| -spot.clearance * 1000.0).fold(0.0, f32::max);
        let through: usize = found.iter().map(|(_, t, _)| t.spots.len()).sum();
        let other = &theirs[frame];
        assert_eq!(through, other.through, "frame {frame} is not that of the reference");
        alike += usize::from((deepest - other.deepest_mm).abs() < 0.1);
        (ours, wanted, frames) = (ours + seen.count(), wanted + other.seen, frames + 1);
    });
    assert_eq!(frames, FRAMES);
    assert!(alike >= FRAMES - 1, "as deep in {alike} frames");
    let off = (ours as f32 - wanted as f32).abs() / wanted as f32;
    assert!(wanted > 1000 && off < 0.02, "{ours} in sight for {wanted}");
}

/// Writes meshes and spots of all frames to the folder named by SIGHT_FRAMES.
#[test]
#[ignore = "makes the input of reference/sight.py"]
fn the_frames_for_the_reference() {
    let folder =
        std::path::PathBuf::from(std::env::var("SIGHT_FRAMES").expect("SIGHT_FRAMES names a folder"));
    let floats = |list: &[Vec3]| {
        list.iter().flat_map(|p| p.to_array()).flat_map(f32::to_le_bytes).collect::<Vec<u8>>()
    };
    each_frame(&bench(), &mut |frame, outfit, positions, found| {
        for (l, layer) in outfit.layers.iter().enumerate() {
            let faces: Vec<u8> =
                layer.topology.triangles.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
            std::fs::write(folder.join(format!("faces-{l}.u32")), faces).unwrap();
            let side: Vec<u8> = layer
                .walls
                .towards_body
                .topology
                .triangles
                .iter()
                .flatten()
                .flat_map(|v| v.to_le_bytes())
                .collect();
            std::fs::write(folder.join(format!("towards-{l}.u32")), side).unwrap();
            let out: Vec<u8> = layer
                .walls
                .outside()
                .topology
                .triangles
                .iter()
                .flatten()
                .flat_map(|v| v.to_le_bytes())
                .collect();
            std::fs::write(folder.join(format!("outside-{l}.u32")), out).unwrap();
            std::fs::write(folder.join(format!("{frame}-{l}.f32")), floats(&positions[l])).unwrap();
        }
        let spots: Vec<_> = found
            .iter()
            .flat_map(|(pair, through, _)| {
                let pair = &outfit.pairs[*pair];
                through
                    .spots
                    .iter()
                    .map(move |s| (pair.outer, pair.inner, s.on_outer, s.vertex, -s.clearance))
            })
            .collect();
        std::fs::write(folder.join(format!("{frame}.json")), serde_json::to_vec(&spots).unwrap()).unwrap();
    });
}

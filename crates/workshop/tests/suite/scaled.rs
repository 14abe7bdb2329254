//! Armatures with a scale in them, as they come out of programs that work in other units: the same
//! body, said otherwise, is bound and measured alike.

use std::sync::Arc;
use tin_cloak_testkit::coarse_wardrobe;
use tin_cloak_workshop::core::skeleton::Skeleton;
use tin_cloak_workshop::core::trial::{Clip, TrackValues};
use tin_cloak_workshop::{
    bind_piece, export_glb, range_trials, read, retarget_trials, sort_document, Board, Body, Companions,
    Document, Dress, DressedFile, Frames, NamedFile, Piece, PieceKind, Recipe, Trial, TrialSays, TrialWish,
};

fn document(name: &str) -> Document {
    let file = coarse_wardrobe().iter().find(|f| f.name == name).unwrap();
    read(file.name, &file.bytes, &Companions::new()).unwrap()
}

/// The joints of `skeleton` under a root with this scale: all below it are that much further apart
/// in its frame, and stand where they stood.
fn under_scale(skeleton: &Skeleton, scale: f32) -> Skeleton {
    let mut rest = skeleton.rest.clone();
    for (j, parent) in skeleton.parents.iter().enumerate() {
        match parent {
            None => rest[j].scale *= scale,
            Some(_) => rest[j].translation /= scale,
        }
    }
    Skeleton::at_rest(skeleton.names.clone(), skeleton.parents.clone(), rest).unwrap()
}

/// The same motion of the joints `under_scale`.
fn clips_under(clips: &[Clip], skeleton: &Skeleton, scale: f32) -> Vec<Clip> {
    let mut clips = clips.to_vec();
    for track in clips.iter_mut().flat_map(|c| &mut c.tracks) {
        let below = skeleton.parents[track.joint.index()].is_some();
        if let (TrackValues::Translation(list), true) = (&mut track.values, below) {
            list.iter_mut().for_each(|t| *t /= scale);
        }
    }
    clips
}

/// Wick, with joints that have a scale, written and read again.
fn wick_under(scale: f32) -> Body {
    let mut body = sort_document("wick.glb", document("wick.glb"), None).unwrap().0;
    body.clips = clips_under(&body.clips, &body.skeleton, scale);
    body.skeleton = under_scale(&body.skeleton, scale);
    let bytes = export_glb(&Dress {
        body: Arc::new(body),
        pieces: Vec::new(),
        said: Arc::default(),
        masked: Arc::default(),
    })
    .unwrap();
    let again = read("wick.glb", &bytes, &Companions::new()).unwrap();
    sort_document("wick.glb", again, None).unwrap().0
}

fn dressed(body: Body) -> Dress {
    let put_on = |(layer, name): (u16, &str)| {
        let part = document(name).meshes.remove(0);
        let mut piece = Piece::new(part, layer, PieceKind::Soft, &body, false);
        let bound = bind_piece(&body, &piece, &Recipe::default()).unwrap().0;
        piece.bound = Some(Arc::new(bound));
        piece
    };
    let pieces = [(1, "breeches.glb"), (2, "quilted tunic.glb")].map(put_on).to_vec();
    Dress { body: Arc::new(body), pieces, said: Arc::default(), masked: Arc::default() }
}

fn board_of(dress: &Dress) -> Board {
    let file = NamedFile { name: "dressed.glb".into(), bytes: export_glb(dress).unwrap() };
    let says = TrialSays { frames: Some(Frames::Some(4)), ..TrialSays::default() };
    DressedFile::open(&file, None, &TrialWish::AsTheFileSays, &says).unwrap().board(&|_| true).unwrap()
}

#[test]
fn an_armature_in_centimetres_is_bound_and_measured_as_one_in_metres() {
    let plain = dressed(wick_under(1.0));
    let plain_board = board_of(&plain);
    for scale in [0.01, 2.54] {
        let scaled = dressed(wick_under(scale));
        assert!((scaled.body.skeleton.rest[0].scale.x - scale).abs() < 1e-5, "the scale is still there");
        for (a, b) in plain.pieces.iter().zip(&scaled.pieces) {
            let (a, b) = (&a.bound.as_ref().unwrap().skin, &b.bound.as_ref().unwrap().skin);
            let apart = a.weights().iter().zip(b.weights()).map(|(x, y)| (x - y).abs());
            assert!(a.joints() == b.joints() && apart.fold(0.0, f32::max) < 1e-5);
        }
        let board = board_of(&scaled);
        assert_eq!(board.cells.len(), plain_board.cells.len());
        for (pose, (ours, theirs)) in board.poses.iter().zip(board.cells.iter().zip(&plain_board.cells)) {
            for (a, b) in ours.iter().zip(theirs) {
                let (a, b) = (a.as_ref().unwrap().depth_mm(), b.as_ref().unwrap().depth_mm());
                assert!((a - b).abs() < 0.05, "{} under {scale}: {a} for {b} mm", pose.name);
            }
        }
    }
}

/// Ranges, roles and the person in the skeleton do not depend on how it is said either.
#[test]
fn what_is_known_of_a_person_does_not_change_with_the_scale() {
    let (plain, scaled) = (wick_under(1.0), wick_under(0.01));
    assert_eq!(plain.joint_facts(), scaled.joint_facts());
    let poses = |body: &Body| range_trials(body).trials.iter().map(|t| t.name.clone()).collect::<Vec<_>>();
    assert_eq!(poses(&plain), poses(&scaled));
    let (a, b) = (range_trials(&plain).poses(&plain), range_trials(&scaled).poses(&scaled));
    for (a, b) in a.iter().zip(&b) {
        assert!(a.matrices.iter().zip(&b.matrices).all(|(m, n)| m.abs_diff_eq(*n, 2e-3)));
    }
}

/// A motion of another file arrives at the right size, whatever the root is scaled by: of the motion's
/// skeleton, of the body's, of both.
#[test]
fn motions_arrive_at_their_size_on_a_scaled_root() {
    let places = |body: &Body, motion: &Body| {
        let document = Document {
            skeleton: Some(motion.skeleton.clone()),
            clips: motion.clips.clone(),
            ..Document::default()
        };
        let set = retarget_trials(body, "motion.glb", &document, Frames::Some(5)).unwrap();
        let world = |t: &Trial| body.skeleton.world(&t.pose);
        let at = |t: &Trial| world(t).iter().map(|m| m.w_axis.truncate()).collect::<Vec<_>>();
        set.trials.iter().map(at).collect::<Vec<_>>()
    };
    let plain = sort_document("wick.glb", document("wick.glb"), None).unwrap().0;
    let wanted = places(&plain, &plain);
    let travels = wanted.iter().flatten().zip(wanted[0].iter().cycle()).any(|(a, b)| a.distance(*b) > 0.05);
    assert!(travels, "something moves at all");
    for (of_body, of_motion) in [(0.01, 1.0), (1.0, 0.01), (2.54, 0.01)] {
        let under = |scale: f32| if scale == 1.0 { plain.clone() } else { wick_under(scale) };
        let found = places(&under(of_body), &under(of_motion));
        for (a, b) in found.iter().flatten().zip(wanted.iter().flatten()) {
            assert!(a.distance(*b) < 1e-3, "{of_body} {of_motion}: {a} for {b}");
        }
    }
}

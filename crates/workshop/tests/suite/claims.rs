//! What pushing out claims of a piece is what a fresh measure of the result says.

use tin_cloak_testkit::coarse_wardrobe;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mend::{look_of_change, Look};
use tin_cloak_workshop::{
    fit_files, BindOptions, Cell, DressedFile, FollowedShapes, Frames, MendOptions, NamedFile, OnlyAgainst,
    Piece, PieceFile, PieceKind, Report, TrialSays, TrialWish,
};

fn named(name: &str) -> NamedFile {
    let file = coarse_wardrobe().iter().find(|f| f.name == format!("{name}.glb")).unwrap();
    NamedFile { name: file.name.to_owned(), bytes: file.bytes.clone() }
}

fn of_disk(name: &str) -> NamedFile {
    let path = format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"));
    NamedFile { name: name.to_owned(), bytes: std::fs::read(path).unwrap() }
}

fn dressed(body: &NamedFile, pieces: &[(NamedFile, PieceKind)]) -> NamedFile {
    let piece = |(n, (file, kind)): (usize, &(NamedFile, PieceKind))| PieceFile {
        file: file.clone(),
        layer: Some(n as u16 + 1),
        kind: Some(*kind),
        joint: None,
        keeps: Some(false),
        mesh: None,
    };
    let files: Vec<PieceFile> = pieces.iter().enumerate().map(piece).collect();
    let options = BindOptions::default();
    NamedFile {
        name: "dressed.glb".into(),
        bytes: fit_files(body, None, &files, &options, &FollowedShapes::None).unwrap().0,
    }
}

/// Deepest of what shows through a piece in a report, millimetres.
fn deepest(report: &Report, piece: &str) -> f32 {
    let cells = report.poses.iter().flat_map(|p| &p.pairs).filter(|e| e.outer == piece && e.inner != piece);
    cells.map(|e| &e.cell).filter(|c| c.is_bad()).map(|c| c.depth_mm()).fold(0.0, f32::max)
}

/// A claim is true or not however many frames it is about.
fn few() -> TrialSays {
    TrialSays { frames: Some(Frames::Some(5)), ..TrialSays::default() }
}

fn assert_claims_hold(outfit: &str, file: &NamedFile) {
    let check = |file: &NamedFile| {
        let open = DressedFile::open(file, None, &TrialWish::Clips, &few()).unwrap();
        open.measured(&|_| true).unwrap().0
    };
    let before = check(file);
    let mut open = DressedFile::open(file, None, &TrialWish::Clips, &few()).unwrap();
    let notes = open.mend(MendOptions::default(), &OnlyAgainst::default(), &|_| true).unwrap();
    let after = check(&NamedFile { name: "mended.glb".into(), bytes: open.glb().unwrap() });
    // What is told of it without being measured once more is what a check of the file says, folds included.
    let told = open.measured(&|_| true).unwrap().0;
    for (ours, theirs) in told.poses.iter().zip(&after.poses) {
        assert_eq!(ours.pairs.len(), theirs.pairs.len(), "{outfit}: {}", ours.name);
        for (a, b) in ours.pairs.iter().zip(&theirs.pairs) {
            assert_eq!((&a.outer, &a.inner), (&b.outer, &b.inner), "{outfit}: {}", ours.name);
            let apart = (a.cell.depth_mm() - b.cell.depth_mm()).abs();
            assert!(apart < 0.011, "{outfit}, {}: {} over {}: {apart} mm", ours.name, a.outer, a.inner);
        }
    }
    // The first note is of the whole: “254 cells were out of tolerance, 98 are”.
    let counts: Vec<u32> = notes[0].split(' ').filter_map(|word| word.parse().ok()).collect();
    assert!(counts.len() == 2 && counts[1] <= counts[0], "{outfit}: {}", notes[0]);
    let claims = claims(&notes);
    let clear = notes.iter().find_map(|n| n.strip_prefix("clear already: ")).unwrap_or_default();
    assert!(!claims.is_empty() || !clear.is_empty(), "{outfit}: {notes:?}");
    for claim in &claims {
        let (was, is) = (deepest(&before, &claim.name), deepest(&after, &claim.name));
        assert!((claim.mm[0] - was).abs() < TOLD, "{outfit}: {claim:?} began at {was} mm");
        assert!((claim.mm[1] - is).abs() < TOLD, "{outfit}: {claim:?}, and the check says {is} mm");
        assert!(is > 0.0 || !claim.says_left, "{outfit}: {claim:?}");
    }
    for name in clear.split(", ").filter(|name| !name.is_empty()) {
        assert_eq!(deepest(&after, name), 0.0, "{outfit}: {name}");
    }
}

/// Depths are told to a tenth of a millimetre.
const TOLD: f32 = 0.061;

/// What a push says of a piece: “name: 7.8 mm → 0.0 mm, …”.
#[derive(Debug)]
struct Claim {
    name: String,
    /// Deepest before and after.
    mm: [f32; 2],
    says_left: bool,
}

fn claims(notes: &[String]) -> Vec<Claim> {
    let claim = |note: &String| {
        let (name, said) = note.split_once(": ")?;
        let (before, after) = said.split_once(" mm → ")?;
        let mm = [before.parse().ok()?, after.split(' ').next()?.parse().ok()?];
        Some(Claim { name: name.to_owned(), mm, says_left: said.contains("are left") })
    };
    notes.iter().filter_map(claim).collect()
}

#[test]
fn claims_equal_checks_on_ten_outfits() {
    use PieceKind::{Mixed, Soft, Stiff};
    let wick = named("wick");
    let outfits: [&[(&str, PieceKind)]; 8] = [
        &[("breeches", Soft)],
        &[("quilted tunic", Soft)],
        &[("breeches", Soft), ("quilted tunic", Soft)],
        &[("boots", Soft), ("breeches", Soft)],
        &[("quilted tunic", Soft), ("tin breastplate", Stiff)],
        &[("quilted tunic", Soft), ("left pauldron", Stiff)],
        &[("quilted tunic", Soft), ("coat buttons", Mixed)],
        &[("breeches", Soft), ("oil hose", Soft)],
    ];
    for pieces in outfits {
        let files: Vec<_> = pieces.iter().map(|(name, kind)| (named(name), *kind)).collect();
        assert_claims_hold(&format!("{pieces:?}"), &dressed(&wick, &files));
    }
    let body = of_disk("body.glb");
    let suit = (of_disk("bodysuit.glb"), Soft);
    assert_claims_hold("suit", &dressed(&body, std::slice::from_ref(&suit)));
    assert_claims_hold("suit and skirt", &dressed(&body, &[suit, (of_disk("skirt.obj"), Soft)]));
}

/// A close suit on a real body, in the built-in poses: what is left of the body through it lies where the body folds
/// (the cleft between the legs, the pit of an arm that is laid across), or is no deeper than 1 mm.
#[test]
fn a_close_suit_on_a_real_body_comes_clear_but_for_the_cleft() {
    let file = dressed(&of_disk("body.glb"), &[(of_disk("bodysuit.glb"), PieceKind::Soft)]);
    let mut open = DressedFile::open(&file, None, &TrialWish::Range, &TrialSays::default()).unwrap();
    let through = |report: &Report| -> Vec<(String, f32, f32)> {
        let cells = report.poses.iter().flat_map(|p| p.pairs.iter().map(move |e| (&p.name, e)));
        let bad = cells.filter(|(_, e)| e.outer != e.inner && e.cell.is_bad());
        let beside = |cell: &Cell| cell.spot.map_or(0.0, |s| s.0[0].abs());
        bad.map(|(name, e)| (name.clone(), e.cell.depth_mm(), beside(&e.cell))).collect()
    };
    let before = through(&open.measured(&|_| true).unwrap().0);
    open.mend(MendOptions::default(), &OnlyAgainst::default(), &|_| true).unwrap();
    let mended = NamedFile { name: "mended.glb".into(), bytes: open.glb().unwrap() };
    let open = DressedFile::open(&mended, None, &TrialWish::Range, &TrialSays::default()).unwrap();
    let after = through(&open.measured(&|_| true).unwrap().0);
    assert!(after.len() * 2 <= before.len(), "{before:?} became {after:?}");
    let in_the_pit = |name: &str, mm: f32| name == "hand on the other shoulder" && mm < 4.0;
    let is_folded = |(name, mm, beside): &(String, f32, f32)| *beside < 0.02 || in_the_pit(name, *mm);
    assert!(after.iter().all(|cell| cell.1 < 1.0 || is_folded(cell)), "{after:?}");
}

/// What a push of pieces on a real body did, tried in every frame of Wick's clips.
struct InMotion {
    /// Deepest that shows through each piece before and after, millimetres.
    deepest: Vec<[f32; 2]>,
    /// The furthest move, millimetres, and what the moves did to the look of each piece.
    furthest: f32,
    looks: Vec<Look>,
}

fn pushed_in_motion(pieces: &[&str]) -> InMotion {
    let files: Vec<_> = pieces.iter().map(|name| (of_disk(name), PieceKind::Soft)).collect();
    let says = TrialSays { frames: Some(Frames::All), ..TrialSays::default() };
    let file = dressed(&of_disk("body.glb"), &files);
    let open = |file| DressedFile::open(file, None, &TrialWish::Motion(named("wick")), &says).unwrap();
    let mut dressed = open(&file);
    let rest = |open: &DressedFile| -> Vec<Vec<Vec3>> {
        open.dress().outfit().0.layers.iter().map(|layer| layer.rest.clone()).collect()
    };
    let was = rest(&dressed);
    let notes = dressed.mend(MendOptions::default(), &OnlyAgainst::default(), &|_| true).unwrap();
    let bytes = dressed.glb().unwrap();
    let is = rest(&dressed);
    let moves = was.iter().flatten().zip(is.iter().flatten()).map(|(a, b)| a.distance(*b) * 1000.0);
    let furthest = moves.fold(0.0, f32::max);
    let looked = |p: &Piece| {
        let before = open(&file).dress().pieces.iter().find(|q| q.name == p.name).unwrap().rest.clone();
        look_of_change(&p.topology, &before, &p.rest)
    };
    let looks = dressed.dress().pieces.iter().map(looked).collect();
    let after = open(&NamedFile { name: "mended.glb".into(), bytes }).measured(&|_| true).unwrap().0;
    let deepest = claims(&notes).iter().map(|c| [c.mm[0], deepest(&after, &c.name)]).collect();
    InMotion { deepest, furthest, looks }
}

/// Of what shows of the body through a suit, and of the suit through a skirt over it, nothing is left in any frame; no
/// face lies over, and none of hundred but five has turned by more than 15°.
#[test]
fn in_motion_a_suit_and_a_skirt_come_clear_by_little() {
    for pieces in [&["bodysuit.glb"][..], &["bodysuit.glb", "skirt.obj"]] {
        let InMotion { deepest, furthest, looks } = pushed_in_motion(pieces);
        assert!(deepest.iter().all(|[was, is]| *was > 1.0 && *is == 0.0), "{pieces:?}: {deepest:?}");
        let worst = deepest.iter().map(|d| d[0]).fold(0.0, f32::max);
        assert!(furthest <= 2.0 * worst, "{pieces:?}: {furthest} mm for {worst} mm");
        assert!(
            looks.iter().all(|l| l.over == 0 && l.turned <= 15.0 && l.folds <= 3.0),
            "{pieces:?}: {looks:?}"
        );
    }
}

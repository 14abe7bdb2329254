//! What is kept of a piece under a name goes out with it, comes in again, and says what may move.

use tin_cloak_testkit::{wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::{
    export_glb, read, BindingStep, Companions, DressedFile, HideOptions, MendOptions, MendingStep, NamedFile,
    OnlyAgainst, Pick, Step, TrialSays, TrialWish, What,
};

const TUNIC: u32 = 1;
const COAT: u32 = 2;

fn keep(bench: &Bench, piece: u32, name: &str, vertices: Vec<u32>) {
    let picks = vec![Pick::add(What::Vertices(vertices))];
    bench.run(Step::Binding(BindingStep::KeepPatch { piece, name: name.into(), picks }));
}

fn file(bench: &Bench) -> NamedFile {
    NamedFile { name: "dressed.glb".into(), bytes: export_glb(&bench.room().dress).unwrap() }
}

fn opened(file: &NamedFile) -> DressedFile {
    DressedFile::open(file, None, &TrialWish::Range, &TrialSays::default()).unwrap()
}

/// Welded vertices of the upper half of a piece.
fn upper_half(bench: &Bench, piece: u32) -> Vec<u32> {
    let rest = bench.rest(piece);
    let heights = || rest.iter().map(|p| p.y);
    let (low, high) = (heights().fold(f32::MAX, f32::min), heights().fold(f32::MIN, f32::max));
    (0..rest.len() as u32).filter(|v| rest[*v as usize].y > (low + high) * 0.5).collect()
}

#[test]
fn patches_go_out_with_a_piece_and_come_in_again() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1), ("oilskin coat", 3)]);
    let yoke = upper_half(&bench, TUNIC);
    keep(&bench, TUNIC, "yoke", yoke.clone());
    keep(&bench, TUNIC, "one place", vec![7]);
    let again = opened(&file(&bench));
    let tunic = again.dress().pieces.iter().find(|p| p.name == "quilted tunic").unwrap();
    let patches = again.dress().said.patches.iter().find(|(id, _)| *id == tunic.id).unwrap().1.clone();
    assert_eq!(patches.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["yoke", "one place"]);
    // The same places, whatever they are numbered.
    let placed = |what: &What, rest: &[Vec3]| -> Vec<[u32; 3]> {
        let What::Vertices(list) = what else { panic!("{what:?}") };
        let mut places: Vec<_> =
            list.iter().map(|v| rest[*v as usize].to_array().map(f32::to_bits)).collect();
        places.sort_unstable();
        places
    };
    assert_eq!(
        placed(&patches[0].picks[0].what, &tunic.rest),
        placed(&What::Vertices(yoke), &bench.rest(TUNIC))
    );
}

/// What is left out of a mesh takes its vertices out of what names them.
#[test]
fn a_patch_of_what_is_hidden_keeps_what_is_left() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1), ("oilskin coat", 3)]);
    let count = bench.rest(TUNIC).len() as u32;
    keep(&bench, TUNIC, "all", (0..count).collect());
    bench.run(Step::Mending(MendingStep::Hide { options: HideOptions::default() }));
    let parts = read("dressed.glb", &file(&bench).bytes, &Companions::new()).unwrap().meshes;
    let tunic = parts.iter().find(|p| p.name == "quilted tunic").unwrap();
    let patch = &tunic.mark.as_ref().unwrap().patches[0];
    let listed = patch.listed(u32::MAX);
    assert_eq!(listed, (0..tunic.mesh.positions.len() as u32).collect::<Vec<_>>(), "all that is left of it");
}

#[test]
fn only_what_a_patch_names_is_pushed() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1), ("oilskin coat", 3)]);
    let (upper, whole) = (upper_half(&bench, TUNIC), bench.rest(TUNIC).len());
    keep(&bench, TUNIC, "yoke", upper.clone());
    keep(&bench, COAT, "yoke", upper_half(&bench, COAT));
    let file = file(&bench);
    let only = |patch: &str| OnlyAgainst { patch: Some(patch.into()), ..OnlyAgainst::default() };
    let mend = |dressed: &mut DressedFile, patch: &str| {
        dressed.mend(MendOptions::default(), &only(patch), &|_| true).map_err(|e| e.to_string())
    };
    let mut dressed = opened(&file);
    assert!(mend(&mut dressed, "sleeves").unwrap_err().contains("no patch “sleeves”"));
    let several = mend(&mut dressed, "yoke").unwrap_err();
    assert!(several.contains("quilted tunic, oilskin coat"), "{several}");

    let before: Vec<_> = dressed.dress().pieces.iter().map(|p| p.rest.to_vec()).collect();
    let notes = mend(&mut dressed, "quilted tunic:yoke").unwrap();
    let moved: Vec<Vec<usize>> = dressed
        .dress()
        .pieces
        .iter()
        .zip(&before)
        .map(|(p, was)| (0..was.len()).filter(|v| p.rest[*v] != was[*v]).collect())
        .collect();
    let tunic = dressed.dress().pieces.iter().position(|p| p.name == "quilted tunic").unwrap();
    assert!(moved.iter().enumerate().all(|(i, m)| i == tunic || m.is_empty()), "the coat stays");
    let (count, most) = (moved[tunic].len(), upper.len());
    assert!(0 < count && count <= most && most < whole, "{count} of {most} moved, of {whole}: {notes:?}");
    let middle = upper.iter().map(|v| bench.rest(TUNIC)[*v as usize].y).fold(f32::MAX, f32::min);
    assert!(moved[tunic].iter().all(|v| before[tunic][*v].y >= middle - 1e-4), "nothing below them moves");
}

//! A recipe: a fitting without its meshes, applied to other pieces and another body.

use tin_cloak_testkit::{coarse_wardrobe, wearing_coarse, wearing_coarse_bound, Bench};
use tin_cloak_workshop::core::bind::clean::WeightGoes;
use tin_cloak_workshop::core::intake::Place;
use tin_cloak_workshop::{
    fit_files_by, BindOptions, BindingStep, Chosen, Clean, FollowedShapes, HandChange, IntakeStep, Method,
    NamedFile, OutfitRecipe, Pick, PieceFile, PieceKind, Step, Takes, TakesByName, TrialChange, TrialStep,
    What,
};

fn clean(piece: u32, clean: Clean, chosen: Chosen) -> Step {
    Step::Binding(BindingStep::Clean { piece, clean, chosen, locked: Vec::new() })
}

/// Breeches, and a tunic over them that takes their weights, cleaned on all of it and by hand at one place.
fn settled() -> Bench {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    bench.try_no_clips();
    let options = BindOptions { method: Method::Surface, max_influences: 3, ..BindOptions::default() };
    bench.run(Step::Binding(BindingStep::ChooseMethod { piece: 1, options }));
    let (takes, part) = (Takes::Pieces(vec![1]), tin_cloak_workshop::SourcePart::Whole);
    bench.run(Step::Binding(BindingStep::TakeFrom { piece: 2, takes, part }));
    bench.run(clean(2, Clean::Smooth { strength: 0.5, times: 3 }, Chosen::Everything));
    let goes = WeightGoes::default();
    bench.run(clean(2, Clean::RemoveJoints { joints: vec!["hips".into()], goes }, Chosen::Everything));
    let picks = Chosen::Picks(vec![Pick::add(What::Vertices(vec![5, 6, 7]))]);
    bench.run(clean(2, Clean::ByHand { change: HandChange::Mean, firm_percent: None }, picks));
    bench.run(Step::Trial(TrialStep::SetTolerance { tolerance_mm: 2.0 }));
    bench
}

fn recipe_of(bench: &Bench) -> OutfitRecipe {
    let room = bench.room();
    OutfitRecipe::of_state(&room.state, &room.dress.body.name)
}

fn apply(recipe: &OutfitRecipe) -> Step {
    Step::Intake(IntakeStep::ApplyRecipe { recipe: Box::new(recipe.clone()) })
}

#[test]
fn a_recipe_written_and_read_makes_the_same_weights() {
    let bench = settled();
    let recipe = recipe_of(&bench);
    let text = serde_json::to_string_pretty(&recipe).unwrap();
    assert_eq!(OutfitRecipe::of_json("r.json", text.as_bytes()).unwrap(), recipe);
    assert!(text.contains("\"breeches\"") && !text.contains("vertices\":"), "{text}");
    assert_eq!(recipe.pieces[1].takes, TakesByName::Pieces(vec!["breeches".into()]));
    assert_eq!(
        recipe.left_out,
        ["quilted tunic: left out, since other meshes do not have it: changes of weights of what was chosen"]
    );
    // The fitting without what was done by hand has the weights that the recipe makes.
    bench.shop.undo(bench.fitting).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    let wanted: Vec<_> = [1, 2].map(|id| bench.piece(id).bound.unwrap().skin.clone()).to_vec();
    let fresh = wearing_coarse(&[("breeches", 3), ("quilted tunic", 1)]);
    assert_eq!(fresh.run(apply(&recipe)), "Apply a recipe to 2 pieces");
    assert!(fresh.piece(1).bound.is_none(), "what was not bound is not bound by it");
    fresh.bind_all();
    assert_eq!(fresh.layers(), [(1, 1), (2, 2)]);
    let made: Vec<_> = [1, 2].map(|id| fresh.piece(id).bound.unwrap().skin.clone()).to_vec();
    assert!(made == wanted, "the same recipe makes the same weights");
    assert_eq!(fresh.room().state.tolerance_mm, 2.0);
    assert_eq!(fresh.room().state.plan, bench.room().state.plan);
    // What is bound is bound again by it, to the same.
    fresh.run(apply(&recipe));
    assert!(fresh.piece(2).bound.unwrap().skin == wanted[1]);
}

#[test]
fn what_is_not_here_is_told_with_its_reason() {
    let bench = settled();
    let mut recipe = recipe_of(&bench);
    recipe.pieces[0].name = "kilt".into();
    recipe.pieces[1].from_joints = vec!["tail".into(), "hips".into()];
    recipe.pieces[1].takes = TakesByName::Pieces(vec!["kilt".into()]);
    recipe.pieces[1]
        .cleaning
        .push(Clean::RemoveJoints { joints: vec!["tail".into()], goes: WeightGoes::default() });
    bench.run(apply(&recipe));
    let notes = bench.open().effect().notes.join("\n");
    for told in
        ["kilt: nothing that is worn is called so", "no joint tail", "quilted tunic: kilt is not worn"]
    {
        assert!(notes.contains(&format!("not applied: {told}")) || notes.contains(told), "{told}: {notes}");
    }
    assert_eq!(bench.piece(2).bound.map(|b| b.skin.vertices()), Some(bench.rest(2).len()));
    recipe.pieces.iter_mut().for_each(|p| p.name = "kilt".into());
    assert!(bench.refused(apply(&recipe)).contains("nothing that is worn is in the recipe"));
    recipe.pieces[0].layer = 0;
    assert!(bench.refused(apply(&recipe)).contains("a layer is a number from 1"));
    for (bytes, why) in [
        (&b"{"[..], "r.json is no recipe: EOF"),
        (br#"{"tin_cloak_recipe": 7, "tolerance_mm": 1.0, "pieces": []}"#, "its version is 7, known is 1"),
        (br#"{"tin_cloak_recipe": 1, "tolerance_mm": -1.0, "pieces": []}"#, "tolerance_mm is no number"),
        (br#"{"tin_cloak_recipe": 1, "tolerance_mm": 1.0, "pieces": [], "colour": 1}"#, "unknown field"),
    ] {
        let told = OutfitRecipe::of_json("r.json", bytes).unwrap_err().to_string();
        assert!(told.contains(why), "{told}");
    }
}

/// By command line: the pieces' own files, another body, the same recipe.
#[test]
fn fit_takes_a_recipe() {
    let recipe = recipe_of(&settled());
    let named = |name: &str| {
        let file = coarse_wardrobe().iter().find(|f| f.name == name).unwrap();
        NamedFile { name: file.name.to_owned(), bytes: file.bytes.clone() }
    };
    let piece = |name: &str| PieceFile {
        file: named(name),
        layer: Some(1),
        kind: Some(PieceKind::Soft),
        joint: None,
        keeps: Some(false),
        mesh: None,
    };
    let files = ["quilted tunic.glb", "breeches.glb"].map(piece);
    let tib = tin_cloak_demo::tib().unwrap();
    let tib = NamedFile { name: tib.name.to_owned(), bytes: tib.bytes };
    let (options, none) = (BindOptions::default(), FollowedShapes::None);
    let (bytes, report) = fit_files_by(&tib, None, &files, &options, &none, Some(recipe)).unwrap();
    assert!(bytes.len() > 1000);
    let of = |name: &str| report.pieces.iter().find(|p| p.name == name).unwrap();
    assert_eq!((of("breeches").layer, of("quilted tunic").layer), (1, 2));
    assert_eq!(of("breeches").max_influences, 3);
    // Tib's joints have other names.
    assert!(report.notes.iter().any(|n| n.contains("the body has no joint hips")), "{:?}", report.notes);
}

/// Rules about pairs mean what body and pieces are called here; a piece of another name is known by its place.
#[test]
fn rules_about_pairs_follow_names() {
    let bench = wearing_coarse_bound(&[("breeches", 1), ("quilted tunic", 2)]);
    let place = |piece, place| Step::Intake(IntakeStep::SetPlace { piece, place });
    bench.run(place(1, Place::Legs));
    bench.run(place(2, Place::Torso));
    for (outer, inner, mm) in [("quilted tunic", "breeches", 3.0), ("breeches", "Wick", 2.0)] {
        let (outer, inner) = (outer.to_owned(), inner.to_owned());
        let change = TrialChange::PairTolerance { outer, inner, tolerance_mm: Some(mm) };
        bench.run(Step::Trial(TrialStep::ChangeTrials { change }));
    }
    let mut recipe = recipe_of(&bench);
    // As another fitting would have it: the legs are worn under another name, on another body.
    (recipe.body, recipe.pieces[0].name) = ("Tib".into(), "slops".into());
    recipe.trials.rename("Wick", "Tib");
    recipe.trials.rename("breeches", "slops");
    bench.run(apply(&recipe));
    let plan = &bench.room().state.plan;
    assert_eq!(plan.tolerance_of("quilted tunic", "breeches"), Some(3.0));
    assert_eq!(plan.tolerance_of("breeches", "Wick"), Some(2.0));
    assert_eq!(plan.tolerances.len(), 2);
}

//! What comes in is kept, in a real browser: a body of several meshes, a skinned piece with a shape of its
//! own; and a fitting that cannot be read is discarded from the Shelf.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;
use tin_cloak_store::{NewStep, Store};
use tin_cloak_workshop::{fit_files, BindOptions, FollowedShapes, NamedFile, PieceFile};

/// The three meshes of Wick, and his tunic bound to him, as files.
fn files(folder: &std::path::Path) -> Vec<std::path::PathBuf> {
    let wardrobe = tin_cloak_testkit::wardrobe();
    let named = |name: &str| {
        let file = wardrobe.iter().find(|f| f.name == name).unwrap();
        NamedFile { name: name.to_owned(), bytes: file.bytes.clone() }
    };
    let file = named("quilted tunic.glb");
    let tunic = PieceFile { file, layer: Some(1), kind: None, joint: None, keeps: None, mesh: None };
    let dressed =
        fit_files(&named("wick.glb"), None, &[tunic], &BindOptions::default(), &FollowedShapes::None)
            .unwrap()
            .0;
    let three = tin_cloak_demo::wick_in_three().unwrap().bytes;
    let kept = |(name, bytes): (&str, Vec<u8>)| {
        let path = folder.join(name);
        std::fs::write(&path, bytes).unwrap();
        path
    };
    [("three.glb", three), ("dressed.glb", dressed)].map(kept).to_vec()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_body_of_three_meshes_wears_a_skinned_piece_with_a_shape() {
    let folder = tempfile::tempdir().unwrap();
    let files = files(folder.path());
    let (_server, address) = serve(&["serve", "--data", folder.path().join("kept").to_str().unwrap()]);
    let browser = Browser::open(Draws::No3d).await;
    let b = &browser;
    b.client.goto(&address).await.unwrap();
    b.bring_in(&files).await;
    b.until("document.querySelectorAll('.asset').length === 5").await;
    // Offered as the body is the mesh that most joints move: the one with the hands.
    let limbs = "[...document.querySelectorAll('.asset')].find(a => a.textContent.includes('limbs'))";
    b.value(&format!("{limbs}.querySelector('.begin button').click()")).await;
    b.until("document.getElementById('screen')?.dataset.ready").await;

    // Joined by one press, taken back by another.
    let vertices = "document.querySelector('.band.skin, .band[data-part=\"0\"]').textContent";
    let alone = b.value(vertices).await;
    let join = "[...document.querySelectorAll('.findings .cure')].find(c => c.textContent.includes('Join \
                them')).click()";
    b.step_by(join).await;
    assert_eq!(b.last_step().await, "Take as the body limbs, trunk, head");
    let whole = b.value(vertices).await;
    assert_ne!(whole, alone);
    b.step("#undo").await;
    assert_eq!(b.value(vertices).await, alone);
    b.step("#redo").await;
    assert_eq!(b.value(vertices).await, whole);

    // The tunic keeps its weights, and is measured at once.
    b.put_on("quilted tunic", 1, "soft").await;
    let notes = b.value("document.querySelector('.last').textContent").await;
    assert!(notes.as_str().unwrap().contains("keeps its weights"), "{notes}");
    b.step(".tape [data-station='3']").await;
    b.until("document.querySelector('.binding em')?.textContent.includes('as it came')").await;
    b.whole_board().await;

    // Its shape: shown while the slider is moved, one step where it is let go.
    b.step(".tape [data-station='2']").await;
    let slide = |event: &str, value: u32| {
        format!(
            "(s => {{ s.value = {value}; s.dispatchEvent(new Event('{event}', {{ bubbles: true }})); \
             }})(document.querySelector('.worn-shape input'))"
        )
    };
    b.value(&slide("input", 40)).await;
    b.until("document.querySelector('.would').textContent.includes('clear on the mean')").await;
    assert_eq!(b.value("document.querySelector('.worn-shape output').textContent").await, json!("40 %"));
    b.step_by(&slide("change", 75)).await;
    let said = "Wear quilted tunic with 75 % of its shape roomier; its weights stay";
    assert_eq!(b.last_step().await, said);
    assert_eq!(b.value("Number(document.querySelector('.worn-shape input').value)").await, json!(75));
    b.step("#undo").await;
    assert_eq!(b.value("Number(document.querySelector('.worn-shape input').value)").await, json!(0));
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[test]
fn a_folder_that_is_served_already_is_refused_and_free_again_when_its_server_ends() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().to_str().unwrap();
    let (first, _) = serve(&["serve", "--data", data]);
    let port = free_port().to_string();
    let mut second = std::process::Command::new(env!("CARGO_BIN_EXE_tin-cloak"));
    let out = second.args(["serve", "--data", data, "--port", &port]).output().unwrap();
    let told = String::from_utf8_lossy(&out.stderr);
    assert_eq!(out.status.code(), Some(2), "{told}");
    assert!(told.contains("is served already: stop that server") && told.contains(data), "{told}");
    drop(first);
    serve(&["serve", "--data", data]);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_fitting_that_cannot_be_read_is_discarded_on_the_shelf() {
    let folder = tempfile::tempdir().unwrap();
    let kept = folder.path().to_str().unwrap();
    let step = NewStep {
        step: "{}".into(),
        sentence: "Begin".into(),
        effect: "{}".into(),
        state: "{\"body\": null}".into(),
        summary: String::new(),
        blobs: Vec::new(),
    };
    Store::open(folder.path()).unwrap().create_fitting("spoilt", &step).unwrap();
    let (_server, address) = serve(&["serve", "--data", kept]);
    let browser = Browser::open(Draws::No3d).await;
    let b = &browser;
    b.client.goto(&address).await.unwrap();
    b.until("document.querySelector('.card-fitting .broken .bad')").await;
    // Its own page says so too, and leads back.
    b.client.goto(&format!("{address}/fitting/1")).await.unwrap();
    b.until("document.querySelector('.broken h1').textContent === 'spoilt cannot be shown'").await;
    b.press(".broken a[href='/']").await;
    b.until("document.querySelector('.card-fitting .broken')").await;
    b.value("(window.confirm = () => true)").await;
    b.press(".card-fitting footer button").await;
    b.until("!document.querySelector('.card-fitting')").await;
    browser.client.close().await.unwrap();
}

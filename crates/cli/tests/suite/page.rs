//! The whole story in a real browser: open, put on, bind, see the worst, mend, undo, redo,
//! download; then the same with a body and garment of one's own.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn wick_is_dressed_tried_mended_and_handed_over() {
    let (_server, browser) = the_demos_fitting(Draws::All).await;
    let b = &browser;
    // The canvas holds more than paper.
    b.until("Number(document.getElementById('canvas').dataset.drawn) > 0").await;

    b.put_on("quilted tunic", 1, "soft").await;
    b.put_on("boots", 2, "soft").await;
    b.put_on("tin breastplate", 3, "stiff").await;
    assert_eq!(b.value("document.querySelectorAll('.band').length").await, json!(4));
    b.step("#card [data-station='3']").await;
    b.step("#bind").await;
    let rows = b.value("document.querySelectorAll('#board .row-name').length").await;
    assert!(rows.as_u64().unwrap() >= 3, "{rows}");
    let (deepest, sum) = (b.deepest().await, b.sum().await);
    assert!(deepest > 0.5);

    b.step(".tape [data-station='4']").await;
    b.press("#to-worst").await;
    b.until("document.getElementById('canvas').dataset.map === 'clearance'").await;
    b.until("document.querySelector('.snag')").await;
    b.until("document.querySelector('#board .here')?.getAttribute('visibility') === 'visible'").await;
    // Arrow keys walk the board.
    let pose = b.value("document.getElementById('canvas').dataset.pose").await;
    b.value("document.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowLeft', bubbles: true }))")
        .await;
    b.until(&format!("document.getElementById('canvas').dataset.pose !== {pose}")).await;

    b.step(".tape [data-station='5']").await;
    b.whole_board().await;
    b.step("#push").await;
    let mended = b.sum().await;
    assert!(mended < sum, "{sum} mm in all cells became {mended}");
    assert!(b.value("document.querySelectorAll('.cell.better').length").await.as_u64().unwrap() > 0);
    b.step("#undo").await;
    assert!((b.sum().await - sum).abs() < 1e-6, "undo brings the old board back");
    // The board that fills renews the head: a press whose button is gone when its answer comes is a press.
    let ready = b.value("Number(document.getElementById('screen').dataset.ready)").await;
    let renewed = "(h => { document.getElementById('redo').click(); h.replaceWith(h.cloneNode(true)); })";
    b.value(&format!("{renewed}(document.getElementById('head'))")).await;
    b.until(&format!("Number(document.getElementById('screen').dataset.ready) > {ready}")).await;
    assert!((b.sum().await - mended).abs() < 1e-6, "redo the new one");
    // Nothing is renewed under a pressed button.
    b.value("dispatchEvent(new PointerEvent('pointerdown'))").await;
    b.value("document.getElementById('undo').click()").await;
    // It is undone by then, and the answer waits.
    b.until("document.documentElement.dataset.waits").await;
    assert!((b.sum().await - mended).abs() < 1e-6, "still the board that was pressed on");
    b.value("dispatchEvent(new PointerEvent('pointerup'))").await;
    b.until("!document.getElementById('redo').disabled").await;
    b.step("#redo").await;

    b.step(".tape [data-station='6']").await;
    b.until("document.getElementById('download')").await;
    let path = b.value("document.getElementById('download').getAttribute('href')").await;
    let bytes = download(b, path.as_str().unwrap()).await;
    assert_eq!(validate(&bytes), json!([0, 0]));
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_body_and_garments_of_ones_own() {
    let folder = tempfile::tempdir().unwrap();
    let (_server, address) = serve(&["serve", "--data", folder.path().to_str().unwrap()]);
    let browser = Browser::open(Draws::All).await;
    let b = &browser;
    b.client.goto(&address).await.unwrap();
    let data = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human");
    let data = std::fs::canonicalize(data).unwrap();
    let upload = |names: &[&str]| names.iter().map(|n| data.join(n)).collect::<Vec<_>>();
    // Not a mesh: one clear sentence, nothing kept.
    b.bring_in(&upload(&["README.md"])).await;
    b.until("!document.getElementById('notice').hidden").await;
    let said = b.value("document.querySelector('#notice span').textContent").await;
    assert!(said.as_str().unwrap().contains("not a file this program reads"), "{said}");
    assert_eq!(b.value("document.querySelectorAll('.asset').length").await, json!(0));

    // One bad file among good ones does not stop them.
    b.bring_in(&upload(&["body.glb", "README.md", "bodysuit.glb", "skirt.obj"])).await;
    b.until("document.querySelectorAll('.asset').length === 3").await;
    b.press(".asset .begin button").await;
    b.until("document.getElementById('screen')?.dataset.ready").await;
    b.put_on("bodysuit", 1, "soft").await;
    b.put_on("skirt", 2, "soft").await;
    b.step("#card [data-station='3']").await;
    b.step("#bind").await;
    assert!(b.deepest().await > 0.5);
    b.step(".tape [data-station='4']").await;
    b.press("#to-worst").await;
    b.until("document.querySelector('.snag')").await;
    b.until("document.getElementById('canvas').dataset.map === 'clearance'").await;
    b.until_madder(30).await;
    // Kept: another visit finds the same board.
    let sum = b.sum().await;
    b.client.refresh().await.unwrap();
    b.until("document.getElementById('screen')?.dataset.ready").await;
    assert!((b.sum().await - sum).abs() < 1e-6);
    // A refusal is told though what asked is renewed before the answer comes.
    assert_eq!(b.value("document.getElementById('notice').hidden").await, json!(true));
    let asks = "htmx.ajax('POST', '/fitting/99/undo', { source: h, swap: 'none' })";
    b.value(&format!(
        "(h => {{ {asks}; h.replaceWith(h.cloneNode(true)); }})(document.getElementById('head'))"
    ))
    .await;
    b.until("!document.getElementById('notice').hidden").await;
    let said = b.value("document.querySelector('#notice span').textContent").await;
    assert!(said.as_str().unwrap().contains("fitting"), "{said}");
    // The first upload was refused, and the browser notes that as an error of its own.
    browser.client.close().await.unwrap();
}

//! All pictures of `docs/screenshots`, taken of the demo as it is: `bash scripts/pictures.sh`. Look at each of them.

use crate::browser::*;
use rocket::tokio;
use std::time::Duration;

async fn take(b: &Browser, name: &str) {
    // What was asked for last is drawn by then.
    tokio::time::sleep(Duration::from_millis(2500)).await;
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/screenshots");
    std::fs::write(format!("{folder}/{name}.png"), b.client.screenshot().await.unwrap()).unwrap();
}

async fn station(b: &Browser, number: usize) {
    b.step(&format!(".tape [data-station='{number}']")).await;
}

async fn map(b: &Browser, map: &str) {
    b.press(&format!("[data-map='{map}']")).await;
    b.until(&format!("document.getElementById('canvas').dataset.map === '{map}'")).await;
}

/// The top of the card at something on it.
async fn card_at(b: &Browser, css: &str) {
    b.value(&format!("document.querySelector({css:?}).scrollIntoView({{ block: 'start' }})")).await;
}

#[ignore = "takes the pictures of the docs; run scripts/pictures.sh"]
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn of_a_bare_body_that_is_dressed() {
    let (_server, browser) = the_demos_fitting(Draws::InFull).await;
    let b = &browser;
    b.step("form[hx-post$='/put-on-all'] button").await;
    take(b, "intake").await;
    card_at(b, ".sorting").await;
    take(b, "sorting").await;
    b.step("form[data-step*='cure_all'] button").await;
    station(b, 2).await;
    b.step("#follow-shapes button, button#follow-shapes").await;
    let stout = "(p => { p.value = [...p.options].find(o => o.text === 'stout').value; p.dispatchEvent(new \
         Event('change', { bubbles: true })); const f = document.getElementById('shape-amount'); f.value = 1; \
         f.dispatchEvent(new Event('input', { bubbles: true })); })(document.getElementById('shape-pick'))";
    b.value(stout).await;
    map(b, "clearance").await;
    take(b, "seating").await;
}

#[ignore = "takes the pictures of the docs; run scripts/pictures.sh"]
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn of_a_dressed_figure() {
    let (server, browser) = a_demos_fitting("night round", Draws::InFull).await;
    let b = &browser;
    b.whole_board().await;
    station(b, 4).await;
    take(b, "fitting-bound").await;
    b.press("#to-worst").await;
    b.until("document.querySelector('.snag')").await;
    take(b, "fitting-worst").await;

    let night = "(f => { f.value = [...f.options].findIndex(o => o.textContent.startsWith('night round')); \
         f.dispatchEvent(new Event('change', { bubbles: true })); })(document.getElementById('pose-pick'))";
    b.value(night).await;
    b.press("#whole").await;
    b.press("#play").await;
    take(b, "playing").await;
    b.press("#play").await;

    station(b, 3).await;
    b.press("#to-rest").await;
    let rest = "(f => { f.value = 0; f.dispatchEvent(new Event('change', { bubbles: true })); })\
         (document.getElementById('pose-pick'))";
    b.value(rest).await;
    map(b, "regions").await;
    take(b, "binding-joints").await;
    map(b, "matched").await;
    take(b, "binding-matched").await;

    b.value("document.getElementById('by-hand').open = true").await;
    let coat =
        "(f => { f.value = [...f.options].find(o => o.text === 'oilskin coat').value; f.dispatchEvent(new \
         Event('change', { bubbles: true })); })(document.getElementById('hand-piece'))";
    b.value(coat).await;
    let joint =
        "(f => { f.value = 'lower_arm_left'; f.dispatchEvent(new Event('change', { bubbles: true })); \
         })(document.getElementById('joint-search'))";
    b.value(joint).await;
    b.value("document.getElementById('what-choose').click()").await;
    b.until("(parseInt(document.getElementById('chosen-count').textContent) || 0) > 300").await;
    card_at(b, "#by-hand").await;
    take(b, "by-hand").await;

    station(b, 5).await;
    b.value("document.getElementById('relax-form').elements.piece.value = '3'").await;
    b.step("#relax-form [data-first]").await;
    b.until("document.querySelector('#tried .see-tried[aria-pressed=true]')").await;
    take(b, "tried").await;
    b.step("#forget-tried").await;
    b.step("#hide").await;
    map(b, "hidden").await;
    take(b, "hidden").await;
    b.step("#undo").await;
    b.press("#make-plan").await;
    // As far as it is after so long; stopped then, it is a plan of what helps.
    for _ in 0..18 {
        let done = b.value("Boolean(document.getElementById('do-plan'))").await;
        if done == serde_json::json!(true) {
            break;
        }
        tokio::time::sleep(Duration::from_secs(10)).await;
    }
    b.value("document.getElementById('stop-plan')?.click()").await;
    b.until("document.getElementById('do-plan')").await;
    map(b, "clearance").await;
    card_at(b, "#plan").await;
    take(b, "plan").await;

    station(b, 6).await;
    b.step("#prove").await;
    b.until("document.getElementById('proof')?.textContent.includes('read again')").await;
    take(b, "fitting-handover").await;
    // It comes as a download: it is opened as whoever gets it would.
    let report = download(b, "/fitting/1/report.html").await;
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("report.html");
    std::fs::write(&file, report).unwrap();
    b.press("#bare").await;
    b.until("document.getElementById('bare-canvas')?.dataset.ready").await;
    take(b, "bare").await;
    let home = b.value("location.origin").await;
    b.client.goto(&format!("file://{}", file.display())).await.unwrap();
    take(b, "report").await;
    b.client.goto(home.as_str().unwrap()).await.unwrap();
    take(b, "shelf").await;
    drop(server);
}

#[ignore = "takes the pictures of the docs; run scripts/pictures.sh"]
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn of_a_cage_and_of_two_steps_side_by_side() {
    let (_server, browser) = the_demos_fitting(Draws::InFull).await;
    let b = &browser;
    b.put_on("breeches", 1, "soft").await;
    b.put_on("quilted tunic", 2, "soft").await;
    station(b, 3).await;
    b.step("#bind").await;
    b.whole_board().await;
    let bound = b.value("document.querySelectorAll('.steps li').length").await.as_u64().unwrap();
    b.step_by(
        "const f = document.querySelector('.make-cage form'); f.elements.piece.forEach(c => { c.checked = true; }); \
         f.requestSubmit()",
    )
    .await;
    b.step("#bind").await;
    b.whole_board().await;
    map(b, "regions").await;
    take(b, "binding-cage").await;
    b.press(".steps summary").await;
    b.step(&format!(".steps .against[data-step='{bound}']")).await;
    b.until("!document.getElementById('split').hidden").await;
    station(b, 4).await;
    map(b, "clearance").await;
    take(b, "compare").await;
}

//! Mending in a real browser: correctives are made and changed, a plan is made, one
//! step of it done and undone, then all of it; what is hidden is drawn.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_plan_is_made_one_step_done_and_undone_then_all() {
    let (_server, browser) = the_demos_fitting(Draws::No3d).await;
    let b = &browser;
    b.put_on("breeches", 1, "soft").await;
    b.step("#card [data-station='3']").await;
    b.step("#bind").await;
    b.step(".tape [data-station='5']").await;
    b.whole_board().await;
    let steps = "document.querySelectorAll('.steps li').length";
    let before = b.value(steps).await.as_u64().unwrap();

    // Shapes that turns of joints call up: made, listed, one taken away, all taken back.
    b.step("#correct").await;
    assert_eq!(b.last_step().await, "Make correctives for breeches");
    let listed = "document.querySelectorAll('.correctives tbody tr:not(.of-turn)').length";
    let made = b.value(listed).await.as_u64().unwrap();
    assert!(made > 0);
    b.step_by(
        "const f = document.querySelector('.correctives input[name=percent]'); f.value = 0; \
         f.dispatchEvent(new Event('change', { bubbles: true }))",
    )
    .await;
    assert!(b.last_step().await.contains("Take the corrective"));
    assert_eq!(b.value(listed).await, json!(made - 1));
    b.step("#undo").await;
    b.step("#undo").await;
    assert_eq!(b.value(listed).await, json!(0));

    // Begun by hand for a pose, from another turn on, and on the other side.
    b.value(
        "(s => { s.value = [...s.options].findIndex(o => o.text.includes('squat')); s.dispatchEvent(new \
         Event('change', { bubbles: true })); })(document.getElementById('pose-pick'))",
    )
    .await;
    b.until("document.getElementById('pose-name').textContent === 'squat'").await;
    b.step("#begin-corrective button").await;
    assert_eq!(b.last_step().await, "Begin a corrective of breeches, in squat");
    b.step_by(
        "const f = document.querySelector('.turn-corrective'); f.elements.from.value = 20; \
         f.elements.from.dispatchEvent(new Event('change', { bubbles: true }))",
    )
    .await;
    assert!(b.last_step().await.contains("comes in from 20° to "));
    b.step("#undo").await;
    b.step("#undo").await;

    // Where a snag is named it can be acted on: tried, and its vertices chosen.
    b.key(".").await;
    b.until("document.querySelector('.snag-acts button')").await;
    b.press(".choose-snag").await;
    b.until("/^[1-9]/.test(document.getElementById('chosen-count').textContent)").await;
    b.step(".snag-acts button").await;
    b.until("document.querySelector('#tried')").await;
    b.step("#forget-tried").await;

    // Tried first: shown beside what there is, and nothing is changed; then done as it was shown.
    let tried = "document.querySelectorAll('.tried-step').length";
    b.step("#push-form [data-first]").await;
    b.until("document.querySelector('#tried .see-tried[aria-pressed=true]')").await;
    b.until("document.getElementById('split-then').textContent === 'as it would be'").await;
    let told = b.value("document.querySelector('#tried .plan-cells').textContent").await;
    b.step("#tuck-form [data-first]").await;
    assert_eq!(b.value(tried).await, json!(2), "side by side");
    assert_eq!(b.value(steps).await, json!(before + 2), "only what was undone stands behind");
    b.step("#tried .do-tried").await;
    assert_eq!(b.last_step().await, "Push out breeches");
    b.whole_board().await;
    let cells =
        b.value("Number(/, (\\d+) cells/.exec(document.querySelector('.depth').textContent)[1])").await;
    assert!(told.as_str().unwrap().ends_with(&format!("→ {cells} cells")), "{told} {cells}");
    assert!(b.value("document.getElementById('tried')").await.is_null());
    assert_eq!(b.value("document.getElementById('split').hidden").await, json!(true));
    b.step("#undo").await;
    b.step("#forget-tried").await;
    assert_eq!(b.value(tried).await, json!(0));

    // Relaxed, and the body drawn in; each is a step.
    b.step("#relax").await;
    assert_eq!(b.last_step().await, "Relax breeches by 50 %, 2 times");
    b.step("#undo").await;
    b.step("#tuck").await;
    assert_eq!(b.last_step().await, "Draw Wick in under what is worn");
    b.step("#undo").await;

    // What was undone is listed until something else is done.
    let shown = b.value(steps).await;
    // Stopped at the push, a plan is what helps so far; made anew it is whole.
    b.press("#make-plan").await;
    let told = "document.querySelector('#work b').textContent";
    b.until(&format!("{told}.includes('cells so far · Push all layers')")).await;
    let card = "document.getElementById('plan').textContent";
    b.until(&format!("{card}.includes('Let breeches follow the shapes of Wick')")).await;
    assert!(b.value("document.getElementById('do-next')").await.is_null(), "nothing of it is done meanwhile");
    b.step("#stop-plan").await;
    b.until(&format!("{card}.includes('stopped before all was tried')")).await;
    b.step("#make-plan").await;
    assert_eq!(b.value(steps).await, shown, "making one is no step");
    assert_eq!(b.value(&format!("{card}.includes('stopped')")).await, json!(false));
    let planned = b.value("document.querySelectorAll('.plan-steps li').length").await.as_u64().unwrap();
    assert!(planned > 1, "{planned}");
    let words = b.value("document.querySelector('.plan-words').firstChild.textContent.trim()").await;
    assert_eq!(words, json!("1. Let breeches follow the shapes of Wick"));
    let promised = b.value("document.getElementById('do-plan').textContent.match(/(\\d+) cells/)[1]").await;

    b.step("#do-next").await;
    assert_eq!(b.last_step().await, "Follow the body’s shapes: breeches");
    let left = "document.querySelectorAll('.plan-steps li').length";
    assert_eq!(b.value(left).await, json!(planned - 1), "the rest of the plan stays");
    b.step("#undo").await;
    assert_eq!(b.value(left).await, json!(planned));

    b.step("#do-plan").await;
    b.whole_board().await;
    assert_eq!(b.value(steps).await, json!(before + planned));
    let promised = promised.as_str().unwrap();
    let says = format!("{promised} cells out of tolerance");
    b.until(&format!("document.getElementById('card').textContent.includes({says:?})")).await;
    // What is hidden is a map; a part is told with its share. A plan hides only where that clears cells.
    b.step("#hide").await;
    b.press("[data-map='hidden']").await;
    b.until("document.getElementById('canvas').dataset.map === 'hidden'").await;
    let hidden = b.value("document.querySelector('#hide-form td').textContent").await;
    assert_eq!(hidden, json!("Wick"));

    // Each way of handing it over is what the public validator takes: what is hidden is there by choice, or not.
    let whole = "hidden_marked=true";
    for query in ["", whole, "piece=1&without_body=true", "clip=night+round&tucks_in=true&hidden_marked=true"]
    {
        let bytes = download(b, &format!("/fitting/1/chosen.glb?{query}")).await;
        assert_eq!(validate(&bytes), json!([0, 0]), "{query}");
        let marked = bytes.windows(9).any(|w| w == b"\"_HIDDEN\"");
        assert_eq!(marked, query.contains(whole), "{query}");
    }
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_row_is_added_across_the_edge_that_was_clicked() {
    let (_server, browser) = the_demos_fitting(Draws::All).await;
    let b = &browser;
    b.put_on("breeches", 1, "soft").await;
    b.step("#card [data-station='3']").await;
    b.step("#bind").await;
    b.whole_board().await;

    b.value("document.getElementById('by-hand').open = true").await;
    b.until("document.getElementById('hand-piece').options.length > 1").await;
    b.value(
        "(() => { const s = document.getElementById('pick-kind'); s.value = 'edge'; \
         s.dispatchEvent(new Event('change', { bubbles: true })); })()",
    )
    .await;
    b.press("#pick-on").await;
    // The front of the breeches is a little below the middle of the picture.
    let (x, y) = b.place_of("#canvas").await;
    b.draw(&[(x - 22.0, y + 55.0)]).await;
    b.until("document.getElementById('chosen-count').textContent === '2 vertices chosen'").await;
    b.press("#pick-on").await;
    b.step(".tape [data-station='5']").await;
    b.step("#add-rows").await;
    assert_eq!(b.last_step().await, "Add a row to breeches");
    let told = b.value("document.querySelector('.last').textContent").await;
    assert!(told.as_str().unwrap().contains("vertices"), "{told}");
    b.whole_board().await;
    b.step("#undo").await;
    b.step("#redo").await;
    b.whole_board().await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

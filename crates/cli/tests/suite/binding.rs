//! Binding in a real browser: all at once, by another method, mirrored, compared, with a joint of
//! its own, in a cage, kept for the next piece.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;

/// Sets a field of a piece's form by its place on the card and tells the form.
fn set(form: &str, field: &str, value: &str) -> String {
    format!(
        "const f = document.querySelector({form:?}); f.elements[{field:?}].value = {value:?}; \
         f.elements[{field:?}].dispatchEvent(new Event('change', {{ bubbles: true }}))"
    )
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn bound_by_another_method_mirrored_and_compared() {
    let (_server, browser) = the_demos_fitting(Draws::No3d).await;
    let b = &browser;
    b.put_on("quilted tunic", 1, "soft").await;
    b.put_on("lantern", 2, "stiff").await;
    b.step(".tape [data-station='3']").await;
    // The lantern comes skinned, on joints that are the body's or its own: it keeps its weights.
    let lantern =
        b.value("document.querySelector(\".binding[data-piece='2'] summary em\").textContent").await;
    assert!(lantern.as_str().unwrap().starts_with("as it came"), "{lantern}");
    assert_eq!(b.value("document.querySelectorAll('.pip.none').length").await, json!(1));
    b.step("#bind").await;
    assert_eq!(b.last_step().await, "Bind quilted tunic");
    assert_eq!(b.value("document.querySelectorAll('.pip.ok').length").await, json!(2));
    let summary = b.value("document.querySelector('.binding summary em').textContent").await;
    assert!(summary.as_str().unwrap().contains("% matched"), "{summary}");
    b.press(".maps [data-map='matched']").await;
    b.until("document.getElementById('canvas').dataset.map === 'matched'").await;

    let how = ".binding[data-piece='1'] .how";
    b.step_by(&set(how, "method", "surface")).await;
    assert_eq!(b.last_step().await, "Bind quilted tunic by nearest surface");
    b.value("document.querySelector('.clean [name=piece]').value = '1'").await;
    b.step(".clean [value='mirror']").await;
    assert_eq!(b.last_step().await, "Mirror weights of quilted tunic, left to right");
    b.until("document.querySelector('.last').textContent.includes('vertices changed')").await;

    // Beside the first binding, in the viewport and on the board.
    b.whole_board().await;
    b.press(".steps summary").await;
    b.step(".steps .against[data-step='4']").await;
    b.until("!document.getElementById('split').hidden").await;
    let words = b.value("document.querySelector('.board-head .end').textContent").await;
    assert!(words.as_str().unwrap().contains("against step 4: "), "{words}");
    let left = "parseFloat(document.getElementById('split').style.left)";
    assert_eq!(b.value(left).await, json!(50));
    let (x, y) = b.place_of("#split").await;
    b.draw(&[(x, y), (x - 80.0, y), (x - 120.0, y)]).await;
    assert!(b.value(left).await.as_f64().unwrap() < 40.0);
    b.step("#split-end").await;
    assert_eq!(b.value("document.getElementById('split').hidden").await, json!(true));
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_joint_of_its_own_a_cage_and_a_kept_binding() {
    let (_server, browser) = the_demos_fitting(Draws::All).await;
    let b = &browser;
    b.put_on("quilted tunic", 1, "soft").await;
    b.step(".tape [data-station='3']").await;
    b.step("#bind").await;
    b.press(".binding[data-piece='1'] summary b").await;

    // A click on the canvas picks a place; the joint stands there, the cleaning stays near it.
    let (x, y) = b.place_of("#canvas").await;
    b.draw(&[(x, y + 20.0)]).await;
    b.until("document.getElementById('picked').textContent.includes('quilted tunic')").await;
    b.value("document.querySelector('.clean').elements.near.checked = true").await;
    b.step(".clean [value='smooth']").await;
    let count = b
        .value("Number(/(\\d+) vertices changed/.exec(document.querySelector('.last').textContent)[1])")
        .await;
    assert!(count.as_u64().unwrap() < 1000, "{count}");
    b.step_by(
        "const f = document.querySelector(\".binding[data-piece='1'] form[hx-post$='/own-joint/1']\"); \
         f.elements.name.value = 'flap'; f.elements.parent.value = 'hips'; f.elements.reach.value = '90'; \
         f.requestSubmit()",
    )
    .await;
    assert_eq!(b.last_step().await, "Give quilted tunic the joint flap under hips");
    // Who moves it: what does not is folded away.
    b.press(".piece-joints summary").await;
    b.until("document.querySelector(\".piece-joints tr[data-joint='flap']\")").await;
    let shown =
        "[...document.querySelectorAll('.piece-joints tbody tr')].filter(r => r.offsetHeight > 0).length";
    let few = b.value(shown).await.as_u64().unwrap();
    b.press(".piece-joints .unfold").await;
    assert!(b.value(shown).await.as_u64().unwrap() > few);
    b.press(".piece-joints [data-order='share']").await;
    let first = b.value("document.querySelector('.piece-joints tbody tr').dataset.joint").await;
    assert!(["hips", "spine_1", "spine_2", "spine_3"].contains(&first.as_str().unwrap()), "{first}");

    b.step_by("document.querySelector(\"[hx-post$='/keep-template/1']\").requestSubmit()").await;
    b.press(".binding[data-piece='1'] .kept > summary").await;
    b.until(
        "document.querySelector(\"[hx-post$='/use-template/1'] option\")?.textContent.includes('quilted \
     tunic')",
    )
    .await;
    b.step_by("document.querySelector(\"[hx-post$='/use-template/1']\").requestSubmit()").await;
    let said = "Let quilted tunic take its weights from the kept binding quilted tunic; bound again as its recipe says";
    assert_eq!(b.last_step().await, said);

    b.step_by(
        "const f = document.querySelector('.make-cage form'); f.elements.piece.checked = true; \
     f.requestSubmit()",
    )
    .await;
    assert_eq!(b.last_step().await, "Make cage round 1 pieces");
    b.step("#bind").await;
    assert_eq!(b.last_step().await, "Bind cage, quilted tunic");
    b.until("document.querySelector('.last').textContent.includes('off the cage by')").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

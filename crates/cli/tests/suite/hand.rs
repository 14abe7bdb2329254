//! The strip above the board in a real browser: what is chosen stays at every station and is moved by hand.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;

const COUNT: &str = "Number.parseInt(document.getElementById('chosen-count').textContent) || 0";

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn cloth_is_chosen_by_painting_kept_at_every_station_and_moved() {
    let (_server, browser) = the_demos_fitting(Draws::All).await;
    let b = &browser;
    b.put_on("breeches", 1, "soft").await;

    // Not bound yet, at Intake: painted, and the view turns with the right button meanwhile.
    b.press("#paint-on").await;
    b.until("document.getElementById('hand-piece').selectedOptions[0].text === 'breeches'").await;
    let (x, y) = b.place_of("#canvas").await;
    b.draw(&[(x - 22.0, y + 40.0), (x - 20.0, y + 50.0), (x - 18.0, y + 60.0)]).await;
    b.until(&format!("({COUNT}) > 3")).await;
    let painted = b.value(COUNT).await;
    b.press("#paint-on").await;

    // Another station, a step and the page read again keep it.
    b.step("#card [data-station='3']").await;
    assert_eq!(b.value(COUNT).await, painted);
    b.step("#bind").await;
    b.whole_board().await;
    assert_eq!(b.value(COUNT).await, painted);
    let address = b.client.current_url().await.unwrap();
    b.client.goto(address.as_str()).await.unwrap();
    b.until(&format!("({COUNT}) === {painted}")).await;
    assert_eq!(
        b.value("document.getElementById('hand-piece').selectedOptions[0].text").await,
        json!("breeches")
    );

    // What a move would do is told before it is made; it is one step, and taken back as one.
    let set = |name: &str, value: &str| {
        format!(
            "(f => {{ f.value = '{value}'; f.dispatchEvent(new Event('input', {{ bubbles: true }})); \
             }})(document.getElementById('move-form').elements['{name}'])"
        )
    };
    b.value(&set("off", "-30")).await;
    b.until("/here \\d+ → [1-9]\\d* through/.test(document.getElementById('move-told').textContent)").await;
    b.step("#move-chosen").await;
    assert_eq!(b.last_step().await, "Move what is chosen of breeches");
    b.whole_board().await;
    assert!(b.deepest().await > 5.0, "pushed into the thigh");
    b.step("#undo").await;

    // Handles on what is chosen: one drag of an arm is one step.
    b.key(",").await;
    b.until("document.querySelector('#handles:not([hidden]) circle.axis-up')").await;
    let (hx, hy) = b.place_of("#handles circle.axis-up").await;
    b.drag(&[(hx, hy), (hx, hy - 6.0), (hx, hy - 12.0)]).await;
    assert_eq!(b.last_step().await, "Move what is chosen of breeches");
    b.step("#undo").await;
    b.key(",").await;
    b.until("document.getElementById('handles').hasAttribute('hidden')").await;

    // The skeleton over the figure; a click picks a joint. Single letters can be no keys.
    b.key("/").await;
    b.until("document.querySelectorAll('#skeleton:not([hidden]) [data-joint]').length > 20").await;
    let joint = "document.querySelector('#skeleton [data-joint=\"5\"]')";
    b.value(&format!("{joint}.dispatchEvent(new Event('click', {{ bubbles: true }}))")).await;
    b.until("document.getElementById('joint-search').value !== ''").await;
    b.value("document.getElementById('single-keys').click()").await;
    b.key("/").await;
    assert_eq!(b.value("document.getElementById('skeleton').hasAttribute('hidden')").await, false);
    b.value("document.getElementById('single-keys').click()").await;
    b.key("/").await;
    b.until("document.getElementById('skeleton').hasAttribute('hidden')").await;

    // Nothing chosen is refused in one sentence.
    b.press("#tool [data-reshape=none]").await;
    b.until(&format!("({COUNT}) === 0")).await;
    b.value(&set("off", "3")).await;
    b.press("#move-chosen").await;
    b.until("document.getElementById('notice').textContent.includes('othing is chosen on “breeches”')").await;

    // A limb is pulled with the real pointer: the joint that moves the place is held, those above it go along.
    b.key("q").await;
    b.until("document.getElementById('pull').getAttribute('aria-pressed') === 'true'").await;
    let posed = b.value("document.getElementById('canvas').dataset.drawn").await;
    b.draw(&[(x - 20.0, y + 50.0), (x - 40.0, y + 30.0), (x - 60.0, y + 10.0)]).await;
    b.until("document.getElementById('joint-search').value !== ''").await;
    b.until(&format!("document.getElementById('canvas').dataset.drawn > {posed}")).await;
    b.key("q").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

//! Intake and Seating in a real browser: what comes in is sorted, cured and put where it belongs.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_demos_faults_are_cured_by_clicking_and_brushed() {
    let (_server, browser) = the_demos_fitting(Draws::All).await;
    let b = &browser;
    let troubles = "document.querySelectorAll('.findings .trouble').length";
    let says = |words: &str| {
        format!("document.querySelector('.findings .trouble')?.textContent.includes({words:?})")
    };

    // Weight on a control handle.
    b.until(&says("is carried by knee_pole_left")).await;
    b.step(".findings[data-subject='0'] .trouble .cure").await;
    assert_eq!(b.value(troubles).await, json!(0));
    // A coat in centimetres, modelled with the arms elsewhere.
    b.put_on("oilskin coat", 2, "soft").await;
    b.until(&says("in centimetres")).await;
    b.step(".findings .trouble .cure").await;
    b.until(&says("modelled in another pose")).await;
    b.press(".findings .trouble .finding").await;
    b.step(".findings .trouble .cure").await;
    assert_eq!(b.value(troubles).await, json!(0));

    // Seated by easing, then a stroke of the brush.
    b.step(".tape [data-station='2']").await;
    b.step(".seat .ease").await;
    b.until("document.querySelector('.seat summary .ok')").await;
    let steps = "document.querySelectorAll('.steps li').length";
    let before = b.value(steps).await.as_u64().unwrap();
    b.press("#brush-on").await;
    b.until("document.getElementById('canvas').dataset.map === 'clearance'").await;
    let (x, y) = b.place_of("#canvas").await;
    let (x, y) = (x + 20.0, y - 60.0);
    b.drag(&[(x, y), (x + 15.0, y + 20.0), (x + 25.0, y + 45.0)]).await;
    assert_eq!(b.value(steps).await.as_u64().unwrap(), before + 1, "a stroke is one step");
    assert_eq!(b.last_step().await, "Pull out oilskin coat");
    b.step("#undo").await;

    // The coat follows the body's shapes, and no longer.
    b.step("#follow-shapes").await;
    assert_eq!(b.last_step().await, "Follow the body’s shapes: oilskin coat");
    let says = "document.querySelector('.body-shapes .hint').textContent";
    b.until(&format!("{says}.includes('1 of 1 pieces follow')")).await;
    // A stroke in that shape is the shape's; the shape is looked at, and what is set stays set.
    let into = "document.getElementById('brush-into')";
    b.value("document.getElementById('brush-strength').value = 2").await;
    b.value(&format!(
        "{into}.value = 'stout', {into}.dispatchEvent(new Event('change', {{ bubbles: true }}))"
    ))
    .await;
    b.until("document.getElementById('shape-told').textContent === '100 %'").await;
    b.drag(&[(x, y), (x + 15.0, y + 20.0)]).await;
    assert_eq!(b.last_step().await, "Pull out oilskin coat in the shape stout");
    let kept = format!("[{into}.value, document.getElementById('brush-strength').value]");
    assert_eq!(b.value(&kept).await, json!(["stout", "2"]));
    b.step("#undo").await;
    b.value(&format!("{into}.value = '', {into}.dispatchEvent(new Event('change', {{ bubbles: true }}))"))
        .await;
    b.until("document.getElementById('shape-told').textContent === '0 %'").await;
    b.press("#brush-on").await;
    // A shape of the body called up by its slider: the figure is posed with it.
    let asked =
        "fetch('/fitting/1/pose', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: \
                 JSON.stringify({ shapes: [[0, 0.5]] }) }).then(r => r.status)";
    assert_eq!(b.value(asked).await, json!(200));
    b.value(
        "(s => { s.value = 0.5; s.dispatchEvent(new Event('input', { bubbles: true })); })\
         (document.getElementById('shape-amount'))",
    )
    .await;
    b.until("document.getElementById('shape-told').textContent === '50 %'").await;
    b.press("#to-rest").await;
    b.until("document.getElementById('shape-told').textContent === '0 %'").await;
    b.step("#unfollow-shapes").await;
    b.until(&format!("{says}.includes('0 of 1 pieces follow')")).await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn pieces_are_sorted_by_keys_drag_and_buttons_and_moved_by_handles() {
    let (_server, browser) = the_demos_fitting(Draws::No3d).await;
    let b = &browser;
    b.put_on("quilted tunic", 1, "soft").await;
    b.put_on("boots", 2, "soft").await;
    b.put_on("lantern", 3, "stiff").await;
    let cure = |label: &str| {
        format!("document.querySelector(\".findings input[value='{label}']\").form.requestSubmit()")
    };
    b.step_by(&cure("File it under feet")).await;
    assert_eq!(b.last_step().await, "File boots under feet");
    b.step_by(&cure("Bring it to 4.0 mm off")).await;
    assert_eq!(b.last_step().await, "Place lantern; its weights stay");

    // Keys on the layer in focus, which keeps it.
    b.value("document.querySelector(\".band[data-part='3']\").focus()").await;
    b.key_step("]").await;
    assert_eq!(b.last_step().await, "Move lantern to layer 4");
    b.key_step("w").await;
    assert_eq!(b.last_step().await, "File lantern under head");
    b.key_step("k").await;
    assert_eq!(b.last_step().await, "File lantern as mixed; bound again as its recipe says");
    b.step("#undo").await;
    b.step("#undo").await;

    // The tunic is dragged over the boots.
    let (x, y) = b.place_of(".band[data-part='1'] .shape").await;
    let (_, above) = b.place_of(".band[data-part='2'] .shape").await;
    b.drag(&[(x, y), (x, y - 20.0), (x, above - 8.0)]).await;
    assert_eq!(b.last_step().await, "Put quilted tunic over boots, on layer 3");
    let order = "[...document.querySelectorAll('.band .name')].map(n => n.textContent).join()";
    assert_eq!(b.value(order).await, json!("lantern,quilted tunic,boots,Wick, skin"));
    b.step("#undo").await;

    // Handles on the canvas: pulling the arm that points left moves the lantern to its left.
    b.step(".tape [data-station='2']").await;
    b.value(
        "(d => { d.open = true; d.querySelector('.place').open = true; \
     })(document.querySelector(\".seat[data-piece='3']\"))",
    )
    .await;
    b.until("document.querySelectorAll('#handles .knob').length === 7").await;
    let (x, y) = b.place_of("#handles .knob.axis-left[data-does='move']").await;
    b.drag(&[(x, y), (x + 30.0, y), (x + 60.0, y)]).await;
    assert_eq!(b.last_step().await, "Place lantern; its weights stay");
    let moved = b.value("document.querySelector('.last .soft').textContent").await;
    assert!(moved.as_str().unwrap().contains("vertices moved, at most"), "{moved}");
    b.step_by(
        "document.querySelector('#canvas').focus(); document.activeElement.dispatchEvent(new \
     KeyboardEvent('keydown', { key: 'ArrowUp', shiftKey: true, bubbles: true }))",
    )
    .await;
    let nudged = b.value("document.querySelector('.last .soft').textContent").await;
    assert!(nudged.as_str().unwrap().contains("at most 1.0 mm"), "{nudged}");
    b.step(".seat[data-piece='3'] [data-step*='copy_mirrored']").await;
    assert_eq!(b.last_step().await, "Copy lantern to the other side; bound again as its recipe says");

    // A pose set by hand on both sides, kept, chosen again and dropped.
    b.value(
        "(s => { s.value = 'upper_arm_left'; s.dispatchEvent(new Event('change', { bubbles: true })); \
     })(document.getElementById('joint-search'))",
    )
    .await;
    b.value("(c => { c.checked = true; })(document.getElementById('turn-both'))").await;
    b.value(
        "(s => { s.value = '-60'; s.dispatchEvent(new Event('input', { bubbles: true })); \
     })(document.getElementById('turn-bend'))",
    )
    .await;
    b.step_by(
        "const f = document.getElementById('keep-pose'); f.elements.name.value = 'reaching'; \
     f.requestSubmit()",
    )
    .await;
    assert_eq!(b.last_step().await, "Keep the pose “reaching”");
    b.press(".kept-pose").await;
    b.until("document.getElementById('pose-name').textContent === 'reaching'").await;

    // Easing shows what it would move before it does.
    b.value(
        "(f => { f.elements.least.value = '14'; f.elements.least.dispatchEvent(new Event('input', { \
     bubbles: true })); })(document.querySelector(\".ease-form[data-piece='1']\"))",
    )
    .await;
    b.until(
        "[...document.querySelectorAll('.says')].some(p => /would move \\d+ vertices, at \
     most/.test(p.textContent))",
    )
    .await;
    b.step(".poses [data-step*='drop_pose'] .btn").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

/// A figure of two groups, and a motion for Wick's left arm.
fn files_of_ones_own(folder: &std::path::Path) -> Vec<std::path::PathBuf> {
    let obj = "v 0.2 1 0\nv 0.3 1 0\nv 0.3 1.1 0\nv 0.2 1.1 0\nv 0.2 1 0.1\nv 0.3 1 0.1\nv 0.3 1.1 0.1\n\
               g strap\nf 1 2 3 4\ng buckle\nf 5 6 7\n";
    let bvh = "HIERARCHY\nROOT hips\n{\nOFFSET 0 0.95 0\nCHANNELS 3 Xposition Yposition Zposition\n\
               JOINT upper_arm_left\n{\nOFFSET 0.17 0.44 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n\
               End Site\n{\nOFFSET 0.17 -0.22 0\n}\n}\n}\n\
               MOTION\nFrames: 3\nFrame Time: 0.5\n0 0.95 0 0 0 0\n0 0.95 0 30 0 0\n0 0.95 0 60 0 0\n";
    let write = |name: &str, text: &str| {
        let path = folder.join(name);
        std::fs::write(&path, text).unwrap();
        path
    };
    vec![write("harness.obj", obj), write("wave.bvh", bvh)]
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn groups_motions_and_ranges_of_motion() {
    let (_server, browser) = the_demos_fitting(Draws::No3d).await;
    let b = &browser;
    let folder = tempfile::tempdir().unwrap();
    b.bring_in(&files_of_ones_own(folder.path())).await;
    // The groups are asked about once.
    b.step(".groups-to-sort [value='true']").await;
    b.until("!document.querySelector('.groups-to-sort')").await;
    b.until("document.querySelector(\"form[data-asset='buckle']\")").await;
    b.put_on("quilted tunic", 1, "soft").await;

    // A range of motion, narrowed by the piece.
    b.press(".joint-table > summary").await;
    b.again_until(
        "document.querySelector(\"tr[data-joint='upper_arm_left'] button\")?.click()",
        "document.querySelector('.range-editor')?.dataset.joint === 'upper_arm_left'",
    )
    .await;
    b.step_by(
        "const f = document.querySelector(\".range-editor .set-range\"); \
     f.elements.forward[1].value = '80'; f.elements.piece.value = '1'; f.requestSubmit()",
    )
    .await;
    assert_eq!(b.last_step().await, "quilted tunic limits upper_arm_left");

    // A motion is tried; with the tunic bound it has columns on the board.
    b.step(".tape [data-station='3']").await;
    b.step("#bind").await;
    b.step(".tape [data-station='4']").await;
    let held = b
        .value("document.querySelector('#card').textContent.includes('Held to its range: arms forward')")
        .await;
    assert_eq!(held, json!(true));
    let columns = "new Set([...document.querySelectorAll('#board .cell')].map(c => c.dataset.pose)).size";
    let before = b.value(columns).await.as_u64().unwrap();
    b.step(".try-motion[data-asset='wave'] button").await;
    assert_eq!(b.last_step().await, "Try wave");
    assert!(b.value(columns).await.as_u64().unwrap() > before);
    // Its joints are shown, and can be matched otherwise.
    b.again_until(
        "document.querySelector('.motion:not([open]) > summary')?.click()",
        "Boolean(document.querySelector('.joint-match select'))",
    )
    .await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn weights_are_taken_from_a_piece_beneath_and_cleaned() {
    let (_server, browser) = the_demos_fitting(Draws::No3d).await;
    let b = &browser;
    b.put_on("quilted tunic", 1, "soft").await;
    b.put_on("tin breastplate", 2, "soft").await;
    b.step(".tape [data-station='3']").await;
    b.step_by(
        "const s = document.querySelector(\"[hx-post$='/take-from/2']\").elements.from; s.value = '1'; \
     s.dispatchEvent(new Event('change', { bubbles: true }))",
    )
    .await;
    assert_eq!(b.last_step().await, "Let tin breastplate take its weights from quilted tunic");
    b.step("#bind").await;
    assert_eq!(b.last_step().await, "Bind quilted tunic, tin breastplate");
    b.value("document.querySelector('.clean').elements.piece.value = '2'").await;
    b.step(".clean [value='smooth']").await;
    assert_eq!(b.last_step().await, "Smooth weights of tin breastplate, 0.5 × 3");
    // The card keeps what was filled in.
    assert_eq!(b.value("document.querySelector('.clean').elements.piece.value").await, json!("2"));
    b.step("#undo").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

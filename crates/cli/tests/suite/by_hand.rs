//! Weights by hand in a real browser: chosen by what matters, by a click and by a line drawn round, changed by
//! presses, keys and the brush, kept as a patch, taken back, and still there after a restart.

use crate::browser::*;
use rocket::tokio;

const COUNT: &str = "parseInt(document.getElementById('chosen-count').textContent) || 0";

/// The mean weight of a joint of what is chosen, as the card says it.
fn mean(joint: &str) -> String {
    format!(
        "Number([...document.querySelectorAll('#hand-joints tbody tr')].find(r => \
         r.textContent.startsWith('{joint}'))?.cells[1].textContent ?? 0)"
    )
}

fn set(id: &str, value: &str) -> String {
    format!(
        "(f => {{ f.value = '{value}'; f.dispatchEvent(new Event('change', {{ bubbles: true }})); \
         }})(document.getElementById('{id}'))"
    )
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn vertices_are_chosen_and_their_weights_changed_with_the_effect_in_sight() {
    let (_server, browser) = a_demos_fitting("night round", Draws::No3d).await;
    let b = &browser;
    b.whole_board().await;
    b.step(".tape [data-station='3']").await;
    b.value("document.getElementById('by-hand').open = true").await;
    let coat =
        "[...document.getElementById('hand-piece').options].find(o => o.text === 'oilskin coat').value";
    let coat = b.value(coat).await;
    b.value(&set("hand-piece", coat.as_str().unwrap())).await;
    b.value(&set("joint-search", "lower_arm_left")).await;

    // By what matters: what the forearm moves by more than half; grown, shrunk, the other side too.
    b.value("document.querySelector('#what-choose').click()").await;
    b.until(&format!("({COUNT}) > 80")).await;
    let first = b.value(COUNT).await.as_u64().unwrap();
    b.press("[data-reshape=grow]").await;
    b.until(&format!("({COUNT}) > {first}")).await;
    let grown = b.value(COUNT).await.as_u64().unwrap();
    b.press("[data-reshape=shrink]").await;
    b.until(&format!("({COUNT}) < {grown}")).await;
    b.press("[data-reshape=back]").await;
    b.until(&format!("({COUNT}) === {grown}")).await;
    b.press("[data-reshape=back]").await;
    b.until(&format!("({COUNT}) === {first}")).await;
    b.value("document.querySelector('[data-reshape=mirrored]').click()").await;
    b.until(&format!("Math.abs(({COUNT}) - {}) < 12", 2 * first)).await;
    b.press("[data-reshape=back]").await;
    b.until(&format!("({COUNT}) === {first}")).await;
    b.value(&set("grow-unit", "mm")).await;
    b.value(&set("grow-by", "60")).await;
    b.press("[data-reshape=grow]").await;
    b.until(&format!("({COUNT}) > {grown}")).await;
    b.press("[data-reshape=back]").await;
    b.until(&format!("({COUNT}) === {first}")).await;

    // A tenth added by a key: the step says who gained, how far the furthest goes, and in which pose.
    let before = b.value(&mean("lower_arm_left")).await.as_f64().unwrap();
    b.key_step("+").await;
    assert_eq!(b.last_step().await, "Add 0.1 of lower_arm_left on oilskin coat");
    let told = b.value("document.querySelector('.last').textContent").await;
    let told = told.as_str().unwrap();
    assert!(told.contains("lower_arm_left +") && told.contains("goes") && told.contains(" mm ("), "{told}");
    b.until(&format!("{} > {before}", mean("lower_arm_left"))).await;
    b.step("#undo").await;
    b.until(&format!("{} === {before}", mean("lower_arm_left"))).await;

    // Two joints smoothed together.
    b.value(&set("smooth-joints", "upper_arm_left")).await;
    b.value(&set("smooth-times", "40")).await;
    b.step("[data-hand=smooth]").await;
    assert_eq!(b.last_step().await, "Smooth lower_arm_left, upper_arm_left on oilskin coat");
    b.step("#undo").await;

    // A sleeve that stays behind the forearm: what that makes worse the most is told, and one press goes there.
    b.value(&set("hand-amount", "0")).await;
    b.step("[data-hand=set]").await;
    assert_eq!(b.last_step().await, "Set lower_arm_left to 0 on oilskin coat");
    b.until("document.querySelector('.last .to-cell')").await;
    b.press(".last summary").await;
    let told = b.value("document.querySelector('.last .to-cell').textContent").await;
    assert!(told.as_str().unwrap().contains(" mm deeper in "), "{told}");
    b.press(".last .to-cell").await;
    b.until("document.getElementById('pose-name').textContent !== 'rest'").await;
    b.until("document.getElementById('canvas').dataset.map === 'clearance'").await;
    b.step("#undo").await;
    b.value(&set("hand-amount", "0.1")).await;
    b.until(&format!("{} === {before}", mean("lower_arm_left"))).await;
    b.value(&set("pose-pick", "0")).await;
    b.until("document.getElementById('pose-name').textContent === 'rest'").await;
    b.press("#whole").await;

    // Kept under a name, forgotten by none and found again.
    b.value("document.getElementById('patch-name').value = 'left forearm'").await;
    b.step_by("document.querySelector('#patch-keep').click()").await;
    assert_eq!(b.last_step().await, format!("Keep {first} vertices of oilskin coat as “left forearm”"));
    b.press("[data-reshape=none]").await;
    b.until(&format!("({COUNT}) === 0")).await;
    b.until("document.querySelector('#patch-pick option[value=\"left forearm\"]')").await;
    b.value(&set("patch-pick", "left forearm")).await;
    b.until(&format!("({COUNT}) === {first}")).await;

    // A line drawn round the middle of the picture: what faces us, and what is behind too.
    b.press("[data-reshape=none]").await;
    b.until(&format!("({COUNT}) === 0")).await;
    b.press("#lasso-on").await;
    let (x, y) = b.place_of("#canvas").await;
    let ring = [(-60.0, -40.0), (60.0, -40.0), (60.0, 60.0), (-60.0, 60.0), (-58.0, -38.0)];
    let ring: Vec<(f64, f64)> = ring.iter().map(|(dx, dy)| (x + dx, y + dy)).collect();
    b.draw(&ring).await;
    b.until(&format!("({COUNT}) > 100")).await;
    let facing = b.value(COUNT).await.as_u64().unwrap();
    b.press("[data-reshape=none]").await;
    b.until(&format!("({COUNT}) === 0")).await;
    b.value("document.getElementById('pick-through').checked = true").await;
    b.draw(&ring).await;
    b.until(&format!("({COUNT}) > {}", facing * 3 / 2)).await;
    b.press("#lasso-on").await;

    // Nothing chosen is told, and nothing changes.
    b.press("[data-reshape=none]").await;
    b.until(&format!("({COUNT}) === 0")).await;
    let steps = b.value("document.querySelector('.steps summary').textContent").await;
    b.key("+").await;
    b.until("document.body.textContent.includes('othing is chosen on “oilskin coat”')").await;
    assert_eq!(b.value("document.querySelector('.steps summary').textContent").await, steps);

    // A stroke of the brush is one step, and the cloth follows it while it is drawn.
    b.value(&set("hand-brush-kind", "add")).await;
    b.press("#hand-brush").await;
    b.until("document.getElementById('canvas').dataset.map === 'weights'").await;
    b.drag(&[(x, y), (x + 14.0, y + 10.0), (x + 26.0, y + 22.0)]).await;
    assert_eq!(b.last_step().await, "Add 0.1 of lower_arm_left on oilskin coat");

    // On both sides, in a pose: each side by its own joint, and the pose stays.
    let hip =
        "[...document.getElementById('pose-pick').options].find(o => o.text === 'left hip forward').value";
    let hip = b.value(hip).await;
    b.value(&set("pose-pick", hip.as_str().unwrap())).await;
    b.until("document.getElementById('pose-name').textContent !== 'rest'").await;
    let pose = b.value("document.getElementById('pose-name').textContent").await;
    b.value("document.getElementById('hand-mirrored').click()").await;
    b.drag(&[(x + 20.0, y), (x + 30.0, y + 8.0)]).await;
    b.until("document.querySelector('.last').textContent.includes('lower_arm_right +')").await;
    assert_eq!(b.value("document.getElementById('pose-name').textContent").await, pose);
    b.press("#hand-brush").await;
    b.step("#undo").await;

    // A crease on a line that is drawn; the joint that is shown stays shown.
    b.value(&set("joint-search", "spine_2")).await;
    b.value(&set("hand-other", "spine_3")).await;
    b.value(&set("what-size", "0.2")).await;
    b.value("document.querySelector('#what-choose').click()").await;
    b.until(&format!("({COUNT}) > 100")).await;
    b.press("#line-on").await;
    b.draw(&[(x - 20.0, y - 60.0), (x, y - 60.0), (x + 20.0, y - 60.0)]).await;
    b.until("document.getElementById('line-told').textContent.includes(' mm')").await;
    assert_eq!(b.value("document.querySelector('.drawn-line').hasAttribute('hidden')").await, false);
    b.step("[data-hand=crease]").await;
    assert_eq!(b.last_step().await, "A crease between spine_2 and spine_3 on oilskin coat");

    // A gradient on the same line; what is torn by it is filled in again.
    b.value(&set("gradient-from", "0.9")).await;
    b.step("[data-hand=gradient]").await;
    assert_eq!(b.last_step().await, "spine_2 from 0.9 to 1 on oilskin coat");
    b.step("[data-hand=refill]").await;
    assert_eq!(b.last_step().await, "Fill a part of oilskin coat in from round about");

    // The last change is adjusted in its place: no step more.
    b.value(&set("hand-amount", "0.1")).await;
    b.step("[data-hand=add]").await;
    assert_eq!(b.last_step().await, "Add 0.1 of spine_2 on oilskin coat");
    let steps = b.value("document.querySelector('.steps summary').textContent").await;
    b.step_by(&set("adjust-amount", "0.3")).await;
    assert_eq!(b.last_step().await, "Add 0.3 of spine_2 on oilskin coat");
    assert_eq!(b.value("document.querySelector('.steps summary').textContent").await, steps);

    // One list of locked joints, for hand and cleaning, in sight.
    b.value("document.querySelector('[data-locks=shown]').click()").await;
    b.until("document.querySelector('.locks .chips').textContent.includes('spine_2')").await;
    assert_eq!(b.value("document.querySelector('input[name=locked]').value").await, "spine_2");
    b.value("document.querySelector('[data-locks=others]').click()").await;
    b.until("document.querySelector('.locks output').textContent.includes('all but 1')").await;
    b.value("document.querySelector('[data-locks=none]').click()").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_bodys_weights_are_changed_and_older_pieces_bound_again() {
    let (_server, browser) = a_demos_fitting("night round", Draws::No3d).await;
    let b = &browser;
    b.whole_board().await;
    b.step(".tape [data-station='3']").await;
    b.value("document.getElementById('by-hand').open = true").await;
    b.value(&set("hand-piece", "0")).await;
    b.value(&set("joint-search", "lower_arm_left")).await;
    b.value("document.querySelector('#what-choose').click()").await;
    b.until(&format!("({COUNT}) > 50")).await;
    b.step("[data-hand=take]").await;
    assert_eq!(b.last_step().await, "Take 0.1 of lower_arm_left on Wick");
    b.until("document.getElementById('bind-older').textContent.includes('older than those')").await;
    b.step("#bind-older button").await;
    assert!(b.last_step().await.starts_with("Bind "));
    b.until("!document.getElementById('bind-older')").await;
    // A snag over all poses is chosen in one press.
    b.whole_board().await;
    b.value(&set("hand-piece", "3")).await;
    b.until("document.getElementById('more-pick').options.length > 1").await;
    b.value("document.getElementById('more-pick').selectedIndex = 1").await;
    b.value("document.getElementById('more-pick').dispatchEvent(new Event('change', { bubbles: true }))")
        .await;
    b.until(&format!("({COUNT}) > 0")).await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn weights_are_typed_into_a_table_and_the_last_change_is_made_again() {
    let (_server, browser) = a_demos_fitting("night round", Draws::No3d).await;
    let b = &browser;
    b.whole_board().await;
    b.step(".tape [data-station='3']").await;
    b.value("document.getElementById('by-hand').open = true").await;
    let tunic =
        "[...document.getElementById('hand-piece').options].find(o => o.text === 'quilted tunic').value";
    let tunic = b.value(tunic).await;
    b.value(&set("hand-piece", tunic.as_str().unwrap())).await;
    b.value(&set("joint-search", "lower_arm_left")).await;
    b.value(&set("what-size", "0.9")).await;
    b.value("document.querySelector('#what-choose').click()").await;
    b.until(&format!("({COUNT}) > 20")).await;

    // The first vertex by hand, in the table: what is typed is what it has then.
    b.press("#table-show").await;
    b.until("document.getElementById('weight-table').open && document.querySelector('#table-body input')")
        .await;
    let column = "[...document.getElementById('table-head').cells].findIndex(c => c.textContent === \
                  'lower_arm_left')";
    let type_in = format!(
        "(i => {{ i.value = '0.25'; i.dispatchEvent(new Event('input', {{ bubbles: true }})); \
         }})(document.querySelector('#table-body tr').cells[{column}].firstChild)"
    );
    b.value(&type_in).await;
    b.step("#table-apply").await;
    assert_eq!(b.last_step().await, "Type in the weights of a vertex of quilted tunic");
    b.step("#undo").await;

    // A file is read into the field; a bad line of it is refused by its number, and nothing changes.
    b.press("#table-show").await;
    b.value(
        "(i => { const files = new DataTransfer(); files.items.add(new File(['vertex,lower_arm_left\\n5,1.5'], \
         'w.csv')); i.files = files.files; i.dispatchEvent(new Event('change')); \
         })(document.getElementById('table-file'))",
    )
    .await;
    b.until("document.getElementById('table-text').value.endsWith('5,1.5')").await;
    b.press("#table-apply").await;
    b.until("document.body.textContent.includes('ine 2 of the table: “1.5” is no weight of 0 to 1')").await;
    b.value("document.getElementById('weight-table').close()").await;

    // The same change again by a key, then with the two joints exchanged.
    b.value(&set("hand-other", "upper_arm_left")).await;
    b.step("[data-hand=take]").await;
    b.key_step("e").await;
    assert_eq!(b.last_step().await, "Take 0.1 of lower_arm_left on quilted tunic");
    b.press("#joint-flip").await;
    b.until("document.getElementById('hand-joint').textContent === 'upper_arm_left'").await;
    assert_eq!(b.value("document.getElementById('hand-other').value").await, "lower_arm_left");

    // Another station keeps to the choice: cloth is eased where it is. What carried so much of a joint no longer does,
    // and what comes to nothing is refused.
    b.step(".tape [data-station='2']").await;
    let form = format!(".ease-form[data-piece='{}']", tunic.as_str().unwrap());
    b.press(&format!(".seat[data-piece='{}'] summary", tunic.as_str().unwrap())).await;
    b.value(&format!("document.querySelector(\"{form} [name=chosen]\").checked = true")).await;
    b.value(&format!("document.querySelector(\"{form} [name=least]\").value = '6'")).await;
    b.press(&format!("{form} .ease")).await;
    b.until("document.getElementById('notice').textContent.includes('othing is chosen on “quilted tunic”')")
        .await;
    b.step("#undo").await;
    b.step("#undo").await;
    b.value(&format!("document.querySelector(\"{form} [name=chosen]\").checked = true")).await;
    b.value(&format!("document.querySelector(\"{form} [name=least]\").value = '6'")).await;
    b.step(&format!("{form} .ease")).await;
    let told = b.value("document.querySelector('.last').textContent").await;
    assert!(told.as_str().unwrap().contains("vertices moved"), "{told}");
    browser.client.close().await.unwrap();
}

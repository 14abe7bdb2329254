//! The Trials station in a real browser: the board is read, folded, filtered and walked; a motion plays; a
//! snag and its cause are looked at; a pose is set apart; and an outfit is dressed, bound and judged at once.

use crate::browser::*;
use rocket::tokio;
use serde_json::json;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_newcomer_reads_the_board_of_a_dressed_figure() {
    let (_server, browser) = a_demos_fitting("night round", Draws::No3d).await;
    let b = &browser;
    let canvas = |what: &str| format!("document.getElementById('canvas').dataset.{what}");
    let count = |css: &str| format!("document.querySelectorAll({css:?}).length");
    // Sets a field, and tells the page so.
    let set = |css: &str, value: &str, events: &[&str]| {
        let told = events.iter().map(|e| format!("f.dispatchEvent(new Event('{e}', {{ bubbles: true }}));"));
        format!(
            "(f => {{ f.value = {value}; {} }})(document.querySelector({css:?}))",
            told.collect::<String>()
        )
    };
    let click = |what: &str| format!("{what}.dispatchEvent(new MouseEvent('click', {{ bubbles: true }}))");
    let heading =
        "[...document.querySelectorAll('#board .heading')].find(h => h.dataset.group === 'night round')";
    let bars = "document.querySelector('.worst-snag .strip rect:last-of-type')";
    // The board is the first thing there is, and fills by itself.
    b.whole_board().await;
    b.until("document.querySelector('.worst-snag img').naturalWidth > 100").await;

    // Folded and unfolded, filtered, sorted, one group alone.
    let rows = b.value(&count("#board .row-name")).await.as_u64().unwrap();
    assert!(rows > 20, "{rows}");
    b.press("#clear-rows").await;
    b.until("document.getElementById('board').classList.contains('unfolded')").await;
    b.value(&set("#board-only", "'4'", &["change"])).await;
    b.until(&format!("{} < {rows}", count("#board .row-name"))).await;
    let others = "[...document.querySelectorAll('#board .row-name')].filter(r => \
        !r.dataset.pair.split(',').includes('4')).length";
    assert_eq!(b.value(others).await, json!(0));
    b.value(&set("#board-only", "''", &["change"])).await;
    b.until(&format!("{} == {rows}", count("#board .row-name"))).await;
    b.press("#board-worst").await;
    b.until(&format!("{} == 1", count("#board .heading"))).await;
    b.press("#board-worst").await;
    b.until(&format!("{} == 4", count("#board .heading"))).await;
    b.value(&click(heading)).await;
    b.until(&format!("{} == 1", count("#board .heading"))).await;
    b.value(
        "document.querySelector('#board .heading').dispatchEvent(new MouseEvent('click', { bubbles: true }))",
    )
    .await;
    b.until(&format!("{} == 4", count("#board .heading"))).await;

    // Walked with keys; the next worst.
    b.key(".").await;
    b.until(&format!("{} === 'clearance'", canvas("map"))).await;
    let pose = b.value(&canvas("pose")).await;
    b.key("ArrowRight").await;
    b.until(&format!("{} !== {pose}", canvas("pose"))).await;
    let lit = b.value("document.querySelector('#board .lit').getAttribute('visibility')").await;
    assert_eq!(lit, json!("visible"));

    // One of the worst snags, a pose of its strip, and what its first cause weighs there.
    b.press(".worst-snag").await;
    b.until("document.querySelector('.worst-snag.on')").await;
    let wished = b.value(&format!("{bars}.dataset.pose")).await;
    b.value(&click(bars)).await;
    b.until(&format!("{} === {wished}", canvas("pose"))).await;
    b.press(".worst-snag .cause").await;
    b.until(&format!("{} === 'weights'", canvas("map"))).await;

    // A motion plays and is scrubbed; at rest again the nearest tried frame is measured.
    let night = "[...f.options].findIndex(o => o.textContent.startsWith('night round'))";
    b.value(&set("#pose-pick", night, &["change"])).await;
    b.until("!document.getElementById('player').hidden").await;
    let drawn = b.value(&format!("Number({})", canvas("drawn"))).await.as_u64().unwrap();
    b.key(" ").await;
    b.until(&format!("Number({}) > {drawn} + 3", canvas("drawn"))).await;
    b.until("parseFloat(document.getElementById('play-time').textContent) > 0.1").await;
    b.key(" ").await;
    b.until("document.getElementById('play').getAttribute('aria-pressed') === 'false'").await;
    b.value(&set("#play-at", "'0.5'", &["input", "change"])).await;
    b.until("document.getElementById('pose-name').textContent.startsWith('night round')").await;
    // A frame on, a frame back; frames that are out of tolerance are marked; a stretch at a quarter of the speed.
    let time = "document.getElementById('play-time').textContent";
    let there = b.value(time).await;
    b.key(">").await;
    b.until(&format!("{time} !== {there}")).await;
    b.key("<").await;
    b.until(&format!("{time} === {there}")).await;
    b.until("document.querySelectorAll('#play-marks .out').length > 0").await;
    b.press("#play-from").await;
    b.value(&set("#play-at", "'0.9'", &["input"])).await;
    b.until(&format!("{time} === '0.90 s'")).await;
    b.press("#play-to").await;
    b.until("document.querySelector('#play-marks .stretch')").await;
    b.value(&set("#play-speed", "'0.25'", &["change"])).await;
    b.key(" ").await;
    let within = format!("parseFloat({time}) > 0.52 && parseFloat({time}) < 0.8");
    b.until(&within).await;
    b.until(&format!("parseFloat({time}) > 0.82")).await;
    b.until(&within).await;
    b.key(" ").await;

    // The board's edge is moved by keys and by hand, and stays where it was left.
    let height = "document.getElementById('board').offsetHeight";
    let low = b.value(height).await.as_f64().unwrap();
    b.value("document.getElementById('board-edge').focus()").await;
    b.value("document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', bubbles: true }))")
        .await;
    b.until(&format!("{height} > {low} + 15")).await;
    let (x, y) = b.place_of("#board-edge").await;
    b.draw(&[(x, y), (x, y - 30.0), (x, y - 60.0)]).await;
    b.until(&format!("{height} > {low} + 70 && Number(localStorage.getItem('board-height')) === {height}"))
        .await;

    // A pose is for stress only: it no longer counts, and undo brings it back.
    b.press("#to-worst").await;
    b.until("document.querySelector('.counts-here')").await;
    let bad = "Number(/^(\\d+) of/.exec(document.querySelector('#depth .hint').textContent.trim())[1])";
    let before = b.value(bad).await.as_u64().unwrap();
    b.step_by("document.dispatchEvent(new KeyboardEvent('keydown', { key: 'c', bubbles: true }))").await;
    b.until(&format!("{bad} < {before}")).await;
    b.until("document.querySelector('#board .cell.stress')").await;
    assert!(b.last_step().await.contains("stress only"));
    b.step("#undo").await;
    b.until(&format!("{bad} == {before}")).await;

    // A joint is swung through its range: columns of its own.
    b.value(&set("#joint-search", "'head'", &["change"])).await;
    b.step("#swing-joint").await;
    b.whole_board().await;
    b.until("[...document.querySelectorAll('#board .heading')].some(h => h.dataset.group === 'head turn')")
        .await;
    b.step("#undo").await;

    // The page to print has the same figures.
    let link = b.value("document.querySelector('#board a[target]').href").await;
    b.client.goto(link.as_str().unwrap()).await.unwrap();
    b.until(&format!("document.querySelector('.verdict').textContent.startsWith('{before} cells')")).await;
    b.until("[...document.images].every(i => i.naturalWidth > 0)").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn files_of_ones_own_are_dressed_bound_judged_and_handed_over() {
    let folder = tempfile::tempdir().unwrap();
    let (_server, address) = serve(&["serve", "--data", folder.path().to_str().unwrap()]);
    let browser = Browser::open(Draws::No3d).await;
    let b = &browser;
    b.client.goto(&address).await.unwrap();
    let data = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human");
    let data = std::fs::canonicalize(data).unwrap();
    b.bring_in(&["body.glb", "bodysuit.glb", "skirt.obj"].map(|n| data.join(n))).await;
    b.until("document.querySelectorAll('.asset').length === 3").await;
    b.press(".asset .begin button").await;
    b.until("document.getElementById('screen')?.dataset.ready").await;
    b.step("form[hx-post$='/put-on-all'] button").await;
    assert_eq!(b.value("document.querySelectorAll('.band').length").await, json!(3));
    b.step("#card [data-station='3']").await;
    b.step("#bind").await;
    b.whole_board().await;
    b.step(".tape [data-station='4']").await;
    b.until("document.querySelector('#depth .depth')").await;
    b.step(".tape [data-station='6']").await;
    let path = b.value("document.getElementById('download').getAttribute('href')").await;
    let bytes = download(b, path.as_str().unwrap()).await;
    assert_eq!(validate(&bytes)[0], json!(0));
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

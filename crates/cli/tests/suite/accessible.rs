//! The main views asked by axe-core (npm `axe-core` 4.14.1, installed by `scripts/test.sh`): no violation of WCAG 2.1 A
//! and AA. What it cannot tell by itself, as text over a picture, it leaves open.

use crate::browser::*;
use fantoccini::wd::TimeoutConfiguration;
use rocket::tokio;
use serde_json::Value;
use std::time::Duration;
use tin_cloak_testkit::wearing_bound;

/// What axe-core finds on the page as it is: the rule, and where.
async fn violations(browser: &Browser) -> Vec<String> {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../../target/axe/node_modules/axe-core/axe.min.js");
    let axe = std::fs::read_to_string(file).expect("run scripts/test.sh once");
    browser.client.execute(&axe, Vec::new()).await.unwrap();
    let ask = "const done = arguments[arguments.length - 1]; \
        const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']; \
        axe.run(document, { runOnly: { type: 'tag', values: tags } }).then((r) => done([r.passes.length, \
        r.violations.flatMap((v) => v.nodes.map((n) => \
        `${v.id}: ${n.target.join(' ')} (${n.any.concat(n.all, n.none).map((c) => c.message)})`))]))";
    let told = browser.client.execute_async(ask, Vec::new()).await.unwrap();
    // It has looked: rules that hold are told as well.
    assert!(told[0].as_u64().unwrap() > 5, "{told}");
    told[1].as_array().unwrap().iter().filter_map(Value::as_str).map(str::to_owned).collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nobody_is_kept_out_of_the_main_views() {
    let folder = wearing_bound(&[("breeches", 1), ("quilted tunic", 2)]).folder;
    let (_server, address) = serve(&["serve", "--data", folder.path().to_str().unwrap()]);
    let browser = Browser::open(Draws::No3d).await;
    // Beside other stories it takes its time.
    let patient = TimeoutConfiguration::new(Some(Duration::from_secs(180)), None, None);
    browser.client.update_timeouts(patient).await.unwrap();
    let b = &browser;
    let fitting = format!("{address}/fitting/1");
    b.client.goto(&fitting).await.unwrap();
    b.until("document.getElementById('screen')?.dataset.ready").await;
    b.whole_board().await;
    let mut found = Vec::new();
    for station in 1..=6 {
        b.key(&station.to_string()).await;
        b.until(&format!("document.getElementById('card').dataset.station === '{station}'")).await;
        found.extend(violations(b).await.into_iter().map(|v| format!("station {station}: {v}")));
    }
    b.press("#help").await;
    found.extend(violations(b).await.into_iter().map(|v| format!("keys: {v}")));
    for page in [format!("{address}/"), format!("{fitting}/report"), format!("{fitting}/bare")] {
        b.client.goto(&page).await.unwrap();
        found.extend(violations(b).await.into_iter().map(|v| format!("{page}: {v}")));
    }
    found.dedup();
    assert!(found.is_empty(), "{} violations:\n{}", found.len(), found.join("\n"));
}

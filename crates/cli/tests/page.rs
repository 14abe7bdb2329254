//! The whole story in a real browser: open, put on, bind, see the worst, mend, undo, redo,
//! download; then the same with a body and garment of one's own.
#![allow(missing_docs, clippy::unwrap_used)]

use fantoccini::actions::{InputSource, MouseActions, PointerAction, MOUSE_BUTTON_LEFT};
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use rocket::tokio;
use serde_json::json;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// A process that ends with the test.
struct Ends(Child);

impl Drop for Ends {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn free_port() -> u16 {
    std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

/// Starts a program and waits for a line on its standard output that holds `sign`.
fn start(program: &str, args: &[&str], sign: &str) -> Ends {
    let spawned = Command::new(program).args(args).stdout(Stdio::piped()).stderr(Stdio::null()).spawn();
    let mut child = spawned.unwrap_or_else(|e| panic!("{program}: {e}; run scripts/test.sh once"));
    let lines = BufReader::new(child.stdout.take().unwrap());
    let found = lines.lines().map_while(Result::ok).any(|l| l.contains(sign));
    assert!(found, "{program} ended without saying “{sign}”");
    Ends(child)
}

struct Browser {
    client: Client,
    _driver: Ends,
    _profile: tempfile::TempDir,
}

impl Browser {
    async fn open() -> Self {
        let port = free_port();
        let driver = start("chromedriver", &[&format!("--port={port}")], "started successfully");
        let profile = tempfile::tempdir().unwrap();
        let mut args: Vec<String> = [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            // Some builds draw without a graphics card only when told to.
            "--enable-unsafe-swiftshader",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--hide-scrollbars",
            "--window-size=1280,943",
        ]
        .map(String::from)
        .to_vec();
        args.push(format!("--user-data-dir={}", profile.path().display()));
        let capabilities = json!({
            "browserName": "chrome",
            "goog:chromeOptions": { "binary": "/usr/bin/chromium", "args": args },
            "goog:loggingPrefs": { "browser": "ALL" },
        });
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities.as_object().unwrap().clone())
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .unwrap();
        Self { client, _driver: driver, _profile: profile }
    }

    /// Waits until a JavaScript expression is true.
    async fn until(&self, expression: &str) {
        let end = Instant::now() + Duration::from_secs(120);
        while Instant::now() < end {
            let answer = self.client.execute(&format!("return Boolean({expression})"), vec![]).await;
            if answer.is_ok_and(|a| a == json!(true)) {
                return;
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        let page = self.client.source().await.unwrap();
        panic!("never became true: {expression}\n{}", &page[..page.len().min(3000)]);
    }

    async fn value(&self, expression: &str) -> serde_json::Value {
        self.client.execute(&format!("return {expression}"), vec![]).await.unwrap()
    }

    async fn press(&self, css: &str) {
        self.until(&format!("document.querySelector({css:?})")).await;
        self.client.find(Locator::Css(css)).await.unwrap().click().await.unwrap();
    }

    /// Presses, and waits until the panels have been renewed.
    async fn step(&self, css: &str) {
        let before = self.value("Number(document.getElementById('screen').dataset.ready)").await;
        self.press(css).await;
        self.until(&format!("Number(document.getElementById('screen').dataset.ready) > {before}")).await;
    }

    async fn put_on(&self, name: &str, layer: u16, kind: &str) {
        let form = format!("form[data-asset=\"{name}\"]");
        self.until(&format!("document.querySelector({form:?})")).await;
        self.value(&format!(
            "(f => {{ f.layer.value = {layer}; f.kind.value = '{kind}'; }})(document.querySelector({form:?}))"
        ))
        .await;
        self.step(&format!("{form} button")).await;
    }

    async fn deepest(&self) -> f64 {
        let all = "[...document.querySelectorAll('#board .cell title')].map(t => Number((/, ([\\d.]+) mm deep/.exec(t.textContent) ?? [0, 0])[1]))";
        self.value(&format!("Math.max(0, ...{all})")).await.as_f64().unwrap()
    }

    async fn sum(&self) -> f64 {
        let all = "[...document.querySelectorAll('#board .cell title')].map(t => Number((/, ([\\d.]+) mm deep/.exec(t.textContent) ?? [0, 0])[1]))";
        self.value(&format!("{all}.reduce((a, b) => a + b, 0)")).await.as_f64().unwrap()
    }

    /// Colours of the canvas, coarsely: how many pixels are nearer to madder than to anything.
    async fn madder_pixels(&self) -> u64 {
        let script = "(() => { const c = document.getElementById('canvas'); const d = document.createElement('canvas'); \
            d.width = c.width; d.height = c.height; const x = d.getContext('2d'); x.drawImage(c, 0, 0); \
            const p = x.getImageData(0, 0, d.width, d.height).data; let n = 0; \
            for (let i = 0; i < p.length; i += 4) if (p[i] > 110 && p[i + 1] < 0.55 * p[i] && p[i + 2] < 0.7 * p[i]) n++; return n; })()";
        self.value(script).await.as_u64().unwrap()
    }

    /// Fails on any error the console holds.
    async fn console_is_clean(&self) {
        let entries = self.client.issue_cmd(ConsoleLog).await.unwrap();
        let bad: Vec<_> = entries.as_array().unwrap().iter().filter(|e| e["level"] == "SEVERE").collect();
        assert!(bad.is_empty(), "{bad:?}");
    }
}

/// The browser's console, as ChromeDriver hands it out.
#[derive(Debug)]
struct ConsoleLog;

impl fantoccini::wd::WebDriverCompatibleCommand for ConsoleLog {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some("{\"type\":\"browser\"}".to_owned()))
    }
}

fn serve(arguments: &[&str]) -> (Ends, String) {
    let port = free_port().to_string();
    let mut args = arguments.to_vec();
    args.extend(["--port", &port]);
    let server = start(env!("CARGO_BIN_EXE_tin-cloak"), &args, "is ready");
    (server, format!("http://127.0.0.1:{port}"))
}

/// Numbers of errors and warnings of the public validator.
fn validate(bytes: &[u8]) -> serde_json::Value {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("download.glb");
    std::fs::write(&file, bytes).unwrap();
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/validate-gltf.cjs");
    let out = Command::new("node").arg(script).arg(&file).output().unwrap();
    let issues: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    json!([issues["numErrors"], issues["numWarnings"]])
}

/// The bytes behind an address, as the page would get them.
async fn download(browser: &Browser, path: &str) -> Vec<u8> {
    let script = format!(
        "const done = arguments[0]; fetch('{path}').then(r => r.arrayBuffer()).then(b => {{ \
         let s = ''; const u = new Uint8Array(b); \
         for (let i = 0; i < u.length; i += 32768) s += String.fromCharCode(...u.subarray(i, i + 32768)); \
         done(btoa(s)); }})"
    );
    let text = browser.client.execute_async(&script, vec![]).await.unwrap();
    use base64::Engine;
    base64::engine::general_purpose::STANDARD.decode(text.as_str().unwrap()).unwrap()
}

/// The demo served, and its fitting open in a browser.
async fn the_demos_fitting() -> (Ends, Browser) {
    let (server, address) = serve(&["demo"]);
    let browser = Browser::open().await;
    browser.client.goto(&address).await.unwrap();
    browser.press(".card-link").await;
    browser.until("document.getElementById('screen')?.dataset.ready").await;
    (server, browser)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn wick_is_dressed_tried_mended_and_handed_over() {
    let (_server, browser) = the_demos_fitting().await;
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
    let chosen = b.value("document.querySelector('#board .here').getAttribute('visibility')").await;
    assert_eq!(chosen, json!("visible"));
    // Arrow keys walk the board.
    let pose = b.value("document.getElementById('canvas').dataset.pose").await;
    b.value("document.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowLeft', bubbles: true }))")
        .await;
    b.until(&format!("document.getElementById('canvas').dataset.pose !== {pose}")).await;

    b.step(".tape [data-station='5']").await;
    b.step("#push").await;
    let mended = b.sum().await;
    assert!(mended < sum, "{sum} mm in all cells became {mended}");
    assert!(b.value("document.querySelectorAll('.cell.better').length").await.as_u64().unwrap() > 0);
    b.step("#undo").await;
    assert!((b.sum().await - sum).abs() < 1e-6, "undo brings the old board back");
    b.step("#redo").await;
    assert!((b.sum().await - mended).abs() < 1e-6, "redo the new one");

    b.step(".tape [data-station='6']").await;
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
    let browser = Browser::open().await;
    let b = &browser;
    b.client.goto(&address).await.unwrap();
    let data = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human");
    let data = std::fs::canonicalize(data).unwrap();
    let place = |name: &&str| data.join(name).display().to_string();
    let upload = |names: &[&str]| names.iter().map(place).collect::<Vec<_>>().join("\n");
    let send = |text: String| async move {
        let field = b.client.find(Locator::Id("files")).await.unwrap();
        field.send_keys(&text).await.unwrap();
    };
    // Not a mesh: one clear sentence, nothing kept.
    send(upload(&["README.md"])).await;
    b.until("!document.getElementById('notice').hidden").await;
    let said = b.value("document.querySelector('#notice span').textContent").await;
    assert!(said.as_str().unwrap().contains("not a file this program reads"), "{said}");
    assert_eq!(b.value("document.querySelectorAll('.asset').length").await, json!(0));

    send(upload(&["body.glb", "bodysuit.glb", "skirt.obj"])).await;
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
    tokio::time::sleep(Duration::from_millis(1500)).await;
    assert!(b.madder_pixels().await > 30, "the poke-through is drawn in madder");
    // Kept: another visit finds the same board.
    let sum = b.sum().await;
    b.client.refresh().await.unwrap();
    b.until("document.getElementById('screen')?.dataset.ready").await;
    assert!((b.sum().await - sum).abs() < 1e-6);
    // The first upload was refused, and the browser notes that as an error of its own.
    browser.client.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_demos_faults_are_cured_by_clicking_and_brushed() {
    let (_server, browser) = the_demos_fitting().await;
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
    let box_of = "(r => [r.x + r.width * 0.5, r.y + r.height * 0.5])(document.getElementById('canvas').getBoundingClientRect())";
    let middle = b.value(box_of).await;
    let (x, y) = (middle[0].as_f64().unwrap() + 20.0, middle[1].as_f64().unwrap() - 60.0);
    let ready = b.value("Number(document.getElementById('screen').dataset.ready)").await;
    let to = |x: f64, y: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(150)), x, y };
    let stroke = MouseActions::new("mouse".to_owned())
        .then(to(x, y))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(to(x + 15.0, y + 20.0))
        .then(to(x + 25.0, y + 45.0))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    b.client.perform_actions(stroke).await.unwrap();
    b.until(&format!("Number(document.getElementById('screen').dataset.ready) > {ready}")).await;
    assert_eq!(b.value(steps).await.as_u64().unwrap(), before + 1, "a stroke is one step");
    let said = b.value("document.querySelector('.last b').textContent").await;
    assert_eq!(said, json!("Pull out oilskin coat"));
    b.step("#undo").await;
    b.console_is_clean().await;
    browser.client.close().await.unwrap();
}

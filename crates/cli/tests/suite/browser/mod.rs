//! A real browser at the page: ChromeDriver, and what the stories do again and again.
#![allow(dead_code)]

use fantoccini::actions::{InputSource, MouseActions, PointerAction, MOUSE_BUTTON_LEFT};
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use rocket::tokio;
use serde_json::json;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU16, Ordering};
use std::time::{Duration, Instant};

/// A process that ends with the test, and its folder with it.
pub struct Ends(Child, Option<tempfile::TempDir>);

impl Drop for Ends {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// A port that nobody listens on. Below those that the system gives to connections, which would take it before it is
/// used; each process of the tests begins elsewhere, and none is told twice.
pub fn free_port() -> u16 {
    static NEXT: AtomicU16 = AtomicU16::new(0);
    let begin = (std::process::id() % 150) as u16 * 80;
    let ports = std::iter::repeat_with(|| 20_000 + (begin + NEXT.fetch_add(1, Ordering::Relaxed)) % 12_000);
    let is_free = |port: &u16| std::net::TcpListener::bind(("127.0.0.1", *port)).is_ok();
    ports.take(12_000).find(is_free).expect("a free port")
}

/// Starts a program and waits for a line on its standard output that holds `sign`.
pub fn start(program: &str, args: &[&str], sign: &str) -> Ends {
    let spawned = Command::new(program).args(args).stdout(Stdio::piped()).stderr(Stdio::null()).spawn();
    let mut child = spawned.unwrap_or_else(|e| panic!("{program}: {e}; run scripts/test.sh once"));
    let lines = BufReader::new(child.stdout.take().unwrap());
    let found = lines.lines().map_while(Result::ok).any(|l| l.contains(sign));
    assert!(found, "{program} ended without saying “{sign}”");
    Ends(child, None)
}

pub struct Browser {
    pub client: Client,
    _driver: Ends,
    _profile: tempfile::TempDir,
}

/// Whether a browser draws in 3D. Without a graphics card that is most of its work, a second a picture of the demo:
/// stories that look at no picture go without, as on a machine that has none.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Draws {
    All,
    No3d,
    /// Every pixel, for pictures.
    InFull,
}

impl Browser {
    pub async fn open(draws: Draws) -> Self {
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
        // Drawn without a graphics card: a quarter of the pixels, the same page.
        if draws != Draws::InFull {
            args.push("--force-device-scale-factor=0.5".to_owned());
        }
        if draws == Draws::No3d {
            args.push("--disable-3d-apis".to_owned());
        }
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
    pub async fn until(&self, expression: &str) {
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

    /// Runs a script until an expression becomes true: what it presses may be renewed under its hand.
    pub async fn again_until(&self, script: &str, expression: &str) {
        let once = format!("return ({expression}) || (() => {{ {script}; return false; }})()");
        for _ in 0..200 {
            let answer = self.client.execute(&once, vec![]).await;
            if answer.is_ok_and(|a| a == json!(true)) {
                return;
            }
            tokio::time::sleep(Duration::from_millis(300)).await;
        }
        panic!("never became true: {expression}, though again and again {script}");
    }

    pub async fn value(&self, expression: &str) -> serde_json::Value {
        self.client.execute(&format!("return {expression}"), vec![]).await.unwrap()
    }

    pub async fn press(&self, css: &str) {
        self.until(&format!("document.querySelector({css:?})")).await;
        // What is found may be renewed, or come to lie under the last step, before it is pressed: the board fills
        // behind the page.
        let renewed = ["stale element", "not interactable", "click intercepted"];
        for _ in 0..40 {
            // What lies under the last step's panel is scrolled out from under it first, as a hand does.
            let scrolled = format!("document.querySelector({css:?})?.scrollIntoView({{ block: 'nearest' }})");
            self.client.execute(&scrolled, vec![]).await.unwrap();
            let found = self.client.find(Locator::Css(css)).await.unwrap();
            match found.click().await {
                Err(e) if renewed.iter().any(|r| e.to_string().contains(r)) => {
                    tokio::time::sleep(Duration::from_millis(50)).await;
                }
                done => return done.unwrap(),
            }
        }
        panic!("{css} is renewed without end");
    }

    /// Waits until every cell of the board is measured.
    pub async fn whole_board(&self) {
        let whole =
            "document.querySelector('#board .cell') && !document.querySelector('#board[data-missing]')";
        self.until(whole).await;
    }

    /// Presses, and waits until the panels have been renewed.
    pub async fn step(&self, css: &str) {
        let before = self.value("Number(document.getElementById('screen').dataset.ready)").await;
        self.press(css).await;
        self.until(&format!("Number(document.getElementById('screen').dataset.ready) > {before}")).await;
    }

    pub async fn put_on(&self, name: &str, layer: u16, kind: &str) {
        let form = format!("form[data-asset=\"{name}\"]");
        self.until(&format!("document.querySelector({form:?})")).await;
        self.value(&format!(
            "(f => {{ f.layer.value = {layer}; f.kind.value = '{kind}'; }})(document.querySelector({form:?}))"
        ))
        .await;
        self.step(&format!("{form} button")).await;
    }

    /// Sends the files of those paths to the drop target.
    pub async fn bring_in(&self, paths: &[std::path::PathBuf]) {
        let text: Vec<String> = paths.iter().map(|p| p.display().to_string()).collect();
        let field = self.client.find(Locator::Id("files")).await.unwrap();
        field.send_keys(&text.join("\n")).await.unwrap();
    }

    /// Where the middle of an element is on the page.
    pub async fn place_of(&self, css: &str) -> (f64, f64) {
        let box_of = format!(
            "(r => [r.x + r.width * 0.5, r.y + r.height * \
             0.5])(document.querySelector({css:?}).getBoundingClientRect())"
        );
        let middle = self.value(&box_of).await;
        (middle[0].as_f64().unwrap(), middle[1].as_f64().unwrap())
    }

    /// Drags with the real mouse along `way`, and waits until the panels have been renewed.
    pub async fn drag(&self, way: &[(f64, f64)]) {
        let before = self.value("Number(document.getElementById('screen').dataset.ready)").await;
        self.draw(way).await;
        self.until(&format!("Number(document.getElementById('screen').dataset.ready) > {before}")).await;
    }

    /// Presses the real mouse, goes along `way` and lets go; of a single place it is a click.
    pub async fn draw(&self, way: &[(f64, f64)]) {
        let to =
            |&(x, y): &(f64, f64)| PointerAction::MoveTo { duration: Some(Duration::from_millis(150)), x, y };
        let mut hand = MouseActions::new("mouse".to_owned())
            .then(to(&way[0]))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
        for place in &way[1..] {
            hand = hand.then(to(place));
        }
        let hand = hand.then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.client.perform_actions(hand).await.unwrap();
    }

    /// Runs a script that begins a step, and waits until the panels have been renewed.
    pub async fn step_by(&self, script: &str) {
        let before = self.value("Number(document.getElementById('screen').dataset.ready)").await;
        self.client.execute(script, vec![]).await.unwrap();
        self.until(&format!("Number(document.getElementById('screen').dataset.ready) > {before}")).await;
    }

    /// Presses a key on the page.
    pub async fn key(&self, key: &str) {
        let press = format!(
            "document.dispatchEvent(new KeyboardEvent('keydown', {{ key: {key:?}, bubbles: true }}))"
        );
        self.client.execute(&press, vec![]).await.unwrap();
    }

    /// Presses a key on what has the focus, and waits until the panels have been renewed.
    pub async fn key_step(&self, key: &str) {
        let script =
            "document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: KEY, bubbles: true }))";
        self.step_by(&script.replace("KEY", &format!("{key:?}"))).await;
    }

    /// Words of the last step.
    pub async fn last_step(&self) -> String {
        self.value("document.querySelector('.last b').textContent").await.as_str().unwrap().to_owned()
    }

    pub async fn deepest(&self) -> f64 {
        self.whole_board().await;
        let all = "[...document.querySelectorAll('#board .cell title')].map(t => Number((/, ([\\d.]+) mm \
         deep/.exec(t.textContent) ?? [0, 0])[1]))";
        self.value(&format!("Math.max(0, ...{all})")).await.as_f64().unwrap()
    }

    /// The sum of all cells but those of layers in themselves, which nothing here pushes.
    pub async fn sum(&self) -> f64 {
        self.whole_board().await;
        let all = "[...document.querySelectorAll('#board .cell title')].filter(t => \
         !t.textContent.includes('through itself')).map(t => Number((/, ([\\d.]+) mm deep/.exec(t.textContent) ?? \
         [0, 0])[1]))";
        self.value(&format!("{all}.reduce((a, b) => a + b, 0)")).await.as_f64().unwrap()
    }

    /// Colours of the canvas, coarsely: how many pixels are nearer to madder than to anything.
    pub async fn madder_pixels(&self) -> u64 {
        let script = "(() => { const c = document.getElementById('canvas'); const d = \
         document.createElement('canvas'); \
            d.width = c.width; d.height = c.height; const x = d.getContext('2d'); x.drawImage(c, 0, 0); \
            const p = x.getImageData(0, 0, d.width, d.height).data; let n = 0; \
            for (let i = 0; i < p.length; i += 4) if (p[i] > 110 && p[i + 1] < 0.55 * p[i] && p[i + 2] < 0.7 * \
            p[i]) n++; return n; })()";
        self.value(script).await.as_u64().unwrap()
    }

    /// Waits until so many pixels are madder: poke-through is drawn.
    pub async fn until_madder(&self, least: u64) {
        let end = Instant::now() + Duration::from_secs(120);
        while self.madder_pixels().await <= least {
            assert!(Instant::now() < end, "no poke-through is drawn in madder");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// Fails on any error the console holds.
    pub async fn console_is_clean(&self) {
        let entries = self.client.issue_cmd(ConsoleLog).await.unwrap();
        let bad: Vec<_> = entries.as_array().unwrap().iter().filter(|e| e["level"] == "SEVERE").collect();
        assert!(bad.is_empty(), "{bad:?}");
    }
}

/// The browser's console, as ChromeDriver hands it out.
#[derive(Debug)]
pub struct ConsoleLog;

impl fantoccini::wd::WebDriverCompatibleCommand for ConsoleLog {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some("{\"type\":\"browser\"}".to_owned()))
    }
}

pub fn serve(arguments: &[&str]) -> (Ends, String) {
    let port = free_port().to_string();
    let mut args = arguments.to_vec();
    args.extend(["--port", &port]);
    let server = start(env!("CARGO_BIN_EXE_tin-cloak"), &args, "is ready");
    (server, format!("http://127.0.0.1:{port}"))
}

/// Numbers of errors and warnings of the public validator.
pub fn validate(bytes: &[u8]) -> serde_json::Value {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("download.glb");
    std::fs::write(&file, bytes).unwrap();
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/validate-gltf.cjs");
    let out = Command::new("node").arg(script).arg(&file).output().unwrap();
    let issues: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    json!([issues["numErrors"], issues["numWarnings"]])
}

/// The bytes behind an address, as the page would get them.
pub async fn download(browser: &Browser, path: &str) -> Vec<u8> {
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

/// A copy of the kept demo served, and its bare fitting open in a browser.
pub async fn the_demos_fitting(draws: Draws) -> (Ends, Browser) {
    a_demos_fitting("to dress", draws).await
}

/// A copy of the kept demo served, and the fitting whose name has these words open in a browser.
pub async fn a_demos_fitting(words: &str, draws: Draws) -> (Ends, Browser) {
    // Whole only where pictures are taken: what a story asks does not hang on how fine a mesh is.
    let folder = match draws {
        Draws::InFull => tin_cloak_testkit::demo_data(),
        _ => tin_cloak_testkit::coarse_demo_data(),
    };
    let (mut server, address) = serve(&["serve", "--data", folder.path().to_str().unwrap()]);
    server.1 = Some(folder);
    let browser = Browser::open(draws).await;
    browser.client.goto(&address).await.unwrap();
    let link =
        format!("[...document.querySelectorAll('.card-link')].find(a => a.textContent.includes({words:?}))");
    browser.until(&link).await;
    browser.value(&format!("{link}.click()")).await;
    browser.until("document.getElementById('screen')?.dataset.ready").await;
    (server, browser)
}

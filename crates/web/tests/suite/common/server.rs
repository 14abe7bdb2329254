//! The application on a data folder, asked as its page asks.

use rocket::http::{ContentType, Header, RawStr, Status};
use rocket::local::blocking::Client;
use std::sync::Arc;
use tempfile::TempDir;
use tin_cloak_web::application;
use tin_cloak_workshop::Workshop;

pub const HOST: &str = "127.0.0.1:8610";

pub struct Server {
    pub client: Client,
    pub shop: Arc<Workshop>,
    pub folder: TempDir,
}

/// What an answer says: its status, what it begins in the page, and its text.
pub type Said = (Status, Option<String>, String);

impl Server {
    pub fn on(folder: TempDir) -> Self {
        let shop = Arc::new(Workshop::open(folder.path()).unwrap());
        shop.measure_behind(false);
        let address = "127.0.0.1".parse().unwrap();
        let client = Client::untracked(application(Arc::clone(&shop), address, 8610, &[])).unwrap();
        Self { client, shop, folder }
    }

    /// A small fitting, kept by an earlier build: a post of two joints and a sleeve round it, bound.
    pub fn of_the_post() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let kept = format!("{}/../../testdata/kept/first-schema.sqlite", env!("CARGO_MANIFEST_DIR"));
        std::fs::copy(kept, folder.path().join("tin-cloak.sqlite")).unwrap();
        Self::on(folder)
    }

    pub fn get(&self, path: &str) -> (Status, String) {
        let (status, _, bytes) = self.got(path);
        (status, String::from_utf8_lossy(&bytes).into_owned())
    }

    /// An answer's status, the name it is to be saved under, and its bytes.
    pub fn got(&self, path: &str) -> (Status, Option<String>, Vec<u8>) {
        let answer = self.client.get(path.to_owned()).header(Header::new("Host", HOST)).dispatch();
        let named = answer.headers().get_one("Content-Disposition").map(str::to_owned);
        (answer.status(), named, answer.into_bytes().unwrap_or_default())
    }

    pub fn send(&self, path: &str, kind: ContentType, body: &str) -> Said {
        let request = self.client.post(path.to_owned()).header(Header::new("Host", HOST)).header(kind);
        let answer = request.body(body).dispatch();
        let trigger = answer.headers().get_one("HX-Trigger").map(str::to_owned);
        (answer.status(), trigger, answer.into_string().unwrap_or_default())
    }

    pub fn post(&self, path: &str, form: &str) -> Said {
        self.send(path, ContentType::Form, form)
    }

    /// What a preview answers: its figures when it was drawn, else why not.
    pub fn preview(&self, path: &str, body: &str) -> Result<String, String> {
        let request = self.client.post(path.to_owned()).header(Header::new("Host", HOST));
        let answer = request.header(ContentType::JSON).body(body).dispatch();
        let figures = answer.headers().get_one("X-Figures").map(str::to_owned);
        match answer.status() == Status::Ok {
            true => Ok(figures.unwrap_or_default()),
            false => Err(answer.into_string().unwrap_or_default()),
        }
    }

    /// Takes a typed step as a form sends it, and waits for its job; the answer is its sentence.
    pub fn take(&self, step: &str) -> Result<String, String> {
        self.step("/fitting/1/step", &format!("step={}", RawStr::new(step).percent_encode()))
    }

    /// Sends a form and waits for its job, if there is one; the answer is its sentence.
    pub fn step(&self, path: &str, form: &str) -> Result<String, String> {
        let (status, trigger, text) = self.post(path, form);
        match trigger {
            Some(trigger) if status == Status::NoContent => super::outcome(&self.shop, &trigger),
            _ => Err(text),
        }
    }
}

/// Each answer on a line.
pub fn lines(said: impl IntoIterator<Item = Result<String, String>>) -> String {
    let line = |s: Result<String, String>| s.unwrap_or_else(|why| format!("refused: {why}"));
    said.into_iter().map(line).collect::<Vec<_>>().join("\n")
}

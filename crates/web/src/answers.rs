//! Answers: pages, and errors as one sentence.

use crate::{LARGEST_ASKED_MIB, LARGEST_UPLOAD_MIB};
use askama::Template;
use rocket::http::{ContentType, Header, Status};
use rocket::response::content::RawHtml;
use rocket::response::{self, Responder};
use rocket::{catch, catchers, Catcher, Request, Response};
use std::io::Cursor;
use tin_cloak_workshop::WorkshopError;

/// An error as the page shows it: plain text, one sentence.
#[derive(Debug)]
pub(crate) struct Refusal {
    status: Status,
    text: String,
}

impl Refusal {
    pub fn new(status: Status, text: impl Into<String>) -> Self {
        Self { status, text: text.into() }
    }

    /// True when what is kept cannot be read.
    pub fn is_of_the_store(&self) -> bool {
        self.status == Status::InternalServerError
    }

    /// Several as one, with the first one's status; nothing when there are none.
    pub fn all(list: Vec<Self>) -> Option<Self> {
        let text = list.iter().map(|r| r.text.as_str()).collect::<Vec<_>>().join(" ");
        list.first().map(|first| Self { status: first.status, text })
    }
}

impl std::fmt::Display for Refusal {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        f.write_str(&self.text)
    }
}

impl From<WorkshopError> for Refusal {
    fn from(error: WorkshopError) -> Self {
        let status = match &error {
            WorkshopError::Missing { .. } => Status::NotFound,
            WorkshopError::Store(tin_cloak_workshop::StoreError::Missing { .. }) => Status::NotFound,
            WorkshopError::Store(_) | WorkshopError::Stored(_) => Status::InternalServerError,
            WorkshopError::Busy => Status::Conflict,
            _ => Status::UnprocessableEntity,
        };
        if status == Status::InternalServerError {
            tracing::error!(%error, "the store failed");
        }
        Self::new(status, sentence(&error.to_string()))
    }
}

impl From<askama::Error> for Refusal {
    fn from(error: askama::Error) -> Self {
        tracing::error!(%error, "a page could not be written");
        Self::new(Status::InternalServerError, "The page could not be written: reload it.")
    }
}

/// Begins with a capital and ends with a full stop.
pub(crate) fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let start: String = chars.next().map(|c| c.to_uppercase().collect()).unwrap_or_default();
    let end = if text.ends_with(['.', '!', '?']) { "" } else { "." };
    format!("{start}{}{end}", chars.as_str())
}

impl<'r> Responder<'r, 'static> for Refusal {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let body = self.text.into_bytes();
        Response::build()
            .status(self.status)
            .header(ContentType::Plain)
            .sized_body(body.len(), Cursor::new(body))
            .ok()
    }
}

pub(crate) type Page = Result<RawHtml<String>, Refusal>;

pub(crate) fn page(template: &impl Template) -> Page {
    Ok(RawHtml(template.render()?))
}

/// No content, but an event for the page's script: what to do next.
#[derive(Debug)]
pub(crate) struct Tell(&'static str, serde_json::Value);

impl Tell {
    pub(crate) fn job_started(job: u64) -> Self {
        Self("job-started", serde_json::json!({ "job": job }))
    }

    pub(crate) fn fitting_changed() -> Self {
        Self("fitting-changed", serde_json::json!({}))
    }

    pub(crate) fn brought_in() -> Self {
        Self("brought-in", serde_json::json!({}))
    }

    /// Told to the page's body: what was pressed may be renewed before its answer comes, and an event at an element
    /// that is no longer on the page reaches nobody.
    pub(crate) fn header(mut self) -> Header<'static> {
        self.1["target"] = "body".into();
        Header::new("HX-Trigger", serde_json::json!({ self.0: self.1 }).to_string())
    }
}

impl<'r> Responder<'r, 'static> for Tell {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        Response::build().status(Status::NoContent).header(self.header()).ok()
    }
}

#[catch(413)]
fn too_large(request: &Request<'_>) -> Refusal {
    let words = match request.content_type() {
        Some(kind) if kind.is_json() => {
            format!("What was sent is larger than {LARGEST_ASKED_MIB} MB: send it in parts.")
        }
        _ => format!(
            "The upload is larger than {LARGEST_UPLOAD_MIB} MB: export only the meshes that are worn, or \
             without pictures."
        ),
    };
    Refusal::new(Status::PayloadTooLarge, words)
}

#[catch(404)]
fn not_found() -> Refusal {
    Refusal::new(Status::NotFound, "There is nothing at this address.")
}

#[catch(default)]
fn other(status: Status, _: &Request) -> Refusal {
    Refusal::new(status, format!("The request could not be answered ({status})."))
}

pub(crate) fn catchers() -> Vec<Catcher> {
    catchers![too_large, not_found, other]
}

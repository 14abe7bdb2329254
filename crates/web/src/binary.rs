//! Bytes for the viewport, sent in large pieces.

use rocket::http::{ContentType, Header};
use rocket::response::{self, Responder};
use rocket::{Request, Response};
use std::io::Cursor;

/// Bytes for the viewport; `keep` when they never change under their address.
pub(crate) struct Binary {
    pub bytes: Vec<u8>,
    pub keep: bool,
    /// Figures about it, as JSON in a header.
    pub says: Option<String>,
}

impl<'r> Responder<'r, 'static> for Binary {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let mut build = Response::build();
        build.header(ContentType::Binary);
        if self.keep {
            build.header(Header::new("Cache-Control", "private, max-age=31536000, immutable"));
        }
        if let Some(says) = self.says {
            build.header(Header::new("X-Figures", says));
        }
        build.sized_body(self.bytes.len(), Cursor::new(self.bytes)).max_chunk_size(256 << 10).ok()
    }
}

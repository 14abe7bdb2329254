//! Who may ask: only under the server's own names, and writes only from its own pages.

use crate::answers::Refusal;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::uri::Origin;
use rocket::http::{Header, Method, Status};
use rocket::{get, routes, Data, Request, Response, Route};
use std::net::IpAddr;

/// Checks host and origin of every request and puts the security headers on every answer.
pub struct RequestGuard {
    hosts: Vec<String>,
}

const POLICY: &str = "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data:; \
    connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";

impl RequestGuard {
    /// Answers to `localhost` and `address` at `port`, and to `extra` names.
    pub fn new(address: IpAddr, port: u16, extra: &[String]) -> Self {
        let address = match address {
            IpAddr::V6(a) => format!("[{a}]"),
            IpAddr::V4(a) => a.to_string(),
        };
        let mut names = vec!["localhost".to_owned(), "127.0.0.1".to_owned(), "[::1]".to_owned(), address];
        names.extend(extra.iter().map(|n| n.to_ascii_lowercase()));
        let with_port = names.iter().map(|n| format!("{n}:{port}")).collect::<Vec<_>>();
        // Without a port a name stands for port 80.
        let hosts = if port == 80 { with_port.into_iter().chain(names).collect() } else { with_port };
        Self { hosts }
    }

    fn knows(&self, host: &str) -> bool {
        self.hosts.iter().any(|h| h.eq_ignore_ascii_case(host))
    }

    fn refuses(&self, request: &Request) -> Option<&'static str> {
        let host = request.headers().get_one("Host").unwrap_or_default();
        if !self.knows(host) {
            return Some("/refused/host");
        }
        if matches!(request.method(), Method::Get | Method::Head) {
            return None;
        }
        let origin = request.headers().get_one("Origin");
        // Some browsers send only the page a write comes from.
        let from = origin.or(request.headers().get_one("Referer"));
        let foreign = from.is_some_and(|f| !host_of(f).is_some_and(|h| self.knows(h)));
        let site = request.headers().get_one("Sec-Fetch-Site");
        let cross = site.is_some_and(|s| s != "same-origin" && s != "none");
        (foreign || cross).then_some("/refused/origin")
    }
}

/// Host and port of an address.
fn host_of(address: &str) -> Option<&str> {
    address.split_once("://")?.1.split(['/', '?', '#']).next()
}

#[rocket::async_trait]
impl Fairing for RequestGuard {
    fn info(&self) -> Info {
        Info { name: "gate", kind: Kind::Request | Kind::Response }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        if let Some(path) = self.refuses(request).and_then(|p| Origin::parse(p).ok()) {
            request.set_method(Method::Get);
            request.set_uri(path);
        }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        // The bare page's loader makes pictures of what is in the file it has read.
        let policy = match request.uri().path().ends_with("/bare") {
            true => POLICY
                .replace("img-src 'self'", "img-src 'self' blob:")
                .replace("connect-src 'self'", "connect-src 'self' blob:"),
            false => POLICY.to_owned(),
        };
        response.set_header(Header::new("Content-Security-Policy", policy));
        response.set_header(Header::new("X-Content-Type-Options", "nosniff"));
        response.set_header(Header::new("Referrer-Policy", "same-origin"));
        response.set_header(Header::new("Cross-Origin-Resource-Policy", "same-origin"));
        if !response.headers().contains("Cache-Control") {
            response.set_header(Header::new("Cache-Control", "no-store"));
        }
    }
}

#[get("/refused/host")]
fn refused_host() -> Refusal {
    Refusal::new(
        Status::MisdirectedRequest,
        "this server does not answer to that name: use localhost, or start it with --host NAME",
    )
}

#[get("/refused/origin")]
fn refused_origin() -> Refusal {
    Refusal::new(Status::Forbidden, "changes are taken from this application's own pages only")
}

pub(crate) fn routes() -> Vec<Route> {
    routes![refused_host, refused_origin]
}

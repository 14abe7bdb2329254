//! Pages, fragments, static files and the viewport script: what a browser sees of the
//! workshop. Computes no geometry.

mod answers;
mod batch_table;
mod binary;
mod binding;
mod blocking_pool;
pub mod board_svg;
mod body_parts;
mod by_hand;
mod files;
mod fitting;
mod handover;
mod imported_weights;
mod jobs;
mod joint_match;
mod layers_svg;
mod look;
mod looked_over;
mod measuring;
mod mending_rows;
mod motions;
mod own_joints;
mod piece_rows;
mod pipeline;
mod plan;
mod printed;
mod pulling;
mod report_file;
mod request_guard;
mod seating;
mod shelf;
mod snag_acts;
mod steps;
mod trials;
mod typed_step;
mod upload;

use rocket::config::{Config, LogLevel};
use rocket::data::{Limits, ToByteUnit};
use rocket::{Build, Rocket};
use std::net::IpAddr;
use std::sync::Arc;
use tin_cloak_workshop::Workshop;

pub use batch_table::batch_table;
pub use look::colour;
pub use pipeline::OPENAPI;
pub use report_file::report_file;
pub use request_guard::RequestGuard;

/// Largest upload in mebibytes; said in the refusal beyond it.
pub const LARGEST_UPLOAD_MIB: u64 = 256;
/// Largest of everything else that is sent: the weights of 20,000 vertices as a table are some 10.
pub(crate) const LARGEST_ASKED_MIB: u64 = 64;

/// The application, ready to be launched on `address` and `port`. `hosts` are names it answers
/// to besides `localhost` and its own address.
pub fn application(workshop: Arc<Workshop>, address: IpAddr, port: u16, hosts: &[String]) -> Rocket<Build> {
    // The form carries a little more than the file in it.
    let limits = Limits::default()
        .limit("file", LARGEST_UPLOAD_MIB.mebibytes())
        .limit("data-form", (LARGEST_UPLOAD_MIB + 1).mebibytes())
        .limit("string", 512.kibibytes())
        .limit("form", LARGEST_ASKED_MIB.mebibytes())
        .limit("json", LARGEST_ASKED_MIB.mebibytes());
    let config = Config { address, port, limits, log_level: LogLevel::Off, ..Config::release_default() };
    rocket::custom(config)
        .manage(workshop)
        .attach(RequestGuard::new(address, port, hosts))
        .mount("/", shelf::routes())
        .mount("/", handover::routes())
        .mount("/", report_file::routes())
        .mount("/", upload::routes())
        .mount("/", fitting::routes())
        .mount("/", steps::routes())
        .mount("/", plan::routes())
        .mount("/", pipeline::routes())
        .mount("/", body_parts::routes())
        .mount("/", typed_step::routes())
        .mount("/", by_hand::routes())
        .mount("/", seating::routes())
        .mount("/", binding::routes())
        .mount("/", own_joints::routes())
        .mount("/", imported_weights::routes())
        .mount("/", motions::routes())
        .mount("/", trials::routes())
        .mount("/", printed::routes())
        .mount("/", look::routes())
        .mount("/", pulling::routes())
        .mount("/", jobs::routes())
        .mount("/", measuring::routes())
        .mount("/", files::routes())
        .mount("/", request_guard::routes())
        .register("/", answers::catchers())
}

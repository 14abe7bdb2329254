//! `replace`: files that come back for what is worn in a dressed file, or for its body.

use crate::args::ReplaceArgs;
use crate::batch::{hand_out, load, Outcome};
use std::path::Path;
use tin_cloak_workshop::{DressedFile, TrialSays, TrialWish};

pub(crate) fn replace(args: &ReplaceArgs) -> Outcome {
    let dressed = load(&args.dressed)?;
    let body = args.body_mesh.as_deref();
    let mut open = DressedFile::open(&dressed, body, &TrialWish::Range, &TrialSays::default())?;
    let mut notes = Vec::new();
    for said in &args.replace {
        let wrong = || format!("--replace wants NAME=FILE, such as “breeches=breeches.glb”, not “{said}”");
        let (name, file) = said.split_once('=').ok_or_else(wrong)?;
        notes.extend(open.replace(name.trim(), &load(Path::new(file.trim()))?)?);
    }
    hand_out(&open, &args.out, args.report.as_deref(), notes)
}

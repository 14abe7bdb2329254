//! `wear`: an outfit on another body.

use crate::args::WearArgs;
use crate::batch::{hand_out, load, Outcome};
use crate::progress::Progress;
use tin_cloak_workshop::{wear_file, Wearing};

pub(crate) fn wear(args: &WearArgs) -> Outcome {
    let (dressed, body) = (load(&args.dressed)?, load(&args.body)?);
    let wearing = Wearing {
        from_mesh: args.dressed_mesh.clone(),
        body_mesh: args.body_mesh.clone(),
        stiff: args.stiff.into(),
    };
    let progress = Progress::new("carrying");
    let (worn, notes) = wear_file(&dressed, &body, &wearing, &|s| progress.tell(s))?;
    progress.done();
    hand_out(&worn, &args.out, args.report.as_deref(), notes)
}

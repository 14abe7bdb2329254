//! A snag where it is named: why it is there, and what can be done about it, each tried first.

use crate::intake::of_piece::coarse_places;
use crate::intake::row_steps::{in_words, MOST_ROWS};
use crate::looking::worst_snags::WorstSnag;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::Trial;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::push::{Against, MendOptions};
use tin_cloak_model::state::step::{MendingStep, Step, TrialStep};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::trial_change::TrialChange;
use tin_cloak_model::state::trial_plan::Counts;

/// How a cause begins that is a shape, not a joint.
const OF_SHAPE: &str = "shape ";

/// Something that may help.
#[derive(Clone, Debug)]
pub struct SnagAct {
    /// On its press.
    pub words: &'static str,
    /// What it does, in a sentence.
    pub title: String,
    /// The step that it is.
    pub step: Step,
    /// Whether it is worth a try beside what there is, or is plain beforehand.
    pub tried_first: bool,
}

/// What may help where one layer is through another in a pose; the body is no piece.
pub fn snag_acts(room: &Room, ids: [PieceId; 2], pose: usize) -> Vec<SnagAct> {
    let [outer, inner] = ids;
    let worn = room.index_of(outer).filter(|_| outer != inner);
    let mut acts = worn.map_or_else(Vec::new, |index| pair_acts(room, index, ids, pose));
    acts.extend(room.trials.trials.get(pose).filter(|t| !t.is_rest()).map(for_stress_only));
    acts
}

fn pair_acts(room: &Room, index: usize, [outer, inner]: [PieceId; 2], pose: usize) -> Vec<SnagAct> {
    let is_piece = |id: &PieceId| room.index_of(*id).is_some();
    let against = Against { pair: Some((outer, inner)), pose: Some(pose) };
    let pieces: Vec<PieceId> = [outer, inner].into_iter().filter(is_piece).collect();
    let (chosen, turns) = (Chosen::Everything, Vec::new());
    let push = MendingStep::PushOut {
        pieces: pieces.clone(),
        chosen: chosen.clone(),
        options: MendOptions::default(),
        against,
        turns: turns.clone(),
    };
    let options = MendOptions::of_correctives();
    let correct = MendingStep::Correct { pieces, options, chosen: chosen.clone(), against, turns };
    let of = Some(inner).filter(is_piece);
    let tuck = MendingStep::Tuck { options: MendOptions::of_tucks(), of, chosen, pose: Some(pose) };
    let act = |words, title: &str, step| SnagAct {
        words,
        title: title.to_owned(),
        step: Step::Mending(step),
        tried_first: true,
    };
    let mut acts = vec![
        act("Push", "These two layers off each other, for this pose; tried first", push),
        act("Corrective", "What a turn of this pose calls up; tried first", correct),
        act("Draw in", "What lies beneath, where nobody sees it; tried first", tuck),
    ];
    acts.extend(rows_act(room, index));
    acts
}

/// Rows where the piece bends with the fewest.
fn rows_act(room: &Room, index: usize) -> Option<SnagAct> {
    let piece = &room.dress.pieces[index];
    let places = coarse_places(&room.dress, piece);
    let place = places.iter().min_by(|a, b| a.bend.rows.total_cmp(&b.bend.rows))?;
    let rows = place.lacks().min(MOST_ROWS);
    Some(SnagAct {
        words: "Rows",
        title: format!("Add {} to {} at {}; tried first", in_words(rows), piece.name, place.joint),
        step: place.add(piece.id, rows)?,
        tried_first: true,
    })
}

fn for_stress_only(trial: &Trial) -> SnagAct {
    let note = String::new();
    let change = TrialChange::Count { target: trial.target(), counts: Counts::Stress, note };
    SnagAct {
        words: "For stress only",
        title: format!("{} is tried and shown, and does not count", trial.label()),
        step: Step::Trial(TrialStep::ChangeTrials { change }),
        tried_first: false,
    }
}

/// Why a snag is there, in a word and its reason.
pub fn verdict(room: &Room, snag: &WorstSnag) -> String {
    let beyond = room.trials.trials.get(snag.pose).map_or_else(Vec::new, |trial| room.joints_beyond(trial));
    let worst = beyond.into_iter().max_by(|a, b| a.1.total_cmp(&b.1));
    match (snag.card.causes.first(), worst) {
        _ if snag.at_rest => "shape: rest has some of it".to_owned(),
        (Some((cause, _)), Some((joint, by))) if *cause == joint => {
            format!("pose: {joint} is turned {by:.0}° beyond its range")
        }
        _ if snag.coarse => "mesh: too coarse there to bend".to_owned(),
        (Some((cause, _)), _) if cause.starts_with(OF_SHAPE) => {
            format!("shape: {} moves the two apart", cause.trim_start_matches(OF_SHAPE))
        }
        (Some((joint, _)), _) => format!("weights: {joint} moves the two apart"),
        (None, _) => String::new(),
    }
}

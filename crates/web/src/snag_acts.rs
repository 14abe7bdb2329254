//! What can be done about a snag where it is named: each is tried first, and shown beside what there is.

use tin_cloak_workshop::{Against, Chosen, MendOptions, MendingStep, PieceId, Room, Step, WorstSnag};

/// Something that may help.
pub(crate) struct SnagAct {
    pub words: &'static str,
    pub title: &'static str,
    /// Its step, as JSON.
    pub step: String,
}

/// What may help where one layer is through another in a pose; the body is no piece.
pub(crate) fn snag_acts(room: &Room, [outer, inner]: [PieceId; 2], pose: usize) -> Vec<SnagAct> {
    let is_piece = |id: &PieceId| room.index_of(*id).is_some();
    if outer == inner || !is_piece(&outer) {
        return Vec::new();
    }
    let against = Against { pair: Some((outer, inner)), pose: Some(pose) };
    let pieces: Vec<PieceId> = [outer, inner].into_iter().filter(is_piece).collect();
    let (chosen, turns) = (Chosen::Everything, Vec::new());
    let push = Step::Mending(MendingStep::PushOut {
        pieces: pieces.clone(),
        chosen: chosen.clone(),
        options: MendOptions::default(),
        against,
        turns: turns.clone(),
    });
    let options = MendOptions::of_correctives();
    let correct =
        Step::Mending(MendingStep::Correct { pieces, options, chosen: chosen.clone(), against, turns });
    let of = Some(inner).filter(is_piece);
    let tuck =
        Step::Mending(MendingStep::Tuck { options: MendOptions::of_tucks(), of, chosen, pose: Some(pose) });
    let act = |words, title, step: &Step| SnagAct {
        words,
        title,
        step: serde_json::to_string(step).unwrap_or_default(),
    };
    vec![
        act("Push", "These two layers off each other, for this pose; tried first", &push),
        act("Corrective", "What a turn of this pose calls up; tried first", &correct),
        act("Draw in", "What lies beneath, where nobody sees it; tried first", &tuck),
    ]
}

/// Why a snag is there, in a word and its reason.
pub(crate) fn verdict(snag: &WorstSnag) -> String {
    match snag.card.causes.first() {
        _ if snag.at_rest => "shape: rest has some of it".to_owned(),
        _ if snag.coarse => "mesh: too coarse there to bend".to_owned(),
        Some((joint, _)) => format!("weights: {joint} moves the two apart"),
        None => String::new(),
    }
}

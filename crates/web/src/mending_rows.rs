//! What the Mending card says of a plan, and of what is hidden.

use std::sync::Arc;
use tin_cloak_workshop::core::units::to_mm;
use tin_cloak_workshop::HideOfRoom;
use tin_cloak_workshop::{
    through_in_words, Board, Counts, MaskRow, Plan, Room, StepGain, Tried, TriedStep, Workshop, WorkshopError,
};

/// A plan of mending as people read it.
pub(crate) struct PlanShown {
    pub before: usize,
    pub after: usize,
    pub steps: Vec<PlanLine>,
    pub no_help: Vec<PlanLine>,
    pub left: Vec<(usize, String)>,
    /// Making it was stopped before all was tried.
    pub stopped: bool,
    /// It is being made: more may come.
    pub in_making: bool,
    /// What poses show that are held back.
    pub held: Option<String>,
}

pub(crate) struct PlanLine {
    pub words: String,
    pub why: String,
    pub cells: String,
    /// More, when pointed at.
    pub more: String,
}

impl PlanShown {
    pub fn new(plan: &Plan) -> Self {
        let lines = |list: &[Tried]| list.iter().map(PlanLine::new).collect();
        Self {
            before: plan.cells.0,
            after: plan.cells.1,
            steps: lines(&plan.steps),
            no_help: lines(&plan.no_help),
            left: plan.left.clone(),
            held: plan.held.in_words(),
            stopped: plan.stopped,
            in_making: false,
        }
    }

    /// The plan of a room, or the one that is being made.
    ///
    /// # Errors
    /// When the store fails.
    pub fn shown(shop: &Workshop, fitting: i64, room: &Room) -> Result<Option<Self>, WorkshopError> {
        if let Some(so_far) = shop.plan_so_far(fitting) {
            return Ok(Some(Self { in_making: true, ..Self::new(&so_far) }));
        }
        Ok(shop.plan_of(room)?.map(|plan| Self::new(&plan)))
    }
}

impl PlanLine {
    fn new(tried: &Tried) -> Self {
        let (words, why) = (tried.means.words.clone(), tried.means.why.clone());
        let (cells, more) = match &tried.brought {
            Err(why) => (String::new(), crate::answers::sentence(why)),
            Ok(b) => (format!("{} → {}", b.cells.0, b.cells.1), b.more_in_words().join("; ")),
        };
        Self { words, why, cells, more }
    }
}

/// A shape that a turn of a joint calls up on pieces, or on the body.
pub(crate) struct CorrectiveGroup {
    pub name: String,
    pub joint: String,
    /// Degrees at which it begins, and at which it is there in full.
    pub from: f32,
    pub full: f32,
    pub rows: Vec<CorrectiveRow>,
}

/// What a part does in it.
pub(crate) struct CorrectiveRow {
    pub part: u32,
    pub of: String,
    pub vertices: usize,
    pub most_mm: f32,
    pub percent: f32,
}

pub(crate) fn corrective_groups(room: &Room) -> Vec<CorrectiveGroup> {
    let body = &room.dress.body;
    let of_body = room.state.body_correctives.iter().filter_map(|made| {
        let shape = body.made_shapes().iter().find(|m| m.name == made.name)?;
        Some((0, body.name.as_str(), made, shape))
    });
    let of_pieces = (0..room.dress.pieces.len()).flat_map(|index| {
        let state = room.piece_state(index);
        let both = state.correctives.iter().zip(&room.dress.pieces[index].correctives);
        both.map(|(made, shape)| (state.id, state.name(), made, &**shape))
    });
    let mut groups: Vec<CorrectiveGroup> = Vec::new();
    // What is drawn in under others has a list of its own.
    for (part, of, made, shape) in of_body.chain(of_pieces).filter(|(_, _, made, _)| made.by.is_empty()) {
        let row = CorrectiveRow {
            part,
            of: of.to_owned(),
            vertices: shape.vertices.len(),
            most_mm: shape.offsets.iter().map(|o| to_mm(o.length())).fold(0.0, f32::max),
            percent: (made.amount * 100.0).round(),
        };
        match groups.iter_mut().find(|g| g.name == made.name) {
            Some(known) => known.rows.push(row),
            None => groups.push(CorrectiveGroup {
                name: made.name.clone(),
                joint: made.joint.clone(),
                from: made.from.to_degrees().round(),
                full: made.full.to_degrees().round(),
                rows: vec![row],
            }),
        }
    }
    groups
}

/// The names of all correctives of pieces, each once.
pub(crate) fn corrective_names(room: &Room) -> Vec<String> {
    let pieces = (0..room.dress.pieces.len()).map(|i| room.piece_state(i));
    let mut names: Vec<String> = pieces.flat_map(|p| &p.correctives).map(|c| c.name.clone()).collect();
    names.sort_unstable();
    names.dedup();
    names
}

/// A step that was tried and not done.
pub(crate) struct TriedRow {
    pub place: usize,
    /// The number that it is looked at by.
    pub seq: i64,
    pub sentence: String,
    /// Cells out of tolerance before and after; nothing while not all is bound.
    pub cells: String,
    pub more: Vec<String>,
    /// What else it would tell when done.
    pub notes: String,
}

pub(crate) fn tried_rows(shop: &Workshop, fitting: i64) -> Result<Vec<TriedRow>, WorkshopError> {
    let row = |(place, tried): (usize, Arc<TriedStep>)| TriedRow {
        place,
        seq: TriedStep::number(place),
        sentence: tried.sentence.clone(),
        cells: tried.brought.map_or(String::new(), |b| format!("{} → {}", b.cells.0, b.cells.1)),
        more: tried.brought.iter().flat_map(StepGain::more_in_words).collect(),
        notes: tried.notes.join("\n"),
    };
    Ok(shop.tried_steps(fitting)?.into_iter().enumerate().map(row).collect())
}

/// Two layers that have cells out of tolerance.
pub(crate) struct OutPair {
    /// Their numbers, the outer one first, as a step has them.
    pub value: String,
    pub words: String,
    pub cells: String,
}

/// Those that count, the ones with the most cells first.
pub(crate) fn out_pairs(board: &Board) -> Vec<OutPair> {
    let mut cells = vec![0; board.pairs.len()];
    board.out(Counts::Counted).for_each(|(_, row, _)| cells[row] += 1);
    let of_two = |r: &usize| cells[*r] > 0 && board.pairs[*r].is_over_another();
    let mut rows: Vec<usize> = (0..cells.len()).filter(of_two).collect();
    rows.sort_by_key(|r| std::cmp::Reverse(cells[*r]));
    let one = |r: usize| {
        let pair = &board.pairs[r];
        OutPair {
            value: format!("[{}, {}]", pair.ids[0], pair.ids[1]),
            words: through_in_words(&pair.outer, &pair.inner),
            cells: if cells[r] == 1 { "1 cell".to_owned() } else { format!("{} cells", cells[r]) },
        }
    };
    rows.into_iter().map(one).collect()
}

/// What is hidden of a part.
pub(crate) struct HiddenRow {
    pub of: String,
    /// What hides how much of it.
    pub masks: Vec<HiddenBy>,
    pub count: usize,
    pub share: f32,
    pub older: bool,
}

/// What one piece, or several together, hide of a part.
pub(crate) struct HiddenBy {
    /// The part, and what hides it as a form sends it.
    pub of: u32,
    pub by: String,
    pub words: String,
    pub count: usize,
}

fn hidden_by(mask: &MaskRow) -> HiddenBy {
    let by = mask.ids.1.iter().map(u32::to_string).collect::<Vec<_>>().join(",");
    let words = if by.is_empty() { "by hand".to_owned() } else { format!("under {}", mask.by) };
    HiddenBy { of: mask.ids.0, by, words, count: mask.count }
}

pub(crate) fn hidden_rows(room: &Room) -> Vec<HiddenRow> {
    let masks = room.masks();
    let row = |of_part: &[MaskRow]| {
        let first = of_part.first()?;
        let (count, share) = room.hidden_of(&first.of);
        let older = of_part.iter().any(|m| m.older);
        Some(HiddenRow {
            of: first.of.clone(),
            masks: of_part.iter().map(hidden_by).collect(),
            count,
            share,
            older,
        })
    };
    masks.chunk_by(|a, b| a.of == b.of).filter_map(row).collect()
}

//! What the Mending card says of a plan, and of what is hidden.

use tin_cloak_workshop::core::deform::Morph;
use tin_cloak_workshop::HideOfRoom;
use tin_cloak_workshop::{
    through_in_words, Board, Corrective, Counts, MaskRow, PieceState, Plan, Room, Tried, Workshop,
    WorkshopError,
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

/// A shape of a piece that a turn of a joint calls up.
pub(crate) struct CorrectiveRow {
    pub piece: u32,
    pub of: String,
    pub name: String,
    /// The joint and its turns, in words.
    pub when: String,
    pub vertices: usize,
    pub most_mm: f32,
}

pub(crate) fn corrective_rows(room: &Room) -> Vec<CorrectiveRow> {
    let of_piece = |(index, state): (usize, &PieceState)| {
        let shapes = room.dress.pieces[index].correctives.iter();
        let row = |(made, shape): (&Corrective, &std::sync::Arc<Morph>)| CorrectiveRow {
            piece: state.id,
            of: state.name().to_owned(),
            name: made.name.clone(),
            when: format!(
                "begins at {:.0}° of {}, whole at {:.0}°",
                made.from.to_degrees(),
                made.joint,
                made.full.to_degrees()
            ),
            vertices: shape.vertices.len(),
            most_mm: shape.offsets.iter().map(|o| o.length() * 1000.0).fold(0.0, f32::max),
        };
        // What is drawn in under others has a list of its own.
        let of_turns = state.correctives.iter().zip(shapes).filter(|(made, _)| made.by.is_empty());
        of_turns.map(row).collect::<Vec<_>>()
    };
    let pieces = (0..room.dress.pieces.len()).map(|i| (i, room.piece_state(i)));
    pieces.flat_map(of_piece).collect()
}

/// The names of all correctives, each once.
pub(crate) fn corrective_names(room: &Room) -> Vec<String> {
    let pieces = (0..room.dress.pieces.len()).map(|i| room.piece_state(i));
    let mut names: Vec<String> = pieces.flat_map(|p| &p.correctives).map(|c| c.name.clone()).collect();
    names.sort_unstable();
    names.dedup();
    names
}

/// Two layers that have cells out of tolerance.
pub(crate) struct OutPair {
    /// Their numbers, the outer one first.
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
            value: format!("{}-{}", pair.ids[0], pair.ids[1]),
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

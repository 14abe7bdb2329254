//! The board as a drawing.

use tin_cloak_workshop::{through_in_words, Board, Cell, Counts, Matching};

/// A cell of the drawing.
pub struct CellBox {
    /// The pose and the row of the board that it shows.
    pub pose: usize,
    /// See `pose`.
    pub row: usize,
    /// Its column, and the first and the last of the poses that share it.
    pub col: usize,
    /// See `col`.
    pub from: usize,
    /// See `col`.
    pub to: usize,
    /// Where its row stands, from above.
    pub line: usize,
    /// True when its row is clear throughout and folded away.
    pub folded: bool,
    /// Left edge, units of the drawing.
    pub x: f32,
    /// Upper edge.
    pub y: f32,
    /// From left to right.
    pub width: f32,
    /// `unknown`, `unmeasurable`, `clear`, `crossing`, `slight`, `deep`, `worst`.
    pub class: &'static str,
    /// `stress` or `aside` when it does not count.
    pub apart: &'static str,
    /// The figure, where there is room.
    pub figure: String,
    /// Said aloud and shown on hover.
    pub title: String,
    /// `x,y,z` of the worst spot and the direction from which it is seen best.
    pub spot: String,
    /// True when the outer layer is strained there.
    pub strained: bool,
    /// `better` or `worse` since the step before.
    pub change: &'static str,
}

/// A group heading.
pub struct Heading {
    /// Left edge.
    pub x: f32,
    /// As it is written.
    pub text: String,
    /// What can be looked at alone.
    pub group: String,
    /// Where its poses leave the range of a joint, in words.
    pub beyond: String,
}

/// A row's name.
pub struct BoardRow {
    /// Upper edge.
    pub y: f32,
    /// As it is written.
    pub text: String,
    /// Numbers of its layers.
    pub pair: String,
    /// True when it is folded away.
    pub folded: bool,
    /// From left to right.
    pub cells: Vec<CellBox>,
}

/// The rows of a board in the order they are drawn: the worst first, and last those in which nothing is
/// wrong anywhere, which can be folded away. While the board is not whole they keep their order, so that
/// none moves under the hand.
fn lines(board: &Board) -> (Vec<usize>, usize) {
    let of_row = |r: usize| board.cells.iter().filter_map(move |column| column[r].as_ref());
    let depth = |r: usize| of_row(r).filter(|c| c.is_bad()).map(Cell::depth_mm).fold(0.0, f32::max);
    let is_clear = |r: &usize| of_row(*r).all(|c| c.measurable && !c.is_bad() && !c.is_hidden_only());
    let aside = |r: &usize| board.pairs[*r].counts == Counts::Aside;
    let mut rows: Vec<usize> = (0..board.pairs.len()).collect();
    if !board.is_whole() {
        return (rows, board.pairs.len());
    }
    let folds = |r: &usize| is_clear(r) || aside(r);
    rows.sort_by(|a, b| folds(a).cmp(&folds(b)).then(depth(*b).total_cmp(&depth(*a))));
    let shown = rows.iter().filter(|r| !folds(r)).count();
    // With nothing wrong at all there is nothing to fold for.
    let shown = if shown == 0 { rows.len() } else { shown };
    (rows, shown)
}

/// The whole drawing.
pub struct Drawing {
    /// From left to right.
    pub width: f32,
    /// With the rows that are folded away, and without.
    pub height: f32,
    /// See `height`.
    pub folded_height: f32,
    /// How many rows those are.
    pub clear_rows: usize,
    /// From one row to the next.
    pub row_height: f32,
    /// Of the groups of poses.
    pub headings: Vec<Heading>,
    /// From above.
    pub rows: Vec<BoardRow>,
}

impl Drawing {
    /// Says on the columns of clips which ranges they leave.
    pub fn with_beyond(mut self, beyond: &[(String, String, f32)]) -> Self {
        for heading in &mut self.headings {
            let own = beyond.iter().filter(|b| b.0 == heading.group);
            let words: Vec<String> = own.map(|(_, joint, by)| format!("{joint} by {by:.0}°")).collect();
            heading.beyond = words.join(", ");
        }
        self
    }

    /// All cells, row by row.
    pub fn cells(&self) -> impl Iterator<Item = &CellBox> {
        self.rows.iter().flat_map(|row| &row.cells)
    }

    /// Height of every cell.
    pub fn cell_height(&self) -> f32 {
        self.row_height - if self.row_height > 16.0 { 3.0 } else { 1.5 }
    }
}

/// Width of the whole drawing: that of a page of 1280, without its edges and the bar that scrolls it down.
pub const WIDTH: f32 = 1236.0;
const NAMES: f32 = 168.0;
const TOP: f32 = 18.0;
const GAP: f32 = 12.0;

/// What of a board is drawn, and in which order.
#[derive(Clone, Debug, Default)]
pub struct Wish {
    /// Only rows with this layer.
    pub only: Option<u32>,
    /// Only what counts.
    pub counted: bool,
    /// Columns by how deep they are.
    pub worst_first: bool,
    /// Only the columns of this group.
    pub group: Option<String>,
}

impl Wish {
    /// True when only the rows of this layer are drawn.
    pub fn is_only(&self, layer: impl std::borrow::Borrow<u32>) -> bool {
        self.only == Some(*layer.borrow())
    }
}

/// A column is at least so wide; where poses would be thinner several share one.
const THINNEST: f32 = 4.0;

/// A column of the drawing: poses that share it, and how wide it is.
struct Column {
    x: f32,
    width: f32,
    poses: Vec<usize>,
}

/// The columns with their headings.
fn columns(board: &Board, wish: &Wish) -> (Vec<Heading>, Vec<Column>) {
    let counts = |p: &usize| !wish.counted || board.poses[*p].counts == Counts::Counted;
    let is_wished = |p: &usize| wish.group.as_ref().is_none_or(|g| board.poses[*p].group == *g);
    let mut poses: Vec<usize> = (0..board.poses.len()).filter(|p| counts(p) && is_wished(p)).collect();
    let mut groups: Vec<(&str, Vec<usize>)> = Vec::new();
    if wish.worst_first {
        let depth = |p: &usize| deepest(board, *p);
        poses.sort_by(|a, b| depth(b).total_cmp(&depth(a)));
        groups.push(("deepest poses first", poses));
    } else {
        for p in poses {
            match groups.last_mut() {
                Some((name, list)) if *name == board.poses[p].group => list.push(p),
                _ => groups.push((&board.poses[p].group, vec![p])),
            }
        }
    }
    // A still pose is a wide column, a frame of a clip a thin one.
    let weight = |group: &str| if group == "rest" || group == "range" { 3.4 } else { 1.0 };
    let total: f32 = groups.iter().map(|(g, l)| weight(g) * l.len() as f32).sum();
    let room = WIDTH - NAMES - GAP * groups.len().saturating_sub(1) as f32;
    let unit = (room / total.max(1.0)).min(if groups.len() > 1 { 9.0 } else { 30.0 });
    let (mut headings, mut columns) = (Vec::new(), Vec::new());
    let mut x = NAMES;
    for (group, list) in groups {
        let span = weight(group) * unit * list.len() as f32;
        let shared = (THINNEST * list.len() as f32 / span.max(1.0)).ceil().max(1.0) as usize;
        let width = span / list.len().div_ceil(shared) as f32;
        // The frames of a motion are called as it is, poses each by a name of its own.
        let is_motion = list.iter().all(|&pose| board.poses[pose].name == *group);
        let text = heading(group, is_motion, list.len(), span + GAP);
        headings.push(Heading { x, text, group: group.to_owned(), beyond: String::new() });
        for poses in list.chunks(shared) {
            columns.push(Column { x, width, poses: poses.to_vec() });
            x += width;
        }
        x += GAP;
    }
    (headings, columns)
}

fn deepest(board: &Board, pose: usize) -> f32 {
    board.cells[pose].iter().flatten().filter(|c| c.is_bad()).map(Cell::depth_mm).fold(0.0, f32::max)
}

/// Of poses that share a column the worst one of a row.
fn worst_of(board: &Board, poses: &[usize], row: usize) -> usize {
    let rank = |p: usize| match &board.cells[p][row] {
        None => -2.0,
        Some(c) if !c.measurable => 0.01,
        Some(c) if c.is_bad() => 1.0 + c.depth_mm(),
        Some(c) if c.is_hidden_only() => 0.5,
        Some(_) => -1.0,
    };
    let worse = |a: usize, b: usize| if rank(b) > rank(a) { b } else { a };
    poses.iter().copied().reduce(worse).unwrap_or(0)
}

/// Draws `board` as wished; cells are compared with `before` when it is given.
pub fn draw(board: &Board, before: Option<&Board>, wish: &Wish) -> Drawing {
    let (mut order, shown) = lines(board);
    let is_wished = |r: &usize| {
        let pair = &board.pairs[*r];
        wish.only.is_none_or(|id| pair.ids.contains(&id)) && (!wish.counted || pair.counts == Counts::Counted)
    };
    let shown = order.iter().take(shown).filter(|r| is_wished(r)).count();
    order.retain(is_wished);
    let row_height = (142.0 / shown.max(1) as f32).clamp(13.0, 24.0);
    let before = before.map(|old| (old, Matching::between(board, old)));
    let (headings, columns) = columns(board, wish);
    let row = |(line, &row): (usize, &usize)| {
        let (y, folded) = (TOP + line as f32 * row_height, line >= shown);
        let of_column = |(col, column): (usize, &Column)| {
            let pose = worst_of(board, &column.poses, row);
            let drawn = cell(board, before.as_ref(), pose, row, column.x, y, column.width);
            let from = column.poses.iter().copied().min().unwrap_or(pose);
            let to = column.poses.iter().copied().max().unwrap_or(pose);
            CellBox { line, col, from, to, folded, ..drawn }
        };
        BoardRow {
            y: y + row_height * 0.5 + 4.0,
            text: board.pairs[row].label(),
            pair: board.pairs[row].ids.map(|id| id.to_string()).join(","),
            folded,
            cells: columns.iter().enumerate().map(of_column).collect(),
        }
    };
    let rows = order.iter().enumerate().map(row).collect();
    let height = |rows: usize| TOP + row_height * rows as f32 + 2.0;
    Drawing {
        width: WIDTH,
        height: height(order.len()),
        folded_height: height(shown),
        clear_rows: order.len() - shown,
        row_height,
        headings,
        rows,
    }
}

/// A group's name, with how much is in it where there is room for that.
fn heading(group: &str, is_motion: bool, count: usize, room: f32) -> String {
    let long = match group {
        "rest" => "rest".to_owned(),
        "range" => format!("range of motion, {count} poses"),
        clip if is_motion => format!("{clip}, {count} frames"),
        poses => format!("{poses}, {count} poses"),
    };
    // About so wide a letter at this size.
    const LETTER: f32 = 5.2;
    if long.chars().count() as f32 * LETTER <= room {
        long
    } else {
        group.to_owned()
    }
}

fn cell(
    board: &Board,
    before: Option<&(&Board, Matching)>,
    pose: usize,
    row: usize,
    x: f32,
    y: f32,
    width: f32,
) -> CellBox {
    let cell = board.cells[pose][row].as_ref();
    let depth = cell.map_or(0.0, Cell::depth_mm);
    let bad = cell.is_some_and(Cell::is_bad);
    let figure = match depth {
        _ if cell.is_some_and(|c| !c.measurable) && width >= 6.0 => "?".to_owned(),
        _ if !bad || width < 17.0 => String::new(),
        d if d < 9.95 => format!("{d:.1}"),
        d => format!("{d:.0}"),
    };
    let (pair, column) = (&board.pairs[row], &board.poses[pose]);
    let time = if column.time_s > 0.0 { format!(" at {:.2} s", column.time_s) } else { String::new() };
    let old = before.and_then(|(old, matching)| matching.cell(old, pose, row)).filter(|_| cell.is_some());
    let told = |c: &Cell| c.measurable;
    let compared = old
        .filter(|old| told(old) && cell.is_some_and(told))
        .map(|old| depth - old.depth_mm())
        .filter(|c| c.abs() > 0.05);
    let counts = match board.counts(pose, row) {
        Counts::Counted => String::new(),
        other => format!(", {}", other.word()),
    };
    // Skin folds; cloth and plates are what is looked at.
    let strained = cell.filter(|c| c.is_strained() && pair.ids[0] != 0);
    let strain = strained.map_or(String::new(), strain_words);
    let note = compared.map_or(String::new(), |c| format!(" ({c:+.1} mm since the last step)"));
    let spot = cell.and_then(|c| c.spot).map_or(String::new(), |(p, n)| {
        p.iter().chain(&n).map(|v| format!("{v:.4}")).collect::<Vec<_>>().join(",")
    });
    let (state, through) = (state(cell), through_in_words(&pair.outer, &pair.inner));
    CellBox {
        pose,
        row,
        col: 0,
        from: pose,
        to: pose,
        line: row,
        folded: false,
        x,
        y,
        width: (width - if width > 8.0 { 2.0 } else { 0.0 }).max(1.0),
        class: class(cell),
        apart: apart(board.counts(pose, row)),
        figure,
        title: format!("{}{time}: {through}, {state}{strain}{counts}{note}", column.name),
        spot,
        strained: strained.is_some(),
        change: match compared {
            Some(c) if c < 0.0 => "better",
            Some(_) => "worse",
            None => "",
        },
    }
}

fn apart(counts: Counts) -> &'static str {
    match counts {
        Counts::Counted => "",
        Counts::Stress => "stress",
        Counts::Aside => "aside",
    }
}

fn class(cell: Option<&Cell>) -> &'static str {
    match cell {
        None => "unknown",
        Some(cell) if !cell.measurable => "unmeasurable",
        Some(cell) if cell.is_hidden_only() => "crossing",
        Some(cell) if !cell.is_bad() => "clear",
        Some(cell) if cell.depth_mm() < 2.0 => "slight",
        Some(cell) if cell.depth_mm() < 6.0 => "deep",
        Some(_) => "worst",
    }
}

fn strain_words(cell: &Cell) -> String {
    match cell.worst_strain {
        _ if cell.stiffness_mm > 1.0 => format!(", bent by {:.1} mm", cell.stiffness_mm),
        s if s > 1.0 => format!(", stretched to {:.0} %", s * 100.0),
        s => format!(", squashed to {:.0} %", s * 100.0),
    }
}

fn state(cell: Option<&Cell>) -> String {
    let Some(cell) = cell else { return "not measured yet".to_owned() };
    if !cell.measurable {
        return "cannot be measured".to_owned();
    }
    if cell.only_crosses() {
        let Cell { crossing_mm, crossing_faces, .. } = cell;
        return format!(
            "nothing out in sight, but {crossing_faces} faces run through over {crossing_mm:.0} mm"
        );
    }
    if cell.is_hidden_only() {
        return format!("nothing out in sight, but {} vertices are hidden by what is worn", cell.buried);
    }
    if cell.contact_mm > cell.deepest_mm.max(cell.sunk_deepest_mm) {
        return format!("{:.1} mm deep, in each other as they were not at rest", cell.contact_mm);
    }
    if !cell.is_bad() {
        return cell.least_clearance_mm.map_or("clear".to_owned(), |c| format!("clear, least gap {c:.1} mm"));
    }
    let (depth, out) = (cell.depth_mm(), cell.poking + cell.sunk);
    let seen = cell.seen_cm2();
    let area = if seen > 0.0 { format!(", {seen:.1} cm²") } else { String::new() };
    format!("{depth:.1} mm deep, {out} vertices out{area}")
}

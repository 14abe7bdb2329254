//! The board as a drawing: cell by cell, rows in order, columns that poses share.

use tin_cloak_web::board_svg::{draw, CellBox, Drawing, Wish, WIDTH};
use tin_cloak_workshop::{Board, BoardPair, BoardPose, Cell, Counts};

fn cell(deepest_mm: f32) -> Option<Cell> {
    Some(Cell {
        covered: 100,
        poking: usize::from(deepest_mm > 0.5),
        deepest_mm,
        poking_cm2: deepest_mm * 0.5,
        sunk_cm2: 0.0,
        buried: 0,
        sunk: 0,
        sunk_deepest_mm: 0.0,
        least_clearance_mm: Some(1.25),
        worst_strain: 1.0,
        crossing_mm: 12.0,
        crossing_faces: if deepest_mm == 9.0 { 4 } else { 0 },
        at_rest: false,
        contact_mm: 0.0,
        edge_deepest_mm: 0.0,
        stiffness_mm: 0.0,
        measurable: deepest_mm >= 0.0,
        spot: (deepest_mm > 0.5).then_some(([0.1, 1.2, 0.3], [0.0, 0.0, 1.0])),
    })
}

fn row(id: u32, outer: &str) -> BoardPair {
    BoardPair { ids: [id, 0], outer: outer.into(), inner: "Wick".into(), ..BoardPair::default() }
}

fn board(cells: Vec<Vec<Option<Cell>>>) -> Board {
    let pose = |group: &str, time_s: f32| {
        let (name, group) = (group.into(), group.into());
        BoardPose { name, group, time_s, ..BoardPose::default() }
    };
    Board {
        pairs: vec![row(2, "coat")],
        poses: vec![pose("rest", 0.0), pose("range", 0.0), pose("bow", 0.25), pose("bow", 0.5)],
        cells,
        tolerance_mm: 0.5,
        hidden_counts: false,
        seconds_per_pose: 0.0,
    }
}

fn words(drawing: &Drawing) -> String {
    let line = |c: &CellBox| format!("{:6.1} {:8} {:4} {:6} {}", c.x, c.class, c.figure, c.change, c.title);
    drawing.cells().map(line).collect::<Vec<_>>().join("\n")
}

#[test]
fn a_board_half_measured_says_so_cell_by_cell() {
    let old = board(vec![vec![cell(0.0)], vec![cell(3.0)], vec![cell(9.0)], vec![cell(1.0)]]);
    let new = board(vec![vec![cell(-1.0)], vec![cell(7.5)], vec![cell(0.9)], vec![None]]);
    assert_eq!((new.unmeasurable_cells(), new.is_clear()), (1, false));
    insta::assert_snapshot!(words(&draw(&new, Some(&old), &Wish::default())));
}

#[test]
fn the_worst_rows_come_first_and_clear_ones_are_folded() {
    let mut all = board(vec![vec![cell(0.0), cell(1.0), cell(0.2), cell(7.0)]; 4]);
    all.pairs = (1..=4).map(|outer| row(outer, &outer.to_string())).collect();
    let drawing = draw(&all, None, &Wish::default());
    let names: Vec<(&str, bool)> = drawing.rows.iter().map(|r| (r.text.as_str(), r.folded)).collect();
    let wanted =
        [("4 over Wick", false), ("2 over Wick", false), ("1 over Wick", true), ("3 over Wick", true)];
    assert_eq!((names.as_slice(), drawing.clear_rows), (&wanted[..], 2));
    assert!(drawing.folded_height < drawing.height);
    let first = drawing.cells().find(|c| c.line == 0).unwrap();
    assert_eq!((first.row, first.class), (3, "worst"));
    // While it is measured nothing moves, and nothing is folded.
    all.cells[2][0] = None;
    let drawing = draw(&all, None, &Wish::default());
    assert!(drawing.clear_rows == 0 && drawing.cells().all(|c| c.line == c.row));
}

#[test]
fn two_thousand_frames_share_columns_that_tell_of_the_worst() {
    let mut long = board(vec![vec![cell(0.0)]; 4]);
    let frame = |n: usize| BoardPose {
        name: "walk".into(),
        group: "walk".into(),
        time_s: n as f32,
        ..long.poses[2].clone()
    };
    long.poses = (0..2000).map(frame).collect();
    long.cells = vec![vec![cell(0.0)]; 2000];
    long.cells[1234][0] = cell(7.0);
    let drawing = draw(&long, None, &Wish::default());
    assert!(drawing.cells().count() < 300, "{}", drawing.cells().count());
    let worst: Vec<&CellBox> = drawing.cells().filter(|c| c.class == "worst").collect();
    assert_eq!((worst.len(), worst[0].pose), (1, 1234));
    assert!(worst[0].from <= 1234 && worst[0].to >= 1234 && worst[0].x + worst[0].width <= WIDTH + 0.1);
    let wish = Wish { worst_first: true, ..Wish::default() };
    assert_eq!(draw(&long, None, &wish).rows[0].cells[0].pose, 1234);
}

#[test]
fn a_board_is_drawn_for_one_layer_one_group_or_what_counts() {
    let mut all = board(vec![vec![cell(3.0), cell(3.0)]; 4]);
    all.pairs = vec![row(1, "tunic"), row(2, "coat")];
    all.pairs[1].counts = Counts::Stress;
    all.poses[1].counts = Counts::Aside;
    let drawn = |wish: Wish| draw(&all, None, &wish).cells().count();
    assert_eq!(drawn(Wish::default()), 8);
    assert_eq!(drawn(Wish { only: Some(1), ..Wish::default() }), 4);
    assert_eq!(drawn(Wish { group: Some("bow".into()), ..Wish::default() }), 4);
    assert_eq!(drawn(Wish { counted: true, ..Wish::default() }), 3);
    assert_eq!((all.bad_cells(), all.stress_cells().0), (3, 3));
}

#[test]
fn what_is_not_measured_is_neither_better_nor_worse() {
    let (old, new) = (board(vec![vec![cell(5.0)]; 4]), board(vec![vec![None]; 4]));
    let drawing = draw(&new, Some(&old), &Wish::default());
    assert!(drawing.cells().all(|c| c.class == "unknown" && c.change.is_empty() && c.figure.is_empty()));
    assert_eq!(new.better_and_worse(&old), (0, 0));
    assert_eq!((new.missing(), new.bad_cells(), new.worst()), (4, 0, None));
}

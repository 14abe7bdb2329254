//! The board, the snag cards and the maps tell of the same vertices.

use tin_cloak_testkit::wearing_coarse;
use tin_cloak_workshop::SnagCardsOfRoom;
use tin_cloak_workshop::ViewOfRoom;
use tin_cloak_workshop::{IntakeStep, MapKind, PieceKind, Step, ViewRequest};

#[test]
fn board_cards_and_maps_tell_of_the_same_vertices() {
    let bench =
        wearing_coarse(&[("breeches", 1), ("quilted tunic", 2), ("tin breastplate", 3), ("scale cloak", 4)]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Stiff }));
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 4, kind: PieceKind::Mixed }));
    bench.bind_all();
    let (board, room) = (bench.board(), bench.room());
    let (mut compared, mut bad) = (0, 0);
    for pose in (0..board.poses.len()).step_by(3) {
        let name = &board.poses[pose].name;
        for row in 0..board.pairs.len() {
            let cell = board.cells[pose][row].as_ref().unwrap();
            if cell.contact_mm > 0.0 {
                continue;
            }
            let (cards, more) = room.snag_cards(pose, &[], Some(row), usize::MAX).unwrap();
            assert_eq!(more, 0);
            let vertices: usize = cards.iter().map(|c| c.vertices).sum();
            assert_eq!(vertices, cell.poking + cell.sunk, "{name}, row {row}: {cards:?}");
            let deepest = cards.iter().map(|c| c.deepest_mm).fold(0.0, f32::max);
            let wanted = cell.deepest_mm.max(cell.sunk_deepest_mm);
            assert!((deepest - wanted).abs() < 0.011, "{name}, row {row}: {deepest}, {cell:?}");
            (compared, bad) = (compared + 1, bad + usize::from(cell.is_bad()));
        }
        // What the map shows as out of tolerance is what the cards list: all of it, as deep.
        let view = ViewRequest { pose, map: MapKind::Clearance, ..ViewRequest::default() };
        let maps = room.view(&view).unwrap();
        let drawn = maps.iter().flat_map(|p| p.map.iter().flatten()).copied();
        let worst = drawn.filter(|mm| *mm < -board.tolerance_mm).fold(0.0, f32::min);
        let listed = room.snag_cards(pose, &[], None, usize::MAX).unwrap().0;
        let in_each_other = board.cells[pose].iter().flatten().map(|c| c.contact_mm).fold(0.0, f32::max);
        let deepest = listed.iter().map(|c| c.deepest_mm).fold(in_each_other, f32::max);
        assert!((worst + deepest).abs() < 0.011, "{name}: drawn {worst}, listed {deepest}");
    }
    let (pose, _) = board.worst().unwrap();
    let all = room.snag_cards(pose, &[], None, usize::MAX).unwrap().0;
    let (few, more) = room.snag_cards(pose, &[], None, 1).unwrap();
    assert_eq!((&few[..], few.len() + more), (&all[..1], all.len()));
    assert!(compared > 100 && bad > 5, "{bad} of {compared}");
}

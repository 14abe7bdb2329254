//! Rows of vertices added to a piece: all that goes by its vertices has them, nothing that was there moves.

use tin_cloak_testkit::wearing_coarse_bound;
use tin_cloak_workshop::core::deform::linear_blend;
use tin_cloak_workshop::core::mesh::{crossed_by_row, Topology};
use tin_cloak_workshop::{
    prove, read, BindingStep, Chosen, Companions, IntakeStep, Pick, RowsAlong, SeatingStep, Step, What,
};

const TUNIC: u32 = 1;

#[test]
fn a_row_is_added_across_an_edge_and_all_that_was_there_stays() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    bench.run(Step::Seating(SeatingStep::FollowShapes {
        pieces: Vec::new(),
        follow: true,
        shapes: Vec::new(),
    }));
    let before = bench.piece(TUNIC);
    // A row that goes all about it, from some edge.
    let long = |e: &&[u32; 2]| crossed_by_row(&before.mesh, &before.topology.weld, **e).len() > 12;
    let edge = *before.topology.edges.iter().find(long).unwrap();
    let at = |vertices: Vec<u32>| Chosen::Picks(vec![Pick::add(What::Vertices(vertices))]);
    let add = |vertices: Vec<u32>, rows: usize| {
        Step::Intake(IntakeStep::AddRows {
            piece: TUNIC,
            at: at(vertices),
            rows,
            along: RowsAlong::default(),
        })
    };
    let far = (before.rest.len() - 1) as u32;
    assert!(bench.refused(add(vec![edge[0], far], 1)).contains("between them"));
    assert!(bench.refused(add(edge.to_vec(), 9)).contains("1 to 4 rows"));
    bench.run(Step::Binding(BindingStep::KeepPatch {
        piece: TUNIC,
        name: "all".into(),
        picks: vec![Pick::add(What::Vertices((0..=far).collect()))],
    }));
    assert_eq!(bench.run(add(edge.to_vec(), 2)), "Add 2 rows to quilted tunic");
    insta::assert_snapshot!(bench.open().effect().notes.join("\n"));
    let (after, old) = (bench.piece(TUNIC), before.rest.len());
    assert!(after.rest.len() > old + 8);
    assert_eq!(after.topology.boundary_loops().len(), before.topology.boundary_loops().len());

    // Old vertices are where they were in every pose, to the bit; so are they in every shape.
    assert_eq!(after.rest[..old], before.rest[..]);
    let room = bench.room();
    for trial in room.trials.poses(&room.dress.body) {
        let posed = |piece: &tin_cloak_workshop::Piece| {
            let mut out = piece.rest.to_vec();
            linear_blend(&piece.rest, &piece.bound.as_ref().unwrap().skin, &trial.matrices, &mut out);
            out
        };
        assert_eq!(posed(&after)[..old], posed(&before)[..]);
    }
    let shapes = (before.carried.unwrap(), after.carried.clone().unwrap());
    for (was, is) in shapes.0 .0.iter().zip(&shapes.1 .0) {
        let dense = is.to_dense(after.rest.len());
        assert_eq!(dense[..old], was.to_dense(old)[..]);
        assert!(
            was.vertices.is_empty() || is.vertices.iter().any(|v| *v as usize >= old) || is.name.is_empty()
        );
    }
    // New ones lie about the old surface: nearer than a third of an edge, and weighted like it.
    let longest =
        before.topology.edges.iter().map(|e| before.rest[e[0] as usize].distance(before.rest[e[1] as usize]));
    let longest = longest.fold(0.0, f32::max);
    for v in old..after.rest.len() {
        let near = before.rest.iter().map(|p| p.distance(after.rest[v])).fold(f32::INFINITY, f32::min);
        assert!(near < longest, "{near}");
        assert!((after.bound.as_ref().unwrap().skin.row(v).map(|e| e.1).sum::<f32>() - 1.0).abs() < 1e-5);
    }
    let patch = bench.room().state.pieces[0].patches[0].clone();
    assert_eq!(patch.picks, [Pick::add(What::Vertices((0..after.rest.len() as u32).collect()))]);

    // It goes out with its texture coordinates, and is proved; mirrored, it keeps its rows.
    let (bytes, proof) = prove(&room, None, &|_| true).unwrap();
    assert!(proof.is_equal(), "{} {:?}", proof.line(), proof.unlike);
    let out = read("x.glb", &bytes, &Companions::new()).unwrap();
    let tunic = out.meshes.iter().find(|m| m.name == "quilted tunic").unwrap();
    assert_eq!(Topology::new(&tunic.mesh).vertices(), after.rest.len());
    assert!(tunic.look.uv_sets.iter().all(|set| set.len() == tunic.mesh.positions.len()));
    bench.run(Step::Seating(SeatingStep::Mirror { piece: TUNIC }));
    assert_eq!(bench.piece(TUNIC).rest.len(), after.rest.len());
    bench.shop.undo(bench.fitting).unwrap();
    bench.shop.undo(bench.fitting).unwrap();
    assert_eq!(bench.piece(TUNIC).rest, before.rest);
}

/// Where on the edge, over how many edges, and on both sides.
#[test]
fn a_row_lies_where_it_is_wished_over_a_part_and_on_both_sides() {
    let bench = wearing_coarse_bound(&[("quilted tunic", 1)]);
    let before = bench.piece(TUNIC);
    let plane = before.plane;
    // An edge of a sleeve: its row does not come to the other side.
    let widest = before.rest.iter().map(|p| p.x - plane).fold(0.0, f32::max);
    let is_far = |e: &&[u32; 2]| {
        let places = e.map(|v| before.rest[v as usize].x - plane);
        let row = crossed_by_row(&before.mesh, &before.topology.weld, **e);
        places.iter().all(|x| *x > 0.7 * widest) && row.len() > 8
    };
    let edge = *before.topology.edges.iter().find(is_far).unwrap();
    let add = |rows: usize, along: RowsAlong| {
        let at = Chosen::Picks(vec![Pick::add(What::Vertices(edge.to_vec()))]);
        Step::Intake(IntakeStep::AddRows { piece: TUNIC, at, rows, along })
    };
    let old = before.rest.len();
    let place =
        |at_percent: u8| RowsAlong { at_percent: Some(at_percent), reach: Some(2), both_sides: false };
    assert!(bench.refused(add(2, place(30))).contains("one row then"));
    assert!(bench.refused(add(1, place(100))).contains("1 to 99 %"));
    assert_eq!(bench.run(add(1, place(20))), "Add a row to quilted tunic");
    let part = bench.piece(TUNIC);
    assert_eq!(part.rest.len() - old, 5, "two edges either way");
    // A fifth of the way from one end of its edge.
    let near = (old..part.rest.len()).filter(|v| {
        let far = |end: u32| part.rest[*v].distance(part.rest[end as usize]);
        let whole = before.rest[edge[0] as usize].distance(before.rest[edge[1] as usize]);
        (far(edge[0]) / whole - 0.2).abs() < 0.03 && (far(edge[1]) / whole - 0.8).abs() < 0.03
    });
    assert_eq!(near.count(), 1);
    bench.shop.undo(bench.fitting).unwrap();
    let both = RowsAlong { both_sides: true, ..RowsAlong::default() };
    assert_eq!(bench.run(add(1, both)), "Add a row to quilted tunic, both sides");
    let after = bench.piece(TUNIC);
    let sides = after.rest[old..].iter().filter(|p| p.x > plane).count();
    assert!(sides > 8 && after.rest.len() - old > sides + 8, "{sides} of {}", after.rest.len() - old);
    let (_, proof) = prove(&bench.room(), None, &|_| true).unwrap();
    assert!(proof.is_equal(), "{}", proof.line());
}

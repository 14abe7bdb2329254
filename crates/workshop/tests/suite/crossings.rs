//! Faces of posed layers that run through each other, against libigl's exact intersection: sets of faces
//! of twenty posed pairs of the demo and of `testdata/open-human`.
//!
//! `reference/crossings.json` was made by `reference/crossings.py` (libigl 2.6, CGAL's kernel with exact
//! predicates) from what `the_pairs_for_the_reference` writes. Positions are whole numbers of 2⁻¹⁶ m, so
//! that both programs have the very same.

use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use tin_cloak_testkit::wearing_coarse;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::query::Bvh;
use tin_cloak_workshop::{BindingStep, Companions, IntakeStep, PieceKind, Room, Step};

/// Whole numbers a metre.
const GRID: f32 = 65536.0;

#[derive(Serialize, Deserialize)]
struct Surface {
    v: Vec<[i32; 3]>,
    f: Vec<[u32; 3]>,
}

impl Surface {
    fn tree(&self) -> Bvh {
        let positions: Vec<Vec3> =
            self.v.iter().map(|p| Vec3::from_array(p.map(|x| x as f32 / GRID))).collect();
        Bvh::build(&positions, &self.f)
    }
}

#[derive(Serialize, Deserialize)]
struct Posed {
    name: String,
    a: Surface,
    b: Surface,
    #[serde(default)]
    meeting: Vec<(u32, u32)>,
}

#[test]
fn crossing_faces_are_those_of_the_reference() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/suite/reference/crossings.json");
    let pairs: Vec<Posed> = serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap();
    assert_eq!(pairs.len(), 20);
    for pair in &pairs {
        let found = pair.a.tree().meeting(&pair.b.tree());
        assert!(found == pair.meeting, "{}: {} for {}", pair.name, found.len(), pair.meeting.len());
    }
    assert!(pairs.iter().map(|p| p.meeting.len()).sum::<usize>() > 500);
}

/// The faces of two posed surfaces near where they meet, at most so many of each.
fn near(name: String, a: (&[Vec3], &[[u32; 3]]), b: (&[Vec3], &[[u32; 3]])) -> Option<Posed> {
    let (ta, tb) = (Bvh::build(a.0, a.1), Bvh::build(b.0, b.1));
    let found = ta.meeting(&tb);
    let middle = |m: (&[Vec3], &[[u32; 3]]), f: u32| {
        m.1[f as usize].iter().map(|&v| m.0[v as usize]).sum::<Vec3>() / 3.0
    };
    let place = middle(a, found.get(found.len() / 2)?.0);
    let pick = |m: (&[Vec3], &[[u32; 3]])| {
        let mut faces: Vec<u32> = (0..m.1.len() as u32).collect();
        faces.sort_by(|x, y| middle(m, *x).distance(place).total_cmp(&middle(m, *y).distance(place)));
        faces.truncate(110);
        let used: BTreeSet<u32> = faces.iter().flat_map(|&f| m.1[f as usize]).collect();
        let used: Vec<u32> = used.into_iter().collect();
        let new = |v: u32| used.binary_search(&v).unwrap() as u32;
        Surface {
            v: used.iter().map(|&v| (m.0[v as usize] * GRID).round().as_ivec3().to_array()).collect(),
            f: faces.iter().map(|&f| m.1[f as usize].map(new)).collect(),
        }
    };
    Some(Posed { name, a: pick(a), b: pick(b), meeting: Vec::new() })
}

fn pairs_of(room: &Room, wanted: &[(usize, usize)], most: usize) -> Vec<Posed> {
    let poses = room.trials.poses(&room.dress.body);
    let mut list = Vec::new();
    for &(outer, inner) in wanted {
        let mut of_pair = 0;
        for (pose, trial) in poses.iter().zip(&room.trials.trials).skip(1) {
            let layer = |i: usize| match i {
                0 => {
                    let body = &room.dress.body;
                    (body.posed(&pose.matrices, &pose.amounts), body.topology.triangles.clone(), &body.name)
                }
                i => {
                    let piece = &room.dress.pieces[i - 1];
                    (piece.posed(&pose.matrices), piece.topology.triangles.clone(), &piece.name)
                }
            };
            let (a, b) = (layer(outer), layer(inner));
            let name = format!("{} and {}, {}", a.2, b.2, trial.name);
            let found = near(name, (&a.0, &a.1), (&b.0, &b.1));
            of_pair += usize::from(found.is_some());
            list.extend(found);
            if of_pair == most {
                break;
            }
        }
    }
    list
}

/// Writes the pairs to the file named by CROSSING_PAIRS.
#[test]
#[ignore = "makes the input of reference/crossings.py"]
fn the_pairs_for_the_reference() {
    let bench = wearing_coarse(&[
        ("breeches", 1),
        ("quilted tunic", 2),
        ("left pauldron", 3),
        ("lantern", 4),
        ("oil hose", 5),
    ]);
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 3, kind: PieceKind::Stiff }));
    bench.run(Step::Intake(IntakeStep::SetKind { piece: 4, kind: PieceKind::Stiff }));
    bench.bind_all();
    let demo = [(1, 0), (2, 0), (2, 1), (3, 2), (3, 0), (4, 2), (5, 0), (5, 2)];
    let mut pairs = pairs_of(&bench.room(), &demo, 2);
    let human = wearing_coarse(&[]);
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/open-human/");
    let bring = |name: &str| {
        let bytes = std::fs::read(format!("{folder}{name}")).unwrap();
        human.shop.bring_in(name, &bytes, &Companions::new()).unwrap()[0].id
    };
    let fitting = human.shop.begin("human", bring("body.glb")).unwrap();
    for (layer, name) in [(1, "bodysuit.glb"), (2, "skirt.obj")] {
        let step = human.shop.piece_step(bring(name), layer, PieceKind::Soft).unwrap();
        human.shop.run_now(fitting, step).unwrap();
    }
    human.shop.run_now(fitting, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    let room = human.shop.fitting(fitting).unwrap().room;
    pairs.extend(pairs_of(&room, &[(1, 0), (2, 0), (2, 1)], 3));
    pairs.truncate(20);
    let path = std::env::var("CROSSING_PAIRS").expect("CROSSING_PAIRS names the file to write");
    std::fs::write(path, serde_json::to_vec(&pairs).unwrap()).unwrap();
}

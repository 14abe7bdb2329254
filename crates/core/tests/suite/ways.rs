//! The ways to bind: against reference libraries and on shapes with known answers.

use crate::common::*;
use proptest::prelude::*;
use serde_json::Value;
use tin_cloak_core::bind::cage::{outside_cage, weights_in_cage};
use tin_cloak_core::bind::sides::{
    joint_sides, keep_apart, leaning, merge_sides, one_side, BodySide, SideMark,
};
use tin_cloak_core::bind::{
    add_falloffs, assemblies, bind_between_ends, bind_stiff, bones, cage_around, fill, heat_weights,
    match_along_normal, match_surface, share_of_way, two_ends, BindError, BindTarget, Bone, CageSize,
    Falloff, Follow, Laplacian, Match, MatchSettings, Source,
};
use tin_cloak_core::clearance::stiffness_error;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skeleton::{LocalTransform, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

const NEAR: MatchSettings = MatchSettings { distance: 0.05, min_cosine: 0.8 };

/// Made by `tests/suite/reference/weights.py`, which names the libraries and their versions.
struct Reference(Value);

impl Reference {
    fn read() -> Self {
        Self(serde_json::from_str(include_str!("reference/weights.json")).unwrap())
    }

    fn rows(&self, key: &str) -> Vec<Vec<f32>> {
        let number = |v: &Value| v.as_f64().unwrap() as f32;
        let row = |v: &Value| v.as_array().unwrap().iter().map(number).collect();
        self.0[key].as_array().unwrap().iter().map(row).collect()
    }

    fn points(&self, key: &str) -> Vec<Vec3> {
        self.rows(key).iter().map(|r| Vec3::from_slice(r)).collect()
    }

    fn faces(&self, key: &str) -> Vec<[u32; 3]> {
        self.rows(key).iter().map(|r| [0, 1, 2].map(|i| r[i] as u32)).collect()
    }
}

fn full_row(skin: &Skin, v: usize, joints: usize) -> Vec<f32> {
    let mut row = vec![0.0; joints];
    skin.row(v).for_each(|(j, w)| row[j.index()] = w);
    row
}

#[test]
fn laplacian_and_inpainting_as_libigl_and_scipy_say() {
    let r = Reference::read();
    let (positions, triangles) = (r.points("positions"), r.faces("triangles"));
    let topology = Topology::of_welded(positions.len(), &triangles);
    let laplacian = Laplacian::new(&positions, &triangles, &topology.neighbours);
    let wanted: Vec<f64> =
        r.0["laplacian_diagonal"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
    for (v, wanted) in wanted.iter().enumerate() {
        let own = laplacian.matrix.row(v).find(|e| e.0 == v).unwrap().1;
        assert!((own - wanted).abs() < 1e-3 * wanted.abs().max(1.0), "{v}: {own} {wanted}");
        let mass = r.0["masses"][v].as_f64().unwrap();
        assert!((laplacian.masses[v] - mass).abs() < 1e-6);
    }
    let weights = r.rows("weights");
    let accepted: Vec<bool> = r.0["known"].as_array().unwrap().iter().map(|v| v.as_bool().unwrap()).collect();
    assert!(accepted.iter().filter(|a| !**a).count() > 150);
    let rows = weights
        .iter()
        .zip(&accepted)
        .map(|(row, known)| {
            let all = row.iter().enumerate().map(|(j, w)| (JointId(j as u16), *w));
            if *known {
                all.collect()
            } else {
                Vec::new()
            }
        })
        .collect();
    let target = BindTarget::new(&positions, &topology);
    let filled = fill(&target, Match { accepted, rows }, 3, 4).unwrap();
    for (v, wanted) in r.rows("filled").iter().enumerate() {
        let own = full_row(&filled.skin, v, 3);
        assert!(own.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 1e-3), "{v}: {own:?} {wanted:?}");
    }
}

#[test]
fn heat_as_libigl_and_scipy_say() {
    let r = Reference::read();
    let (positions, triangles) = (r.points("body"), r.faces("faces"));
    let topology = Topology::of_welded(positions.len(), &triangles);
    let ends = |b: &Value, i: usize| Vec3::from_array([0, 1, 2].map(|k| b[i][k].as_f64().unwrap() as f32));
    let list: Vec<Bone> = (r.0["bones"].as_array().unwrap().iter().enumerate())
        .map(|(j, b)| Bone { joint: JointId(j as u16), from: ends(b, 0), to: ends(b, 1) })
        .collect();
    let skin = heat_weights(&BindTarget::new(&positions, &topology), &list, 3, 4).unwrap();
    for (v, wanted) in r.rows("heat").iter().enumerate() {
        let own = full_row(&skin, v, 3);
        assert!(own.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 1e-3), "{v}: {own:?} {wanted:?}");
    }
    let none = heat_weights(&BindTarget::new(&positions, &topology), &[], 3, 4);
    assert_eq!(none.unwrap_err(), BindError::NoBones);
}

/// Root, and a leg of two joints on either side.
fn two_legs() -> Skeleton {
    let at =
        |x: f32, y: f32| LocalTransform { translation: Vec3::new(x, y, 0.0), ..LocalTransform::IDENTITY };
    let names = ["hips", "thigh_l", "shin_l", "thigh_r", "shin_r"].map(str::to_owned).to_vec();
    let parents = [None, Some(0), Some(1), Some(0), Some(3)].map(|p| p.map(JointId)).to_vec();
    let rest = vec![at(0.0, 1.0), at(0.05, 0.0), at(0.0, -0.5), at(-0.05, 0.0), at(0.0, -0.5)];
    Skeleton::at_rest(names, parents, rest).unwrap()
}

/// Legs of a body 4 mm apart, and trousers over them that all but touch: two tubes.
fn legs(radius: f32, rings: u32) -> Shape {
    let leg = |x: f32| moved(tube(radius, 0.0, 0.95, 40, rings, 1.0), Vec3::X * x);
    joined(leg(0.05), leg(-0.05))
}

fn leg_skin(body: &Shape) -> Skin {
    let rows: Vec<Vec<(JointId, f32)>> = body
        .0
        .iter()
        .map(|p| {
            let (thigh, shin) = if p.x > 0.0 { (1, 2) } else { (3, 4) };
            let low = ((0.55 - p.y) / 0.1).clamp(0.0, 1.0);
            vec![(JointId(thigh), 1.0 - low), (JointId(shin), low)]
        })
        .collect();
    Skin::from_rows(&rows, 5).unwrap()
}

#[test]
fn legs_four_millimetres_apart_take_nothing_from_the_other_side() {
    let body = legs(0.048, 40);
    let skin = leg_skin(&body);
    // Wider than the gap: each leg of the cloth lies nearer to the other leg where they meet.
    let cloth = legs(0.0535, 30);
    let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
    let target = BindTarget::new(&cloth.0, &topology);
    let sides = joint_sides(&two_legs(), 0.0);
    assert_eq!(sides, [BodySide::Centre, BodySide::Left, BodySide::Left, BodySide::Right, BodySide::Right]);
    let wrong = |skin: &Skin| -> f32 {
        let other = |v: usize| {
            let left = v < cloth.0.len() / 2;
            let crosses =
                |j: JointId| sides[j.index()] == if left { BodySide::Right } else { BodySide::Left };
            skin.row(v).filter(|e| crosses(e.0)).map(|e| e.1).sum::<f32>()
        };
        (0..cloth.0.len()).map(other).fold(0.0, f32::max)
    };
    let loose = MatchSettings { distance: 0.05, min_cosine: -1.0 };
    let plain = match_surface(&Source::new(&body.0, &body.1, &skin, 5), &target, loose);
    assert!(wrong(&fill(&target, plain, 5, 4).unwrap().skin) > 0.9, "without it a leg takes from the other");
    let lean = leaning(&topology, &cloth.0, 0.0, 0.01, &[]);
    let half = |other: BodySide| {
        let (triangles, skin) = one_side(&body.1, &skin, &sides, other).unwrap();
        match_surface(&Source::new(&body.0, &triangles, &skin, 5), &target, loose)
    };
    let merged = merge_sides(half(BodySide::Right), half(BodySide::Left), &lean);
    let filled = fill(&target, merged, 5, 4).unwrap().skin;
    assert_eq!(wrong(&keep_apart(&filled, &lean, &sides).unwrap()), 0.0);
}

#[test]
fn sides_are_found_by_openings_and_said_by_hand() {
    // Trousers: two legs below, one waist; the left cuff crosses the middle.
    let ring = |centre: Vec3, radius: f32| -> Vec<Vec3> {
        (0..16)
            .map(|i| {
                centre + Quat::from_rotation_y(i as f32 * std::f32::consts::FRAC_PI_8) * Vec3::X * radius
            })
            .collect()
    };
    let mut shape: Shape = (Vec::new(), Vec::new());
    for (leg, centres) in [[0.02, 0.07], [-0.1, -0.07]].iter().enumerate() {
        let first = shape.0.len() as u32;
        for r in 0..=20 {
            let t = r as f32 / 20.0;
            shape.0.extend(ring(Vec3::new(centres[0] + (centres[1] - centres[0]) * t, t * 0.5, 0.0), 0.06));
        }
        for r in 0..20u32 {
            for s in 0..16u32 {
                let at = |r: u32, s: u32| first + r * 16 + s % 16;
                shape.1.extend([
                    [at(r, s), at(r, s + 1), at(r + 1, s + 1)],
                    [at(r, s), at(r + 1, s + 1), at(r + 1, s)],
                ]);
            }
        }
        if leg == 1 {
            // A seam joins the tops of both.
            shape.1.push([20 * 16, first + 20 * 16, first + 20 * 16 + 1]);
        }
    }
    let topology = Topology::of_welded(shape.0.len(), &shape.1);
    assert_eq!(topology.shells, 1);
    let lean = leaning(&topology, &shape.0, 0.0, 0.01, &[]);
    // The left cuff's vertices beyond the middle are still of the left.
    assert!((0..16).all(|v| lean[v] == 1.0), "{:?}", &lean[..16]);
    assert!((21 * 16..22 * 16).all(|v| lean[v] == -1.0));
    let mark = SideMark { vertex: 5, side: BodySide::Right, reach: 0.05 };
    let said = leaning(&topology, &shape.0, 0.0, 0.01, &[mark]);
    assert_eq!(said[5], -1.0);
    assert_eq!(said[15 * 16], lean[15 * 16], "what lies further keeps its side");
}

#[test]
fn along_the_normal_finds_what_faces_the_cloth() {
    let body = tube(0.05, 0.0, 0.4, 48, 40, 1.0);
    let rows: Vec<_> = body.0.iter().map(|p| vec![(JointId(0), 0.4 - p.y), (JointId(1), p.y)]).collect();
    let skin = Skin::from_rows(&rows, 2).unwrap();
    let cloth = tube(0.07, 0.05, 0.35, 30, 20, 1.0);
    let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
    let target = BindTarget::new(&cloth.0, &topology);
    let source = Source::new(&body.0, &body.1, &skin, 2);
    let found = match_along_normal(&source, &target, NEAR);
    assert!(found.share() > 0.999);
    for (row, p) in found.rows.iter().zip(&cloth.0) {
        let upper = row.iter().find(|e| e.0 == JointId(1)).map_or(0.0, |e| e.1);
        assert!((upper - p.y / 0.4).abs() < 0.02, "{upper} {p}");
    }
    let short = match_along_normal(&source, &target, MatchSettings { distance: 0.01, ..NEAR });
    assert_eq!(short.share(), 0.0);
}

#[test]
fn a_hose_runs_from_one_joint_to_the_other() {
    let hose = tube(0.01, 0.0, 1.0, 12, 50, 1.0);
    let topology = Topology::of_welded(hose.0.len(), &hose.1);
    let target = BindTarget::new(&hose.0, &topology);
    let ends = two_ends(&topology, &hose.0, 0).unwrap();
    let mut way = share_of_way(&target, &ends).unwrap();
    if way[0] > 0.5 {
        way.iter_mut().for_each(|w| *w = 1.0 - *w);
    }
    assert!(way.iter().zip(&hose.0).all(|(w, p)| (w - p.y).abs() < 1e-3));
    let body = sphere(0.2, 24);
    let skin = Skin::uniform(body.0.len(), &[(JointId(2), 1.0)], 3).unwrap();
    let source = Source::new(&body.0, &body.1, &skin, 3);
    let joints = [Some(JointId(0)), Some(JointId(1))];
    let bound = bind_between_ends(&source, &target, joints, 1.0).unwrap();
    for (w, p) in bound.column(JointId(1)).iter().zip(&hose.0) {
        assert!((w - p.y).abs() < 2e-3, "{w} {p}");
    }
    let stiff = bind_between_ends(&source, &target, joints, 0.1).unwrap().column(JointId(1));
    assert!(stiff
        .iter()
        .zip(&hose.0)
        .filter(|(_, p)| (p.y - 0.5).abs() > 0.06)
        .all(|(w, _)| *w % 1.0 == 0.0));
    let beneath = bind_between_ends(&source, &target, [None, None], 1.0).unwrap();
    assert!(beneath.column(JointId(2)).iter().all(|w| *w > 0.999));
}

#[test]
fn buttons_go_with_the_cloth_and_touching_parts_are_one_thing() {
    let cloth = tube(0.05, 0.0, 0.4, 48, 40, 1.0);
    let rows: Vec<_> = cloth.0.iter().map(|p| vec![(JointId(0), 0.4 - p.y), (JointId(1), p.y)]).collect();
    let skin = Skin::from_rows(&rows, 2).unwrap();
    let source = Source::new(&cloth.0, &cloth.1, &skin, 2);
    let button = |y: f32| moved(sphere(0.008, 12), Vec3::new(0.0, y, 0.06));
    let parts = joined(joined(button(0.1), button(0.114)), button(0.3));
    let topology = Topology::of_welded(parts.0.len(), &parts.1);
    let target = BindTarget::new(&parts.0, &topology);
    let groups = assemblies(&topology, &parts.0, 0.005);
    assert_eq!(groups, [0, 0, 2]);
    let follows = [Some(Follow::Patch); 3];
    let (bound, shells) = bind_stiff(&source, &target, &follows, &groups, None).unwrap();
    let upper = |s: usize| shells[s].as_ref().unwrap().row.iter().find(|e| e.0 == JointId(1)).unwrap().1;
    assert!((upper(0) - 0.107 / 0.4).abs() < 0.02 && upper(0) == upper(1), "{}", upper(0));
    assert!((upper(2) - 0.75).abs() < 0.02);
    let pose = [Mat4::IDENTITY, Mat4::from_rotation_x(0.5)];
    let mut posed = vec![Vec3::ZERO; parts.0.len()];
    linear_blend(&parts.0, &bound, &pose, &mut posed);
    let one = parts.0.len() / 3;
    let error = stiffness_error(&parts.0[..one], &posed[..one]);
    // A blend of two joints 30° apart shrinks by up to 1 − cos 15° at half and half.
    assert!(error > 0.0 && error < 0.008 * 0.035, "{error}");
}

#[test]
fn joints_of_its_own_take_what_is_near_their_bone() {
    let cloth = tube(0.05, 0.0, 0.4, 24, 40, 1.0);
    let skin = Skin::uniform(cloth.0.len(), &[(JointId(0), 1.0)], 2).unwrap();
    let bone = Falloff { joint: JointId(1), from: Vec3::Y * 0.1, to: Vec3::ZERO, reach: 0.12 };
    let own = add_falloffs(&skin, &cloth.0, &[bone], 2, 4).unwrap().column(JointId(1));
    for (w, p) in own.iter().zip(&cloth.0) {
        match p.y {
            y if y < 0.1 => assert_eq!(*w, 1.0, "{p}"),
            y if y > 0.22 => assert_eq!(*w, 0.0, "{p}"),
            _ => {}
        }
    }
    assert!(own.iter().any(|w| *w > 0.3 && *w < 0.7));
}

#[test]
fn a_cage_carries_layers_and_becomes_weights() {
    let cage = {
        let mut t = tube(0.08, -0.02, 0.42, 24, 22, 1.0);
        // Caps, so that inside and outside are clear.
        for (ring, tip) in [(0, -0.03), (22, 0.43)] {
            let end = t.0.len() as u32;
            t.0.push(Vec3::Y * tip);
            t.1.extend((0..24u32).map(|s| {
                let (a, b) = (ring * 24 + s, ring * 24 + (s + 1) % 24);
                if ring == 0 {
                    [end, b, a]
                } else {
                    [end, a, b]
                }
            }));
        }
        t
    };
    let rows: Vec<_> = cage
        .0
        .iter()
        .map(|p| {
            let (a, b) = (((p.y - 0.1) / 0.1).clamp(0.0, 1.0), ((p.y - 0.25) / 0.1).clamp(0.0, 1.0));
            vec![(JointId(0), 1.0 - a), (JointId(1), a - b), (JointId(2), b)]
        })
        .collect();
    let skin = Skin::from_rows(&rows, 3).unwrap();
    let topology = Topology::of_welded(cage.0.len(), &cage.1);
    let cloth = tube(0.06, 0.0, 0.4, 40, 40, 1.0);
    let found = weights_in_cage(&cloth.0, &cage.0, &topology, &skin);
    for (p, row) in cloth.0.iter().zip(&found) {
        let sum: f32 = row.iter().map(|e| e.1).sum();
        assert!((sum - 1.0).abs() < 1e-5);
        // The weights change along the cage alone: at each height the cloth has the cage's there.
        let first = row.iter().filter(|e| e.0 == JointId(0)).map(|e| e.1).sum::<f32>();
        let wanted = 1.0 - ((p.y - 0.1) / 0.1).clamp(0.0, 1.0);
        assert!((first - wanted).abs() < 0.06, "{first} for {wanted} at {}", p.y);
    }
    let on_it = weights_in_cage(&cage.0, &cage.0, &topology, &skin);
    for (v, row) in on_it.iter().enumerate() {
        for (joint, weight) in skin.row(v) {
            let same = row.iter().any(|e| e.0 == joint && (e.1 - weight).abs() < 1e-3);
            assert!(same, "on the cage its own: {row:?}");
        }
    }
    assert!(outside_cage(&cloth.0, &cage.0, &cage.1, 0.0).is_empty());
    let wide = tube(0.1, 0.0, 0.4, 12, 4, 1.0);
    assert_eq!(outside_cage(&wide.0, &cage.0, &cage.1, 0.002).len(), wide.0.len());
}

#[test]
fn a_cage_made_round_layers_is_closed_and_holds_them() {
    let body = tube(0.05, -0.3, 0.7, 48, 100, 1.0);
    let cloth = tube(0.06, 0.0, 0.4, 40, 40, 1.0);
    let size = CageSize { offset: 0.015, cell: 0.012 };
    let layers = [(cloth.0.as_slice(), cloth.1.as_slice())];
    let cage = cage_around(&layers, &body.0, &body.1, size).unwrap();
    let topology = Topology::of_welded(cage.0.len(), &cage.1);
    assert_eq!(topology.closed_shells(), [true], "one shell, none of it between cloth and skin");
    assert!(outside_cage(&cloth.0, &cage.0, &cage.1, 0.0).is_empty());
    let higher = moved(cloth.clone(), Vec3::Y * 0.3);
    let out = outside_cage(&higher.0, &cage.0, &cage.1, 0.0005);
    assert!(out.len() > higher.0.len() / 2, "{}", out.len());
    let nearest = |p: &Vec3| cloth.0.iter().map(|q| q.distance(*p)).fold(f32::INFINITY, f32::min);
    let off: Vec<f32> = cage.0.iter().filter(|p| (0.05..0.35).contains(&p.y)).map(nearest).collect();
    assert!(off.iter().all(|d| (0.008..0.022).contains(d)), "even: {off:?}");
    assert!(cage_around(&layers, &body.0, &body.1, CageSize { cell: 1e-5, ..size }).is_none());
    assert!(cage_around(&[], &body.0, &body.1, size).is_none());
}

#[test]
fn heat_bones_run_from_joint_to_joint() {
    let list = bones(&two_legs(), &[true, true, true, true, false]);
    let of = |j: u16| list.iter().filter(|b| b.joint == JointId(j)).count();
    assert_eq!([of(0), of(1), of(2), of(3), of(4)], [2, 1, 1, 1, 0]);
    let shin = list.iter().find(|b| b.joint == JointId(2)).unwrap();
    assert!(shin.to.distance(Vec3::new(0.05, 0.25, 0.0)) < 1e-6, "an end goes on half as far");
}

fn wavy(rings: u32, around: u32) -> Shape {
    let mut t = tube(0.062, 0.02, 0.38, around, rings, 1.0);
    t.0.iter_mut().for_each(|p| *p += p.with_y(0.0).normalize() * 0.006 * (p.y * 40.0).sin());
    t
}

#[test]
fn a_dense_and_a_coarse_cut_of_one_garment_get_the_same_weights() {
    let body = tube(0.05, 0.0, 0.4, 48, 40, 1.0);
    let rows: Vec<_> = body
        .0
        .iter()
        .map(|p| {
            let t = ((p.y - 0.15) / 0.1).clamp(0.0, 1.0);
            vec![(JointId(0), 1.0 - t), (JointId(1), t)]
        })
        .collect();
    let skin = Skin::from_rows(&rows, 2).unwrap();
    let source = Source::new(&body.0, &body.1, &skin, 2);
    // Half of it finds no match, by the angle: the rest is filled in.
    let settings = MatchSettings { distance: 0.1, min_cosine: 0.985 };
    let bind = |cloth: &Shape| {
        let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
        let target = BindTarget::new(&cloth.0, &topology);
        let found = match_surface(&source, &target, settings);
        assert!((0.2..0.8).contains(&found.share()), "{}", found.share());
        fill(&target, found, 2, 4).unwrap().skin
    };
    let (dense, coarse) = (wavy(144, 96), wavy(48, 32));
    let (of_dense, of_coarse) = (bind(&dense).column(JointId(1)), bind(&coarse).column(JointId(1)));
    // Every third ring and column of the one is the other.
    let apart: f32 = (0..=48usize)
        .flat_map(|r| (0..32usize).map(move |s| (r, s)))
        .map(|(r, s)| (of_dense[r * 3 * 96 + s * 3] - of_coarse[r * 32 + s]).abs())
        .sum::<f32>()
        / (49.0 * 32.0);
    assert!(apart < 0.02, "{apart}");
}

proptest! {
    #[test]
    fn a_change_of_size_changes_no_weight(scale in 0.01f32..100.0) {
        let body = tube(0.05, 0.0, 0.4, 24, 20, 1.0);
        let rows: Vec<_> = body.0.iter().map(|p| vec![(JointId(0), 0.4 - p.y), (JointId(1), p.y)]).collect();
        let skin = Skin::from_rows(&rows, 2).unwrap();
        let cloth = tube(0.056, 0.02, 0.38, 20, 18, 1.0);
        let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
        let bind = |by: f32| {
            let sized = |list: &[Vec3]| -> Vec<Vec3> { list.iter().map(|p| *p * by).collect() };
            let (body_at, cloth_at) = (sized(&body.0), sized(&cloth.0));
            let target = BindTarget::new(&cloth_at, &topology);
            let source = Source::new(&body_at, &body.1, &skin, 2);
            let mut found = match_surface(&source, &target, MatchSettings::for_target(&target));
            found.accepted.iter_mut().zip(&cloth.0).for_each(|(a, p)| *a &= (p.y - 0.2).abs() > 0.04);
            fill(&target, found, 2, 4).unwrap().skin.column(JointId(1))
        };
        for (a, b) in bind(1.0).iter().zip(bind(scale)) {
            prop_assert!((a - b).abs() < 2e-3, "{} {}", a, b);
        }
    }
}

//! Which piece lies over which, by what is met on the way out of the body.

use crate::clearance::BodySurface;
use crate::query::Bvh;
use glam::Vec3;
use rayon::prelude::*;

/// Something to be put in the pile: welded positions at rest, metres, and triangles.
pub type Piled<'a> = (&'a [Vec3], &'a [[u32; 3]]);

/// So many places of a piece are asked.
const ASKED: usize = 600;

/// What lies over a place is met within this, metres.
const REACH: f32 = 0.12;

/// A piece lies over another when so large a share of what was asked says so, less what says the contrary.
const SHARE: f32 = 0.02;

/// Guesses the layer of each piece, 1 next to the skin; of some it is `known`.
///
/// From places of a piece a straight look goes out along the nearest skin's normal, and one in: what is met
/// first out there (another sleeve of its own is no answer) lies over it, what is met first inside beneath.
/// Of two that say both of each other the majority counts; of rings of pieces the weakest link is dropped.
///
/// ```
/// use tin_cloak_core::clearance::BodySurface;
/// use tin_cloak_core::{intake::guess_layers, shapes::sphere};
///
/// let (body, coat, shirt) = (sphere(0.1, 24), sphere(0.13, 24), sphere(0.11, 24));
/// let skin = BodySurface::new(&body.0, &body.1);
/// let piled = [(coat.0.as_slice(), coat.1.as_slice()), (shirt.0.as_slice(), shirt.1.as_slice())];
/// assert_eq!(guess_layers(&skin, &piled, &[None, None]), vec![2, 1]);
/// ```
pub fn guess_layers(body: &BodySurface, pieces: &[Piled], known: &[Option<u16>]) -> Vec<u16> {
    let trees: Vec<Bvh> = pieces.par_iter().map(|(p, t)| Bvh::build(p, t)).collect();
    let votes: Vec<Vec<f32>> =
        (0..pieces.len()).into_par_iter().map(|a| votes(body, pieces[a].0, &trees, a)).collect();
    let mut over: Vec<(f32, usize, usize)> = Vec::new();
    for a in 0..pieces.len() {
        for b in 0..a {
            let strength = votes[a][b] - votes[b][a];
            over.push(if strength > 0.0 { (strength, a, b) } else { (-strength, b, a) });
        }
    }
    over.retain(|o| o.0 > SHARE);
    over.sort_by(|x, y| y.0.total_cmp(&x.0).then((x.1, x.2).cmp(&(y.1, y.2))));
    let mut beneath: Vec<Vec<usize>> = vec![Vec::new(); pieces.len()];
    for (_, upper, lower) in over {
        if !reaches(&beneath, lower, upper) {
            beneath[upper].push(lower);
        }
    }
    let mut layers = vec![0; pieces.len()];
    (0..pieces.len()).for_each(|piece| _ = layer_of(piece, &beneath, known, &mut layers));
    layers
}

/// For each piece how much says that `own` lies over it (less that it lies beneath), -1 to 1.
fn votes(body: &BodySurface, places: &[Vec3], trees: &[Bvh], own: usize) -> Vec<f32> {
    let step = places.len().div_ceil(ASKED).max(1);
    let asked: Vec<Vec3> = places.iter().copied().step_by(step).collect();
    let mut votes = vec![0.0; trees.len()];
    for &p in &asked {
        let Some(normal) = body.normal_near(p).and_then(Vec3::try_normalize) else { continue };
        if let Some(piece) = first_met(trees, p, normal).filter(|piece| *piece != own) {
            votes[piece] -= 1.0;
        }
        if let Some(piece) = first_met(trees, p, -normal).filter(|piece| *piece != own) {
            votes[piece] += 1.0;
        }
    }
    votes.iter().map(|v| v / asked.len().max(1) as f32).collect()
}

fn first_met(trees: &[Bvh], from: Vec3, way: Vec3) -> Option<usize> {
    let met = |tree: &Bvh| tree.ray(from, way, 5e-4, REACH, |_, _| true).map(|hit| hit.distance);
    let all = trees.iter().enumerate().filter_map(|(piece, tree)| Some((met(tree)?, piece)));
    all.min_by(|a, b| a.0.total_cmp(&b.0)).map(|m| m.1)
}

fn reaches(beneath: &[Vec<usize>], from: usize, to: usize) -> bool {
    from == to || beneath[from].iter().any(|next| reaches(beneath, *next, to))
}

fn layer_of(piece: usize, beneath: &[Vec<usize>], known: &[Option<u16>], layers: &mut [u16]) -> u16 {
    if layers[piece] == 0 {
        let lower = beneath[piece].iter().map(|b| layer_of(*b, beneath, known, layers)).max().unwrap_or(0);
        layers[piece] = known[piece].unwrap_or((lower + 1).min(99));
    }
    layers[piece]
}

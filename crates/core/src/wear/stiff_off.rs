//! Stiff parts of a carried piece moved off what lies beneath, each as a whole.

use super::clear_of::{faces_off, Off, LEAST, STILL};
use super::garment::stiff_parts;
use crate::seat::{FindGaps, PieceSurface};
use glam::Vec3;

/// So many shifts at most.
const SHIFTS: usize = 60;
/// No part goes further than this in all, metres: what wants more lies elsewhere.
const FURTHEST: f32 = 0.03;

/// Shifts each stiff part by what the vertex or face of it that lacks the most lacks, again and again: the relaxation
/// of a system of inequalities (Motzkin & Schoenberg 1954). What is clear of all stays where it is. A part that no
/// shift clears ends where the sum of what it lacks was least.
pub(super) fn stiff_off(piece: &PieceSurface, off: &Off, find: FindGaps, now: &mut [Vec3]) {
    let parts: Vec<Vec<usize>> = stiff_parts(piece.rigid).into_values().collect();
    if parts.is_empty() {
        return;
    }
    let mut best: Vec<(f32, Vec3)> = vec![(f32::INFINITY, Vec3::ZERO); parts.len()];
    let mut gone = vec![Vec3::ZERO; parts.len()];
    for _ in 0..SHIFTS {
        let gaps = find(now);
        let faces = faces_off(piece, off, now);
        let lack = |v: usize| {
            let wish = off.before[v].map_or(LEAST, |g| g.clearance.min(LEAST));
            let of_vertex = gaps[v].map_or(Vec3::ZERO, |g| g.normal * (wish - g.clearance).max(0.0));
            if faces[v].length_squared() > of_vertex.length_squared() {
                faces[v]
            } else {
                of_vertex
            }
        };
        let mut moved = false;
        for (n, part) in parts.iter().enumerate() {
            let lacks: Vec<Vec3> = part.iter().map(|&v| lack(v)).collect();
            let all: f32 = lacks.iter().map(|l| l.length()).sum();
            if all < best[n].0 {
                best[n] = (all, gone[n]);
            }
            let worst = lacks.into_iter().max_by(|a, b| a.length_squared().total_cmp(&b.length_squared()));
            let Some(worst) = worst.filter(|w| w.length() > STILL) else { continue };
            let next = (gone[n] + worst).clamp_length_max(FURTHEST);
            part.iter().for_each(|&v| now[v] += next - gone[n]);
            moved |= next.distance(gone[n]) > STILL;
            gone[n] = next;
        }
        if !moved {
            break;
        }
    }
    for ((part, gone), best) in parts.iter().zip(gone).zip(best) {
        part.iter().for_each(|&v| now[v] += best.1 - gone);
    }
}

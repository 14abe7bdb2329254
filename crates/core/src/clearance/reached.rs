//! Which of what lies on the wrong side counts as through: what is reached through a crossing.
//!
//! A vertex may lie on the wrong side of another surface without anything having come through it: a hand
//! bent over the cuff it comes out of, a hem that has slid along the arm. What has come through is joined,
//! over vertices on the wrong side, to faces that run through the other surface; what lies there without
//! such a way got there round an open edge. A part all of which lies on the wrong side (a button sunk in
//! a coat) has no way at all, and counts.

use super::ask::PairView;
use super::crossing::meeting_faces;
use crate::mesh::Topology;
use std::collections::HashMap;

/// One of the two layers of a pair, and what was asked of its vertices.
struct Asking<'v, 'a, 'h> {
    view: &'v PairView<'a, 'h>,
    on_outer: bool,
    /// The vertices that are asked, ascending.
    list: &'a [u32],
    known: HashMap<u32, bool>,
}

impl Asking<'_, '_, '_> {
    /// True when a vertex lies on the wrong side by anything.
    fn is_wrong(&mut self, v: u32) -> bool {
        if let Some(known) = self.known.get(&v) {
            return *known;
        }
        let asked = self.list.binary_search(&v).ok().and_then(|i| match self.on_outer {
            true => self.view.ask_outer(i),
            false => self.view.ask_inner(i, f32::INFINITY).filter(|_| !self.view.is_beneath_its_cover(i)),
        });
        let wrong = asked.is_some_and(|a| a.clearance < 0.0);
        self.known.insert(v, wrong);
        wrong
    }

    /// The vertices on the wrong side that are joined to those of some faces.
    fn from(&mut self, topology: &Topology, faces: impl Iterator<Item = u32>) -> Vec<bool> {
        let mut seen = vec![false; topology.vertices()];
        let mut reached = vec![false; topology.vertices()];
        let mut front: Vec<u32> = faces.flat_map(|f| topology.triangles[f as usize]).collect();
        while let Some(v) = front.pop() {
            if std::mem::replace(&mut seen[v as usize], true) || !self.is_wrong(v) {
                continue;
            }
            reached[v as usize] = true;
            front.extend(topology.neighbours.row(v as usize).iter().filter(|n| !seen[**n as usize]));
        }
        reached
    }

    /// Parts all of which lie on the wrong side, among those of the vertices `of`.
    fn lost_parts(&mut self, topology: &Topology, of: impl Iterator<Item = u32>) -> Vec<bool> {
        let mut lost = vec![false; topology.shells];
        of.for_each(|v| lost[topology.shell_of_vertex[v as usize] as usize] = true);
        for v in 0..topology.vertices() as u32 {
            let shell = topology.shell_of_vertex[v as usize] as usize;
            // What no face uses is no part of it.
            let used = !topology.neighbours.row(v as usize).is_empty();
            if lost[shell] && used && !self.is_wrong(v) {
                lost[shell] = false;
            }
        }
        lost
    }
}

impl<'a> PairView<'a, '_> {
    /// The faces of the two layers that meet, as pairs.
    pub fn meeting(&self) -> Vec<(u32, u32)> {
        meeting_faces(self.buffers, (self.pair.outer, self.pair.inner))
    }

    /// For each of the vertices on the wrong side, of the outer layer or of the inner one, whether it
    /// counts as through; `meeting` as above.
    pub fn counts(&self, on_outer: bool, wrong: &[u32], meeting: &[(u32, u32)]) -> Vec<bool> {
        if wrong.is_empty() {
            return Vec::new();
        }
        let coverage = &*self.pair.coverage;
        let (layer, list) = match on_outer {
            true => (self.pair.outer, &coverage.over),
            false => (self.pair.inner, &coverage.covered),
        };
        let topology = &*self.outfit.layers[layer].topology;
        let faces = meeting.iter().map(|p| if on_outer { p.0 } else { p.1 });
        let mut asking = Asking { view: self, on_outer, list, known: HashMap::new() };
        let reached = asking.from(topology, faces);
        let far: Vec<u32> = wrong.iter().copied().filter(|v| !reached[*v as usize]).collect();
        let lost = asking.lost_parts(topology, far.into_iter());
        let of_part = |v: u32| lost[topology.shell_of_vertex[v as usize] as usize];
        wrong.iter().map(|&v| reached[v as usize] || of_part(v)).collect()
    }
}

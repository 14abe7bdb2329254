//! Which of what lies on the wrong side counts as through: what is reached through a crossing.
//!
//! A vertex may lie on the wrong side of another surface without anything having come through it: a hand
//! bent over the cuff it comes out of, a hem that has slid along the arm. What has come through is joined,
//! over vertices on the wrong side, to faces that run through the other surface; what lies there without
//! such a way got there round an open edge. A part all of which lies on the wrong side (a button sunk in
//! a coat) has no way at all, and counts.

use super::ask::PairView;
use super::crossing::meeting_faces;
use super::Asked;
use crate::mesh::Topology;
use std::collections::HashMap;

/// One of the two layers of a pair, and what was asked of its vertices.
struct Asking<'v, 'a, 'h> {
    view: &'v PairView<'a, 'h>,
    on_outer: bool,
    topology: &'a Topology,
    /// The vertices that are asked, ascending.
    list: &'a [u32],
    /// Of those asked so far what lies over or under them, when they are on the wrong side by anything.
    known: HashMap<u32, Option<Asked>>,
}

impl Asking<'_, '_, '_> {
    fn is_wrong(&mut self, v: u32) -> bool {
        if let Some(known) = self.known.get(&v) {
            return known.is_some();
        }
        let asked = self.list.binary_search(&v).ok().and_then(|i| match self.on_outer {
            true => self.view.ask_outer(i),
            false => self.view.ask_inner(i, f32::INFINITY).filter(|_| !self.view.is_beneath_its_cover(i)),
        });
        let wrong = asked.filter(|a| a.clearance < 0.0);
        self.known.insert(v, wrong);
        wrong.is_some()
    }

    /// Looks from the corners of some faces over all vertices on the wrong side that are joined to them.
    fn follow(&mut self, faces: impl Iterator<Item = u32>) {
        let mut seen = vec![false; self.topology.vertices()];
        let mut front: Vec<u32> = faces.flat_map(|f| self.topology.triangles[f as usize]).collect();
        while let Some(v) = front.pop() {
            if !std::mem::replace(&mut seen[v as usize], true) && self.is_wrong(v) {
                let around = self.topology.neighbours.row(v as usize).iter();
                front.extend(around.filter(|n| !seen[**n as usize]));
            }
        }
    }

    /// What was found wrong so far, ascending.
    fn found(&self) -> Vec<(u32, Asked)> {
        let mut found: Vec<(u32, Asked)> = self.known.iter().filter_map(|(v, a)| Some((*v, (*a)?))).collect();
        found.sort_unstable_by_key(|f| f.0);
        found
    }

    /// Drops from `found` what is of none of the parts that lie on the wrong side as a whole.
    fn keep_lost_parts(&mut self) -> Vec<(u32, Asked)> {
        let mut lost = vec![true; self.topology.shells];
        for v in 0..self.topology.vertices() as u32 {
            let shell = self.topology.shell_of_vertex[v as usize] as usize;
            // What no face uses is no part of it.
            let used = !self.topology.neighbours.row(v as usize).is_empty();
            if lost[shell] && used && !self.is_wrong(v) {
                lost[shell] = false;
            }
        }
        let of_lost = |f: &(u32, Asked)| lost[self.topology.shell_of_vertex[f.0 as usize] as usize];
        self.found().into_iter().filter(of_lost).collect()
    }
}

impl<'a> PairView<'a, '_> {
    /// The faces of the two layers that meet, as pairs.
    pub fn meeting(&self) -> Vec<(u32, u32)> {
        meeting_faces(self.buffers, self.pair.outer, self.pair.inner)
    }

    /// The vertices of the outer layer or of the inner one that are through, by anything, and what they are
    /// through of; ascending. `meeting` as above.
    pub fn reached(&self, on_outer: bool, meeting: &[(u32, u32)]) -> Vec<(u32, Asked)> {
        let coverage = &*self.pair.coverage;
        let (layer, list) = match on_outer {
            true => (self.pair.outer, &coverage.over),
            false => (self.pair.inner, &coverage.covered),
        };
        let topology: &'a Topology = &self.outfit.layers[layer].topology;
        let mut asking = Asking { view: self, on_outer, topology, list, known: HashMap::new() };
        asking.follow(meeting.iter().map(|p| if on_outer { p.0 } else { p.1 }));
        let mut found = asking.found();
        found.extend(asking.keep_lost_parts());
        found.sort_unstable_by_key(|f| f.0);
        found.dedup_by_key(|f| f.0);
        found
    }
}

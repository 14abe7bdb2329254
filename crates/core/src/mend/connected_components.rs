//! A problem in parts that nothing links: no cost and no demand has unknowns of two of them, so that each has its own
//! optimum, found by itself, beside the others, and in as many steps as it alone needs.

use super::finite_newton::{Demands, Lower};

/// The unknowns that are linked with each other, ascending, and what there is of them, by their places among these.
#[derive(Clone, Debug, Default)]
pub(super) struct Component {
    pub unknowns: Vec<u32>,
    pub cost: Lower,
    pub demands: Demands,
    /// How many of the demands are of the first ones of the whole.
    pub first: usize,
}

/// All components, in the order of their first unknowns; demands keep their order. The first `first` demands are
/// counted.
pub(super) fn connected_components(
    unknowns: usize,
    cost: &Lower,
    demands: &Demands,
    first: usize,
) -> Vec<Component> {
    let mut linked = Linked((0..unknowns as u32).collect());
    cost.iter().for_each(|&(a, b, _)| linked.link(a, b));
    let first_of = |i: usize| demands.row(i).next().map(|e| e.0);
    for (i, head) in (0..demands.len()).filter_map(|i| Some((i, first_of(i)?))) {
        demands.row(i).for_each(|(k, _)| linked.link(head, k));
    }
    let (mut all, mut number): (Vec<Component>, Vec<u32>) = (Vec::new(), vec![u32::MAX; unknowns]);
    let mut at = Vec::with_capacity(unknowns);
    for k in 0..unknowns as u32 {
        let head = linked.head(k) as usize;
        if number[head] == u32::MAX {
            number[head] = all.len() as u32;
            all.push(Component::default());
        }
        number[k as usize] = number[head];
        let own = &mut all[number[head] as usize].unknowns;
        at.push(own.len() as u32);
        own.push(k);
    }
    for &(a, b, value) in cost {
        all[number[a as usize] as usize].cost.push((at[a as usize], at[b as usize], value));
    }
    let mut row = Vec::new();
    for (i, head) in (0..demands.len()).filter_map(|i| Some((i, first_of(i)?))) {
        let island = &mut all[number[head as usize] as usize];
        row.clear();
        row.extend(demands.row(i).map(|(k, g)| (at[k as usize], g)));
        island.demands.push_weighed(&row, demands.need(i), demands.weights[i]);
        island.first += usize::from(i < first);
    }
    all
}

/// Sets of what is linked, each with its least number as its head.
struct Linked(Vec<u32>);

impl Linked {
    fn head(&mut self, mut k: u32) -> u32 {
        while self.0[k as usize] != k {
            let next = self.0[k as usize];
            self.0[k as usize] = self.0[next as usize];
            k = next;
        }
        k
    }

    fn link(&mut self, a: u32, b: u32) {
        let (a, b) = (self.head(a), self.head(b));
        self.0[a.max(b) as usize] = a.min(b);
    }
}

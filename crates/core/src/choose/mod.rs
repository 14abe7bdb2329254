//! Choosing vertices of a piece: by rows, loops and parts, and as seen. A choice is one flag a welded vertex.

mod lasso;
mod loops;
mod rings;
mod ways;

pub use lasso::{lasso, Lasso};
pub use loops::{between, edge_loop};
pub use rings::{grow, grow_by, rows_from_open_edge, shrink, shrink_by};
pub use ways::shortest_way;

/// The vertices of a choice, ascending.
pub fn listed(chosen: &[bool]) -> Vec<u32> {
    (0..chosen.len() as u32).filter(|v| chosen[*v as usize]).collect()
}

/// A choice of so many vertices from a list; numbers that are not there are passed over.
pub fn flags(vertices: usize, list: &[u32]) -> Vec<bool> {
    let mut chosen = vec![false; vertices];
    list.iter().for_each(|v| {
        if let Some(flag) = chosen.get_mut(*v as usize) {
            *flag = true;
        }
    });
    chosen
}

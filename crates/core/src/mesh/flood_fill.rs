//! Flood fill: what hangs together.

/// The number of the group of each of `count` things, groups numbered by their first member, and how
/// many groups there are. Two things are of one group when `next` leads from one to the other; it
/// must lead both ways.
///
/// ```
/// use tin_cloak_core::mesh::flood_fill;
///
/// // 0 – 1 – 2 and 3 – 4.
/// let next = |i: u32| [[1, 1], [0, 2], [1, 1], [4, 4], [3, 3]][i as usize];
/// assert_eq!(flood_fill(5, next), (vec![0, 0, 0, 1, 1], 2));
/// ```
pub fn flood_fill<I: IntoIterator<Item = u32>>(count: usize, next: impl Fn(u32) -> I) -> (Vec<u32>, usize) {
    const NONE: u32 = u32::MAX;
    let mut group = vec![NONE; count];
    let (mut groups, mut reached) = (0, Vec::new());
    for start in 0..count {
        if group[start] != NONE {
            continue;
        }
        group[start] = groups;
        reached.push(start as u32);
        while let Some(at) = reached.pop() {
            for other in next(at) {
                let own = &mut group[other as usize];
                if *own == NONE {
                    *own = groups;
                    reached.push(other);
                }
            }
        }
        groups += 1;
    }
    (group, groups as usize)
}

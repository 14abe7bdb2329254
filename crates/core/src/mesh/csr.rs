//! Rows of indices in one flat array (compressed sparse rows).

/// `rows` lists of indices, kept end to end.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Csr {
    /// `starts[i] .. starts[i + 1]` is row `i` in `items`; one longer than the rows.
    pub starts: Vec<u32>,
    /// All rows, one after another.
    pub items: Vec<u32>,
}

impl Csr {
    /// Groups `(row, item)` pairs by row; within a row the order of the pairs is kept.
    pub fn from_pairs(rows: usize, pairs: impl Iterator<Item = (u32, u32)> + Clone) -> Self {
        let mut starts = vec![0u32; rows + 1];
        for (row, _) in pairs.clone() {
            starts[row as usize + 1] += 1;
        }
        for i in 0..rows {
            starts[i + 1] += starts[i];
        }
        let mut next = starts.clone();
        let mut items = vec![0; starts[rows] as usize];
        for (row, item) in pairs {
            let at = &mut next[row as usize];
            items[*at as usize] = item;
            *at += 1;
        }
        Self { starts, items }
    }

    /// Row `i`.
    pub fn row(&self, i: usize) -> &[u32] {
        &self.items[self.starts[i] as usize..self.starts[i + 1] as usize]
    }

    /// How many rows.
    pub fn len(&self) -> usize {
        self.starts.len().saturating_sub(1)
    }

    /// No rows at all.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

//! Texture coordinates looked over: what lies outside the unit square, and what lies on other faces.

/// Faces of a set of texture coordinates that whoever paints the texture should know of.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct UvFacts {
    /// Faces with a corner outside the unit square, ascending.
    pub outside: Vec<u32>,
    /// Faces that share texture with an earlier face, ascending.
    pub overlapping: Vec<u32>,
}

/// Cells a side of the grid that overlaps are looked for in.
const GRID: usize = 1024;
/// A corner may be this far outside before it is said.
const HAIR: f32 = 1e-4;
/// Cells looked at in all: a file made to cost time is looked at only so far.
const MOST_LOOKS: usize = 24 << 20;

/// Looks over `uvs` (one pair a vertex) of `triangles`.
///
/// Overlaps are found by filling every face into a grid over the coordinates' own bounds, cell
/// middle by cell middle (Pineda, “A parallel algorithm for polygon rasterization”, 1988): faces
/// smaller than a cell, a thousandth of the texture, are let pass, and so are shared edges.
///
/// ```
/// use tin_cloak_core::intake::look_over_uvs;
///
/// // Two faces on the same place of the texture.
/// let uvs = [[0.0, 0.0], [0.5, 0.0], [0.0, 0.5]];
/// let facts = look_over_uvs(&uvs, &[[0, 1, 2], [0, 1, 2]]);
/// assert_eq!((facts.outside, facts.overlapping), (vec![], vec![1]));
/// ```
pub fn look_over_uvs(uvs: &[[f32; 2]], triangles: &[[u32; 3]]) -> UvFacts {
    let outside = |c: [f32; 2]| c.iter().any(|x| !(-HAIR..=1.0 + HAIR).contains(x));
    let corners = |t: &[u32; 3]| t.map(|v| uvs[v as usize]);
    let out = |f: &u32| corners(&triangles[*f as usize]).into_iter().any(outside);
    let all = 0..triangles.len() as u32;
    UvFacts { outside: all.filter(out).collect(), overlapping: overlapping(uvs, triangles) }
}

fn overlapping(uvs: &[[f32; 2]], triangles: &[[u32; 3]]) -> Vec<u32> {
    let used =
        || triangles.iter().flatten().map(|&v| uvs[v as usize]).filter(|c| c.iter().all(|x| x.is_finite()));
    let fold = |start: f32, pick: fn(f32, f32) -> f32| {
        used().fold([start; 2], |a, c| [pick(a[0], c[0]), pick(a[1], c[1])])
    };
    let (low, high) = (fold(f32::INFINITY, f32::min), fold(f32::NEG_INFINITY, f32::max));
    let size = (high[0] - low[0]).max(high[1] - low[1]);
    // All in one place is no texture at all.
    if !size.is_finite() || size <= 0.0 {
        return Vec::new();
    }
    let scale = GRID as f32 / size;
    let on_grid = |v: u32| {
        let [u, w] = uvs[v as usize];
        [(u - low[0]) * scale, (w - low[1]) * scale]
    };
    let mut taken = vec![false; GRID * GRID];
    let mut looks = 0;
    let mut list = Vec::new();
    for (face, t) in triangles.iter().enumerate() {
        let corners = t.map(on_grid);
        if corners.iter().flatten().any(|x| !x.is_finite()) {
            continue;
        }
        let (covered, shared) = fill(&mut taken, corners, &mut looks);
        // A cell or two at a corner is rounding.
        if shared > 2 && shared * 10 > covered {
            list.push(face as u32);
        }
        if looks > MOST_LOOKS {
            break;
        }
    }
    list
}

/// Takes the cells whose middle lies inside: how many, and how many were taken already.
fn fill(taken: &mut [bool], [a, b, c]: [[f32; 2]; 3], looks: &mut usize) -> (usize, usize) {
    let cross =
        |p: [f32; 2], q: [f32; 2], r: [f32; 2]| (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
    let area = cross(a, b, c);
    if area == 0.0 {
        return (0, 0);
    }
    let span = |i: usize| {
        let (low, high) = (a[i].min(b[i]).min(c[i]), a[i].max(b[i]).max(c[i]));
        (low.max(0.0) as usize)..(high.ceil().max(0.0) as usize).min(GRID)
    };
    let (mut covered, mut shared) = (0, 0);
    for y in span(1) {
        for x in span(0) {
            *looks += 1;
            let p = [x as f32 + 0.5, y as f32 + 0.5];
            let inside = [cross(a, b, p), cross(b, c, p), cross(c, a, p)].iter().all(|w| w / area > 1e-4);
            if inside {
                covered += 1;
                shared += usize::from(std::mem::replace(&mut taken[y * GRID + x], true));
            }
        }
    }
    (covered, shared)
}

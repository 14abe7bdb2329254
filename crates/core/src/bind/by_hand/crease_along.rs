//! Creases along lines of vertices: loops round a limb, seams, several at once.

use super::crease::Fold;
use super::{weight_of, ByHand, FoldsOver};
use crate::bind::clean::{BoundMesh, Row};
use crate::mesh::{flood_fill, over_surface};
use crate::query::Bvh;
use crate::skin::SkinError;
use crate::JointId;

/// Creases between two joints.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CreaseAlong {
    /// The joint of the near side.
    pub near: JointId,
    /// The joint of the far side.
    pub far: JointId,
    /// Over so much the one changes into the other, metres along the surface.
    pub width: f32,
    /// On which side that is.
    pub over: FoldsOver,
}

/// A crease along each line of the vertices in `line` (connected ones are one line; a line may close or end). Distances
/// go along the surface. Which side of a line is far the weights say: the one on which the far joint has more of what
/// both have. A line that does not part what lies about it stays without; nothing when none does.
///
/// ```
/// use tin_cloak_core::{bind::{by_hand::{crease_along, CreaseAlong, FoldsOver}, clean::BoundMesh}};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology, shapes::tube, skin::Skin, JointId};
///
/// // A sleeve that goes over from one joint to the other; a crease of 20 mm along the ring at its middle.
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 40, 1.0);
/// let topology = &Topology::of_welded(positions.len(), &triangles);
/// let row = |p: &Vec3| vec![(JointId(0), 1.0 - p.y / 0.4), (JointId(1), p.y / 0.4)];
/// let skin = Skin::from_rows(&positions.iter().map(row).collect::<Vec<_>>(), 2)?;
/// let chosen = vec![true; positions.len()];
/// let bound =
///     BoundMesh { positions: &positions, topology, skin: &skin, chosen: &chosen, locked: &[false; 2], most: 4 };
/// let on_ring = |v: &u32| (positions[*v as usize].y - 0.2).abs() < 1e-4;
/// let ring: Vec<u32> = (0..positions.len() as u32).filter(on_ring).collect();
/// let how = CreaseAlong { near: JointId(0), far: JointId(1), width: 0.02, over: FoldsOver::Neither };
/// let far = crease_along(bound, how, &ring)?.expect("the ring parts the tube").skin.column(JointId(1));
/// for (p, w) in positions.iter().zip(far).filter(|(p, _)| (p.y - 0.2).abs() < 0.035) {
///     assert!((w - ((p.y - 0.2) / 0.02 + 0.5).clamp(0.0, 1.0)).abs() < 1e-3, "{} {w}", p.y);
/// }
/// assert!(crease_along(bound, how, &ring[..1])?.is_none(), "a vertex is no line");
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`](crate::skin::Skin::from_rows).
pub fn crease_along(bound: BoundMesh, how: CreaseAlong, line: &[u32]) -> Result<Option<ByHand>, SkinError> {
    let CreaseAlong { near, far, width, over } = how;
    let fold = Fold { near, far, width, over };
    let beyond = beyond_lines(&bound, &fold, line);
    if beyond.iter().all(|d| d.is_infinite() || *d == 0.0) {
        return Ok(None);
    }
    let shares: Vec<f32> = beyond.iter().map(|d| if d.is_finite() { 1.0 } else { 0.0 }).collect();
    fold.made(bound, |v| beyond[v], &shares).map(Some)
}

/// How far beyond the nearest line each vertex lies, metres, negative before it; infinite out of reach, about the ends
/// of a line and where a line parts nothing.
fn beyond_lines(bound: &BoundMesh, fold: &Fold, line: &[u32]) -> Vec<f32> {
    let count = bound.positions.len();
    let mut of_line = vec![u32::MAX; count];
    line.iter().enumerate().for_each(|(n, &v)| of_line[v as usize] = n as u32);
    let along = |v: u32| {
        bound.topology.neighbours.row(v as usize).iter().filter(|n| of_line[**n as usize] != u32::MAX)
    };
    let (line_of, lines) =
        flood_fill(line.len(), |n| along(line[n as usize]).map(|v| of_line[*v as usize]).collect::<Vec<_>>());
    let ends = |n: usize| along(line[n]).count() < 2;
    let places: Vec<_> = line.iter().map(|&v| bound.positions[v as usize]).collect();
    let tree = Bvh::over_points(&places);
    let mut beyond = vec![f32::INFINITY; count];
    // Each vertex in reach that is nearest to a line and to no end of it.
    let mut nearest = vec![u32::MAX; count];
    let mut band = Vec::new();
    for (v, far) in over_surface(bound.positions, bound.topology, line, fold.reach()) {
        let Some(hit) = tree.closest(bound.positions[v as usize], f32::INFINITY) else { continue };
        let (at, is_on) = (hit.triangle as usize, of_line[v as usize] != u32::MAX);
        if is_on || !ends(at) {
            beyond[v as usize] = far;
            nearest[v as usize] = line_of[at];
            band.push(v);
        }
    }
    let mut place = vec![u32::MAX; count];
    let off: Vec<u32> = band.into_iter().filter(|v| of_line[*v as usize] == u32::MAX).collect();
    off.iter().enumerate().for_each(|(n, &v)| place[v as usize] = n as u32);
    let (part, parts) = flood_fill(off.len(), |n| {
        let v = off[n as usize];
        let same = |w: &&u32| place[**w as usize] != u32::MAX && nearest[**w as usize] == nearest[v as usize];
        bound
            .topology
            .neighbours
            .row(v as usize)
            .iter()
            .filter(same)
            .map(|w| place[*w as usize])
            .collect::<Vec<_>>()
    });
    let mut sums = vec![Part::default(); parts];
    for (&v, &p) in off.iter().zip(&part) {
        sums[p as usize].add(nearest[v as usize], &bound.row(v as usize), fold);
    }
    let is_far = far_parts(&sums, lines);
    for (v, p) in off.into_iter().zip(part) {
        match is_far[p as usize] {
            Some(true) => {}
            Some(false) => beyond[v as usize] *= -1.0,
            None => beyond[v as usize] = f32::INFINITY,
        }
    }
    beyond
}

/// What lies on one side of a line, and what the two joints have of it.
#[derive(Clone, Copy, Default)]
struct Part {
    line: u32,
    far: f32,
    both: f32,
}

impl Part {
    fn add(&mut self, line: u32, row: &Row, fold: &Fold) {
        let far = weight_of(row, fold.far);
        *self = Part { line, far: self.far + far, both: self.both + far + weight_of(row, fold.near) };
    }

    fn share(&self) -> f32 {
        self.far / self.both.max(1e-6)
    }
}

/// Which parts lie on the far side of their line; nothing for those of a line that parts nothing.
fn far_parts(parts: &[Part], lines: usize) -> Vec<Option<bool>> {
    let mut ends = vec![(f32::INFINITY, f32::NEG_INFINITY); lines];
    for part in parts.iter().filter(|p| p.both > 0.0) {
        let (least, most) = &mut ends[part.line as usize];
        (*least, *most) = (least.min(part.share()), most.max(part.share()));
    }
    let one = |part: &Part| {
        let (least, most) = ends[part.line as usize];
        (most > least).then(|| part.share() > (least + most) * 0.5)
    };
    parts.iter().map(one).collect()
}

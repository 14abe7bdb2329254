//! Stray influence: a joint's weight far from the joint's own region.

use super::{BoundMesh, Row};
use crate::skin::{Skin, SkinError};
use crate::JointId;

/// Weight of one joint in a place cut off from its main region on the same part.
#[derive(Clone, Debug, PartialEq)]
pub struct Stray {
    /// The joint.
    pub joint: JointId,
    /// The vertices, ascending.
    pub vertices: Vec<u32>,
    /// Its weight there in all.
    pub weight: f32,
}

/// Less weight than this joins no region together.
const TRACE: f32 = 0.005;
/// An island of at least this share of the main region's weight may be meant.
const MEANT: f32 = 0.2;

/// Islands of weight cut off from the main region of their joint, by joint, then by first vertex.
/// Regions are the connected vertices that the joint moves with more than half a percent; each
/// connected part of the piece has its own main region. Only chosen vertices and joints that are
/// not locked are looked at.
///
/// ```
/// use tin_cloak_core::bind::clean::{strays, BoundMesh};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// // A little of the elbow at the very top of the arm, where nothing else of it is.
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let mut rows = vec![None; positions.len()];
/// rows[3] = Some(vec![(JointId(0), 0.9), (JointId(1), 0.1)]);
/// let skin = skin.replaced(rows, 2)?;
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let found = strays(bound);
/// assert_eq!((found[0].joint, &found[0].vertices[..]), (JointId(1), &[3][..]));
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn strays(bound: BoundMesh) -> Vec<Stray> {
    let mut of_joint: Vec<Vec<(u32, f32)>> = vec![Vec::new(); bound.joints()];
    for v in 0..bound.positions.len() {
        for (joint, weight) in bound.skin.row(v).filter(|e| e.1 > TRACE) {
            of_joint[joint.index()].push((v as u32, weight));
        }
    }
    let mut island_of = vec![u32::MAX; bound.positions.len()];
    let mut found = Vec::new();
    for (j, region) in of_joint.iter().enumerate().filter(|(j, _)| !bound.locked[*j]) {
        let islands = islands(&bound, region, &mut island_of);
        let shell = |i: &Stray| bound.topology.shell_of_vertex[i.vertices[0] as usize];
        let main = |of: u32| islands.iter().filter(|i| shell(i) == of).map(|i| i.weight).fold(0.0, f32::max);
        let small = |i: &&Stray| i.weight < main(shell(i)) * MEANT;
        let chosen = |i: &&Stray| i.vertices.iter().all(|&v| bound.chosen[v as usize]);
        found.extend(
            islands
                .iter()
                .filter(small)
                .filter(chosen)
                .cloned()
                .map(|i| Stray { joint: JointId(j as u16), ..i }),
        );
    }
    found
}

/// The connected groups of a region; `island_of` is unused before and after.
fn islands(bound: &BoundMesh, region: &[(u32, f32)], island_of: &mut [u32]) -> Vec<Stray> {
    const UNSEEN: u32 = u32::MAX - 1;
    region.iter().for_each(|(v, _)| island_of[*v as usize] = UNSEEN);
    let mut list: Vec<Stray> = Vec::new();
    for &(start, _) in region {
        if island_of[start as usize] != UNSEEN {
            continue;
        }
        let number = list.len() as u32;
        island_of[start as usize] = number;
        let (mut vertices, mut next) = (vec![start], 0);
        while next < vertices.len() {
            for &n in bound.topology.neighbours.row(vertices[next] as usize) {
                if island_of[n as usize] == UNSEEN {
                    island_of[n as usize] = number;
                    vertices.push(n);
                }
            }
            next += 1;
        }
        vertices.sort_unstable();
        list.push(Stray { joint: JointId(0), vertices, weight: 0.0 });
    }
    for &(v, weight) in region {
        list[std::mem::replace(&mut island_of[v as usize], u32::MAX) as usize].weight += weight;
    }
    list
}

/// Weights without the `strays`: the other joints of each vertex take their place in proportion.
/// A vertex that nothing else moves keeps what it has.
///
/// ```
/// use tin_cloak_core::bind::clean::{drop_strays, BoundMesh, Stray};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let Arm { surface: (positions, triangles), skin, .. } = Arm::new();
/// let mut rows = vec![None; positions.len()];
/// rows[3] = Some(vec![(JointId(0), 0.9), (JointId(1), 0.1)]);
/// let skin = skin.replaced(rows, 2)?;
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let (chosen, locked) = (vec![true; positions.len()], [false, false]);
/// let (positions, topology) = (&positions, &topology);
/// let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked: &locked, most: 4 };
/// let stray = Stray { joint: JointId(1), vertices: vec![3], weight: 0.1 };
/// assert_eq!(drop_strays(bound, &[stray])?.column(JointId(0))[3], 1.0);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
///
/// # Errors
/// Never for weights that were normalised; see [`Skin::from_rows`].
pub fn drop_strays(bound: BoundMesh, strays: &[Stray]) -> Result<Skin, SkinError> {
    let gone = |v: usize, joint: JointId| {
        strays.iter().any(|s| s.joint == joint && s.vertices.binary_search(&(v as u32)).is_ok())
    };
    let kept = |v: usize, mut row: Row| {
        let before = row.len();
        row.retain(|e| !gone(v, e.0));
        (row.len() < before).then_some(row)
    };
    BoundMesh { most: usize::MAX, ..bound }.changed(kept)
}

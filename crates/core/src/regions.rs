//! Regions of a mesh by the joint that moves them most, and colours that tell them apart.

use crate::skin::Skin;
use crate::JointId;
use std::collections::BTreeSet;

/// The joint that moves each vertex most; of equals the first.
///
/// ```
/// use tin_cloak_core::{regions::main_joints, shapes::Arm, JointId};
///
/// let arm = Arm::new();
/// let main = main_joints(&arm.skin);
/// assert_eq!((main[0], main[383]), (JointId(0), JointId(1)));
/// ```
pub fn main_joints(skin: &Skin) -> Vec<JointId> {
    (0..skin.vertices()).map(|v| skin.row(v).next().map_or(JointId(0), |e| e.0)).collect()
}

/// A colour (0 up to `colours`) for each of `joints` joints, so that regions that touch differ as
/// far as there are colours enough: joint after joint takes the colour that is least used among
/// those its neighbours have not (greedy colouring: Welsh & Powell, “An upper bound for the
/// chromatic number of a graph”, 1967, without their order). `meshes` are edges over vertices with
/// the main joint of each.
///
/// ```
/// use tin_cloak_core::{regions::region_colours, JointId};
///
/// // Three joints along a strip: what touches differs.
/// let (edges, joints) = ([[0, 1], [1, 2]], [JointId(0), JointId(1), JointId(2)]);
/// let colours = region_colours(3, &[(&edges, &joints)], 8);
/// assert!(colours[0] != colours[1] && colours[1] != colours[2]);
/// ```
pub fn region_colours(joints: usize, meshes: &[(&[[u32; 2]], &[JointId])], colours: usize) -> Vec<u8> {
    let mut touching: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); joints];
    for (edges, main) in meshes {
        for [a, b] in edges.iter() {
            let (a, b) = (main[*a as usize].index(), main[*b as usize].index());
            if a != b {
                touching[a].insert(b);
                touching[b].insert(a);
            }
        }
    }
    let mut colour_of: Vec<Option<usize>> = vec![None; joints];
    let mut used = vec![0usize; colours.max(1)];
    for j in 0..joints {
        let taken: Vec<usize> = touching[j].iter().filter_map(|&n| colour_of[n]).collect();
        let free = (0..used.len()).filter(|c| !taken.contains(c));
        let colour = free.min_by_key(|&c| used[c]).unwrap_or(j % used.len());
        colour_of[j] = Some(colour);
        // Joints that move nothing most need no colour of their own.
        used[colour] += usize::from(!touching[j].is_empty());
    }
    colour_of.into_iter().map(|c| c.unwrap_or(0) as u8).collect()
}

//! The node tree: world matrices, and the joints of all skins as one skeleton.

use crate::names::or_number;
use crate::ReadError;
use std::collections::BTreeMap;
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::skeleton::{is_invertible, LocalTransform, Skeleton, SkeletonError};
use tin_cloak_core::JointId;

/// Nodes in an order with parents first, their parents and world matrices.
pub(crate) struct SceneGraph {
    pub order: Vec<usize>,
    /// Where each node stands in it.
    rank: Vec<usize>,
    pub parents: Vec<Option<usize>>,
    pub world: Vec<Mat4>,
    pub local: Vec<LocalTransform>,
    names: Vec<String>,
}

impl SceneGraph {
    pub fn new(document: &gltf::Document) -> Result<Self, ReadError> {
        let count = document.nodes().len();
        let names: Vec<String> = document.nodes().map(|n| or_number(n.name(), "node", n.index())).collect();
        let mut parents = vec![None; count];
        for node in document.nodes() {
            for child in node.children() {
                let slot = &mut parents[child.index()];
                if slot.is_some() {
                    return Err(cycle(child.index(), &names));
                }
                *slot = Some(node.index());
            }
        }
        let mut order: Vec<usize> = (0..count).filter(|&n| parents[n].is_none()).collect();
        let children: Vec<Vec<usize>> =
            document.nodes().map(|n| n.children().map(|c| c.index()).collect()).collect();
        let mut next = 0;
        while next < order.len() {
            order.extend(&children[order[next]]);
            next += 1;
        }
        let mut rank = vec![usize::MAX; count];
        order.iter().enumerate().for_each(|(at, &n)| rank[n] = at);
        if let Some(lost) = rank.iter().position(|at| *at == usize::MAX) {
            return Err(cycle(lost, &names));
        }
        let local: Vec<LocalTransform> = document.nodes().map(|n| local_of(&n)).collect();
        let mut world = vec![Mat4::IDENTITY; count];
        for &n in &order {
            let parent = parents[n].map_or(Mat4::IDENTITY, |p| world[p]);
            world[n] = parent * local[n].matrix();
        }
        Ok(Self { order, rank, parents, world, local, names })
    }
}

fn cycle(node: usize, names: &[String]) -> ReadError {
    ReadError::NodeCycle { node, name: names[node].clone() }
}

fn local_of(node: &gltf::Node) -> LocalTransform {
    let (t, r, s) = node.transform().decomposed();
    let finite = |v: Vec3, or: Vec3| if v.is_finite() { v } else { or };
    let rotation = Quat::from_array(r);
    LocalTransform {
        translation: finite(Vec3::from(t), Vec3::ZERO),
        rotation: if rotation.is_finite() && rotation.length() > 1e-6 {
            rotation.normalize()
        } else {
            Quat::IDENTITY
        },
        scale: finite(Vec3::from(s), Vec3::ONE),
    }
}

/// A skin of the file, related to the common skeleton.
pub(crate) struct BoundSkin {
    /// Joint of the common skeleton for each joint of the skin.
    pub joints: Vec<JointId>,
    /// From the skin's mesh space to world space at rest.
    pub to_world: Mat4,
    /// The same by joint, where this skin was bound in another pose than the others: what a vertex is moved by there is
    /// theirs, blended by its weights.
    pub by_joint: BTreeMap<JointId, Mat4>,
}

/// All joints of all skins (and the nodes between and above them) as one skeleton whose rest
/// pose is the bind pose, in world space.
pub(crate) struct JointNodes {
    pub skeleton: Skeleton,
    pub skins: Vec<BoundSkin>,
    pub of_node: BTreeMap<usize, JointId>,
}

/// Joint nodes and inverse bind matrices of one skin of the file.
pub(crate) struct RawSkin {
    pub joints: Vec<usize>,
    pub inverse_bind: Vec<Mat4>,
}

impl JointNodes {
    pub fn new(graph: &SceneGraph, raw: &[RawSkin]) -> Result<Self, ReadError> {
        let mut wanted = vec![false; graph.parents.len()];
        for &joint in raw.iter().flat_map(|s| &s.joints) {
            let mut at = Some(joint);
            while let Some(n) = at.filter(|&n| !wanted[n]) {
                wanted[n] = true;
                at = graph.parents[n];
            }
        }
        let nodes: Vec<usize> = graph.order.iter().copied().filter(|&n| wanted[n]).collect();
        if nodes.len() > usize::from(u16::MAX) {
            return Err(SkeletonError::TooMany { count: nodes.len() }.into());
        }
        let of_node: BTreeMap<usize, JointId> =
            nodes.iter().enumerate().map(|(j, &n)| (n, JointId(j as u16))).collect();

        let mut rest: BTreeMap<usize, Mat4> = BTreeMap::new();
        let mut exact: BTreeMap<usize, Mat4> = BTreeMap::new();
        let mut skins: Vec<(usize, BoundSkin)> = Vec::new();
        // The skin that begins nearest to the root says what rest is; those further down are put where that has them.
        let mut order: Vec<usize> = (0..raw.len()).collect();
        order.sort_by_key(|&s| raw[s].joints.iter().map(|n| graph.rank[*n]).min());
        for at in order {
            let skin = &raw[at];
            let to_world = self::mesh_to_world(graph, skin, &rest)?;
            let mut by_joint = BTreeMap::new();
            for (&node, bind) in skin.joints.iter().zip(&skin.inverse_bind) {
                let there = *rest.entry(node).or_insert(to_world.matrix * bind.inverse());
                by_joint.insert(of_node[&node], there * *bind);
                if to_world.is_identity {
                    exact.entry(node).or_insert(*bind);
                }
            }
            if by_joint.values().all(|m| m.abs_diff_eq(to_world.matrix, 1e-4)) {
                by_joint.clear();
            }
            let joints = skin.joints.iter().map(|n| of_node[n]).collect();
            skins.push((at, BoundSkin { joints, to_world: to_world.matrix, by_joint }));
        }
        skins.sort_by_key(|s| s.0);
        let skins = skins.into_iter().map(|s| s.1).collect();

        let parents: Vec<Option<JointId>> =
            nodes.iter().map(|&n| graph.parents[n].and_then(|p| of_node.get(&p).copied())).collect();
        let mut world: Vec<Mat4> = Vec::new();
        let mut local = Vec::new();
        for (j, &n) in nodes.iter().enumerate() {
            let above = parents[j].map_or(Mat4::IDENTITY, |p| world[p.index()]);
            let unposed = above * graph.local[n].matrix();
            // The file's own numbers are kept wherever the bind pose agrees with them.
            let bound = rest.get(&n).copied().unwrap_or(unposed);
            let transform =
                if near(&bound, &unposed) { graph.local[n] } else { decompose(&(above.inverse() * bound)) };
            world.push(above * transform.matrix());
            local.push(transform);
        }
        let names = nodes.iter().map(|&n| graph.names[n].clone()).collect();
        let mut inverse_bind = Vec::new();
        for (j, n) in nodes.iter().enumerate() {
            if !is_invertible(&world[j]) {
                return Err(SkeletonError::SingularBind { name: graph.names[*n].clone() }.into());
            }
            inverse_bind.push(exact.get(n).copied().unwrap_or_else(|| world[j].inverse()));
        }
        let skeleton = Skeleton::new(names, parents, local, inverse_bind)?;
        Ok(Self { skeleton, skins, of_node })
    }
}

struct ToWorld {
    matrix: Mat4,
    is_identity: bool,
}

/// Where the skin puts its mesh with the joints as the file has them: the same for every
/// joint unless the file was saved in another pose, when the root's is taken and the bind
/// pose becomes the rest pose. Joints of which it is known where they are at `rest` go before the file's pose.
fn mesh_to_world(
    graph: &SceneGraph,
    skin: &RawSkin,
    rest: &BTreeMap<usize, Mat4>,
) -> Result<ToWorld, ReadError> {
    for (&node, bind) in skin.joints.iter().zip(&skin.inverse_bind) {
        if !is_invertible(bind) {
            return Err(SkeletonError::SingularBind { name: graph.names[node].clone() }.into());
        }
    }
    let first = skin.joints.iter().zip(&skin.inverse_bind).min_by_key(|(node, _)| graph.rank[**node]);
    let known = skin.joints.iter().zip(&skin.inverse_bind).filter(|(node, _)| rest.contains_key(*node));
    let known = known.min_by_key(|(node, _)| graph.rank[**node]);
    let matrix = match known {
        Some((node, bind)) => rest[node] * *bind,
        None => first.map_or(Mat4::IDENTITY, |(&node, bind)| graph.world[node] * *bind),
    };
    if !is_invertible(&matrix) {
        let name = first.map_or_else(String::new, |(&n, _)| graph.names[n].clone());
        return Err(SkeletonError::SingularBind { name }.into());
    }
    let is_identity = matrix.abs_diff_eq(Mat4::IDENTITY, 1e-5);
    Ok(ToWorld { matrix: if is_identity { Mat4::IDENTITY } else { matrix }, is_identity })
}

fn near(a: &Mat4, b: &Mat4) -> bool {
    a.abs_diff_eq(*b, 2e-5)
}

fn decompose(m: &Mat4) -> LocalTransform {
    let (scale, rotation, translation) = m.to_scale_rotation_translation();
    LocalTransform { translation, rotation: rotation.normalize(), scale }
}

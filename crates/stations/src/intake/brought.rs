//! What a piece’s file says of joints of its own.

use glam::Vec3;
use tin_cloak_core::bind::Falloff;
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_formats::MeshPart;
use tin_cloak_model::dress::imported_weights::known_joints;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::own_joint::OwnJoint;
use tin_cloak_model::state::recipe::FollowWish;

/// What a piece's file says of joints of its own.
pub struct Brought {
    pub joints: Vec<OwnJoint>,
    /// Parts that one of them moves as a whole.
    pub follows: Vec<(Option<u32>, FollowWish)>,
}

/// Joints of a piece's file that the body has not, that hang from one of the body's, and that move
/// some of the piece. They turn 30° either way about the axis to the side until it is said
/// otherwise.
pub fn brought(part: &MeshPart, skeleton: Option<&Skeleton>, body: &Skeleton, piece: PieceId) -> Brought {
    let mut found = Brought { joints: Vec::new(), follows: Vec::new() };
    let (Some(own), Some(skin)) = (skeleton, &part.skin) else { return found };
    let moves = |j: usize| !skin.column(JointId(j as u16)).iter().all(|w| *w <= 0.0);
    let marks = part.mark.as_ref().map_or(&[][..], |m| &m.joints);
    let marked = |j: usize| marks.iter().find(|m| m.name == own.names[j]);
    // A body that comes from a dressed file has the joints of its pieces already.
    let known = known_joints(own, body);
    let is_new = |j: usize| known[j].is_none() || marked(j).is_some();
    let place = |j: usize| own.inverse_bind[j].inverse().w_axis.truncate();
    let children = own.children();
    let mut taken = vec![false; own.len()];
    for j in (0..own.len()).filter(|&j| is_new(j) && (moves(j) || marked(j).is_some())) {
        // The nearest joint above that is known: of the body, or one taken before.
        let up = |k: &usize| own.parents[*k].map(JointId::index);
        let above = std::iter::successors(up(&j), up).find(|&k| taken[k] || !is_new(k));
        let Some(above) = above else { continue };
        let parent =
            known[above].filter(|_| !taken[above]).map_or(&own.names[above], |k| &body.names[k.index()]);
        taken[j] = true;
        let below = children[j].first().map(|c| place(c.index()));
        let tip = below.unwrap_or(place(j) - Vec3::Y * 0.1);
        let joint = OwnJoint {
            name: own.names[j].clone(),
            parent: parent.clone(),
            piece,
            place: place(j),
            tip,
            axis: Vec3::X,
            range: [-30.0, 30.0],
            reach_mm: 0.0,
        };
        found.joints.push(marked(j).map_or(joint.clone(), |mark| joint.with_mark(mark)));
    }
    let topology = Topology::new(&part.mesh);
    let welded = skin.gather(&topology.weld);
    let rest = topology.weld.gather(&part.mesh.positions);
    for joint in &mut found.joints {
        let Some(j) = own.find(&joint.name) else { continue };
        let weights = welded.column(j);
        let mut whole = vec![true; topology.shells];
        weights.iter().zip(&topology.shell_of_vertex).for_each(|(w, s)| whole[*s as usize] &= *w > 0.99);
        let shells = (0..topology.shells as u32).filter(|s| whole[*s as usize]);
        found.follows.extend(shells.map(|s| (Some(s), FollowWish::Joint(joint.name.clone()))));
        // Of cloth it moves in part: as far as it moves half of a vertex.
        let line = Falloff { joint: j, from: joint.place, to: joint.tip, reach: 0.0 };
        let half = (0..rest.len())
            .filter(|&v| weights[v] >= 0.5 && !whole[topology.shell_of_vertex[v] as usize])
            .map(|v| line.distance(rest[v]))
            .fold(0.0, f32::max);
        if marked(j.index()).is_none() {
            joint.reach_mm = to_mm(half / 0.75);
        }
    }
    found
}

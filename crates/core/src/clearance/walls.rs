//! Which way is out, and which wall of a double-walled piece is which; settled once at rest.

use super::face_kinds::{judge, FaceKind, Faces};
use super::outward::vote;
use super::{Layer, Side};
use crate::mesh::{mix, vertex_normals, Topology};
use crate::query::Bvh;
use glam::Vec3;
use std::collections::HashSet;
use std::sync::Arc;

/// The faces of a layer by what they face.
#[derive(Clone, Debug)]
pub struct Walls {
    /// What is measured against the layer beneath: single cloth, and the inside wall of
    /// double-walled parts turned to point outward.
    pub towards_body: Side,
    /// What lies beneath further layers: single cloth, and the outside wall. `None` when it is
    /// the same as `towards_body`.
    pub away_from_body: Option<Side>,
    /// Share of the area that is double-walled, 0 to 1.
    pub double_walled: f32,
}

impl Walls {
    /// The side that further layers lie on.
    pub fn outside(&self) -> &Side {
        self.away_from_body.as_ref().unwrap_or(&self.towards_body)
    }

    /// True when the faces towards the body are all there are, in their order.
    pub(super) fn measures_all(&self, topology: &Topology) -> bool {
        self.away_from_body.is_none()
            && self.towards_body.topology.triangles.len() == topology.triangles.len()
    }

    /// The walls of a layer of `vertices` without some of its faces, by their corners in ascending order.
    fn without(&self, vertices: usize, gone: &HashSet<[u32; 3]>) -> Self {
        let left = |side: &Side| {
            let triangles = side.topology.triangles.iter().copied();
            Side::new(vertices, &triangles.filter(|t| !gone.contains(&sorted(*t))).collect::<Vec<_>>())
        };
        Self {
            towards_body: left(&self.towards_body),
            away_from_body: self.away_from_body.as_ref().map(left),
            double_walled: self.double_walled,
        }
    }

    /// All faces as they are wound, for a body.
    pub fn as_wound(topology: &Topology) -> Self {
        Self {
            towards_body: Side::new(topology.vertices(), &topology.triangles),
            away_from_body: None,
            double_walled: 0.0,
        }
    }
}

fn sorted(mut corners: [u32; 3]) -> [u32; 3] {
    corners.sort_unstable();
    corners
}

impl Layer {
    /// The layer without the faces in `left_out` (ascending); its vertices keep their numbers, those of no face are
    /// nowhere then.
    ///
    /// ```
    /// use tin_cloak_core::shapes::{layer, sphere};
    ///
    /// let whole = layer(&sphere(0.1, 16), 1, None);
    /// let (faces, half) = (whole.topology.triangles.len(), whole.topology.triangles.len() as u32 / 2);
    /// let left = whole.without(&(0..half).collect::<Vec<_>>());
    /// assert_eq!(left.topology.triangles.len(), faces - half as usize);
    /// assert_eq!(left.walls.outside().topology.triangles, left.topology.triangles);
    /// ```
    #[must_use]
    pub fn without(self, left_out: &[u32]) -> Self {
        match left_out {
            [] => self,
            _ => {
                let LayerFaces { topology, walls } = self.faces_without(left_out);
                Self { topology, walls, ..self }
            }
        }
    }

    /// The faces that are left without those in `left_out` (ascending).
    pub fn faces_without(&self, left_out: &[u32]) -> LayerFaces {
        let stays = |f: &(u32, &[u32; 3])| left_out.binary_search(&f.0).is_err();
        let all = || (0u32..).zip(&self.topology.triangles);
        let triangles: Vec<[u32; 3]> = all().filter(stays).map(|(_, t)| *t).collect();
        let gone: HashSet<[u32; 3]> = all().filter(|f| !stays(f)).map(|(_, t)| sorted(*t)).collect();
        let vertices = self.rest.len();
        let walls = Arc::new(self.walls.without(vertices, &gone));
        LayerFaces { topology: Arc::new(Topology::of_welded(vertices, &triangles)), walls }
    }
}

/// Faces of a layer, and which of them are measured.
#[derive(Clone, Debug)]
pub struct LayerFaces {
    /// Adjacency of all of them.
    pub topology: Arc<Topology>,
    /// Which are measured.
    pub walls: Arc<Walls>,
}

impl LayerFaces {
    /// Bytes they take up, about.
    pub fn bytes(&self) -> usize {
        let sides = std::iter::once(&self.walls.towards_body).chain(&self.walls.away_from_body);
        let faces: usize = sides.map(|s| s.topology.triangles.len()).sum();
        (faces + self.topology.triangles.len()) * FACE_BYTES
    }
}

/// A face with its share of edges, neighbours and what else a topology has of it.
const FACE_BYTES: usize = 96;

/// The skin of a body at rest, ready to be asked.
#[derive(Clone, Debug)]
pub struct BodySurface {
    triangles: Vec<[u32; 3]>,
    normals: Vec<Vec3>,
    pub(super) bvh: Bvh,
}

impl BodySurface {
    /// Of welded `positions` (metres) and the triangles over them.
    pub fn new(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let bvh = Bvh::build(positions, triangles);
        Self { triangles: triangles.to_vec(), normals: vertex_normals(positions, triangles), bvh }
    }

    /// The corners of the face nearest to a place, and the shares of each there; none further than `within` metres.
    pub fn nearest(&self, place: Vec3, within: f32) -> Option<([u32; 3], [f32; 3])> {
        let hit = self.bvh.closest(place, within)?;
        Some((self.triangles[hit.triangle as usize], hit.barycentric))
    }

    /// The smooth outward normal of the skin nearest to a place; none when there is no skin.
    pub(crate) fn normal_near(&self, place: Vec3) -> Option<Vec3> {
        let hit = self.bvh.closest(place, f32::INFINITY)?;
        let corners = self.triangles[hit.triangle as usize];
        Some(mix(corners, hit.barycentric, |v| self.normals[v as usize]))
    }
}

/// Settles the walls of a piece at rest (welded `positions`, metres) against the body beneath it.
///
/// A face is part of a double wall when straight behind it, within 40 mm and with nothing of
/// the body in between, another face of the piece looks the other way. Which of the two is
/// the inside wall, and whether single cloth is wound inside out, is put to the vote of
/// connected faces: each votes by whether its normal agrees with that of the nearest skin.
///
/// ```
/// use tin_cloak_core::clearance::{settle_walls, BodySurface};
/// use tin_cloak_core::shapes::{joined, sphere, turned_inside_out};
/// use tin_cloak_core::mesh::Topology;
///
/// // A plate of two walls 4 mm apart round a body: the inner wall is what is measured against it.
/// let body = sphere(0.1, 16);
/// let plate = joined(sphere(0.114, 16), turned_inside_out(sphere(0.11, 16)));
/// let topology = Topology::of_welded(plate.0.len(), &plate.1);
/// let walls = settle_walls(&topology, &plate.0, &BodySurface::new(&body.0, &body.1));
/// assert!(walls.double_walled > 0.99);
/// assert_eq!(walls.towards_body.topology.triangles.len(), plate.1.len() / 2);
/// ```
pub fn settle_walls(topology: &Topology, positions: &[Vec3], body: &BodySurface) -> Walls {
    let faces = Faces::new(topology, positions);
    let (kind, agreement) = judge(&faces, positions, body);
    let agrees = vote(&faces, &kind, &agreement);
    let (mut towards, mut away) = (Vec::new(), Vec::new());
    for (f, &t) in topology.triangles.iter().enumerate() {
        let turned = [t[0], t[2], t[1]];
        match (kind[f], agrees[f]) {
            (FaceKind::Single, out) => {
                towards.push(if out { t } else { turned });
                away.push(if out { t } else { turned });
            }
            (FaceKind::Wall, true) => away.push(t),
            (FaceKind::Wall, false) => towards.push(turned),
            (FaceKind::Rim, _) => {}
        }
    }
    // A plate seen from one side only (nothing voted the other way) is measured by what it has.
    if towards.is_empty() {
        towards.clone_from(&away);
    }
    if away.is_empty() {
        away.clone_from(&towards);
    }
    let thick: Vec<usize> = (0..kind.len()).filter(|&f| kind[f] != FaceKind::Single).collect();
    let total: f32 = faces.areas.iter().sum();
    let double: f32 = thick.iter().map(|&f| faces.areas[f]).sum();
    Walls {
        towards_body: Side::new(positions.len(), &towards),
        away_from_body: (!thick.is_empty()).then(|| Side::new(positions.len(), &away)),
        double_walled: double / total.max(f32::MIN_POSITIVE),
    }
}

//! One side of a layer: the faces that are measured, all pointing outward.

use crate::mesh::{face_normal, vertex_normal, vertex_normals_into, Topology, NO_TRIANGLE};
use crate::query::{Bvh, Closest, Feature};
use glam::Vec3;

/// Faces over a layer's welded vertices, wound so that their normals point away from the body.
#[derive(Clone, Debug)]
pub struct Side {
    /// Adjacency of these faces alone: the rim of a wall counts as an open edge.
    pub topology: Topology,
    /// Vertices that some face uses, ascending.
    pub used: Vec<u32>,
    /// Open edges, as triangles without area.
    hem: Vec<[u32; 3]>,
}

impl Side {
    /// `triangles` over `vertices` welded vertices.
    pub fn new(vertices: usize, triangles: &[[u32; 3]]) -> Self {
        let topology = Topology::of_welded(vertices, triangles);
        let used = (0..vertices as u32).filter(|&v| !topology.incident.row(v as usize).is_empty()).collect();
        let hem = open_edges(&topology);
        Self { topology, used, hem }
    }

    /// For each vertex of the layer (at `positions`, metres) the one that is measured for it: itself
    /// on this side, else the nearest that is, as the outside wall of a plate goes by the inside one.
    pub fn measured_partners(&self, positions: &[Vec3]) -> Vec<u32> {
        let places: Vec<Vec3> = self.used.iter().map(|&v| positions[v as usize]).collect();
        let tree = Bvh::over_points(&places);
        let partner = |v: u32| {
            if self.used.binary_search(&v).is_ok() {
                return v;
            }
            let hit = tree.closest(positions[v as usize], f32::INFINITY);
            hit.map_or(v, |h| self.used[h.triangle as usize])
        };
        (0..positions.len() as u32).map(partner).collect()
    }

    /// The side with its vertices at `positions`, ready to be asked.
    pub fn pose(&self, positions: &[Vec3]) -> PosedSide {
        let mut posed = PosedSide {
            normals: vec![Vec3::ZERO; positions.len()],
            tree: Bvh::build(positions, &self.topology.triangles),
            hem: Bvh::build(positions, &self.hem),
        };
        self.write_normals(positions, &mut posed.normals);
        posed
    }

    fn write_normals(&self, positions: &[Vec3], out: &mut [Vec3]) {
        vertex_normals_into(positions, &self.topology.triangles, &self.topology.incident, out);
    }

    /// True when the point found lies on an open edge.
    pub fn on_open_edge(&self, hit: &Closest) -> bool {
        let t = hit.triangle as usize;
        let corners = self.topology.triangles[t];
        match hit.feature {
            Feature::Face => false,
            Feature::Edge(i) => {
                let (a, b) = (corners[usize::from(i)], corners[(usize::from(i) + 1) % 3]);
                self.topology.across[t][usize::from(i)] == NO_TRIANGLE
                    && self.topology.on_boundary[a as usize]
                    && self.topology.on_boundary[b as usize]
            }
            Feature::Corner(i) => self.topology.on_boundary[corners[usize::from(i)] as usize],
        }
    }

    /// Signed distance from `p` to the point found, positive inside (beneath the surface), and
    /// the outward unit normal there.
    ///
    /// The sign is that of the angle-weighted pseudonormal of the feature the point lies on
    /// (Bærentzen & Aanæs, “Signed distance computation using the angle weighted
    /// pseudonormal”, 2005).
    pub fn signed_depth(&self, positions: &[Vec3], p: Vec3, hit: &Closest) -> (f32, Vec3) {
        let normal = self.pseudonormal(positions, hit);
        let distance = hit.distance_squared.sqrt();
        let beneath = (hit.point - p).dot(normal) >= 0.0;
        (if beneath { distance } else { -distance }, normal)
    }

    fn pseudonormal(&self, positions: &[Vec3], hit: &Closest) -> Vec3 {
        let t = hit.triangle as usize;
        let triangles = &self.topology.triangles;
        let own = face_normal(positions, triangles[t]);
        match hit.feature {
            Feature::Face => own,
            Feature::Edge(i) => match self.topology.across[t][usize::from(i)] {
                NO_TRIANGLE => own,
                other => (own + face_normal(positions, triangles[other as usize])).normalize_or(own),
            },
            Feature::Corner(i) => {
                let v = triangles[t][usize::from(i)];
                let sum: Vec3 = self
                    .topology
                    .incident
                    .row(v as usize)
                    .iter()
                    .map(|&t| {
                        let corners = triangles[t as usize];
                        face_normal(positions, corners) * corner_angle(positions, corners, v)
                    })
                    .sum();
                sum.normalize_or(own)
            }
        }
    }
}

fn open_edges(topology: &Topology) -> Vec<[u32; 3]> {
    let faces = topology.triangles.iter().zip(&topology.across);
    let sides = faces.flat_map(|(t, across)| (0..3).map(move |i| (t[i], t[(i + 1) % 3], across[i])));
    // Where more than two faces meet there is none across either, but no opening.
    let open = |v: u32| topology.on_boundary[v as usize];
    sides
        .filter(|&(a, b, across)| across == NO_TRIANGLE && open(a) && open(b))
        .map(|(a, b, _)| [a, b, b])
        .collect()
}

fn corner_angle(positions: &[Vec3], t: [u32; 3], v: u32) -> f32 {
    let i = t.iter().position(|&c| c == v).unwrap_or(0);
    let at = positions[v as usize];
    let a = (positions[t[(i + 1) % 3] as usize] - at).normalize_or_zero();
    let b = (positions[t[(i + 2) % 3] as usize] - at).normalize_or_zero();
    a.dot(b).clamp(-1.0, 1.0).acos()
}

/// A side in one pose: its outward vertex normals and the search index over its faces.
#[derive(Clone, Debug)]
pub struct PosedSide {
    /// One a welded vertex of the layer; zero where no face is.
    pub normals: Vec<Vec3>,
    /// Over the side's faces.
    pub tree: Bvh,
    /// Over its open edges.
    hem: Bvh,
}

impl PosedSide {
    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        self.normals.len() * 12 + self.tree.bytes() + self.hem.bytes()
    }

    /// Follows moved vertices: normals anew, the index refitted.
    pub fn follow(&mut self, side: &Side, positions: &[Vec3]) {
        let Self { normals, tree, hem } = self;
        rayon::join(|| side.write_normals(positions, normals), || tree.refit(positions));
        hem.refit(positions);
    }

    /// The same to the bit where only some vertices have moved, by their numbers.
    pub fn follow_some(&mut self, side: &Side, positions: &[Vec3], moved: &[u32]) {
        let topology = &side.topology;
        let faces = topology.faces_about(moved);
        self.tree.refit_some(positions, &faces);
        let mut corners: Vec<u32> = faces.iter().flat_map(|f| topology.triangles[*f as usize]).collect();
        corners.sort_unstable();
        corners.dedup();
        corners
            .iter()
            .for_each(|v| self.normals[*v as usize] = vertex_normal(positions, topology, *v as usize));
        if moved.iter().any(|v| topology.on_boundary[*v as usize]) {
            self.hem.refit(positions);
        }
    }

    /// True when an open edge lies nearer to `p` than `distance` metres.
    pub fn hem_is_nearer(&self, p: Vec3, distance: f32) -> bool {
        self.hem.closest(p, distance).is_some()
    }
}

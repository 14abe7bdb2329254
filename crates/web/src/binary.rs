//! Meshes and positions as little-endian binary, sent in large pieces.

use rocket::http::{ContentType, Header};
use rocket::response::{self, Responder};
use rocket::{Request, Response};
use std::io::Cursor;
use tin_cloak_workshop::core::mesh::Mesh;
use tin_cloak_workshop::ViewPart;

/// Bytes for the viewport; `keep` when they never change under their address.
pub(crate) struct Binary {
    pub bytes: Vec<u8>,
    pub keep: bool,
    /// Figures about it, as JSON in a header.
    pub says: Option<String>,
}

impl<'r> Responder<'r, 'static> for Binary {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let mut build = Response::build();
        build.header(ContentType::Binary);
        if self.keep {
            build.header(Header::new("Cache-Control", "private, max-age=31536000, immutable"));
        }
        if let Some(says) = self.says {
            build.header(Header::new("X-Figures", says));
        }
        build.sized_body(self.bytes.len(), Cursor::new(self.bytes)).max_chunk_size(256 << 10).ok()
    }
}

fn put(out: &mut Vec<u8>, value: u32) {
    out.extend_from_slice(&value.to_le_bytes());
}

/// `vertices, triangles, lines` as three words, then the triangles' and the lines' indices. A
/// line is an edge of a face as modelled: diagonals of polygons are left out.
pub(crate) fn pack_mesh(mesh: &Mesh) -> Vec<u8> {
    let lines = face_edges(mesh);
    let mut out = Vec::with_capacity(12 + mesh.triangles.len() * 12 + lines.len() * 8);
    put(&mut out, mesh.positions.len() as u32);
    put(&mut out, mesh.triangles.len() as u32);
    put(&mut out, lines.len() as u32);
    out.extend_from_slice(bytemuck::cast_slice(&mesh.triangles));
    out.extend_from_slice(bytemuck::cast_slice(&lines));
    out
}

fn face_edges(mesh: &Mesh) -> Vec<[u32; 2]> {
    let sides = |t: [u32; 3]| [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]].map(|[a, b]| [a.min(b), a.max(b)]);
    let mut in_polygon = vec![false; mesh.triangles.len()];
    let mut lines = Vec::new();
    for p in &mesh.polygons {
        let range = p.first as usize..(p.first + p.triangles) as usize;
        in_polygon[range.clone()].fill(true);
        // A diagonal is a side of two triangles of the fan.
        let mut all: Vec<[u32; 2]> = mesh.triangles[range].iter().flat_map(|t| sides(*t)).collect();
        all.sort_unstable();
        let groups = all.chunk_by(|a, b| a == b);
        lines.extend(groups.filter(|g| g.len() == 1).map(|g| g[0]));
    }
    let rest = mesh.triangles.iter().zip(&in_polygon).filter(|(_, inside)| !**inside);
    lines.extend(rest.flat_map(|(t, _)| sides(*t)));
    lines.sort_unstable();
    lines.dedup();
    lines
}

/// The number of parts, then for each: its id, vertices and whether it has a map (words),
/// positions (three floats a vertex), normals (four signed bytes a vertex), the map (a float
/// a vertex, NaN where there is none).
pub(crate) fn pack_view(parts: &[ViewPart]) -> Vec<u8> {
    let vertices: usize = parts.iter().map(|p| p.positions.len()).sum();
    let mut out = Vec::with_capacity(4 + parts.len() * 12 + vertices * 20);
    put(&mut out, parts.len() as u32);
    for part in parts {
        put(&mut out, part.id);
        put(&mut out, part.positions.len() as u32);
        put(&mut out, u32::from(part.map.is_some()));
        out.extend_from_slice(bytemuck::cast_slice(&part.positions));
        let byte = |x: f32| (x * 127.0).round() as i8 as u8;
        out.extend(part.normals.iter().flat_map(|n| [byte(n.x), byte(n.y), byte(n.z), 0]));
        if let Some(map) = &part.map {
            out.extend_from_slice(bytemuck::cast_slice(map));
        }
    }
    out
}

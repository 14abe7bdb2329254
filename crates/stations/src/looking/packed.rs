//! Meshes, poses and maps as little-endian binary, as the viewport takes them.

use crate::looking::skinned::{PartMap, Played, SkinnedPart};
use glam::Vec3;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Mesh;
use tin_cloak_model::dress::shading::ViewPart;

fn put(out: &mut Vec<u8>, value: u32) {
    out.extend_from_slice(&value.to_le_bytes());
}

/// `vertices, triangles, lines` as three words, then the triangles' and the lines' indices. A
/// line is an edge of a face as modelled: diagonals of polygons are left out.
pub fn pack_mesh(mesh: &Mesh) -> Vec<u8> {
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
pub fn pack_view(parts: &[ViewPart]) -> Vec<u8> {
    let vertices: usize = parts.iter().map(|p| p.positions.len()).sum();
    let mut out = Vec::with_capacity(4 + parts.len() * 12 + vertices * 20);
    put(&mut out, parts.len() as u32);
    for part in parts {
        put(&mut out, part.id);
        put(&mut out, part.positions.len() as u32);
        put(&mut out, u32::from(part.map.is_some()));
        out.extend_from_slice(bytemuck::cast_slice(&part.positions));
        out.extend(part.normals.iter().flat_map(|n| normal_bytes(*n)));
        if let Some(map) = &part.map {
            out.extend_from_slice(bytemuck::cast_slice(map));
        }
    }
    out
}

/// Vertices, weights a vertex and shapes as three words; then positions (three floats a vertex), normals (four
/// signed bytes), joints (words of two bytes, a whole number of four), weights (floats), and for each shape
/// how many vertices it moves, which, and how far (three floats).
pub fn pack_skin(part: &SkinnedPart) -> Vec<u8> {
    let stride = part.skin.as_ref().map_or(0, |s| s.stride());
    let mut out = Vec::with_capacity(12 + part.positions.len() * (16 + stride * 6));
    put(&mut out, part.positions.len() as u32);
    put(&mut out, stride as u32);
    put(&mut out, part.shapes.len() as u32);
    out.extend_from_slice(bytemuck::cast_slice(&part.positions));
    out.extend(part.normals.iter().flat_map(|n| normal_bytes(*n)));
    if let Some(skin) = &part.skin {
        out.extend_from_slice(bytemuck::cast_slice(skin.joints()));
        out.resize(out.len().next_multiple_of(4), 0);
        out.extend_from_slice(bytemuck::cast_slice(skin.weights()));
    }
    for (vertices, offsets) in &part.shapes {
        put(&mut out, vertices.len() as u32);
        out.extend_from_slice(bytemuck::cast_slice(vertices));
        out.extend_from_slice(bytemuck::cast_slice(offsets));
    }
    out
}

fn normal_bytes(n: Vec3) -> [u8; 4] {
    let byte = |x: f32| (x * 127.0).round() as i8 as u8;
    [byte(n.x), byte(n.y), byte(n.z), 0]
}

/// Poses, joints and amounts as three words; then for each pose its second, the upper three rows of each
/// joint's matrix, and the amounts, all floats.
pub fn pack_poses(poses: &Played) -> Vec<u8> {
    let (joints, amounts) = poses.first().map_or((0, 0), |p| (p.1.matrices.len(), p.1.amounts.len()));
    let mut out = Vec::with_capacity(12 + poses.len() * (4 + joints * 48 + amounts * 4));
    put(&mut out, poses.len() as u32);
    put(&mut out, joints as u32);
    put(&mut out, amounts as u32);
    for (time, TrialPose { matrices, amounts }) in poses {
        out.extend_from_slice(&time.to_le_bytes());
        for m in matrices {
            let rows = [m.row(0), m.row(1), m.row(2)];
            out.extend_from_slice(bytemuck::cast_slice(&rows));
        }
        out.extend_from_slice(bytemuck::cast_slice(amounts));
    }
    out
}

/// Most of a map's steps to either side.
const STEPS: f32 = 32000.0;

/// The number of parts; then for each its id, its vertices (0 when it has no map) and what a step is worth (a
/// float), and a word of two bytes a vertex (−32768 where there is no value), a whole number of four bytes.
pub fn pack_maps(maps: &[PartMap]) -> Vec<u8> {
    let mut out = Vec::new();
    put(&mut out, maps.len() as u32);
    for (id, map) in maps {
        let values = map.as_deref().unwrap_or_default();
        let most = values.iter().filter(|v| v.is_finite()).fold(0.0f32, |most, v| most.max(v.abs()));
        let step = most.max(1e-6) / STEPS;
        put(&mut out, *id);
        put(&mut out, values.len() as u32);
        out.extend_from_slice(&step.to_le_bytes());
        let word = |v: &f32| if v.is_finite() { (v / step).round() as i16 } else { i16::MIN };
        out.extend(values.iter().flat_map(|v| word(v).to_le_bytes()));
        out.resize(out.len().next_multiple_of(4), 0);
    }
    out
}

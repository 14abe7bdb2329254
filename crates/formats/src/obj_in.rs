//! Wavefront OBJ in: all groups as one mesh, quads kept.

use crate::{Document, MeshPart, ReadError};
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mesh::Mesh;

pub(crate) fn read_obj(name: &str, bytes: &[u8]) -> Result<Document, ReadError> {
    let options = tobj::LoadOptions {
        single_index: true,
        ignore_lines: true,
        ignore_points: true,
        ..Default::default()
    };
    let mut source = std::io::Cursor::new(bytes);
    // Materials lie in another file and are not needed for fitting.
    let no_materials = |_: &std::path::Path| Err(tobj::LoadError::GenericFailure);
    let (models, _) = tobj::load_obj_buf(&mut source, &options, no_materials)
        .map_err(|e| ReadError::Obj { line: first_bad_line(bytes), detail: e.to_string() })?;

    let (mut positions, mut normals) = (Vec::new(), Vec::new());
    let (mut triangles, mut quads) = (Vec::new(), Vec::new());
    for model in &models {
        let first = positions.len() as u32;
        positions.extend(model.mesh.positions.chunks_exact(3).map(Vec3::from_slice));
        normals.extend(model.mesh.normals.chunks_exact(3).map(|n| Vec3::from_slice(n).normalize_or_zero()));
        let mut at = 0;
        let all_triangles = model.mesh.face_arities.is_empty();
        let faces = if all_triangles { model.mesh.indices.len() / 3 } else { model.mesh.face_arities.len() };
        for face in 0..faces {
            let arity = if all_triangles { 3 } else { model.mesh.face_arities[face] as usize };
            let Some(corners) = model.mesh.indices.get(at..at + arity) else { break };
            at += arity;
            if arity == 4 {
                quads.push(triangles.len() as u32);
            }
            let fan = (2..arity).map(|i| [corners[0], corners[i - 1], corners[i]].map(|v| v + first));
            triangles.extend(fan);
        }
    }
    let name = name.rsplit(['/', '\\']).next().unwrap_or(name);
    let name = name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned();
    let mesh = Mesh::new(&name, positions, normals, triangles, quads)?;
    let part = MeshPart { name, mesh, skin: None, morphs: Vec::new(), mark: None };
    Ok(Document { meshes: vec![part], ..Document::default() })
}

/// The number of the first vertex or face line that holds something that is not a number.
fn first_bad_line(bytes: &[u8]) -> String {
    let text = String::from_utf8_lossy(bytes);
    let bad = text.lines().position(|line| {
        let mut words = line.split_whitespace();
        match words.next() {
            Some("v" | "vn" | "vt") => words.any(|w| w.parse::<f32>().is_err()),
            Some("f") => words.any(|w| w.split('/').any(|i| !i.is_empty() && i.parse::<i64>().is_err())),
            _ => false,
        }
    });
    bad.map_or_else(|| "?".to_owned(), |i| (i + 1).to_string())
}

//! Wavefront OBJ in: faces of any number of sides, groups, texture coordinates and materials.

use crate::{mtl_in, Companions, Document, Look, MeshPart, ReadError};
use std::sync::Arc;
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::mesh::{Mesh, Polygon};

pub(crate) fn read_obj(name: &str, bytes: &[u8], companions: &Companions) -> Result<Document, ReadError> {
    let options = tobj::LoadOptions {
        single_index: true,
        ignore_lines: true,
        ignore_points: true,
        ..Default::default()
    };
    let mut source = std::io::Cursor::new(bytes);
    let library = |path: &std::path::Path| {
        let name = path.to_string_lossy();
        let file = name.rsplit(['/', '\\']).next().and_then(|n| companions.get(n));
        let file = file.ok_or(tobj::LoadError::OpenFileFailed)?;
        tobj::load_mtl_buf(&mut std::io::Cursor::new(mtl_in::readable(file)))
    };
    let (models, materials) = tobj::load_obj_buf(&mut source, &options, library)
        .map_err(|e| ReadError::Obj { line: first_bad_line(bytes), detail: e.to_string() })?;
    // A library that did not come along, or cannot be read, leaves the faces without materials.
    let materials = Arc::new(mtl_in::materials(&materials.unwrap_or_default(), companions));

    let name = name.rsplit(['/', '\\']).next().unwrap_or(name);
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let with_faces: Vec<&tobj::Model> = models.iter().filter(|m| !m.mesh.indices.is_empty()).collect();
    let mut groups = Vec::new();
    for (group, members) in by_group(stem, &with_faces) {
        groups.push(part(&group, &members, &materials)?);
    }
    if groups.len() < 2 {
        groups.clear();
    }
    Ok(Document { meshes: vec![part(stem, &with_faces, &materials)?], groups, ..Document::default() })
}

/// Models of one group, which a change of material has cut into several, with the group's name;
/// no two names are alike and none is that of the whole.
fn by_group<'a>(stem: &str, models: &[&'a tobj::Model]) -> Vec<(String, Vec<&'a tobj::Model>)> {
    let mut groups: Vec<(String, Vec<&tobj::Model>)> = Vec::new();
    for &model in models {
        match groups.iter_mut().find(|(name, _)| *name == model.name) {
            Some((_, members)) => members.push(model),
            None => groups.push((model.name.clone(), vec![model])),
        }
    }
    for (name, _) in groups.iter_mut().filter(|(name, _)| name == stem || name.is_empty()) {
        *name = format!("{stem} (group)");
    }
    groups
}

fn part(
    name: &str,
    models: &[&tobj::Model],
    materials: &Arc<crate::Materials>,
) -> Result<MeshPart, ReadError> {
    let (mut positions, mut normals) = (Vec::new(), Vec::new());
    let (mut triangles, mut polygons) = (Vec::new(), Vec::new());
    let mut look = Look { materials: Arc::clone(materials), ..Look::default() };
    let textured = models.iter().any(|m| !m.mesh.texcoords.is_empty());
    if textured {
        look.uv_sets.push(Vec::new());
    }
    for model in models {
        let first = positions.len() as u32;
        positions.extend(model.mesh.positions.chunks_exact(3).map(Vec3::from_slice));
        normals.extend(model.mesh.normals.chunks_exact(3).map(|n| Vec3::from_slice(n).normalize_or_zero()));
        if let Some(uvs) = look.uv_sets.first_mut() {
            // The format's origin is at the lower left.
            uvs.extend(model.mesh.texcoords.chunks_exact(2).map(|uv| [uv[0], 1.0 - uv[1]]));
        }
        look.resize(positions.len());
        look.run(triangles.len() as u32, model.mesh.material_id.map(|m| m as u32));
        let mut at = 0;
        let all_triangles = model.mesh.face_arities.is_empty();
        let faces = if all_triangles { model.mesh.indices.len() / 3 } else { model.mesh.face_arities.len() };
        for face in 0..faces {
            let arity = if all_triangles { 3 } else { model.mesh.face_arities[face] as usize };
            let Some(corners) = model.mesh.indices.get(at..at + arity) else { break };
            at += arity;
            if arity > 3 {
                polygons.push(Polygon { first: triangles.len() as u32, triangles: arity as u32 - 2 });
            }
            let fan = (2..arity).map(|i| [corners[0], corners[i - 1], corners[i]].map(|v| v + first));
            triangles.extend(fan);
        }
    }
    let mesh = Mesh::new(name, positions, normals, triangles, polygons)?;
    Ok(MeshPart {
        name: name.to_owned(),
        mesh,
        skin: None,
        morphs: Vec::new(),
        mark: None,
        look,
        ..MeshPart::default()
    })
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

//! The surface of a kept binding.

use crate::binding::sources::SourceMesh;
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skin::SkinError;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::decode::Decoder;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::ReadBlob;
use tin_cloak_model::state::names::FileRef;

/// The surface of a kept binding on a body whose joints have the same names; weight on joints that
/// are not there goes to the others of the vertex.
///
/// # Errors
/// When the file cannot be read or no joint matches.
pub fn template_source(
    decoder: &Decoder,
    blob: ReadBlob,
    file: &FileRef,
    body: &Body,
) -> Result<SourceMesh, WorkshopError> {
    let no_match = || WorkshopError::NoMatchingJoints { file: file.mesh.clone() };
    let document = decoder.document(blob, file)?;
    let skeleton = document.skeleton.as_ref().ok_or_else(no_match)?;
    let part = document.part(&file.mesh).map_err(|meshes| WorkshopError::NoSuchMesh {
        file: file.file_name.clone(),
        mesh: file.mesh.clone(),
        meshes,
    })?;
    let skin = part.skin.as_ref().ok_or_else(no_match)?;
    let known: Vec<Option<JointId>> = skeleton.names.iter().map(|n| body.skeleton.find(n)).collect();
    let topology = Topology::new(&part.mesh);
    let welded = skin.gather(&topology.weld);
    let row = |v: usize| -> Vec<(JointId, f32)> {
        welded.row(v).filter_map(|(j, w)| Some((known[j.index()]?, w))).collect()
    };
    let rows: Vec<Vec<(JointId, f32)>> = (0..topology.vertices()).map(row).collect();
    let fail = |e: SkinError| WorkshopError::Bind { piece: file.mesh.clone(), source: e.into() };
    if rows.iter().all(Vec::is_empty) {
        return Err(no_match());
    }
    // Faces with a corner that nothing is left of give nothing.
    let triangles = topology.triangles.iter().filter(|t| t.iter().all(|&v| !rows[v as usize].is_empty()));
    let filler = |row: &Vec<(JointId, f32)>| match row.is_empty() {
        true => vec![(JointId(0), 1.0)],
        false => row.clone(),
    };
    Ok(SourceMesh {
        positions: topology.weld.gather(&part.mesh.positions),
        triangles: triangles.copied().collect(),
        skin: tin_cloak_core::skin::Skin::from_rows(
            &rows.iter().map(filler).collect::<Vec<_>>(),
            body.skeleton.len(),
        )
        .map_err(fail)?,
    })
}

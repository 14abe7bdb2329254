//! glTF 2.0 in.

use crate::accessor::{check_all, check_type};
use crate::budget::{self, BudgetItem};
use crate::clip_in;
use crate::names::{make_unique, or_number, tidy};
use crate::scene_graph::{JointNodes, RawSkin, SceneGraph};
use crate::{marks, Companions, Document, Look, Materials, MeshPart, ReadError};
use base64::Engine;
use gltf::accessor::{DataType, Dimensions};
use gltf::mesh::Mode;
use gltf::{Gltf, Semantic};
use std::collections::BTreeMap;
use std::sync::Arc;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::glam::{Mat3, Mat4, Vec3};
use tin_cloak_core::intake::mend_weights;
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

type Buffers = [Vec<u8>];

pub(crate) fn read_gltf(bytes: &[u8], companions: &Companions) -> Result<Document, ReadError> {
    let Gltf { document, blob } = parse(bytes)?;
    let buffers = load_buffers(&document, blob, companions)?;
    check_all(&document, &buffers)?;
    budget::check_gltf(&document)?;
    let materials = Arc::new(read_materials(bytes, &document, &buffers, companions)?);
    let graph = SceneGraph::new(&document)?;
    let raw: Vec<RawSkin> = document.skins().map(|s| raw_skin(&s, &buffers)).collect::<Result<_, _>>()?;
    let joints = if raw.is_empty() { None } else { Some(JointNodes::new(&graph, &raw)?) };

    let (mut meshes, mut nodes) = (Vec::new(), Vec::new());
    for &n in &graph.order {
        let Some(node) = document.nodes().nth(n) else { continue };
        if node.mesh().is_some() {
            let part = read_part(&node, graph.world[n], joints.as_ref(), &buffers)?;
            nodes.extend(part.iter().map(|_| n));
            meshes.extend(part.map(|mut part| {
                part.look.materials = Arc::clone(&materials);
                part
            }));
        }
    }
    if meshes.is_empty() {
        return Err(ReadError::NoMesh);
    }
    make_unique(meshes.iter_mut().map(|m: &mut MeshPart| &mut m.name));
    let parts = nodes.into_iter().zip(meshes.iter().map(|m| m.name.clone())).collect();
    let (mut clips, mut unsound_clips) = (Vec::new(), Vec::new());
    for animation in document.animations() {
        let Some(joints) = &joints else { break };
        match clip_in::read_clip(&animation, joints, &parts, &buffers) {
            Ok(clip) => clips.extend(clip),
            Err(unsound) => unsound_clips.push(unsound),
        }
    }
    Ok(Document { meshes, skeleton: joints.map(|j| j.skeleton), clips, unsound_clips, ..Document::default() })
}

fn parse(bytes: &[u8]) -> Result<Gltf, ReadError> {
    let refuse = |error| refusal(bytes, error);
    let Gltf { document, blob } = Gltf::from_slice_without_validation(bytes).map_err(refuse)?;
    let json = document.into_json();
    check_position_accessors(&json)?;
    check_channels(&json)?;
    Ok(Gltf { document: gltf::Document::from_json(json).map_err(refuse)?, blob })
}

/// The library's validation takes it for granted that these exist.
fn check_position_accessors(json: &gltf::json::Root) -> Result<(), ReadError> {
    let positions = gltf::json::validation::Checked::Valid(Semantic::Positions);
    let all =
        json.meshes.iter().enumerate().flat_map(|(m, mesh)| mesh.primitives.iter().map(move |p| (m, p)));
    for (mesh, primitive) in all {
        let named = primitive.attributes.get(&positions).map(|a| a.value());
        if let Some(accessor) = named.filter(|a| *a >= json.accessors.len()) {
            let there = json.accessors.len();
            let detail =
                format!("mesh {mesh} has its positions in accessor {accessor}, and there are {there}");
            return Err(ReadError::Invalid { detail });
        }
    }
    Ok(())
}

/// Nor does it look at what the channels of a motion name.
fn check_channels(json: &gltf::json::Root) -> Result<(), ReadError> {
    let all = json.animations.iter().enumerate();
    for (a, channel) in all.flat_map(|(a, animation)| animation.channels.iter().map(move |c| (a, c))) {
        let path = matches!(channel.target.path, gltf::json::validation::Checked::Valid(_));
        if channel.target.node.value() >= json.nodes.len() || !path {
            let detail = format!("animation {a} moves something of a node that is not there");
            return Err(ReadError::Invalid { detail });
        }
    }
    Ok(())
}

fn refusal(bytes: &[u8], error: gltf::Error) -> ReadError {
    match error {
        gltf::Error::Binary(e) => ReadError::Truncated { detail: e.to_string() },
        gltf::Error::Io(e) => ReadError::Truncated { detail: e.to_string() },
        gltf::Error::Deserialize(e) if e.is_eof() => ReadError::Truncated { detail: e.to_string() },
        gltf::Error::Validation(list) => validation_error(bytes, &list),
        other => ReadError::Invalid { detail: other.to_string() },
    }
}

fn validation_error(bytes: &[u8], list: &[(gltf::json::Path, gltf::json::validation::Error)]) -> ReadError {
    let unsupported = list.iter().any(|(_, e)| matches!(e, gltf::json::validation::Error::Unsupported));
    if unsupported {
        let required = Gltf::from_slice_without_validation(bytes)
            .map(|g| g.extensions_required().collect::<Vec<_>>().join(", "))
            .unwrap_or_default();
        return ReadError::Extension { name: required };
    }
    let detail = list.first().map_or_else(String::new, |(path, e)| format!("{path}: {e}"));
    ReadError::Invalid { detail }
}

fn load_buffers(
    document: &gltf::Document,
    mut blob: Option<Vec<u8>>,
    companions: &Companions,
) -> Result<Vec<Vec<u8>>, ReadError> {
    let mut buffers = Vec::new();
    for buffer in document.buffers() {
        let index = buffer.index();
        let data = match buffer.source() {
            gltf::buffer::Source::Bin => blob
                .take()
                .ok_or_else(|| ReadError::Truncated { detail: "the binary part is missing".to_owned() })?,
            gltf::buffer::Source::Uri(uri) => load_uri("buffer", index, uri, companions)?,
        };
        if data.len() < buffer.length() {
            let detail = format!("buffer {index} has {} of {} bytes", data.len(), buffer.length());
            return Err(ReadError::Truncated { detail });
        }
        buffers.push(data);
    }
    Ok(buffers)
}

/// A data URI, or a file that came along. Nothing is opened, so a path can lead nowhere.
fn load_uri(
    what: &'static str,
    index: usize,
    uri: &str,
    companions: &Companions,
) -> Result<Vec<u8>, ReadError> {
    if let Some(data) = uri.strip_prefix("data:") {
        let encoded = data.split_once(";base64,").map(|(_, e)| e);
        return encoded
            .and_then(|e| base64::engine::general_purpose::STANDARD.decode(e).ok())
            .ok_or_else(|| ReadError::Truncated { detail: format!("{what} {index} is not base64") });
    }
    let short: String = uri.chars().take(80).collect();
    let name = uri.strip_prefix("./").unwrap_or(uri).replace("%20", " ");
    if name.contains(['/', '\\', ':']) || name.contains("..") {
        return Err(ReadError::OutsideUri { what, index, uri: short });
    }
    companions.get(&name).cloned().ok_or(ReadError::OtherFile { what, index, uri: short })
}

/// The materials as the JSON has them: the library knows only a part of their extensions.
fn read_materials(
    bytes: &[u8],
    document: &gltf::Document,
    buffers: &Buffers,
    companions: &Companions,
) -> Result<Materials, ReadError> {
    let root: serde_json::Value = match gltf::binary::Glb::from_slice(bytes) {
        Ok(glb) => serde_json::from_slice(&glb.json),
        Err(_) => serde_json::from_slice(bytes),
    }
    .unwrap_or_default();
    let mut taken = 0;
    let mut take = |bytes: Vec<u8>| {
        taken += bytes.len() as u64;
        BudgetItem::PictureBytes.check(taken).map(|()| bytes)
    };
    Materials::of_gltf(&root, |index, image| {
        if let Some(uri) = image.get("uri").and_then(|u| u.as_str()) {
            return take(load_uri("picture", index, uri, companions)?);
        }
        let view = image.get("bufferView").and_then(|v| v.as_u64());
        let view = view.and_then(|v| document.views().nth(v as usize));
        let view =
            view.ok_or_else(|| ReadError::Invalid { detail: format!("picture {index} is nowhere") })?;
        // Every view was checked to lie within its buffer.
        take(buffers[view.buffer().index()][view.offset()..view.offset() + view.length()].to_vec())
    })
}

fn raw_skin(skin: &gltf::Skin, buffers: &Buffers) -> Result<RawSkin, ReadError> {
    let joints: Vec<usize> = skin.joints().map(|j| j.index()).collect();
    let inverse_bind = match skin.inverse_bind_matrices() {
        Some(accessor) => {
            check_type(&accessor, "bind matrices", Dimensions::Mat4, &[DataType::F32], "MAT4 of float")?;
            let reader = skin.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
            let read: Vec<Mat4> = reader
                .read_inverse_bind_matrices()
                .map(|m| m.map(|m| Mat4::from_cols_array_2d(&m)).collect())
                .unwrap_or_default();
            read
        }
        None => vec![Mat4::IDENTITY; joints.len()],
    };
    if inverse_bind.len() < joints.len() {
        let mesh = skin.name().unwrap_or("a mesh").to_owned();
        return Err(ReadError::BindMatrices { mesh, joints: joints.len(), matrices: inverse_bind.len() });
    }
    Ok(RawSkin { joints, inverse_bind })
}

/// What the primitives of a mesh add up to.
#[derive(Default)]
struct GatheredMeshes {
    positions: Vec<Vec3>,
    normals: Vec<Vec3>,
    triangles: Vec<[u32; 3]>,
    rows: Vec<Vec<(JointId, f32)>>,
    morphs: Vec<Vec<Vec3>>,
    look: Look,
    /// First vertex of every set of accessors read so far: primitives may share them.
    seen: Vec<(Vec<usize>, usize)>,
}

fn read_part(
    node: &gltf::Node,
    node_world: Mat4,
    joints: Option<&JointNodes>,
    buffers: &Buffers,
) -> Result<Option<MeshPart>, ReadError> {
    let Some(mesh) = node.mesh() else { return Ok(None) };
    let name = or_number(node.name().or(mesh.name()), "mesh", mesh.index());
    let bound = node.skin().and_then(|s| joints.and_then(|j| j.skins.get(s.index()).map(|b| (b, j))));
    let mut all = GatheredMeshes::default();
    for primitive in mesh.primitives() {
        if matches!(primitive.mode(), Mode::Triangles | Mode::TriangleStrip | Mode::TriangleFan) {
            let joint_map = bound.map(|(b, _)| b.joints.as_slice());
            read_primitive(&name, &primitive, joint_map, buffers, &mut all)?;
        }
    }
    if all.triangles.is_empty() {
        return Ok(None);
    }
    // Each primitive's indices are checked here, before the triangles are turned.
    let to_world = bound.map_or(node_world, |(b, _)| b.to_world);
    let by_joint = bound.map(|(b, _)| &b.by_joint).filter(|m| !m.is_empty());
    let weight_faults = match by_joint {
        None => {
            transform(&mut all, to_world);
            mend_weights(&mut all.rows, &all.positions)
        }
        // Weights come first: they say where a vertex is.
        Some(by_joint) => {
            let faults = mend_weights(&mut all.rows, &all.positions);
            transform_each(&mut all, to_world, by_joint);
            faults
        }
    };
    let mut geometry = Mesh::new(&name, all.positions, all.normals, all.triangles, Vec::new())?;
    geometry.find_quads();
    let skin = match bound {
        Some((_, j)) => Some(
            Skin::from_rows(&all.rows, j.skeleton.len())
                .map_err(|source| ReadError::Skin { mesh: name.clone(), source })?,
        ),
        None => None,
    };
    let names = target_names(&mesh);
    let mut morphs: Vec<Morph> = all
        .morphs
        .iter()
        .enumerate()
        .map(|(i, dense)| {
            let name = names.get(i).cloned().unwrap_or_else(|| format!("shape {}", i + 1));
            Morph::from_dense(name, dense)
        })
        .collect();
    make_unique(morphs.iter_mut().map(|m| &mut m.name));
    if let Some(joints) = joints {
        marks::read_drivers(node, &mut morphs, &joints.skeleton);
    }
    let mut look = all.look;
    look.resize(geometry.positions.len());
    look.not_kept = not_kept(&mesh);
    Ok(Some(MeshPart {
        name,
        mesh: geometry,
        skin,
        amounts: amounts_of(node, &mesh, morphs.len()),
        morphs,
        mark: marks::read_mark(node),
        look,
        weight_faults,
    }))
}

/// What a mesh has that is not read: directions that would not be true of cloth that moves, and what others have put
/// in.
fn not_kept(mesh: &gltf::Mesh) -> Vec<String> {
    let mut all = Vec::new();
    let mut add = |what: String| {
        if !all.contains(&what) {
            all.push(what);
        }
    };
    for primitive in mesh.primitives() {
        for (semantic, _) in primitive.attributes() {
            match semantic {
                Semantic::Tangents => add("tangents".to_owned()),
                Semantic::Colors(set) if set > 0 => add(format!("colours {}", set + 1)),
                // Ours tells what is hidden, and is made anew.
                Semantic::Extras(name) if name != "HIDDEN" => add(format!("attribute _{name}")),
                _ => {}
            }
        }
        for target in primitive.morph_targets() {
            target.normals().into_iter().for_each(|_| add("normals of shapes".to_owned()));
            target.tangents().into_iter().for_each(|_| add("tangents of shapes".to_owned()));
        }
    }
    all
}

fn transform(all: &mut GatheredMeshes, to_world: Mat4) {
    if to_world == Mat4::IDENTITY {
        return;
    }
    let linear = Mat3::from_mat4(to_world);
    let normals = linear.inverse().transpose();
    all.positions.iter_mut().for_each(|p| *p = to_world.transform_point3(*p));
    all.normals.iter_mut().for_each(|n| *n = (normals * *n).normalize_or_zero());
    all.morphs.iter_mut().flatten().for_each(|d| *d = linear * *d);
    if linear.determinant() < 0.0 {
        all.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    }
}

/// Moves each vertex by what its joints are moved by, blended as its weights say.
fn transform_each(all: &mut GatheredMeshes, to_world: Mat4, by_joint: &BTreeMap<JointId, Mat4>) {
    let of_row = |row: &Vec<(JointId, f32)>| {
        let blended: Mat4 = row.iter().map(|(j, w)| *by_joint.get(j).unwrap_or(&to_world) * *w).sum();
        if row.is_empty() {
            to_world
        } else {
            blended
        }
    };
    let each: Vec<Mat4> = all.rows.iter().map(of_row).collect();
    let linear: Vec<Mat3> = each.iter().map(|m| Mat3::from_mat4(*m)).collect();
    all.positions.iter_mut().zip(&each).for_each(|(p, m)| *p = m.transform_point3(*p));
    let turned = |n: &mut Vec3, m: &Mat3| *n = (m.inverse().transpose() * *n).normalize_or_zero();
    all.normals.iter_mut().zip(&linear).for_each(|(n, m)| turned(n, m));
    all.morphs.iter_mut().for_each(|dense| dense.iter_mut().zip(&linear).for_each(|(d, m)| *d = *m * *d));
}

fn read_primitive(
    name: &str,
    primitive: &gltf::Primitive,
    joint_map: Option<&[JointId]>,
    buffers: &Buffers,
    all: &mut GatheredMeshes,
) -> Result<(), ReadError> {
    check_attributes(primitive)?;
    let Some(positions) = primitive.get(&Semantic::Positions) else { return Ok(()) };
    let count = positions.count();
    let accessors = accessors_of(primitive);
    let known = all.seen.iter().find(|(list, _)| *list == accessors).map(|s| s.1);
    let first = match known {
        Some(first) => first,
        None => {
            let first = all.positions.len();
            read_vertices(name, primitive, first, count, joint_map, buffers, all)?;
            all.seen.push((accessors, first));
            first
        }
    };
    let material = primitive.material().index().map(|i| i as u32);
    all.look.run(all.triangles.len() as u32, material);
    read_triangles(name, primitive, first, count, buffers, all)
}

/// What tells the vertices of a primitive from another's.
fn accessors_of(primitive: &gltf::Primitive) -> Vec<usize> {
    let mut list: Vec<usize> = primitive.attributes().map(|(_, a)| a.index()).collect();
    list.sort_unstable();
    list.extend(primitive.morph_targets().map(|t| t.positions().map_or(usize::MAX, |a| a.index())));
    list
}

fn read_vertices(
    name: &str,
    primitive: &gltf::Primitive,
    first: usize,
    count: usize,
    joint_map: Option<&[JointId]>,
    buffers: &Buffers,
    all: &mut GatheredMeshes,
) -> Result<(), ReadError> {
    let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let Some(positions) = reader.read_positions() else { return Ok(()) };
    all.positions.extend(positions.map(Vec3::from));
    all.positions.resize(first + count, Vec3::ZERO);
    if let Some(normals) = reader.read_normals() {
        all.normals.resize(first, Vec3::ZERO);
        all.normals.extend(normals.map(|n| Vec3::from(n).normalize_or_zero()));
    }
    let mut set = 0;
    while let Some(uvs) = reader.read_tex_coords(set as u32) {
        if all.look.uv_sets.len() <= set {
            all.look.uv_sets.push(Vec::new());
        }
        let list = &mut all.look.uv_sets[set];
        list.resize(first, [0.0; 2]);
        list.extend(uvs.into_f32().map(|uv| if uv.iter().all(|x| x.is_finite()) { uv } else { [0.0; 2] }));
        set += 1;
    }
    if let Some(colours) = reader.read_colors(0) {
        all.look.colours.resize(first, [1.0; 4]);
        all.look.colours.extend(colours.into_rgba_f32());
    }
    read_morphs(&reader, first, count, all);
    let Some(map) = joint_map else { return Ok(()) };
    let mut rows = vec![Vec::new(); count];
    let mut set = 0;
    while let (Some(joints), Some(weights)) = (reader.read_joints(set), reader.read_weights(set)) {
        for (v, (j, w)) in joints.into_u16().zip(weights.into_f32()).enumerate().take(count) {
            for k in 0..4 {
                push_influence(name, &mut rows[v], (first + v) as u32, j[k], w[k], map)?;
            }
        }
        set += 1;
    }
    all.rows.extend(rows);
    Ok(())
}

fn read_triangles(
    name: &str,
    primitive: &gltf::Primitive,
    first: usize,
    count: usize,
    buffers: &Buffers,
    all: &mut GatheredMeshes,
) -> Result<(), ReadError> {
    let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let indices: Vec<u32> = match reader.read_indices() {
        Some(indices) => indices.into_u32().collect(),
        None => (0..count as u32).collect(),
    };
    if let Some(&vertex) = indices.iter().find(|&&i| i as usize >= count) {
        let triangle = indices.iter().position(|i| *i == vertex).unwrap_or(0) as u32 / 3;
        let (name, vertices) = (name.to_owned(), count);
        let error = tin_cloak_core::mesh::MeshError::IndexOutOfRange { name, triangle, vertex, vertices };
        return Err(error.into());
    }
    let at = |i: usize| indices[i] + first as u32;
    match primitive.mode() {
        Mode::TriangleStrip => all.triangles.extend((2..indices.len()).map(|i| {
            if i % 2 == 0 {
                [at(i - 2), at(i - 1), at(i)]
            } else {
                [at(i - 1), at(i - 2), at(i)]
            }
        })),
        Mode::TriangleFan => all.triangles.extend((2..indices.len()).map(|i| [at(0), at(i - 1), at(i)])),
        _ => all.triangles.extend((0..indices.len() / 3).map(|t| [at(3 * t), at(3 * t + 1), at(3 * t + 2)])),
    }
    Ok(())
}

fn push_influence(
    name: &str,
    row: &mut Vec<(JointId, f32)>,
    vertex: u32,
    joint: u16,
    weight: f32,
    map: &[JointId],
) -> Result<(), ReadError> {
    if weight == 0.0 {
        return Ok(());
    }
    let Some(&mapped) = map.get(usize::from(joint)) else {
        let source = tin_cloak_core::skin::SkinError::JointOutOfRange {
            vertex,
            joint: u32::from(joint),
            joints: map.len(),
        };
        return Err(ReadError::Skin { mesh: name.to_owned(), source });
    };
    row.push((mapped, weight));
    Ok(())
}

fn read_morphs<'a, 's, F>(
    reader: &gltf::mesh::Reader<'a, 's, F>,
    first: usize,
    count: usize,
    all: &mut GatheredMeshes,
) where
    F: Clone + Fn(gltf::Buffer<'a>) -> Option<&'s [u8]>,
{
    for (i, (positions, _, _)) in reader.read_morph_targets().enumerate() {
        if all.morphs.len() <= i {
            all.morphs.push(Vec::new());
        }
        let dense = &mut all.morphs[i];
        dense.resize(first, Vec3::ZERO);
        if let Some(positions) = positions {
            dense.extend(
                positions.map(|d| if Vec3::from(d).is_finite() { Vec3::from(d) } else { Vec3::ZERO }),
            );
        }
        dense.resize(first + count, Vec3::ZERO);
    }
}

fn check_attributes(primitive: &gltf::Primitive) -> Result<(), ReadError> {
    const FLOAT: &[DataType] = &[DataType::F32];
    const BYTES: &[DataType] = &[DataType::U8, DataType::U16];
    const INDEX: &[DataType] = &[DataType::U8, DataType::U16, DataType::U32];
    const WEIGHT: &[DataType] = &[DataType::F32, DataType::U8, DataType::U16];
    let colour = |a: &gltf::Accessor| match a.dimensions() {
        Dimensions::Vec3 => Dimensions::Vec3,
        _ => Dimensions::Vec4,
    };
    for (semantic, accessor) in primitive.attributes() {
        match semantic {
            Semantic::Positions => {
                check_type(&accessor, "positions", Dimensions::Vec3, FLOAT, "VEC3 of float")?
            }
            Semantic::Normals => check_type(&accessor, "normals", Dimensions::Vec3, FLOAT, "VEC3 of float")?,
            Semantic::Joints(_) => {
                check_type(&accessor, "joints", Dimensions::Vec4, BYTES, "VEC4 of byte or short")?
            }
            Semantic::Weights(_) => {
                check_type(&accessor, "weights", Dimensions::Vec4, WEIGHT, "VEC4 of float, byte or short")?;
            }
            Semantic::TexCoords(_) => {
                let wanted = "VEC2 of float, byte or short";
                check_type(&accessor, "texture coordinates", Dimensions::Vec2, WEIGHT, wanted)?;
            }
            Semantic::Colors(_) => {
                let wanted = "VEC3 or VEC4 of float, byte or short";
                check_type(&accessor, "colours", colour(&accessor), WEIGHT, wanted)?;
            }
            _ => {}
        }
    }
    if let Some(accessor) = primitive.indices() {
        check_type(&accessor, "indices", Dimensions::Scalar, INDEX, "SCALAR of byte, short or int")?;
    }
    for target in primitive.morph_targets() {
        if let Some(accessor) = target.positions() {
            check_type(&accessor, "shape positions", Dimensions::Vec3, FLOAT, "VEC3 of float")?;
        }
    }
    Ok(())
}

/// How much of each shape is there by default: as the node says, else the mesh.
fn amounts_of(node: &gltf::Node, mesh: &gltf::Mesh, shapes: usize) -> Vec<f32> {
    let said = node.weights().or(mesh.weights()).unwrap_or_default();
    let sound = |a: &f32| if a.is_finite() && a.abs() <= 1e3 { *a } else { 0.0 };
    let mut amounts: Vec<f32> = said.iter().map(sound).collect();
    amounts.resize(shapes, 0.0);
    amounts
}

fn target_names(mesh: &gltf::Mesh) -> Vec<String> {
    let Some(extras) = mesh.extras().as_ref() else { return Vec::new() };
    let value: serde_json::Value = serde_json::from_str(extras.get()).unwrap_or_default();
    let list = value.get("targetNames").and_then(|n| n.as_array()).cloned().unwrap_or_default();
    list.iter().filter_map(|n| n.as_str().map(tidy)).collect()
}

//! GLB out: one skeleton, skinned meshes, shapes, clips and this program's marks.

use crate::materials::MaterialTable;
use crate::{marks, Look, Mark};
use gltf_json as json;
use json::accessor::{ComponentType, GenericComponentType, Type};
use json::buffer::Target;
use json::validation::{Checked, USize64};
use json::Accessor;
use std::collections::BTreeMap;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::Clip;

/// One mesh to write.
#[derive(Clone, Debug)]
pub struct GlbPart<'a> {
    /// Name of its node and mesh.
    pub name: &'a str,
    /// Geometry at rest in model space.
    pub mesh: &'a Mesh,
    /// Weights over the scene's skeleton; a part without is written unskinned.
    pub skin: Option<&'a Skin>,
    /// Its shapes.
    pub morphs: &'a [Morph],
    /// How much of each is there when nothing says otherwise; missing ones are 0.
    pub amounts: &'a [f32],
    /// What goes into the node's extras.
    pub mark: Option<Mark>,
    /// Texture coordinates, colours and materials.
    pub look: &'a Look,
    /// Base colour of what has no material, linear.
    pub colour: [f32; 3],
}

/// All that goes into a GLB.
#[derive(Clone, Debug, Default)]
pub struct GlbScene<'a> {
    /// The meshes.
    pub parts: Vec<GlbPart<'a>>,
    /// The skeleton they share.
    pub skeleton: Option<&'a Skeleton>,
    /// Its motions.
    pub clips: &'a [Clip],
}

/// Why a GLB could not be written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// A GLB holds at most 4 GiB.
    #[error("the result is too large for one GLB (over 4 GiB): export fewer pieces")]
    TooLarge,
    /// The description could not be serialised.
    #[error("the glTF description could not be written: {0}")]
    Json(#[from] serde_json::Error),
    /// The container could not be written.
    #[error("the GLB could not be written: {0}")]
    Container(String),
}

/// Writes `scene` as a binary glTF 2.0. The same scene gives the same bytes.
///
/// # Errors
/// Only when the result does not fit the format.
pub fn write_glb(scene: &GlbScene) -> Result<Vec<u8>, WriteError> {
    let (w, roots) = Writer::new(scene);
    w.finish(roots)
}

/// Writes `scene` as glTF 2.0 in files that lie side by side: `name`.gltf, `name`.bin with its buffer, and the
/// pictures. Each file with its name.
///
/// # Errors
/// Only when the result does not fit the format.
pub fn write_gltf(scene: &GlbScene, name: &str) -> Result<Vec<(String, Vec<u8>)>, WriteError> {
    let (w, roots) = Writer::new(scene);
    w.finish_apart(roots, name)
}

impl Writer {
    fn new(scene: &GlbScene) -> (Self, Vec<json::Index<json::Node>>) {
        let mut w = Self::default();
        let mut roots = Vec::new();
        let skin = scene.skeleton.map(|s| {
            roots.extend(w.joints(s));
            w.skin(s)
        });
        let mut shaped = Vec::new();
        for part in &scene.parts {
            let node = w.part(part, skin.zip(scene.skeleton));
            roots.push(node);
            if !part.morphs.is_empty() {
                shaped.push((node, part));
            }
        }
        for clip in scene.clips {
            w.clip(clip, scene.skeleton, &shaped);
        }
        (w, roots)
    }
}

/// A glTF that is being written.
#[derive(Default)]
pub(crate) struct Writer {
    pub root: json::Root,
    bin: Vec<u8>,
    materials: MaterialTable,
}

impl Writer {
    fn view(&mut self, bytes: &[u8], target: Option<Target>) -> json::Index<json::buffer::View> {
        while !self.bin.len().is_multiple_of(4) {
            self.bin.push(0);
        }
        let offset = self.bin.len();
        self.bin.extend_from_slice(bytes);
        self.root.push(json::buffer::View {
            buffer: json::Index::new(0),
            byte_length: USize64::from(bytes.len()),
            byte_offset: Some(USize64::from(offset)),
            byte_stride: None,
            name: None,
            target: target.map(Checked::Valid),
            extensions: None,
            extras: Default::default(),
        })
    }

    pub fn accessor(
        &mut self,
        bytes: &[u8],
        component: ComponentType,
        kind: Type,
        count: usize,
        target: Option<Target>,
        bounds: Option<(Vec<f32>, Vec<f32>)>,
    ) -> json::Index<json::Accessor> {
        let view = self.view(bytes, target);
        let (min, max) = bounds.map_or((None, None), |(a, b)| (Some(a.into()), Some(b.into())));
        self.root.push(json::Accessor {
            buffer_view: Some(view),
            byte_offset: None,
            count: USize64::from(count),
            component_type: Checked::Valid(GenericComponentType(component)),
            type_: Checked::Valid(kind),
            min,
            max,
            name: None,
            normalized: false,
            sparse: None,
            extensions: None,
            extras: Default::default(),
        })
    }

    pub fn vec3(
        &mut self,
        values: &[Vec3],
        target: Option<Target>,
        with_bounds: bool,
    ) -> json::Index<json::Accessor> {
        let bytes: Vec<u8> = values.iter().flat_map(|v| v.to_array()).flat_map(f32::to_le_bytes).collect();
        let bounds = with_bounds.then(|| {
            let (low, high) = tin_cloak_core::mesh::bounds(values);
            (low.to_array().to_vec(), high.to_array().to_vec())
        });
        self.accessor(&bytes, ComponentType::F32, Type::Vec3, values.len(), target, bounds)
    }

    /// The joints as nodes; returns the roots.
    fn joints(&mut self, skeleton: &Skeleton) -> Vec<json::Index<json::Node>> {
        let children = skeleton.children();
        for (j, name) in skeleton.names.iter().enumerate() {
            let rest = &skeleton.rest[j];
            let below: Vec<_> = children[j].iter().map(|c| json::Index::new(u32::from(c.0))).collect();
            self.root.push(json::Node {
                name: Some(name.clone()),
                children: (!below.is_empty()).then_some(below),
                translation: Some(rest.translation.to_array()),
                rotation: Some(json::scene::UnitQuaternion(rest.rotation.normalize().to_array())),
                scale: (rest.scale != Vec3::ONE).then(|| rest.scale.to_array()),
                ..empty_node()
            });
        }
        let roots = skeleton.parents.iter().enumerate().filter(|(_, p)| p.is_none());
        roots.map(|(j, _)| json::Index::new(j as u32)).collect()
    }

    fn skin(&mut self, skeleton: &Skeleton) -> json::Index<json::Skin> {
        let affine = |m: &Mat4| {
            let mut columns = m.to_cols_array();
            (columns[3], columns[7], columns[11], columns[15]) = (0.0, 0.0, 0.0, 1.0);
            columns
        };
        let bytes: Vec<u8> =
            skeleton.inverse_bind.iter().flat_map(affine).flat_map(f32::to_le_bytes).collect();
        let matrices = self.accessor(&bytes, ComponentType::F32, Type::Mat4, skeleton.len(), None, None);
        self.root.push(json::Skin {
            inverse_bind_matrices: Some(matrices),
            joints: (0..skeleton.len() as u32).map(json::Index::new).collect(),
            name: Some("skeleton".to_owned()),
            skeleton: None,
            extensions: None,
            extras: Default::default(),
        })
    }

    fn part(
        &mut self,
        part: &GlbPart,
        skin: Option<(json::Index<json::Skin>, &Skeleton)>,
    ) -> json::Index<json::Node> {
        let mut attributes = BTreeMap::new();
        let vertices = Some(Target::ArrayBuffer);
        let mut put = |name, accessor| attributes.insert(Checked::Valid(name), accessor);
        put(json::mesh::Semantic::Positions, self.vec3(&part.mesh.positions, vertices, true));
        let unit = |n: &Vec3| n.try_normalize().unwrap_or(Vec3::Y);
        let normals: Vec<Vec3> = part.mesh.normals.iter().map(unit).collect();
        put(json::mesh::Semantic::Normals, self.vec3(&normals, vertices, false));
        for (set, (joints, weights)) in
            part.skin.map(influence_sets).unwrap_or_default().into_iter().enumerate()
        {
            let count = part.mesh.positions.len();
            let bytes: Vec<u8> = joints.iter().flatten().flat_map(|j| j.to_le_bytes()).collect();
            let accessor = self.accessor(&bytes, ComponentType::U16, Type::Vec4, count, vertices, None);
            put(json::mesh::Semantic::Joints(set as u32), accessor);
            let bytes: Vec<u8> = weights.iter().flatten().flat_map(|w| w.to_le_bytes()).collect();
            let accessor = self.accessor(&bytes, ComponentType::F32, Type::Vec4, count, vertices, None);
            put(json::mesh::Semantic::Weights(set as u32), accessor);
        }
        for (set, uvs) in part.look.uv_sets.iter().enumerate() {
            let accessor = self.floats(uvs, Type::Vec2);
            put(json::mesh::Semantic::TexCoords(set as u32), accessor);
        }
        if !part.look.colours.is_empty() {
            put(json::mesh::Semantic::Colors(0), self.floats(&part.look.colours, Type::Vec4));
        }
        if !part.look.hidden.is_empty() {
            let hidden: Vec<[f32; 1]> = part.look.hidden.iter().map(|h| [f32::from(*h)]).collect();
            put(json::mesh::Semantic::Extras("HIDDEN".to_owned()), self.floats(&hidden, Type::Scalar));
        }
        let targets: Vec<json::mesh::MorphTarget> = part
            .morphs
            .iter()
            .map(|m| json::mesh::MorphTarget {
                positions: Some(self.vec3(&m.to_dense(part.mesh.positions.len()), vertices, true)),
                normals: None,
                tangents: None,
            })
            .collect();
        let has_targets = !targets.is_empty();
        let mut primitives = Vec::new();
        for (range, material) in part.look.ranges(part.mesh.triangles.len()) {
            primitives.push(json::mesh::Primitive {
                attributes: attributes.clone(),
                indices: Some(self.indices(&part.mesh.triangles[range])),
                material: Some(self.material(part, material)),
                mode: Checked::Valid(json::mesh::Mode::Triangles),
                targets: has_targets.then(|| targets.clone()),
                extensions: None,
                extras: Default::default(),
            });
        }
        let mesh = self.root.push(json::Mesh {
            name: Some(part.name.to_owned()),
            primitives,
            weights: has_targets.then(|| {
                let amount = |i: usize| part.amounts.get(i).copied().unwrap_or(0.0);
                (0..part.morphs.len()).map(amount).collect()
            }),
            extensions: None,
            extras: extras(has_targets.then(|| {
                let names: Vec<&str> = part.morphs.iter().map(|m| m.name.as_str()).collect();
                serde_json::json!({ "targetNames": names })
            })),
        });
        self.root.push(json::Node {
            name: Some(part.name.to_owned()),
            mesh: Some(mesh),
            skin: skin.filter(|_| part.skin.is_some()).map(|s| s.0),
            extras: extras(marks::write(part.mark.as_ref(), part.morphs, skin.map(|s| s.1))),
            ..empty_node()
        })
    }

    fn indices(&mut self, triangles: &[[u32; 3]]) -> json::Index<Accessor> {
        let bytes: Vec<u8> = triangles.iter().flatten().flat_map(|i| i.to_le_bytes()).collect();
        let target = Some(Target::ElementArrayBuffer);
        self.accessor(&bytes, ComponentType::U32, Type::Scalar, triangles.len() * 3, target, None)
    }

    /// A vertex attribute of floats.
    fn floats<const N: usize>(&mut self, values: &[[f32; N]], kind: Type) -> json::Index<Accessor> {
        let bytes: Vec<u8> = values.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
        self.accessor(&bytes, ComponentType::F32, kind, values.len(), Some(Target::ArrayBuffer), None)
    }

    /// The part's own material, or a plain one of its colour.
    fn material(&mut self, part: &GlbPart, material: Option<u32>) -> json::Index<json::Material> {
        let own = material.and_then(|m| self.materials.material(&part.look.materials, m));
        let [r, g, b] = part.colour;
        let index = own.unwrap_or_else(|| {
            self.materials.own(serde_json::json!({
                "name": part.name,
                "doubleSided": true,
                "pbrMetallicRoughness":
                    { "baseColorFactor": [r, g, b, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.8 },
            }))
        });
        json::Index::new(index)
    }

    /// The description, with the materials as they came.
    fn description(&mut self) -> Result<serde_json::Value, WriteError> {
        let mut images = Vec::new();
        for picture in std::mem::take(&mut self.materials.0.pictures) {
            let view = self.view(&picture.bytes, None).value();
            let (name, media_type) = (picture.name, picture.media_type);
            images.push(serde_json::json!({ "name": name, "mimeType": media_type, "bufferView": view }));
        }
        self.described(images)
    }

    /// The same with `images` that lie elsewhere.
    fn described(&mut self, images: Vec<serde_json::Value>) -> Result<serde_json::Value, WriteError> {
        self.close_buffer()?;
        let mut root = serde_json::to_value(&self.root)?;
        let extensions: Vec<_> =
            self.materials.extensions().into_iter().map(serde_json::Value::from).collect();
        let all = &mut self.materials.0;
        let lists = [
            ("materials", std::mem::take(&mut all.materials)),
            ("textures", std::mem::take(&mut all.textures)),
            ("samplers", std::mem::take(&mut all.samplers)),
            ("images", images),
            ("extensionsUsed", extensions),
        ];
        for (key, list) in lists.into_iter().filter(|(_, list)| !list.is_empty()) {
            root[key] = list.into();
        }
        Ok(root)
    }

    pub fn scalars(&mut self, values: &[f32], bounds: Option<(Vec<f32>, Vec<f32>)>) -> json::Index<Accessor> {
        let bytes: Vec<u8> = values.iter().flat_map(|t| t.to_le_bytes()).collect();
        self.accessor(&bytes, ComponentType::F32, Type::Scalar, values.len(), None, bounds)
    }

    pub fn times(&mut self, times: &[f32]) -> json::Index<Accessor> {
        self.scalars(times, Some((vec![times[0]], vec![times[times.len() - 1]])))
    }

    fn close_buffer(&mut self) -> Result<(), WriteError> {
        while !self.bin.len().is_multiple_of(4) {
            self.bin.push(0);
        }
        if self.bin.len() > u32::MAX as usize / 2 {
            return Err(WriteError::TooLarge);
        }
        self.root.push(json::Buffer {
            byte_length: USize64::from(self.bin.len()),
            uri: None,
            name: None,
            extensions: None,
            extras: Default::default(),
        });
        Ok(())
    }

    fn close_scene(&mut self, roots: Vec<json::Index<json::Node>>) {
        let scene = self.root.push(json::Scene {
            name: None,
            nodes: roots,
            extensions: None,
            extras: Default::default(),
        });
        self.root.scene = Some(scene);
        self.root.asset.generator = Some("Tin Cloak".to_owned());
    }

    fn finish_apart(
        mut self,
        roots: Vec<json::Index<json::Node>>,
        name: &str,
    ) -> Result<Vec<(String, Vec<u8>)>, WriteError> {
        self.close_scene(roots);
        let (mut images, mut files) = (Vec::new(), Vec::new());
        for (n, picture) in std::mem::take(&mut self.materials.0.pictures).into_iter().enumerate() {
            let ending = picture.ending().unwrap_or("png");
            let uri = format!("{name}-picture-{}.{ending}", n + 1);
            images.push(serde_json::json!({ "name": picture.name, "uri": uri }));
            files.push((uri, picture.bytes));
        }
        let mut root = self.described(images)?;
        root["buffers"][0]["uri"] = format!("{name}.bin").into();
        let text = serde_json::to_vec_pretty(&root)?;
        let own = [(format!("{name}.gltf"), text), (format!("{name}.bin"), self.bin)];
        Ok(own.into_iter().chain(files).collect())
    }

    fn finish(mut self, roots: Vec<json::Index<json::Node>>) -> Result<Vec<u8>, WriteError> {
        self.close_scene(roots);
        let text = serde_json::to_vec(&self.description()?)?;
        let glb = gltf::binary::Glb {
            header: gltf::binary::Header { magic: *b"glTF", version: 2, length: 0 },
            json: text.into(),
            bin: Some(self.bin.into()),
        };
        glb.to_vec().map_err(|e| WriteError::Container(e.to_string()))
    }
}

/// Four joints and their weights a vertex.
type InfluenceSet = (Vec<[u16; 4]>, Vec<[f32; 4]>);

/// Influences in groups of four a vertex, as the format wants them.
fn influence_sets(skin: &Skin) -> Vec<InfluenceSet> {
    (0..skin.max_influences().div_ceil(4).max(1))
        .map(|set| {
            let place = |v: usize| {
                let (mut joints, mut weights) = ([0; 4], [0.0; 4]);
                for (k, (j, w)) in skin.row(v).skip(set * 4).take(4).enumerate() {
                    (joints[k], weights[k]) = (j.0, w);
                }
                (joints, weights)
            };
            (0..skin.vertices()).map(place).unzip()
        })
        .collect()
}

fn empty_node() -> json::Node {
    json::Node { ..Default::default() }
}

fn extras(value: Option<serde_json::Value>) -> json::Extras {
    value.and_then(|v| serde_json::value::to_raw_value(&v).ok())
}

//! GLB out: one skeleton, skinned meshes, shapes, clips and this program's marks.

use crate::look::Gathered;
use crate::{marks, Look, Mark};
use gltf_json as json;
use json::accessor::{ComponentType, GenericComponentType, Type};
use json::buffer::Target;
use json::validation::{Checked, USize64};
use json::Accessor;
use std::collections::BTreeMap;
use tin_cloak_core::deform::{driven_amounts, Morph};
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::{Clip, Interpolation, ShapeTrack, TrackValues};

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
    let (w, roots) = Writer::of(scene);
    w.finish(roots)
}

/// Writes `scene` as glTF 2.0 in files that lie side by side: `name`.gltf, `name`.bin with its buffer, and the
/// pictures. Each file with its name.
///
/// # Errors
/// Only when the result does not fit the format.
pub fn write_gltf(scene: &GlbScene, name: &str) -> Result<Vec<(String, Vec<u8>)>, WriteError> {
    let (w, roots) = Writer::of(scene);
    w.finish_apart(roots, name)
}

impl Writer {
    fn of(scene: &GlbScene) -> (Self, Vec<json::Index<json::Node>>) {
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

#[derive(Default)]
struct Writer {
    root: json::Root,
    bin: Vec<u8>,
    materials: Gathered,
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

    fn accessor(
        &mut self,
        bytes: &[u8],
        (component, kind): (ComponentType, Type),
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

    fn vec3(
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
        self.accessor(&bytes, (ComponentType::F32, Type::Vec3), values.len(), target, bounds)
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
        let matrices = self.accessor(&bytes, (ComponentType::F32, Type::Mat4), skeleton.len(), None, None);
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
            let accessor = self.accessor(&bytes, (ComponentType::U16, Type::Vec4), count, vertices, None);
            put(json::mesh::Semantic::Joints(set as u32), accessor);
            let bytes: Vec<u8> = weights.iter().flatten().flat_map(|w| w.to_le_bytes()).collect();
            let accessor = self.accessor(&bytes, (ComponentType::F32, Type::Vec4), count, vertices, None);
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
        let kind = (ComponentType::U32, Type::Scalar);
        self.accessor(&bytes, kind, triangles.len() * 3, Some(Target::ElementArrayBuffer), None)
    }

    /// A vertex attribute of floats.
    fn floats<const N: usize>(&mut self, values: &[[f32; N]], kind: Type) -> json::Index<Accessor> {
        let bytes: Vec<u8> = values.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
        self.accessor(&bytes, (ComponentType::F32, kind), values.len(), Some(Target::ArrayBuffer), None)
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

    fn scalars(&mut self, values: &[f32], bounds: Option<(Vec<f32>, Vec<f32>)>) -> json::Index<Accessor> {
        let bytes: Vec<u8> = values.iter().flat_map(|t| t.to_le_bytes()).collect();
        self.accessor(&bytes, (ComponentType::F32, Type::Scalar), values.len(), None, bounds)
    }

    fn times(&mut self, times: &[f32]) -> json::Index<Accessor> {
        self.scalars(times, Some((vec![times[0]], vec![times[times.len() - 1]])))
    }

    /// Writes a clip. Shapes that the pose drives are keyed too, so that they play anywhere.
    fn clip(
        &mut self,
        clip: &Clip,
        skeleton: Option<&Skeleton>,
        shaped: &[(json::Index<json::Node>, &GlbPart)],
    ) {
        let mut animation = Animation::default();
        for track in clip.tracks.iter().filter(|t| !t.times.is_empty()) {
            let input = self.times(&track.times);
            let (output, path) = match &track.values {
                TrackValues::Translation(v) => {
                    (self.vec3(v, None, false), json::animation::Property::Translation)
                }
                TrackValues::Scale(v) => (self.vec3(v, None, false), json::animation::Property::Scale),
                TrackValues::Rotation(v) => {
                    let bytes: Vec<u8> =
                        v.iter().flat_map(|q| q.to_array()).flat_map(f32::to_le_bytes).collect();
                    let kind = (ComponentType::F32, Type::Vec4);
                    (self.accessor(&bytes, kind, v.len(), None, None), json::animation::Property::Rotation)
                }
            };
            let node = json::Index::new(u32::from(track.joint.0));
            animation.add(node, path, (input, output), interpolation(track.interpolation));
        }
        for &(node, part) in shaped {
            let Some(keys) = shape_keys(clip, skeleton, part) else { continue };
            let data = (self.times(&keys.times), self.scalars(&keys.amounts, None));
            let path = json::animation::Property::MorphTargetWeights;
            animation.add(node, path, data, interpolation(keys.interpolation));
        }
        if !animation.channels.is_empty() {
            self.root.push(json::Animation {
                name: Some(clip.name.clone()),
                channels: animation.channels,
                samplers: animation.samplers,
                extensions: None,
                extras: Default::default(),
            });
        }
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
            let ending = if picture.media_type == "image/jpeg" { "jpg" } else { "png" };
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

#[derive(Default)]
struct Animation {
    channels: Vec<json::animation::Channel>,
    samplers: Vec<json::animation::Sampler>,
}

impl Animation {
    fn add(
        &mut self,
        node: json::Index<json::Node>,
        path: json::animation::Property,
        (input, output): (json::Index<Accessor>, json::Index<Accessor>),
        interpolation: json::animation::Interpolation,
    ) {
        self.channels.push(json::animation::Channel {
            sampler: json::Index::new(self.samplers.len() as u32),
            target: json::animation::Target {
                node,
                path: Checked::Valid(path),
                extensions: None,
                extras: Default::default(),
            },
            extensions: None,
            extras: Default::default(),
        });
        self.samplers.push(json::animation::Sampler {
            input,
            output,
            interpolation: Checked::Valid(interpolation),
            extensions: None,
            extras: Default::default(),
        });
    }
}

fn interpolation(of: Interpolation) -> json::animation::Interpolation {
    match of {
        Interpolation::Step => json::animation::Interpolation::Step,
        Interpolation::Linear => json::animation::Interpolation::Linear,
        Interpolation::Cubic => json::animation::Interpolation::CubicSpline,
    }
}

/// The amounts of a part's shapes over a clip: as they came, or, where the pose drives one of them,
/// at every key of either and as often between as it takes, so that driven shapes play anywhere.
fn shape_keys(clip: &Clip, skeleton: Option<&Skeleton>, part: &GlbPart) -> Option<ShapeTrack> {
    let shapes = part.morphs.len();
    // What was added to the shapes that its file keys stands behind them.
    let came = clip.shapes.iter().find(|s| s.mesh == part.name && s.shapes() <= shapes);
    let is_driven =
        part.morphs.iter().any(|m| m.driver.is_some()) || came.is_some_and(|c| c.shapes() < shapes);
    let Some(skeleton) = skeleton.filter(|_| is_driven) else { return came.cloned() };
    let mut times = clip.key_times();
    times.extend(came.iter().flat_map(|c| &c.times));
    times.sort_by(f32::total_cmp);
    times.dedup();
    if times.is_empty() {
        return None;
    }
    let driven = |time: f32| driven_amounts(part.morphs, &clip.sample(skeleton, time));
    let times = dense_enough(&times, &most_offsets(part.morphs), &driven);
    let amounts = |&time: &f32| {
        let driven = driven(time);
        let mut own = came.map_or_else(Vec::new, |c| c.at(time));
        own.extend(part.amounts.iter().skip(own.len()));
        let one = |(i, m): (usize, &Morph)| match m.driver {
            Some(_) => driven[i],
            None => own.get(i).copied().unwrap_or(0.0),
        };
        part.morphs.iter().enumerate().map(one).collect::<Vec<f32>>()
    };
    let amounts = times.iter().flat_map(amounts).collect();
    Some(ShapeTrack { mesh: part.name.to_owned(), times, amounts, interpolation: Interpolation::Linear })
}

/// Between two keys no vertex may be so far from where its shapes would have it, metres.
const KEYED_WITHIN: f32 = 4e-6;
/// The way between two keys is halved so often at most.
const HALVED: usize = 7;

/// How far each driven shape moves any vertex, metres; 0 for the others.
fn most_offsets(morphs: &[Morph]) -> Vec<f32> {
    let most = |m: &Morph| m.offsets.iter().map(|o| o.length()).fold(0.0, f32::max);
    morphs.iter().map(|m| m.driver.map_or(0.0, |_| most(m))).collect()
}

/// Key times with so many between them that amounts on a straight line from key to key are those that are driven.
fn dense_enough(times: &[f32], most: &[f32], driven: &dyn Fn(f32) -> Vec<f32>) -> Vec<f32> {
    let mut dense = Vec::with_capacity(times.len());
    for pair in times.windows(2) {
        dense.push(pair[0]);
        halve((pair[0], pair[1]), (&driven(pair[0]), &driven(pair[1])), (most, driven), HALVED, &mut dense);
    }
    dense.extend(times.last());
    dense
}

fn halve(
    (from, to): (f32, f32),
    ends: (&[f32], &[f32]),
    (most, driven): (&[f32], &dyn Fn(f32) -> Vec<f32>),
    left: usize,
    dense: &mut Vec<f32>,
) {
    let at = |share: f32| from + (to - from) * share;
    let off = |share: f32, there: &[f32]| -> f32 {
        let straight = |m: usize| ends.0[m] + (ends.1[m] - ends.0[m]) * share;
        (0..most.len()).map(|m| (there[m] - straight(m)).abs() * most[m]).sum()
    };
    let middle = driven(at(0.5));
    let is_straight = |share: f32| off(share, &driven(at(share))) <= KEYED_WITHIN;
    if left == 0 || (off(0.5, &middle) <= KEYED_WITHIN && is_straight(0.25) && is_straight(0.75)) {
        return;
    }
    halve((from, at(0.5)), (ends.0, &middle), (most, driven), left - 1, dense);
    dense.push(at(0.5));
    halve((at(0.5), to), (&middle, ends.1), (most, driven), left - 1, dense);
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

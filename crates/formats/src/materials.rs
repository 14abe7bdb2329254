//! What meshes look like: texture coordinates, colours, materials and pictures. Nothing here is
//! needed for fitting; it is kept as the file has it, so that it goes out again as it came in.

use crate::ReadError;
use serde_json::{json, Map, Value};
use std::collections::BTreeSet;
use std::sync::Arc;
use tin_cloak_core::mesh::{Between, Kept, WithRows};

/// The look of one mesh.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Look {
    /// Texture coordinates: sets of one pair a vertex, the origin at the upper left.
    pub uv_sets: Vec<Vec<[f32; 2]>>,
    /// Vertex colours, linear RGBA, one a vertex; none when the mesh has none.
    pub colours: Vec<[f32; 4]>,
    /// By vertex whether nobody sees it; empty when that is not told.
    pub hidden: Vec<bool>,
    /// Which triangles have which material, by rising first triangle.
    pub runs: Vec<MaterialRun>,
    /// All materials of the file.
    pub materials: Arc<Materials>,
    /// What the file has of the mesh besides and is not kept, in words.
    pub not_kept: Vec<String>,
}

/// Triangles from `first` up to the next run have one material.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct MaterialRun {
    /// First triangle.
    pub first: u32,
    /// Index into [`Materials::materials`].
    pub material: Option<u32>,
}

impl Look {
    /// Adds triangles from `first` on with `material`.
    pub(crate) fn run(&mut self, first: u32, material: Option<u32>) {
        if self.runs.last().is_none_or(|r| r.material != material) {
            self.runs.push(MaterialRun { first, material });
        }
    }

    /// Brings every set to `vertices` entries.
    pub(crate) fn resize(&mut self, vertices: usize) {
        self.uv_sets.iter_mut().for_each(|set| set.resize(vertices, [0.0; 2]));
        if !self.colours.is_empty() {
            self.colours.resize(vertices, [1.0; 4]);
        }
    }

    /// The look of a mesh to which rows were added.
    pub(crate) fn with_rows(&self, made: &WithRows) -> Self {
        let old = made.mesh.positions.len() - made.new.len();
        let all = (0..old as u32).collect();
        let mut look = self.pick(&Kept { vertices: all, faces: made.faces.clone() });
        fn add<const N: usize>(list: &mut Vec<[f32; N]>, new: &[Between]) {
            for Between { ends, share } in new {
                let [a, b] = ends.map(|v| list[v as usize]);
                list.push(std::array::from_fn(|k| a[k] + (b[k] - a[k]) * share));
            }
        }
        look.uv_sets.iter_mut().for_each(|set| add(set, &made.new));
        if !look.colours.is_empty() {
            add(&mut look.colours, &made.new);
        }
        look
    }

    /// The look of what is left of a mesh.
    pub(crate) fn pick(&self, Kept { vertices, faces }: &Kept) -> Self {
        let (materials, not_kept) = (Arc::clone(&self.materials), self.not_kept.clone());
        let mut left = Self { materials, not_kept, ..Self::default() };
        left.uv_sets =
            self.uv_sets.iter().map(|set| vertices.iter().map(|&v| set[v as usize]).collect()).collect();
        if !self.colours.is_empty() {
            left.colours = vertices.iter().map(|&v| self.colours[v as usize]).collect();
        }
        if !self.hidden.is_empty() {
            left.hidden = vertices.iter().map(|&v| self.hidden[v as usize]).collect();
        }
        for (new, old) in (0u32..).zip(faces) {
            let run = self.runs.partition_point(|r| r.first <= *old);
            if let Some(run) = run.checked_sub(1) {
                left.run(new, self.runs[run].material);
            }
        }
        left
    }

    /// The base colour of a material, linear RGBA; a middle grey for none.
    pub(crate) fn base_colour(&self, material: Option<u32>) -> [f32; 4] {
        let found = material.and_then(|n| self.materials.materials.get(n as usize));
        let factor = found.and_then(|m| m.pointer("/pbrMetallicRoughness/baseColorFactor")?.as_array());
        let Some(factor) = factor else {
            return if found.is_some() { [1.0; 4] } else { [0.5, 0.5, 0.5, 1.0] };
        };
        [0, 1, 2, 3].map(|k| factor.get(k).and_then(Value::as_f64).unwrap_or(1.0) as f32)
    }

    /// The range of triangles of each run, and its material.
    pub fn ranges(&self, triangles: usize) -> Vec<(std::ops::Range<usize>, Option<u32>)> {
        if self.runs.is_empty() {
            return vec![(0..triangles, None)];
        }
        let end = |i: usize| self.runs.get(i + 1).map_or(triangles, |r| r.first as usize);
        let range = |(i, r): (usize, &MaterialRun)| (r.first as usize..end(i), r.material);
        self.runs.iter().enumerate().map(range).filter(|(r, _)| !r.is_empty()).collect()
    }
}

/// A picture of a texture.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Picture {
    /// Its name.
    pub name: String,
    /// Media type, as `image/png`.
    pub media_type: String,
    /// The file.
    pub bytes: Vec<u8>,
}

impl Picture {
    /// What a file of its type ends with; none of a type that nobody knows.
    pub(crate) fn ending(&self) -> Option<&'static str> {
        match self.media_type.as_str() {
            "image/png" => Some("png"),
            "image/jpeg" => Some("jpg"),
            "image/webp" => Some("webp"),
            "image/ktx2" => Some("ktx2"),
            _ => None,
        }
    }
}

/// The materials of a file with their textures, as the glTF 2.0 specification writes them
/// (`materials`, `textures` and `samplers` are its JSON objects, extensions included).
#[derive(Clone, Debug, Default, PartialEq)]
#[allow(missing_docs)]
pub struct Materials {
    pub materials: Vec<Value>,
    pub textures: Vec<Value>,
    pub samplers: Vec<Value>,
    pub pictures: Vec<Picture>,
}

impl Materials {
    /// From the JSON of a glTF file; `picture` gives the bytes of an entry of its `images`.
    pub(crate) fn of_gltf(
        root: &Value,
        mut picture: impl FnMut(usize, &Value) -> Result<Vec<u8>, ReadError>,
    ) -> Result<Self, ReadError> {
        let list = |key: &str| root.get(key).and_then(Value::as_array).cloned().unwrap_or_default();
        let mut pictures = Vec::new();
        for (index, image) in list("images").iter().enumerate() {
            let bytes = picture(index, image)?;
            let text = |key: &str| image.get(key).and_then(Value::as_str);
            let named = text("name").or(text("uri").filter(|u| !u.starts_with("data:")));
            let name = named.map_or_else(|| format!("picture {}", index + 1), str::to_owned);
            let media_type = media_type(&bytes).or(text("mimeType")).unwrap_or("image/png").to_owned();
            pictures.push(Picture { name, media_type, bytes });
        }
        let (materials, textures, samplers) = (list("materials"), list("textures"), list("samplers"));
        Ok(Self { materials, textures, samplers, pictures })
    }
}

/// Told by the first bytes of the formats that glTF and its extensions allow.
pub(crate) fn media_type(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [0xFF, 0xD8, 0xFF, ..] => Some("image/jpeg"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        [0xAB, b'K', b'T', b'X', b' ', b'2', b'0', ..] => Some("image/ktx2"),
        _ => None,
    }
}

/// Materials gathered for one file: each is taken once, with only what it refers to.
#[derive(Default)]
pub(crate) struct MaterialTable(pub Materials);

impl MaterialTable {
    /// The index here of a material of `from`.
    pub fn material(&mut self, from: &Materials, index: u32) -> Option<u32> {
        let mut material = from.materials.get(index as usize)?.clone();
        self.refer(from, &mut material);
        Some(place(&mut self.0.materials, material))
    }

    /// The index of a material made here.
    pub fn own(&mut self, material: Value) -> u32 {
        place(&mut self.0.materials, material)
    }

    /// Renumbers the textures that `value` refers to; a reference that leads nowhere is dropped.
    fn refer(&mut self, from: &Materials, value: &mut Value) {
        let Value::Object(fields) = value else { return };
        let mut lost = Vec::new();
        for (key, field) in fields.iter_mut() {
            if key == "extras" {
                continue;
            }
            let index = field.get("index").and_then(Value::as_u64);
            if let (true, Some(index)) = (key.ends_with("Texture"), index) {
                match self.texture(from, index as usize) {
                    Some(new) => field["index"] = json!(new),
                    None => lost.push(key.clone()),
                }
            }
            self.refer(from, field);
        }
        lost.iter().for_each(|key| {
            fields.remove(key);
        });
    }

    fn texture(&mut self, from: &Materials, index: usize) -> Option<u32> {
        let mut texture = from.textures.get(index)?.clone();
        let fields = texture.as_object_mut()?;
        self.source(from, fields);
        if let Some(extensions) = fields.get_mut("extensions").and_then(Value::as_object_mut) {
            extensions.values_mut().filter_map(Value::as_object_mut).for_each(|e| self.source(from, e));
        }
        if let Some(sampler) = fields.remove("sampler").and_then(|s| s.as_u64()) {
            if let Some(sampler) = from.samplers.get(sampler as usize) {
                fields.insert("sampler".to_owned(), json!(place(&mut self.0.samplers, sampler.clone())));
            }
        }
        Some(place(&mut self.0.textures, texture))
    }

    fn source(&mut self, from: &Materials, fields: &mut Map<String, Value>) {
        let picture = fields.remove("source").and_then(|s| s.as_u64());
        if let Some(picture) = picture.and_then(|p| from.pictures.get(p as usize)) {
            fields.insert("source".to_owned(), json!(place(&mut self.0.pictures, picture.clone())));
        }
    }

    /// The extensions that what was gathered uses.
    pub fn extensions(&self) -> BTreeSet<String> {
        let mut found = BTreeSet::new();
        let all = [&self.0.materials, &self.0.textures, &self.0.samplers];
        all.into_iter().flatten().for_each(|v| collect_extensions(v, &mut found));
        found
    }
}

fn place<T: PartialEq>(list: &mut Vec<T>, item: T) -> u32 {
    let at = list.iter().position(|known| *known == item).unwrap_or_else(|| {
        list.push(item);
        list.len() - 1
    });
    at as u32
}

fn collect_extensions(value: &Value, found: &mut BTreeSet<String>) {
    let Value::Object(fields) = value else { return };
    if let Some(Value::Object(extensions)) = fields.get("extensions") {
        found.extend(extensions.keys().cloned());
    }
    let own = fields.iter().filter(|(key, _)| *key != "extras");
    own.for_each(|(_, field)| collect_extensions(field, found));
}

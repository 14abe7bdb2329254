//! Files that come along with the one being read.

use std::collections::BTreeMap;

/// Files that came along, by name: buffers and pictures of a `.gltf`, materials of an `.obj`.
pub type Companions = BTreeMap<String, Vec<u8>>;

/// Those of `companions` that the file `name` refers to.
pub fn wanted(bytes: &[u8], companions: &Companions) -> Companions {
    let mut kept = Companions::new();
    let text = described(bytes);
    for (name, data) in companions {
        if mentions(&text, name) {
            kept.insert(name.clone(), data.clone());
        }
    }
    let of_materials: Vec<String> = kept
        .iter()
        .filter(|(name, _)| has_ending(name, ".mtl"))
        .map(|(_, data)| String::from_utf8_lossy(data).into_owned())
        .collect();
    for (name, data) in companions.iter().filter(|(name, _)| of_materials.iter().any(|t| mentions(t, name))) {
        kept.insert(name.clone(), data.clone());
    }
    kept
}

pub(crate) fn has_ending(name: &str, ending: &str) -> bool {
    name.to_ascii_lowercase().ends_with(ending)
}

fn mentions(text: &str, name: &str) -> bool {
    text.contains(name) || text.contains(&name.replace(' ', "%20"))
}

/// The part of a file that names others: the JSON of a glTF, the `mtllib` lines of an OBJ.
fn described(bytes: &[u8]) -> String {
    if let Ok(glb) = gltf::binary::Glb::from_slice(bytes) {
        return String::from_utf8_lossy(&glb.json).into_owned();
    }
    let text = String::from_utf8_lossy(bytes);
    if text.trim_start().starts_with('{') {
        return text.into_owned();
    }
    text.lines().filter(|l| l.trim_start().starts_with("mtllib")).collect::<Vec<_>>().join("\n")
}

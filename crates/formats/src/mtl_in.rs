//! Wavefront MTL in, as glTF materials.
//!
//! The diffuse colour becomes the base colour and the specular exponent `Ns` a roughness of
//! √(2 / (Ns + 2)), as is common practice (no source).

use crate::materials::media_type;
use crate::{Companions, Materials, Picture};
use serde_json::{json, Value};

/// The materials of an OBJ; pictures that did not come along are left out.
pub(crate) fn materials(list: &[tobj::Material], companions: &Companions) -> Materials {
    let mut all = Materials::default();
    for material in list {
        let made = one(material, companions, &mut all);
        all.materials.push(made);
    }
    all
}

/// The lines of a library that the parser takes: it trusts every colour to have three numbers.
pub(crate) fn readable(library: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(library);
    let takes = |line: &&str| {
        let mut words = line.split_whitespace();
        !matches!(words.next(), Some("Ka" | "Kd" | "Ks" | "Ke")) || words.count() >= 3
    };
    text.lines().filter(takes).collect::<Vec<_>>().join("\n").into_bytes()
}

fn one(material: &tobj::Material, companions: &Companions, all: &mut Materials) -> Value {
    let [r, g, b] = material.diffuse.unwrap_or([0.8; 3]);
    let alpha = material.dissolve.unwrap_or(1.0);
    let roughness = material.shininess.map_or(0.8, |n| (2.0 / (n.max(0.0) + 2.0)).sqrt());
    let mut surface = json!({
        "baseColorFactor": [r, g, b, alpha],
        "metallicFactor": 0.0,
        "roughnessFactor": roughness,
    });
    if let Some(texture) = texture(material.diffuse_texture.as_deref(), companions, all) {
        surface["baseColorTexture"] = json!({ "index": texture });
    }
    let mut made = json!({ "name": material.name, "doubleSided": true, "pbrMetallicRoughness": surface });
    if let Some(texture) = texture(material.normal_texture.as_deref(), companions, all) {
        made["normalTexture"] = json!({ "index": texture });
    }
    if alpha < 1.0 {
        made["alphaMode"] = json!("BLEND");
    }
    made
}

fn texture(named: Option<&str>, companions: &Companions, all: &mut Materials) -> Option<usize> {
    let name = named?.rsplit(['/', '\\']).next()?.trim();
    let bytes = companions.get(name)?;
    let media_type = media_type(bytes)?.to_owned();
    all.pictures.push(Picture { name: name.to_owned(), media_type, bytes: bytes.clone() });
    all.textures.push(json!({ "source": all.pictures.len() - 1 }));
    Some(all.textures.len() - 1)
}

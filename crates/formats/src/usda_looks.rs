//! Materials of USD: what a metallic-roughness material of glTF says, as a `UsdPreviewSurface` with its
//! `UsdUVTexture`s, after the UsdPreviewSurface specification 2.6. Transforms of texture coordinates and scales of
//! normal maps have no place there and are not carried over.

use crate::document::{Document, MeshPart};
use crate::materials::{Materials, Picture};
use crate::usda_out::{free_name, identifier, list, Usda};
use serde_json::Value;
use std::sync::Arc;

/// Pictures go here, beside the text.
const FOLDER: &str = "pictures";

/// A material that has its name here.
pub(crate) struct NamedMaterial {
    of: Arc<Materials>,
    material: Option<u32>,
    plain: String,
    name: String,
}

impl NamedMaterial {
    fn says_the_same(&self, all: &Materials, material: Option<u32>) -> bool {
        fn value(of: &Materials, n: Option<u32>) -> Option<&Value> {
            of.materials.get(n? as usize)
        }
        let of = &*self.of;
        value(of, self.material) == value(all, material)
            && (std::ptr::eq(of, all)
                || of.textures == all.textures && of.samplers == all.samplers && of.pictures == all.pictures)
    }
}

/// What a part of a material is by, of a texture.
struct Textured<'a> {
    /// Where its picture is told in the material.
    slot: &'a str,
    /// Its name here.
    name: &'a str,
    /// What each channel is multiplied with, and what is added then.
    scale: [f64; 4],
    bias: [f64; 4],
    space: &'a str,
    /// Which channels are read, and as what.
    outputs: &'a [(&'a str, &'a str)],
}

/// A material with the part it is on and its path.
struct ShownMaterial<'a> {
    part: &'a MeshPart,
    value: &'a Value,
    path: String,
}

impl ShownMaterial<'_> {
    fn number(&self, pointer: &str, or: f64) -> f64 {
        self.value.pointer(pointer).and_then(Value::as_f64).unwrap_or(or)
    }

    fn text(&self, pointer: &str) -> &str {
        self.value.pointer(pointer).and_then(Value::as_str).unwrap_or_default()
    }

    fn numbers<const N: usize>(&self, pointer: &str, or: f64) -> [f64; N] {
        std::array::from_fn(|k| self.number(&format!("{pointer}/{k}"), or))
    }

    /// The texture told at a place of the material, with its picture, when there is one of a form that USD reads.
    fn texture(&self, slot: &str) -> Option<(&Value, &Picture)> {
        let all = &self.part.look.materials;
        let texture = all.textures.get(self.value.pointer(slot)?.get("index")?.as_u64()? as usize)?;
        let picture = all.pictures.get(texture.get("source")?.as_u64()? as usize)?;
        ending(picture).map(|_| (texture, picture))
    }
}

/// The pictures that USD reads.
fn ending(picture: &Picture) -> Option<&'static str> {
    picture.ending().filter(|ending| matches!(*ending, "png" | "jpg"))
}

impl Usda {
    pub(crate) fn looks(&mut self, document: &Document) {
        self.open("def Scope \"Looks\"", &[]);
        for part in &document.meshes {
            for (_, material) in part.look.ranges(part.mesh.triangles.len()) {
                let before = self.named.len();
                let name = self.look_name(part, material);
                if self.named.len() > before {
                    self.material(part, material, &name);
                }
            }
        }
        self.close();
    }

    /// The name of a material here. Two of one name that say unlike things, as those of two files do, are two.
    fn look_name(&mut self, part: &MeshPart, material: Option<u32>) -> String {
        let all = &part.look.materials;
        let named = material.and_then(|n| all.materials.get(n as usize)?.get("name")?.as_str());
        let plain = match material {
            None => format!("plain {}", part.name),
            Some(n) => named.map_or_else(|| format!("material {}", n + 1), str::to_owned),
        };
        let is_it = |known: &&NamedMaterial| known.plain == plain && known.says_the_same(all, material);
        if let Some(known) = self.named.iter().find(is_it) {
            return known.name.clone();
        }
        let name = free_name(&identifier(&plain), |n| !self.named.iter().any(|known| known.name == n));
        self.named.push(NamedMaterial { of: Arc::clone(all), material, plain, name: name.clone() });
        name
    }

    fn material(&mut self, part: &MeshPart, material: Option<u32>, name: &str) {
        let path = format!("/Outfit/Looks/{name}");
        self.open(&format!("def Material \"{name}\""), &[]);
        self.line(format!("token outputs:surface.connect = <{path}/Surface.outputs:surface>"));
        let value = material.and_then(|n| part.look.materials.materials.get(n as usize));
        match value {
            Some(value) => self.surface(&ShownMaterial { part, value, path }),
            None => {
                let [r, g, b, a] = part.look.base_colour(material);
                self.open_shader("Surface", "UsdPreviewSurface");
                self.line(format!(
                    "color3f inputs:diffuseColor = ({r}, {g}, {b})\nfloat inputs:opacity = {a}"
                ));
                self.line("float inputs:roughness = 0.8\ntoken outputs:surface");
                self.close();
            }
        }
        self.close();
    }

    fn surface(&mut self, look: &ShownMaterial) {
        let [r, g, b, a] = look.numbers("/pbrMetallicRoughness/baseColorFactor", 1.0);
        let metallic = look.number("/pbrMetallicRoughness/metallicFactor", 1.0);
        let roughness = look.number("/pbrMetallicRoughness/roughnessFactor", 1.0);
        let emissive: [f64; 3] = look.numbers("/emissiveFactor", 0.0);
        let (plain, none) = ([1.0; 4], [0.0; 4]);
        let textured =
            |slot, name, scale| Textured { slot, name, scale, bias: none, space: "sRGB", outputs: &[] };
        let base = self.textured(
            look,
            &Textured {
                outputs: &[("float3", "rgb"), ("float", "a")],
                ..textured("/pbrMetallicRoughness/baseColorTexture", "base_colour", [r, g, b, a])
            },
        );
        let rough = self.textured(
            look,
            &Textured {
                space: "raw",
                outputs: &[("float", "g"), ("float", "b")],
                ..textured(
                    "/pbrMetallicRoughness/metallicRoughnessTexture",
                    "metallic_roughness",
                    [1.0, roughness, metallic, 1.0],
                )
            },
        );
        let normal = self.textured(
            look,
            &Textured {
                space: "raw",
                bias: [-1.0, -1.0, -1.0, 0.0],
                outputs: &[("float3", "rgb")],
                ..textured("/normalTexture", "normal", [2.0, 2.0, 2.0, 1.0])
            },
        );
        let shade = self.textured(
            look,
            &Textured {
                space: "raw",
                outputs: &[("float", "r")],
                ..textured("/occlusionTexture", "occlusion", plain)
            },
        );
        let glows = emissive.iter().any(|e| *e > 0.0);
        let glow = [emissive[0], emissive[1], emissive[2], 1.0];
        let light = glows
            && self.textured(
                look,
                &Textured { outputs: &[("float3", "rgb")], ..textured("/emissiveTexture", "emissive", glow) },
            );

        let colour = |[r, g, b]: [f64; 3]| format!("({r}, {g}, {b})");
        let mode = look.text("/alphaMode").to_owned();
        self.open_shader("Surface", "UsdPreviewSurface");
        let mut input = |kind: &str, name: &str, (is_by, from): (bool, &str), value: String| match is_by {
            true => self.line(format!("{kind} inputs:{name}.connect = <{}/{from}>", look.path)),
            false => self.line(format!("{kind} inputs:{name} = {value}")),
        };
        input("color3f", "diffuseColor", (base, "base_colour.outputs:rgb"), colour([r, g, b]));
        let is_seen_through = mode == "BLEND" || mode == "MASK";
        let opacity = if is_seen_through { a } else { 1.0 };
        let by = (base && is_seen_through, "base_colour.outputs:a");
        input("float", "opacity", by, opacity.to_string());
        input("float", "metallic", (rough, "metallic_roughness.outputs:b"), metallic.to_string());
        input("float", "roughness", (rough, "metallic_roughness.outputs:g"), roughness.to_string());
        if mode == "MASK" {
            input("float", "opacityThreshold", (false, ""), look.number("/alphaCutoff", 0.5).to_string());
        }
        if normal {
            input("normal3f", "normal", (true, "normal.outputs:rgb"), String::new());
        }
        if shade {
            input("float", "occlusion", (true, "occlusion.outputs:r"), String::new());
        }
        if glows {
            input("color3f", "emissiveColor", (light, "emissive.outputs:rgb"), colour(emissive));
        }
        self.line("token outputs:surface");
        self.close();
    }

    /// Writes a texture of a material and its reader, when there is one and pictures go along.
    fn textured(&mut self, look: &ShownMaterial, what: &Textured) -> bool {
        let Some((texture, picture)) = look.texture(what.slot).filter(|_| self.pictures.is_some()) else {
            return false;
        };
        let Some(file) = self.picture_file(picture) else { return false };
        let set = look.number(&format!("{}/texCoord", what.slot), 0.0);
        let varname = if set == 0.0 { "st".to_owned() } else { format!("st{set}") };
        let reader = format!("{}_st", what.name);
        self.open_shader(&reader, "UsdPrimvarReader_float2");
        self.line(format!("string inputs:varname = \"{varname}\"\nfloat2 outputs:result"));
        self.close();
        let sampler = texture.get("sampler").and_then(Value::as_u64);
        let sampler = sampler.and_then(|s| look.part.look.materials.samplers.get(s as usize));
        let wrap = |key: &str| match sampler.and_then(|s| s.get(key)?.as_u64()) {
            Some(33071) => "clamp",
            Some(33648) => "mirror",
            _ => "repeat",
        };
        let four = |[x, y, z, w]: [f64; 4]| format!("({x}, {y}, {z}, {w})");
        self.open_shader(what.name, "UsdUVTexture");
        self.line(format!("asset inputs:file = @{file}@"));
        self.line(format!("float2 inputs:st.connect = <{}/{reader}.outputs:result>", look.path));
        self.line(format!(
            "token inputs:wrapS = \"{}\"\ntoken inputs:wrapT = \"{}\"",
            wrap("wrapS"),
            wrap("wrapT")
        ));
        self.line(format!(
            "float4 inputs:scale = {}\nfloat4 inputs:bias = {}",
            four(what.scale),
            four(what.bias)
        ));
        self.line(format!("token inputs:sourceColorSpace = \"{}\"", what.space));
        what.outputs.iter().for_each(|(kind, name)| self.line(format!("{kind} outputs:{name}")));
        self.close();
        true
    }

    fn open_shader(&mut self, name: &str, id: &str) {
        self.open(&format!("def Shader \"{name}\""), &[]);
        self.line(format!("uniform token info:id = \"{id}\""));
    }

    /// The name of the file of a picture, which goes along from now on.
    fn picture_file(&mut self, picture: &Picture) -> Option<String> {
        let pictures = self.pictures.as_mut()?;
        if let Some((name, _)) = pictures.iter().find(|(_, bytes)| *bytes == picture.bytes) {
            return Some(name.clone());
        }
        let stem = identifier(picture.name.split('.').next().unwrap_or_default());
        let ending = ending(picture)?;
        let file = |stem: &str| format!("{FOLDER}/{stem}.{ending}");
        let name = file(&free_name(&stem, |n| !pictures.iter().any(|(known, _)| *known == file(n))));
        pictures.push((name.clone(), picture.bytes.clone()));
        Some(name)
    }

    pub(crate) fn bound_looks(&mut self, part: &MeshPart, face_of: &[usize]) {
        let ranges = part.look.ranges(part.mesh.triangles.len());
        if let [(_, material)] = ranges.as_slice() {
            let name = self.look_name(part, *material);
            return self.line(format!("rel material:binding = </Outfit/Looks/{name}>"));
        }
        self.line("uniform token subsetFamily:materialBind:familyType = \"nonOverlapping\"");
        let mut of_look: Vec<(String, Vec<usize>)> = Vec::new();
        for (range, material) in ranges {
            let name = self.look_name(part, material);
            let mut faces: Vec<usize> = range.map(|t| face_of[t]).collect();
            faces.dedup();
            match of_look.iter_mut().find(|l| l.0 == name) {
                Some(known) => known.1.extend(faces),
                None => of_look.push((name, faces)),
            }
        }
        for (name, faces) in of_look {
            self.open(&format!("def GeomSubset \"on_{name}\""), &["MaterialBindingAPI"]);
            self.line("uniform token elementType = \"face\"\nuniform token familyName = \"materialBind\"");
            self.line(format!("int[] indices = {}", list(faces.iter())));
            self.line(format!("rel material:binding = </Outfit/Looks/{name}>"));
            self.close();
        }
    }
}

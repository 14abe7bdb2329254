//! Meshes as OBJ with its MTL: corners as they are shaded, quads and larger faces whole.

use crate::frame::Frame;
use crate::materials::Look;
use glam::Vec3;
use std::fmt::Write;
use tin_cloak_core::mesh::Mesh;

/// A mesh to be written, its vertices where they are to be.
#[derive(Clone, Copy, Debug)]
pub struct ObjPart<'a> {
    /// Its name.
    pub name: &'a str,
    /// Faces, and which are quads.
    pub mesh: &'a Mesh,
    /// Vertices, metres.
    pub positions: &'a [Vec3],
    /// Unit normals, one a vertex.
    pub normals: &'a [Vec3],
    /// Texture coordinates and materials.
    pub look: &'a Look,
}

/// The text of an OBJ in that frame, and of its MTL, which is asked for as `library`.
pub fn write_obj(parts: &[ObjPart], frame: Frame, library: &str) -> (String, String) {
    let (mut obj, mut mtl) = (format!("# {frame}\nmtllib {library}\n"), String::new());
    // Names and what each says: two materials of one name that differ are told apart.
    let mut written: Vec<(String, String)> = Vec::new();
    // Numbers count from 1, through the whole file.
    let mut first = (1, 1);
    for part in parts {
        push_part((part, frame), &mut first, &mut obj, &mut |material| {
            let (base, says) = (material_name(part.look, material), material_lines(part.look, material));
            let mut numbered = (1..).map(|n| if n == 1 { base.clone() } else { format!("{base}_{n}") });
            let fits = |name: &String| written.iter().all(|(known, other)| known != name || *other == says);
            let name = numbered.find(fits).unwrap_or_else(|| base.clone());
            if !written.iter().any(|(known, _)| *known == name) {
                line(&mut mtl, format_args!("newmtl {name}\n{says}"));
                written.push((name.clone(), says));
            }
            name
        });
    }
    (obj, mtl)
}

fn push_part(
    (part, frame): (&ObjPart, Frame),
    first: &mut (usize, usize),
    obj: &mut String,
    material: &mut dyn FnMut(Option<u32>) -> String,
) {
    line(obj, format_args!("o {}", one_line(part.name)));
    let places = part.positions.iter().map(|p| frame.point(*p));
    places.for_each(|p| line(obj, format_args!("v {} {} {}", p.x, p.y, p.z)));
    let uvs = part.look.uv_sets.first().filter(|set| set.len() == part.positions.len());
    for [u, v] in uvs.into_iter().flatten() {
        // The origin of its texture coordinates is at the lower left.
        line(obj, format_args!("vt {u} {}", 1.0 - v));
    }
    let normals = part.normals.iter().map(|n| frame.direction(*n));
    normals.for_each(|n| line(obj, format_args!("vn {} {} {}", n.x, n.y, n.z)));
    let (at, uv_at) = *first;
    let has_normals = part.normals.len() == part.positions.len();
    let corner = |v: u32| {
        let v = v as usize;
        match (uvs.is_some(), has_normals) {
            (true, true) => format!(" {}/{}/{}", at + v, uv_at + v, at + v),
            (true, false) => format!(" {}/{}", at + v, uv_at + v),
            (false, true) => format!(" {}//{}", at + v, at + v),
            (false, false) => format!(" {}", at + v),
        }
    };
    for (range, of) in part.look.ranges(part.mesh.triangles.len()) {
        line(obj, format_args!("usemtl {}", material(of)));
        let mut face = range.start;
        while face < range.end {
            let corners = part.mesh.corners_of(face);
            let text: String = corners.iter().map(|v| corner(*v)).collect();
            line(obj, format_args!("f{text}"));
            face += corners.len() - 2;
        }
    }
    *first = (at + part.positions.len(), uv_at + uvs.map_or(0, Vec::len));
}

fn line(text: &mut String, args: std::fmt::Arguments) {
    // Writing to a string does not fail.
    let _ = writeln!(text, "{args}");
}

fn one_line(name: &str) -> String {
    name.chars().map(|c| if c.is_whitespace() { '_' } else { c }).collect()
}

fn material_name(look: &Look, material: Option<u32>) -> String {
    let Some(n) = material else { return "plain".to_owned() };
    let named = look.materials.materials.get(n as usize).and_then(|m| m.get("name")?.as_str());
    one_line(named.unwrap_or(&format!("material {}", n + 1)))
}

/// Base colour and opacity: all that the form has of a material.
fn material_lines(look: &Look, material: Option<u32>) -> String {
    let [r, g, b, a] = look.base_colour(material);
    format!("Kd {r} {g} {b}\nd {a}")
}

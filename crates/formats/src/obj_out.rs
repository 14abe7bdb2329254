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
    let mut next = NextNumbers { position: 1, uv: 1, normal: 1 };
    for part in parts {
        push_part(part, frame, &mut next, &mut obj, &mut |material| {
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

/// The numbers that the next part's first vertex has in each list of the file.
struct NextNumbers {
    position: usize,
    uv: usize,
    normal: usize,
}

fn push_part(
    part: &ObjPart,
    frame: Frame,
    next: &mut NextNumbers,
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
    let normals = Some(part.normals).filter(|all| all.len() == part.positions.len());
    for n in normals.into_iter().flatten().map(|n| frame.direction(*n)) {
        line(obj, format_args!("vn {} {} {}", n.x, n.y, n.z));
    }
    let NextNumbers { position, uv, normal } = *next;
    let corner = |v: u32| {
        let v = v as usize;
        match (uvs.is_some(), normals.is_some()) {
            (true, true) => format!(" {}/{}/{}", position + v, uv + v, normal + v),
            (true, false) => format!(" {}/{}", position + v, uv + v),
            (false, true) => format!(" {}//{}", position + v, normal + v),
            (false, false) => format!(" {}", position + v),
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
    next.position += part.positions.len();
    next.uv += uvs.map_or(0, Vec::len);
    next.normal += normals.map_or(0, <[_]>::len);
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

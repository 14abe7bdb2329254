//! Faces that nobody sees, there and marked: for those who take them away where the mesh is used.

use crate::materials::{Look, MaterialRun, Materials};
use crate::MeshPart;
use serde_json::{json, Value};
use std::sync::Arc;
use tin_cloak_core::mesh::{Mesh, Polygon};

impl MeshPart {
    /// The part whole, with the triangles named in `hidden` (ascending) under materials of their own, behind those that
    /// are seen, and with the vertices told that only these use. Vertices stay as they are. A face of more sides that
    /// is half hidden falls into triangles. With the old number of each triangle.
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, mesh::Mesh};
    /// use tin_cloak_formats::MeshPart;
    ///
    /// let positions = vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::Z];
    /// let (normals, triangles) = (vec![Vec3::Z; 4], vec![[0, 1, 2], [0, 2, 3]]);
    /// let mesh = Mesh { positions, normals, triangles, polygons: Vec::new() };
    /// let (marked, order) = MeshPart { mesh, ..MeshPart::default() }.with_hidden(&[0]);
    /// assert_eq!(order, [1, 0]);
    /// assert_eq!(marked.mesh.triangles, [[0, 2, 3], [0, 1, 2]]);
    /// assert_eq!(marked.look.hidden, [false, true, false, false]);
    /// assert_eq!(marked.look.materials.materials[0]["name"], "hidden");
    /// ```
    pub fn with_hidden(self, hidden: &[u32]) -> (Self, Vec<u32>) {
        let is_hidden = |f: u32| hidden.binary_search(&f).is_ok();
        let mut materials = (*self.look.materials).clone();
        let (mut order, mut runs): (Vec<u32>, Vec<MaterialRun>) = (Vec::new(), Vec::new());
        for (range, material) in self.look.ranges(self.mesh.triangles.len()) {
            let faces = range.start as u32..range.end as u32;
            let (out_of_sight, seen): (Vec<u32>, Vec<u32>) = faces.partition(|f| is_hidden(*f));
            if !seen.is_empty() {
                runs.push(MaterialRun { first: order.len() as u32, material });
                order.extend(seen);
            }
            if !out_of_sight.is_empty() {
                let own = own_material(&mut materials, material);
                runs.push(MaterialRun { first: order.len() as u32, material: Some(own) });
                order.extend(out_of_sight);
            }
        }
        let mut seen = vec![false; self.mesh.positions.len()];
        let faces = (0u32..).zip(&self.mesh.triangles).filter(|(f, _)| !is_hidden(*f));
        faces.flat_map(|(_, t)| t).for_each(|v| seen[*v as usize] = true);
        let hidden = seen.into_iter().map(|seen| !seen).collect();
        let look = Look { runs, hidden, materials: Arc::new(materials), ..self.look };
        (Self { mesh: in_order(self.mesh, &order), look, ..self }, order)
    }
}

/// The number of a material like this one by the name of what is hidden; it is added when it is not there.
fn own_material(materials: &mut Materials, like: Option<u32>) -> u32 {
    let known = like.and_then(|m| materials.materials.get(m as usize)).filter(|m| m.is_object());
    let name =
        |m: &Value| m.get("name").and_then(Value::as_str).map_or("hidden".into(), |n| format!("{n} hidden"));
    let mut own = known.cloned().unwrap_or_else(|| json!({}));
    own["name"] = json!(name(&own));
    let at = materials.materials.iter().position(|m| *m == own).unwrap_or_else(|| {
        materials.materials.push(own);
        materials.materials.len() - 1
    });
    at as u32
}

/// The mesh with its triangles in another order; faces of more sides whose triangles stay one behind the other stay.
fn in_order(mesh: Mesh, order: &[u32]) -> Mesh {
    let mut place = vec![0; order.len()];
    (0u32..).zip(order).for_each(|(at, f)| place[*f as usize] = at);
    let stays =
        |p: &Polygon| (1..p.triangles).all(|k| place[(p.first + k) as usize] == place[p.first as usize] + k);
    let polygons = mesh.polygons.iter().filter(|p| stays(p));
    let mut polygons: Vec<Polygon> =
        polygons.map(|p| Polygon { first: place[p.first as usize], ..*p }).collect();
    polygons.sort_unstable_by_key(|p| p.first);
    Mesh { triangles: order.iter().map(|f| mesh.triangles[*f as usize]).collect(), polygons, ..mesh }
}

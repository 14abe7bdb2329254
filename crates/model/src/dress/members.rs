//! The meshes of a file that are one body: joined to be measured, and told apart to go out as they came.

use crate::dress::body::Body;
use crate::dress::tucked::amounts_at_rest;
use crate::error::WorkshopError;
use crate::state::fitting::BodyPart;
use glam::{Quat, Vec3};
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::{Kept, Mesh, Polygon, Topology};
use tin_cloak_core::query::Bvh;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::JointId;
use tin_cloak_formats::{Mark, MeshPart};

/// A mesh of a joined body.
#[derive(Clone, Debug)]
pub struct Member {
    /// The mesh as its file has it, sized and turned with the body.
    part: MeshPart,
    /// Which of it is the body.
    kept: Kept,
    /// Its connected parts that are the body, when not all are.
    shells: Option<Vec<u32>>,
    /// Where its vertices begin in the body, and where its triangles do.
    first: usize,
    first_face: usize,
}

impl Member {
    pub fn place(&mut self, scale: f32, turn: Quat) {
        self.part.place(scale, turn);
    }

    /// Those of its vertices that are among `left` of the mesh (ascending): by the body's numbers, and by their places
    /// in that list.
    pub fn vertices(&self, left: &[u32]) -> (Vec<u32>, Vec<u32>) {
        let place =
            |(n, v): (usize, &u32)| Some(((self.first + n) as u32, left.binary_search(v).ok()? as u32));
        self.kept.vertices.iter().enumerate().filter_map(place).unzip()
    }

    /// Those of the body's triangles (ascending) that are of this mesh, by its own numbers.
    pub fn own_faces(&self, of_body: &[u32]) -> Vec<u32> {
        let own = |f: &u32| self.kept.faces.get((*f as usize).checked_sub(self.first_face)?).copied();
        of_body.iter().filter_map(own).collect()
    }

    /// Which connected parts of the mesh are the body when it goes out as `part`, of which these triangles are there
    /// (numbers of the mesh, in the order of `part`); nothing where all of it is.
    pub fn shells_of(&self, part: &MeshPart, there: &[u32]) -> Option<Vec<u32>> {
        self.shells.as_ref()?;
        let topology = Topology::new(&part.mesh);
        let own = |f: &u32| self.kept.faces.binary_search(f).is_ok();
        let of_body = topology.triangles.iter().zip(there).filter(|(_, f)| own(f));
        let mut shells: Vec<u32> = of_body.map(|(t, _)| topology.shell_of_vertex[t[0] as usize]).collect();
        shells.sort_unstable();
        shells.dedup();
        Some(shells)
    }

    /// The mesh as it came, with the weights that the body has for it now (over `joints` joints), and what was
    /// made for it.
    ///
    /// # Errors
    /// Never in practice: the rows are those of sound weights.
    pub fn as_it_came(&self, body: &Body, joints: usize) -> Result<MeshPart, SkinError> {
        let mut part = self.part.clone();
        let worn = |m: &Morph| {
            let at = body.own_shapes().iter().position(|s| s.name == m.name);
            at.and_then(|n| body.amounts.get(n)).copied().unwrap_or(0.0)
        };
        part.amounts = part.morphs.iter().map(worn).collect();
        let driver = |m: &Morph| body.own_shapes().iter().find(|s| s.name == m.name).and_then(|s| s.driver);
        part.morphs.iter_mut().for_each(|m| m.driver = driver(m));
        part.morphs.extend(body.made_shapes().iter().map(|made| self.own_part_of(made, body)));
        part.amounts.extend(amounts_at_rest(body.made_shapes(), &[]));
        part.mark = Some(Mark { role: "body".to_owned(), shells: self.shells.clone(), ..Mark::default() });
        let Some(own) = &part.skin else { return Ok(part) };
        let row = |skin: &Skin, v: usize| skin.row(v).collect::<Vec<_>>();
        let mut rows: Vec<Vec<(JointId, f32)>> = (0..own.vertices()).map(|v| row(own, v)).collect();
        for (n, &v) in self.kept.vertices.iter().enumerate() {
            rows[v as usize] = row(&body.skin, self.first + n);
        }
        part.skin = Some(Skin::from_rows(&rows, joints)?);
        Ok(part)
    }

    /// A shape over the body's welded vertices, over those of the mesh.
    fn own_part_of(&self, shape: &Morph, body: &Body) -> Morph {
        let weld = &body.topology.weld;
        let of_body = weld.scatter(&shape.to_dense(weld.count()));
        let mut dense = vec![Vec3::ZERO; self.part.mesh.positions.len()];
        self.kept.vertices.iter().enumerate().for_each(|(n, v)| dense[*v as usize] = of_body[self.first + n]);
        Morph { driver: shape.driver, ..Morph::from_dense(shape.name.clone(), &dense) }
    }
}

/// One mesh of those of a list, each with the connected parts of it that are meant (none for all), and
/// what each brought. Shapes of one name are one shape.
///
/// # Errors
/// When one has no weights, or nothing of one is left.
pub fn joined(
    file: &str,
    list: Vec<(MeshPart, Option<Vec<u32>>)>,
    joints: usize,
) -> Result<(MeshPart, Vec<Member>), WorkshopError> {
    let without = || WorkshopError::BodyWithoutSkin { file: file.to_owned() };
    let name = list.first().map_or_else(String::new, |l| l.0.name.clone());
    let mut all = MeshPart { name, ..MeshPart::default() };
    let (mut members, mut rows) = (Vec::new(), Vec::new());
    for (part, shells) in list {
        let (first, first_face) = (all.mesh.positions.len(), all.mesh.triangles.len());
        let kept = body_of(&part, shells.as_deref());
        if kept.faces.is_empty() {
            return Err(WorkshopError::NoBodyLeft { mesh: part.name });
        }
        let left_out: Vec<u32> =
            (0..part.mesh.triangles.len() as u32).filter(|f| kept.faces.binary_search(f).is_err()).collect();
        let (body, _) = part.without(&left_out);
        let skin = body.skin.as_ref().ok_or_else(without)?;
        rows.extend((0..skin.vertices()).map(|v| skin.row(v).collect::<Vec<_>>()));
        append(&mut all.mesh, &body.mesh);
        for (n, shape) in body.morphs.iter().enumerate() {
            let amount = body.amounts.get(n).copied().unwrap_or(0.0);
            let at = add_shape(&mut all.morphs, shape, first as u32);
            all.amounts.resize(all.morphs.len(), 0.0);
            // A shape of several meshes is worn as one: as far as the first says that wears it.
            if all.amounts[at] == 0.0 {
                all.amounts[at] = amount;
            }
        }
        let new = |v: &u32| kept.vertices.binary_search(v).ok().map(|n| (first + n) as u32);
        let faults = &mut all.weight_faults;
        faults.weightless.extend(part.weight_faults.weightless.iter().filter_map(new));
        faults.unnormalised += part.weight_faults.unnormalised;
        for what in &part.look.not_kept {
            if !all.look.not_kept.contains(what) {
                all.look.not_kept.push(what.clone());
            }
        }
        members.push(Member { part, kept, shells, first, first_face });
    }
    let fail = |source: SkinError| WorkshopError::Bind { piece: all.name.clone(), source: source.into() };
    all.skin = Some(Skin::from_rows(&rows, joints).map_err(fail)?);
    Ok((all, members))
}

fn append(all: &mut Mesh, more: &Mesh) {
    let (vertices, faces) = (all.positions.len() as u32, all.triangles.len() as u32);
    all.positions.extend(&more.positions);
    all.normals.extend(&more.normals);
    all.triangles.extend(more.triangles.iter().map(|t| t.map(|v| v + vertices)));
    all.polygons.extend(more.polygons.iter().map(|p| Polygon { first: p.first + faces, ..*p }));
}

/// Vertices of `more` are numbered from `first` on; which of the shapes it is.
fn add_shape(shapes: &mut Vec<Morph>, more: &Morph, first: u32) -> usize {
    let at = shapes.iter().position(|s| s.name == more.name).unwrap_or_else(|| {
        shapes.push(Morph { vertices: Vec::new(), offsets: Vec::new(), ..more.clone() });
        shapes.len() - 1
    });
    shapes[at].vertices.extend(more.vertices.iter().map(|v| v + first));
    shapes[at].offsets.extend(&more.offsets);
    at
}

/// The vertices and faces of the connected parts named.
fn body_of(part: &MeshPart, shells: Option<&[u32]>) -> Kept {
    let Some(shells) = shells else { return Kept::all_of(&part.mesh) };
    let topology = Topology::new(&part.mesh);
    let mut meant = vec![false; topology.shells];
    shells.iter().filter_map(|s| meant.get_mut(*s as usize).map(|m| *m = true)).for_each(drop);
    let shell = |t: &[u32; 3]| topology.shell_of_vertex[t[0] as usize];
    let is_in = |f: &u32| meant[shell(&topology.triangles[*f as usize]) as usize];
    let faces: Vec<u32> = (0..topology.triangles.len() as u32).filter(is_in).collect();
    let mut used = vec![false; part.mesh.positions.len()];
    faces.iter().flat_map(|&f| part.mesh.triangles[f as usize]).for_each(|v| used[v as usize] = true);
    Kept { vertices: (0..used.len() as u32).filter(|v| used[*v as usize]).collect(), faces }
}

/// A mesh that a body is made of.
#[derive(Clone, Debug, PartialEq)]
pub struct BodyMesh {
    /// Which it is, and which of its parts are the body.
    pub part: BodyPart,
    /// The names of its shapes, in the order in which a clip keys them.
    pub shapes: Vec<String>,
    /// Its connected parts: how many vertices each has, and its middle, metres.
    pub shells: Vec<(usize, Vec3)>,
}

impl BodyMesh {
    pub fn new(mesh: &MeshPart, part: &BodyPart) -> Self {
        let topology = Topology::new(&mesh.mesh);
        let rest = topology.weld.gather(&mesh.mesh.positions);
        let mut shells = vec![(0, Vec3::ZERO); topology.shells];
        for (p, &shell) in rest.iter().zip(&topology.shell_of_vertex) {
            let (count, sum) = &mut shells[shell as usize];
            (*count, *sum) = (*count + 1, *sum + *p);
        }
        shells.iter_mut().for_each(|(count, sum)| *sum /= (*count).max(1) as f32);
        let named = mesh.morphs.iter().map(|m| m.name.clone()).collect();
        Self { part: part.clone(), shapes: named, shells }
    }
}

/// Another skinned mesh of the body's file.
#[derive(Clone, Debug, PartialEq)]
pub struct Beside {
    /// Its name.
    pub name: String,
    /// How many vertices it has.
    pub vertices: usize,
    /// True when it closes an open edge of the body, or of what does: most likely the rest of it.
    pub closes: bool,
}

/// Vertices no further apart than this lie on one seam, metres.
const SEAM: f32 = 0.002;

impl Beside {
    /// What other meshes are to a body of some: a head closes the trunk's edge even where the body that was begun
    /// with is the legs.
    pub fn all(body: &[&MeshPart], others: &[&MeshPart]) -> Vec<Self> {
        let edges: Vec<Vec<Vec3>> = others.iter().map(|part| open_edge(part)).collect();
        let mut open: Vec<Vec3> = body.iter().flat_map(|part| open_edge(part)).collect();
        let mut closes = vec![false; others.len()];
        loop {
            let tree = Bvh::over_points(&open);
            let meets = |own: &Vec<Vec3>| {
                let met = own.iter().filter(|p| tree.closest(**p, SEAM).is_some()).count();
                met >= 6 && met * 3 >= own.len().min(tree.len())
            };
            let more: Vec<usize> = (0..others.len()).filter(|i| !closes[*i] && meets(&edges[*i])).collect();
            if more.is_empty() {
                break;
            }
            for i in more {
                closes[i] = true;
                open.extend_from_slice(&edges[i]);
            }
        }
        let one = |(part, closes): (&&MeshPart, bool)| {
            let (name, vertices) = (part.name.clone(), part.mesh.positions.len());
            Self { name, vertices, closes }
        };
        others.iter().zip(closes).map(one).collect()
    }
}

fn open_edge(part: &MeshPart) -> Vec<Vec3> {
    let topology = Topology::new(&part.mesh);
    let rest = topology.weld.gather(&part.mesh.positions);
    (0..rest.len()).filter(|&v| topology.on_boundary[v]).map(|v| rest[v]).collect()
}

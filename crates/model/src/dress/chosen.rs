//! Which vertices of a piece a step works on.

use crate::dress::body::Body;
use crate::dress::piece::Piece;
use crate::error::WorkshopError;
use crate::state::choice::{Pick, PickHow, What};
use crate::state::stroke::Chosen;
use crate::state::stroke::Reach;
use glam::Vec3;
use tin_cloak_core::bind::clean::{mirror_image, torn_vertices, BoundMesh, NO_IMAGE};
use tin_cloak_core::bind::sides::BodySide;
use tin_cloak_core::choose::{
    between, edge_loop, flags, grow, grow_by, listed, rows_from_open_edge, shortest_way, shrink, shrink_by,
};
use tin_cloak_core::mesh::{over_surface, Topology};
use tin_cloak_core::query::Bvh;
use tin_cloak_core::seat::{Brush, Fade, Stroke};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::from_mm;
use tin_cloak_formats::Look;

/// A pass has no more dabs than this.
const MOST_DABS: usize = 2000;

impl Reach {
    /// The places on a mesh at `rest` where it was set down, mirror images across the `plane` (x, metres) included.
    ///
    /// # Errors
    /// When the radius makes no sense or a vertex is not there.
    pub fn centres(&self, rest: &[Vec3], plane: f32) -> Result<Vec<u32>, WorkshopError> {
        if !(0.5..=500.0).contains(&self.radius_mm) || self.dabs.len() > MOST_DABS {
            return Err(WorkshopError::BadBrush);
        }
        let radius = self.radius();
        let partners = self.mirrored.then(|| Bvh::over_points(rest));
        let mut centres = Vec::with_capacity(self.dabs.len());
        for &centre in &self.dabs {
            let missing = WorkshopError::Missing { what: "vertex", id: i64::from(centre) };
            let place = *rest.get(centre as usize).ok_or(missing)?;
            let image = Vec3::new(2.0 * plane - place.x, place.y, place.z);
            centres.push(centre);
            // On the middle itself one dab is enough.
            let far = (image.x - plane).abs() > radius * 0.25;
            let other = partners.as_ref().filter(|_| far).and_then(|t| t.closest(image, radius));
            centres.extend(other.map(|o| o.triangle));
        }
        Ok(centres)
    }

    /// Where its mirror images were set down.
    ///
    /// # Errors
    /// As [`Reach::centres`].
    pub fn image(&self, rest: &[Vec3], plane: f32) -> Result<Self, WorkshopError> {
        let all = Self { mirrored: true, ..self.clone() }.centres(rest, plane)?;
        let dabs = all.into_iter().filter(|v| !self.dabs.contains(v)).collect();
        Ok(Self { dabs, mirrored: false, ..self.clone() })
    }

    pub fn radius(&self) -> f32 {
        from_mm(self.radius_mm)
    }

    /// Which vertices of `piece` it touched.
    ///
    /// # Errors
    /// When the radius makes no sense or a vertex is not there.
    pub fn vertices(&self, piece: &Piece) -> Result<Vec<bool>, WorkshopError> {
        self.vertices_of(&piece.rest, piece.plane, &piece.topology)
    }

    /// The same of any mesh at rest (welded).
    pub fn vertices_of(
        &self,
        rest: &[Vec3],
        plane: f32,
        topology: &Topology,
    ) -> Result<Vec<bool>, WorkshopError> {
        let mut touched = vec![false; rest.len()];
        let centres = self.centres(rest, plane)?;
        let reached = over_surface(rest, topology, &centres, self.radius());
        reached.into_iter().for_each(|(v, _)| touched[v as usize] = true);
        Ok(touched)
    }
}

/// How much of a change each vertex under a brush gets, 0 to 1: all of it within `firm` percent of the radius, from
/// there it falls off. Where dabs lie over each other the most counts.
///
/// # Errors
/// When the radius makes no sense or a vertex is not there.
pub fn soft_shares(piece: &Piece, reach: &Reach, firm: f32) -> Result<Vec<f32>, WorkshopError> {
    if !(0.0..=100.0).contains(&firm) {
        return Err(WorkshopError::BadBrush);
    }
    let brush = Brush { stroke: Stroke::Smooth, radius: reach.radius(), strength: 1.0, firm: firm * 0.01 };
    let mut shares = vec![0.0; piece.rest.len()];
    let centres = reach.centres(&piece.rest, piece.plane)?;
    for (v, far) in over_surface(&piece.rest, &piece.topology, &centres, reach.radius()) {
        shares[v as usize] = brush.strength_at(far);
    }
    Ok(shares)
}

/// How much of a change each vertex gets that fades over so much beyond what is chosen, along the surface, millimetres.
pub fn faded(piece: &Piece, chosen: &[bool], fade: Fade, fade_mm: f32) -> Vec<f32> {
    let mut shares: Vec<f32> = chosen.iter().map(|c| f32::from(*c)).collect();
    let reach = from_mm(fade_mm);
    if reach <= 0.0 {
        return shares;
    }
    for (v, far) in over_surface(&piece.rest, &piece.topology, &listed(chosen), reach) {
        shares[v as usize] = fade.share_at(far / reach);
    }
    shares
}

/// A piece to choose on, with the weights it has now.
#[derive(Clone, Copy)]
pub struct Choosing<'a> {
    pub piece: &'a Piece,
    pub body: &'a Body,
    pub skin: Option<&'a Skin>,
}

impl<'a> Choosing<'a> {
    /// With the weights that the piece is bound by.
    pub fn on(piece: &'a Piece, body: &'a Body) -> Self {
        Self { piece, body, skin: piece.bound.as_ref().map(|b| &b.skin) }
    }

    /// Which vertices are chosen.
    ///
    /// # Errors
    /// When something that a pick names is not there, a number makes no sense, or picks come to nothing.
    pub fn chosen(self, chosen: &Chosen) -> Result<Vec<bool>, WorkshopError> {
        match chosen {
            Chosen::Everything => Ok(vec![true; self.piece.rest.len()]),
            Chosen::Around(reach) => reach.vertices(self.piece),
            Chosen::Picks(picks) => {
                let picked = self.picked(picks)?;
                let nothing = || WorkshopError::NothingChosen { piece: self.piece.name.clone() };
                picked.contains(&true).then_some(picked).ok_or_else(nothing)
            }
        }
    }

    /// What picks come to, one after the other.
    ///
    /// # Errors
    /// As [`Choosing::chosen`].
    pub fn picked(self, picks: &[Pick]) -> Result<Vec<bool>, WorkshopError> {
        let mut so_far = vec![false; self.piece.rest.len()];
        for pick in picks {
            if let Some(changed) = self.reshaped(&pick.what, &so_far)? {
                so_far = changed;
                continue;
            }
            let meant = self.meant(&pick.what)?;
            for (flag, meant) in so_far.iter_mut().zip(meant) {
                *flag = match pick.how {
                    PickHow::Add => *flag || meant,
                    PickHow::Take => *flag && !meant,
                    PickHow::Within => *flag && meant,
                };
            }
        }
        Ok(so_far)
    }

    /// What a pick makes of what is chosen so far; none for one that means vertices by itself.
    fn reshaped(self, what: &What, so_far: &[bool]) -> Result<Option<Vec<bool>>, WorkshopError> {
        let (rest, topology) = (&*self.piece.rest, &*self.piece.topology);
        Ok(Some(match *what {
            What::Rings(rings) if rings.unsigned_abs() > 1000 => return Err(WorkshopError::BadChoice),
            What::Rings(rings) if rings < 0 => shrink(topology, so_far, rings.unsigned_abs() as usize),
            What::Rings(rings) => grow(topology, so_far, rings as usize),
            What::Wider { mm } if mm.is_nan() || mm.abs() > 1000.0 => return Err(WorkshopError::BadChoice),
            What::Wider { mm } if mm < 0.0 => shrink_by(rest, topology, so_far, from_mm(-mm)),
            What::Wider { mm } => grow_by(rest, topology, so_far, from_mm(mm)),
            What::Invert => so_far.iter().map(|c| !c).collect(),
            What::Mirrored => self.with_image(so_far),
            _ => return Ok(None),
        }))
    }

    /// With the vertices nearest to the mirror images.
    fn with_image(self, so_far: &[bool]) -> Vec<bool> {
        let (rest, plane) = (&self.piece.rest, self.body.plane());
        let tree = Bvh::over_points(rest);
        let mut all = so_far.to_vec();
        for v in listed(so_far) {
            let image = tree.closest(mirror_image(rest[v as usize], plane), IMAGE);
            image.into_iter().for_each(|hit| all[hit.triangle as usize] = true);
        }
        all
    }

    fn meant(self, what: &What) -> Result<Vec<bool>, WorkshopError> {
        let (rest, topology) = (&*self.piece.rest, &*self.piece.topology);
        let count = rest.len();
        let vertex = |v: u32| {
            let missing = WorkshopError::Missing { what: "vertex", id: i64::from(v) };
            if (v as usize) < count {
                Ok(v as usize)
            } else {
                Err(missing)
            }
        };
        let edge = |[a, b]: [u32; 2]| Ok::<_, WorkshopError>([vertex(a)? as u32, vertex(b)? as u32]);
        let skin = self.skin.ok_or(WorkshopError::BindFirst);
        Ok(match what {
            What::All => vec![true; count],
            What::Vertices(list) => flags(count, list),
            What::Around(reach) => reach.vertices(self.piece)?,
            What::Part(v) => {
                let part = topology.shell_of_vertex[vertex(*v)?];
                topology.shell_of_vertex.iter().map(|s| *s == part).collect()
            }
            What::Material(v) => flags(count, &of_material(&self.piece.look, topology, vertex(*v)? as u32)),
            What::Loop(ends) => flags(count, &edge_loop(rest, topology, edge(*ends)?)),
            What::Way(ends) => {
                let [from, to] = edge(*ends)?;
                flags(count, &shortest_way(rest, topology, from, to))
            }
            What::Between([first, second]) => {
                let line = |ends: [u32; 2]| Ok::<_, WorkshopError>(edge_loop(rest, topology, edge(ends)?));
                between(topology, &line(*first)?, &line(*second)?)
            }
            What::Rows { vertex: v, rows } => {
                rows_from_open_edge(rest, topology, vertex(*v)? as u32, (*rows).min(1000))
            }
            What::Side(side) => {
                let plane = self.body.plane();
                let of = |x: f32| match side {
                    BodySide::Left => x > plane + MIDDLE,
                    BodySide::Right => x < plane - MIDDLE,
                    BodySide::Centre => (x - plane).abs() <= MIDDLE,
                };
                rest.iter().map(|p| of(p.x)).collect()
            }
            What::Wall { outside } => {
                let walls = self.piece.walls();
                let wall = if *outside { walls.outside() } else { &walls.towards_body };
                flags(count, &wall.used)
            }
            What::Joint { joint, over } => {
                let missing = || WorkshopError::NoSuchJoint { joint: joint.clone() };
                let joint = self.body.skeleton.find(joint).ok_or_else(missing)?;
                skin?.column(joint).into_iter().map(|w| w > *over).collect()
            }
            What::OverJoints(most) => {
                let skin = skin?;
                (0..count).map(|v| skin.row(v).count() > *most).collect()
            }
            What::NoImage => {
                let (tree, x) = (Bvh::build(rest, &topology.triangles), self.body.plane());
                let lost = |p: &Vec3| tree.closest(mirror_image(*p, x), NO_IMAGE).is_none();
                rest.iter().map(lost).collect()
            }
            What::Torn => self.torn(skin?),
            What::Filled => {
                let bound = self.piece.bound.as_ref().ok_or(WorkshopError::BindFirst)?;
                flags(count, &bound.filled)
            }
            What::Group(picks) => self.picked(picks)?,
            // What depends on the moment was asked when it was chosen.
            _ => return Err(WorkshopError::BadChoice),
        })
    }

    fn torn(self, skin: &Skin) -> Vec<bool> {
        let (positions, topology) = (&*self.piece.rest, &*self.piece.topology);
        let (chosen, locked) = (vec![true; positions.len()], vec![false; self.body.skeleton.len()]);
        let most = skin.max_influences();
        let bound = BoundMesh { positions, topology, skin, chosen: &chosen, locked: &locked, most };
        flags(positions.len(), &torn_vertices(bound))
    }
}

/// A mirror image further than this from every vertex is none of them, metres.
const IMAGE: f32 = 0.02;
/// Nearer to the plane of symmetry is neither left nor right, metres.
const MIDDLE: f32 = 0.001;

/// The vertices of all faces that have the material of the first face at a vertex; none where no face is there.
pub fn of_material(look: &Look, topology: &Topology, vertex: u32) -> Vec<u32> {
    let ranges = look.ranges(topology.triangles.len());
    let Some(&face) = topology.incident.row(vertex as usize).first() else { return Vec::new() };
    let Some(here) = ranges.iter().find(|r| r.0.contains(&(face as usize))) else { return Vec::new() };
    let alike = ranges.iter().filter(|r| r.1 == here.1);
    alike.flat_map(|r| &topology.triangles[r.0.clone()]).flatten().copied().collect()
}

//! Snags as people read them: where, how deep, and which joint is the cause.

use crate::measuring::board::{through_in_words, Board};
use crate::measuring::floor_rows::GROUND;
use crate::measuring::posed::Posed;
use crate::measuring::posed::PosedOfRoom;
use glam::{Mat3, Vec3};
use serde::Serialize;
use tin_cloak_core::clearance::{looks, rank_causes, snags, Layer, PairPoints, Snag};
use tin_cloak_core::deform::{blended_matrix, Morph};
use tin_cloak_core::trial::Humanoid;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::worn::Worn;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::turn::Turn;

/// A snag as people read it.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct SnagCard {
    /// What is through what.
    pub through: String,
    pub place: String,
    pub deepest_mm: f32,
    pub vertices: usize,
    pub point: [f32; 3],
    /// From which direction it is seen best.
    pub look: [f32; 3],
    /// Joint or shape and millimetres, largest first.
    pub causes: Vec<(String, f32)>,
}

impl Board {
    /// What a cell says of layers that are in each other as they were not at rest, or that run through each
    /// other with nothing out in sight: its one place. None where no cell says so.
    pub fn crossing_card(&self, pose: usize, row: usize) -> Option<SnagCard> {
        let cell = self.cells.get(pose)?.get(row)?.as_ref()?;
        let between = cell.edge_deepest_mm > cell.deepest_mm.max(cell.sunk_deepest_mm);
        let pair = &self.pairs[row];
        let grounded = pair.ids[1] == GROUND;
        let told = cell.contact_mm > 0.0 || between || cell.only_crosses() || grounded;
        let (point, look) = cell.spot.filter(|_| told)?;
        let place = match grounded {
            true => "hangs lower than the figure stands".to_owned(),
            false => format!("{} faces meet over {:.0} mm", cell.crossing_faces, cell.crossing_mm),
        };
        Some(SnagCard {
            through: through_in_words(&pair.outer, &pair.inner),
            place,
            deepest_mm: cell.contact_mm.max(cell.edge_deepest_mm).max(if grounded {
                cell.depth_mm()
            } else {
                0.0
            }),
            vertices: 0,
            point,
            look,
            causes: Vec::new(),
        })
    }
}

/// Asked of a room: snags as people read them: where, how deep, and which joint is the cause.
pub trait SnagCardsOfRoom {
    /// The deepest snags of a pose, at most so many, deepest first, and how many there are besides; of one
    /// board row when `row` is given.
    ///
    /// # Errors
    /// When the pose is not there.
    fn snag_cards(
        &self,
        pose: usize,
        turns: &[Turn],
        row: Option<usize>,
        most: usize,
    ) -> Result<(Vec<SnagCard>, usize), WorkshopError>;

    /// “Outer through inner”, in the names of the layers.
    fn through(&self, worn: &Worn, outer: usize, inner: usize) -> String;

    /// Where a vertex of a layer is in the pose.
    fn posed_at(&self, worn: &Worn, posed: &Posed, layer: usize, v: u32) -> Vec3;

    /// The three joints or shapes that take a vertex of a layer furthest from what is `beneath` it.
    fn causes(
        &self,
        worn: &Worn,
        posed: &Posed,
        layer: usize,
        v: u32,
        beneath: &[(JointId, f32)],
    ) -> Vec<(String, f32)>;

    /// What people call a place in the pose: a part of the body, else the joint nearest.
    fn place_name(&self, posed: &Posed, at: Vec3) -> String;

    /// The same for somebody who was found in the skeleton, with the joints at `places`.
    fn place_name_by(&self, person: &Humanoid, places: &[Vec3], at: Vec3) -> String;
}

impl SnagCardsOfRoom for Room {
    fn snag_cards(
        &self,
        pose: usize,
        turns: &[Turn],
        row: Option<usize>,
        most: usize,
    ) -> Result<(Vec<SnagCard>, usize), WorkshopError> {
        let (worn, posed) = (self.worn(), self.posed(pose, turns)?);
        let points = self.points(&worn, &posed);
        let (outfit, points) = (&worn.outfit, &points.0);
        let rows = crate::measuring::board::rows(outfit);
        let chosen = |pair: &usize| row.is_none_or(|r| rows.get(r) == Some(pair));
        let mut found: Vec<Snag> = (0..outfit.pairs.len())
            .filter(chosen)
            .flat_map(|pair| snags(outfit, pair, &points[pair], self.settings_of(&worn, pair)))
            .collect();
        found.sort_by(|a, b| b.deepest.total_cmp(&a.deepest));
        let more = found.len().saturating_sub(most);
        found.truncate(most);
        let places = self.with_buffers(&worn.outfit, |buffers| {
            buffers.pose(outfit, &posed.pose.matrices, &posed.pose.amounts);
            let place = |s: &Snag| {
                let (p, n) = s.place(outfit, buffers, &points[s.pair]);
                (p, n, outfit.pairs[s.pair].outer)
            };
            let places: Vec<_> = found.iter().map(place).collect();
            let seen_from = looks(outfit, buffers, &places);
            places.into_iter().map(|p| p.0).zip(seen_from).collect::<Vec<_>>()
        });
        let card =
            |(s, (at, look)): (&Snag, (Vec3, Vec3))| snag_card(self, &worn, &posed, points, s, at, look);
        Ok((found.iter().zip(places).map(card).collect(), more))
    }

    fn through(&self, worn: &Worn, outer: usize, inner: usize) -> String {
        let name = |layer: usize| self.dress.layer_name(worn.piece_of[layer]);
        through_in_words(name(outer), name(inner))
    }

    fn posed_at(&self, worn: &Worn, posed: &Posed, layer: usize, v: u32) -> Vec3 {
        worn.piece_of[layer].map_or(&posed.body, |p| &posed.pieces[p])[v as usize]
    }

    fn causes(
        &self,
        worn: &Worn,
        posed: &Posed,
        layer: usize,
        v: u32,
        beneath: &[(JointId, f32)],
    ) -> Vec<(String, f32)> {
        let at = self.posed_at(worn, posed, layer, v);
        let layer = &worn.outfit.layers[layer];
        let rest = layer.rest[v as usize];
        let causes = rank_causes(rest, at, &layer.skin, v, beneath, &posed.pose.matrices);
        let names = &self.dress.body.skeleton.names;
        let by_joint = causes.iter().map(|c| (names[c.joint.index()].clone(), c.metres));
        worst_three(by_joint.chain(shape_causes(layer, posed, v)))
    }

    fn place_name(&self, posed: &Posed, at: Vec3) -> String {
        let rest = self.dress.body.skeleton.rest_positions();
        let places: Vec<Vec3> =
            rest.iter().zip(&posed.pose.matrices).map(|(p, m)| m.transform_point3(*p)).collect();
        self.place_name_by(&Humanoid::find(&self.dress.body.skeleton), &places, at)
    }

    fn place_name_by(&self, person: &Humanoid, places: &[Vec3], at: Vec3) -> String {
        let skeleton = &self.dress.body.skeleton;
        let nearest = (0..skeleton.len())
            .min_by(|a, b| places[*a].distance_squared(at).total_cmp(&places[*b].distance_squared(at)));
        let joint = || nearest.map_or_else(String::new, |j| skeleton.names[j].clone());
        person.part_near(at, places).unwrap_or_else(joint)
    }
}

pub fn worst_three(causes: impl Iterator<Item = (String, f32)>) -> Vec<(String, f32)> {
    let mut list: Vec<(String, f32)> = causes.map(|(name, metres)| (name, to_mm(metres))).collect();
    list.sort_by(|a, b| b.1.total_cmp(&a.1));
    list.truncate(3);
    list
}

/// How far each driven shape moves vertex `v` of a layer in the pose, metres.
fn shape_causes(layer: &Layer, posed: &Posed, v: u32) -> Vec<(String, f32)> {
    let blend = Mat3::from_mat4(blended_matrix(&layer.skin, v as usize, &posed.pose.matrices));
    let moved = |(shape, amount): (&Morph, &f32)| {
        let at = shape.vertices.binary_search(&v).ok()?;
        let metres = (blend * shape.offsets[at]).length() * amount;
        (metres > 0.0).then(|| (format!("shape “{}”", shape.name), metres))
    };
    layer.morphs.iter().zip(&posed.pose.amounts).filter_map(moved).collect()
}

fn snag_card(
    room: &Room,
    worn: &Worn,
    posed: &Posed,
    points: &[PairPoints],
    snag: &Snag,
    shows_at: Vec3,
    look: Vec3,
) -> SnagCard {
    let outfit = &worn.outfit;
    let pair = &outfit.pairs[snag.pair];
    let points = &points[snag.pair];
    let v = snag.vertices[0];
    let (own, other, asked) = match snag.on_outer {
        true => (pair.outer, pair.inner, pair.coverage.over.binary_search(&v).map(|i| points.outer[i])),
        false => (pair.inner, pair.outer, pair.coverage.covered.binary_search(&v).map(|i| points.inner[i])),
    };
    let mut beneath = Vec::new();
    if let Ok(Some(asked)) = asked {
        let l = &outfit.layers[other];
        let side = if snag.on_outer { l.walls.outside() } else { &l.walls.towards_body };
        beneath = l.skin.at(side.topology.triangles[asked.triangle as usize], asked.barycentric);
    }
    SnagCard {
        through: room.through(worn, pair.outer, pair.inner),
        place: room.place_name(posed, room.posed_at(worn, posed, own, v)),
        deepest_mm: to_mm(snag.deepest),
        vertices: snag.vertices.len(),
        point: shows_at.to_array(),
        look: look.to_array(),
        causes: room.causes(worn, posed, own, v, &beneath),
    }
}

//! Hand work with a brush, as steps keep it.

use crate::{Piece, Room, ViewPart, WorkshopError};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::mesh::{along_edges, Topology};
use tin_cloak_core::query::Tree;
use tin_cloak_core::seat::{dab, Brush, Gap, Stroke};

/// Where a brush was set down.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Reach {
    /// How far it reaches along the cloth, millimetres.
    pub radius_mm: f32,
    /// Welded vertices at which it was set down, in order.
    pub dabs: Vec<u32>,
    /// Also on the mirror image of each place.
    pub mirrored: bool,
}

/// One pass of the brush.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BrushStroke {
    /// What it does.
    pub stroke: Stroke,
    /// Millimetres a dab moves its middle, or percent of the way when smoothing.
    pub strength: f32,
    /// Percent of the radius that get the whole strength; from there it falls off.
    #[serde(default)]
    pub firm_percent: f32,
    /// Where.
    #[serde(flatten)]
    pub reach: Reach,
}

/// What lies under a brush.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct UnderBrush {
    /// Vertices inside what lies beneath, beyond the tolerance.
    pub sunk: usize,
    /// The deepest of them, millimetres.
    pub deepest_mm: f32,
}

/// A piece as a pass of the brush would leave it.
#[derive(Clone, Debug)]
pub struct BrushLook {
    /// With its gaps.
    pub part: ViewPart,
    /// Under the brush, before the pass.
    pub before: UnderBrush,
    /// And after it.
    pub after: UnderBrush,
}

/// A pass has no more dabs than this.
const MOST_DABS: usize = 2000;

impl Reach {
    /// The places on a mesh at `rest` where it was set down, mirror images included.
    ///
    /// # Errors
    /// When the radius makes no sense or a vertex is not there.
    fn centres(&self, rest: &[Vec3]) -> Result<Vec<u32>, WorkshopError> {
        if !(0.5..=500.0).contains(&self.radius_mm) || self.dabs.len() > MOST_DABS {
            return Err(WorkshopError::BadBrush);
        }
        let radius = self.radius();
        let partners = self.mirrored.then(|| Tree::over_points(rest));
        let mut centres = Vec::with_capacity(self.dabs.len());
        for &centre in &self.dabs {
            let missing = WorkshopError::Missing { what: "vertex", id: i64::from(centre) };
            let image = *rest.get(centre as usize).ok_or(missing)? * Vec3::new(-1.0, 1.0, 1.0);
            centres.push(centre);
            // On the middle itself one dab is enough.
            let far = image.x.abs() > radius * 0.25;
            let other = partners.as_ref().filter(|_| far).and_then(|t| t.closest(image, radius));
            centres.extend(other.map(|o| o.triangle));
        }
        Ok(centres)
    }

    fn radius(&self) -> f32 {
        self.radius_mm * 0.001
    }

    /// Which vertices of `piece` it touched.
    ///
    /// # Errors
    /// When the radius makes no sense or a vertex is not there.
    pub(crate) fn vertices(&self, piece: &Piece) -> Result<Vec<bool>, WorkshopError> {
        self.vertices_of(&piece.rest, &piece.topology)
    }

    /// The same of any mesh at rest (welded).
    pub(crate) fn vertices_of(&self, rest: &[Vec3], topology: &Topology) -> Result<Vec<bool>, WorkshopError> {
        let mut touched = vec![false; rest.len()];
        let centres = self.centres(rest)?;
        let reached = along_edges(rest, &topology.neighbours, &centres, self.radius());
        reached.into_iter().for_each(|(v, _)| touched[v as usize] = true);
        Ok(touched)
    }
}

impl BrushStroke {
    /// What it does, as a step begins.
    pub fn word(&self) -> &'static str {
        match self.stroke {
            Stroke::PullOut => "Pull out",
            Stroke::PushIn => "Push in",
            Stroke::Smooth => "Smooth",
        }
    }

    /// Rest positions of `piece` after the pass.
    ///
    /// # Errors
    /// When a number makes no sense or a vertex is not there.
    pub fn applied(&self, piece: &Piece) -> Result<Vec<Vec3>, WorkshopError> {
        let strength = match self.stroke {
            Stroke::Smooth => self.strength * 0.01,
            _ => self.strength * 0.001,
        };
        let firm = self.firm_percent * 0.01;
        if !(0.0..=1.0).contains(&strength) || !(0.0..=1.0).contains(&firm) {
            return Err(WorkshopError::BadBrush);
        }
        let brush = Brush { stroke: self.stroke, radius: self.reach.radius(), strength, firm };
        let mut positions = piece.rest.clone();
        for centre in self.reach.centres(&piece.rest)? {
            dab(&mut positions, &piece.topology, centre, brush);
        }
        Ok(positions)
    }
}

impl Room {
    /// A piece at rest as a pass of the brush would leave it, with its gaps (millimetres) to what
    /// lies beneath.
    ///
    /// # Errors
    /// When the piece is not there or the pass makes no sense.
    pub fn brush_view(&self, piece: u32, stroke: &BrushStroke) -> Result<BrushLook, WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        let worn = &self.dress.pieces[index];
        let rest = stroke.applied(worn)?;
        let touched = stroke.reach.vertices(worn)?;
        let gaps = self.gaps_where_moved(index, &rest);
        let under = |gaps: &[Option<Gap>]| self.under_brush(&touched, gaps);
        let (before, after) = (under(&self.rest_gaps(index)), under(&gaps));
        Ok(BrushLook { part: self.rest_part(index, &rest, &gaps), before, after })
    }

    /// The gaps of piece `index` with its vertices at `rest`: asked anew only where it or a
    /// neighbour has moved.
    fn gaps_where_moved(&self, index: usize, rest: &[Vec3]) -> Vec<Option<Gap>> {
        let (worn, known) = (&self.dress.pieces[index], self.rest_gaps(index));
        let moved: Vec<bool> = rest.iter().zip(&worn.rest).map(|(a, b)| a != b).collect();
        let beside = |v: &usize| worn.topology.neighbours.row(*v).iter().any(|&n| moved[n as usize]);
        let anew: Vec<usize> = (0..rest.len()).filter(|v| moved[*v] || beside(v)).collect();
        let mut gaps = known.to_vec();
        let asked = self.ground(index).gaps_of(worn, rest, &anew);
        anew.into_iter().zip(asked).for_each(|(v, gap)| gaps[v] = gap);
        gaps
    }

    fn under_brush(&self, touched: &[bool], gaps: &[Option<Gap>]) -> UnderBrush {
        let mut under = UnderBrush::default();
        let met = gaps.iter().zip(touched).filter(|(_, t)| **t).filter_map(|(g, _)| g.as_ref());
        for depth in met.map(|g| -g.clearance * 1000.0).filter(|d| *d > self.state.tolerance_mm) {
            under.sunk += 1;
            under.deepest_mm = under.deepest_mm.max(depth);
        }
        under
    }
}

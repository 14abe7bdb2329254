//! Findings: plain sentences with a place and, where there is one, a cure that is a step.

use glam::Vec3;
use tin_cloak_core::intake::{strays, SurfaceFacts};
use tin_cloak_core::units::to_mm;
use tin_cloak_formats::Look;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::step::{IntakeStep, Step};

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grade {
    /// Work done now would be wasted.
    Trouble,
    /// Worth a look.
    Doubt,
    /// Good to know.
    Note,
}

/// What one press does about a finding.
#[derive(Clone, Debug, PartialEq)]
pub struct Cure {
    /// On the button.
    pub label: String,
    /// The step.
    pub step: Step,
}

/// Something found.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// How much it matters.
    pub grade: Grade,
    /// What was found, in one sentence.
    pub sentence: String,
    /// Where, in the rest pose, metres.
    pub place: Option<Vec3>,
    /// What can be done about it here.
    pub cure: Option<Cure>,
}

impl Finding {
    pub fn new(grade: Grade, sentence: impl Into<String>) -> Self {
        Self { grade, sentence: sentence.into(), place: None, cure: None }
    }

    pub fn at(mut self, place: Vec3) -> Self {
        self.place = Some(place);
        self
    }

    pub fn cured_by(mut self, label: impl Into<String>, step: Step) -> Self {
        self.cure = Some(Cure { label: label.into(), step });
        self
    }
}

pub fn counted(count: usize, one: &str, many: &str) -> String {
    if count == 1 {
        format!("1 {one}")
    } else {
        format!("{count} {many}")
    }
}

pub fn mm(metres: f32) -> String {
    let mm = to_mm(metres);
    if mm.abs() < 10.0 {
        format!("{mm:.1} mm")
    } else {
        format!("{mm:.0} mm")
    }
}

pub fn unit_words(scale: f32) -> String {
    let known = match scale {
        0.01 => "in centimetres",
        0.001 => "in millimetres",
        0.0254 => "in inches",
        0.3048 => "in feet",
        0.1 => "in decimetres",
        10.0 => "ten times too small",
        1.0 => "in metres",
        _ => return format!("at one to {scale}"),
    };
    known.to_owned()
}

/// Faces that spoil any computation, of a body or a piece (its number): of a piece those without area can be left out.
pub fn surface(
    facts: &SurfaceFacts,
    positions: &[Vec3],
    triangles: &[[u32; 3]],
    piece: Option<PieceId>,
) -> Vec<Finding> {
    let mut found = Vec::new();
    let at = |face: u32| positions[triangles[face as usize][0] as usize];
    if let Some(&first) = facts.empty_faces.first() {
        let text = format!("{} without area", counted(facts.empty_faces.len(), "face", "faces"));
        let empty = Finding::new(Grade::Doubt, text).at(at(first));
        let can_be_cured = facts.empty_faces.len() < triangles.len();
        found.push(match piece.filter(|_| can_be_cured) {
            Some(piece) => {
                empty.cured_by("Leave them out", Step::Intake(IntakeStep::LeaveOutEmpty { piece }))
            }
            None => empty,
        });
    }
    if let Some(&first) = facts.doubled_faces.first() {
        let faces = counted(facts.doubled_faces.len(), "face lies", "faces lie");
        found.push(Finding::new(Grade::Doubt, format!("{faces} on another face")).at(at(first)));
    }
    if let Some(&[a, _]) = facts.crowded_edges.first() {
        let edges = counted(facts.crowded_edges.len(), "edge", "edges");
        let text = format!("{edges} at which more than two faces meet");
        found.push(Finding::new(Grade::Doubt, text).at(positions[a as usize]));
    }
    found
}

/// What the file of a body or a piece has of its mesh that does not go out again.
pub fn not_kept(look: &Look) -> Option<Finding> {
    let what = look.not_kept.join(", ");
    (!what.is_empty()).then(|| {
        let text = format!("not kept, and not in the file that goes out: {what}");
        Finding::new(Grade::Doubt, text)
    })
}

/// Vertices of a body or a piece that lie nowhere near the others.
pub fn strayed(rest: &[Vec3]) -> Option<Finding> {
    let lost = strays(rest);
    let first = rest[*lost.first()? as usize];
    let near = rest.iter().zip(0u32..).find(|(_, v)| lost.binary_search(v).is_err()).map_or(first, |n| *n.0);
    let text = format!(
        "{} {:.0} m away from the others",
        counted(lost.len(), "vertex lies", "vertices lie"),
        first.distance(near)
    );
    Some(Finding::new(Grade::Trouble, text).at(near))
}

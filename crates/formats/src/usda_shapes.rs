//! Names of shapes in a USD. One weight of the animation is shared by all meshes whose shape has its name, so shapes
//! share one only where they are called alike and are there to the same amount, always.

use crate::document::{Document, MeshPart};
use crate::usda_out::identifiers;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::trial::{Clip, ShapeTrack};

/// A shape by its mesh and its number there.
#[derive(Clone, Copy)]
struct OfMesh {
    mesh: usize,
    shape: usize,
}

/// The shapes of all meshes under the names of their weights.
pub(crate) struct ShapeTokens {
    /// Identifiers, no two alike.
    pub tokens: Vec<String>,
    /// Where each was first met.
    first: Vec<OfMesh>,
    /// For each mesh the number of the token of each of its shapes.
    of_mesh: Vec<Vec<usize>>,
}

impl ShapeTokens {
    pub fn new(document: &Document) -> Self {
        let (mut first, mut names, mut of_mesh) = (Vec::new(), Vec::new(), Vec::new());
        for (mesh, part) in document.meshes.iter().enumerate() {
            let mut own = Vec::new();
            for (shape, morph) in part.morphs.iter().enumerate() {
                let here = OfMesh { mesh, shape };
                let known = first.iter().position(|there| are_alike(document, *there, here));
                own.push(known.unwrap_or_else(|| {
                    let taken = names.contains(&morph.name);
                    names.push(if taken {
                        format!("{} {}", part.name, morph.name)
                    } else {
                        morph.name.clone()
                    });
                    first.push(here);
                    first.len() - 1
                }));
            }
            of_mesh.push(own);
        }
        let tokens = identifiers(names.iter().map(String::as_str), &[]);
        Self { tokens, first, of_mesh }
    }

    /// The names of the weights of a mesh's shapes, in their order.
    pub fn of_mesh(&self, mesh: usize) -> Vec<&str> {
        self.of_mesh[mesh].iter().map(|token| self.tokens[*token].as_str()).collect()
    }

    /// How much there is of each in a pose: what a joint's turn calls up, else as the clip is keyed, else as worn.
    pub fn amounts(&self, document: &Document, clip: Option<&Clip>, time: f32, pose: &Pose) -> Vec<f32> {
        let amount = |&OfMesh { mesh, shape }: &OfMesh| {
            let part = &document.meshes[mesh];
            let keyed = || track(clip?, part)?.at(time).get(shape).copied();
            let driven = part.morphs[shape].driver.map(|d| d.amount(pose));
            driven.or_else(keyed).unwrap_or_else(|| worn(part, shape))
        };
        self.first.iter().map(amount).collect()
    }
}

fn worn(part: &MeshPart, shape: usize) -> f32 {
    part.amounts.get(shape).copied().unwrap_or(0.0)
}

fn track<'a>(clip: &'a Clip, part: &MeshPart) -> Option<&'a ShapeTrack> {
    clip.shapes.iter().find(|s| s.mesh == part.name)
}

/// True of two shapes of one name that are driven, keyed and worn alike.
fn are_alike(document: &Document, a: OfMesh, b: OfMesh) -> bool {
    let (one, other) = (&document.meshes[a.mesh], &document.meshes[b.mesh]);
    let (own, theirs) = (&one.morphs[a.shape], &other.morphs[b.shape]);
    if a.mesh == b.mesh || own.name != theirs.name || own.driver != theirs.driver {
        return false;
    }
    let column = |clip: &Clip, part: &MeshPart, shape: usize| -> Option<Vec<(f32, f32)>> {
        let track = track(clip, part)?;
        track.times.iter().map(|&t| Some((t, *track.at(t).get(shape)?))).collect()
    };
    let keyed_alike = |clip: &Clip| column(clip, one, a.shape) == column(clip, other, b.shape);
    own.driver.is_some()
        || (worn(one, a.shape) == worn(other, b.shape) && document.clips.iter().all(keyed_alike))
}

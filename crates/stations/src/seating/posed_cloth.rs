//! A piece as a pose shows it, worked on there and carried back to rest.

use crate::seating::in_shape::InShape;
use glam::{Mat4, Vec3};
use std::sync::Arc;
use tin_cloak_core::deform::{add_morphs, blended_matrix, linear_blend};
use tin_cloak_core::skin::Skin;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::stroke::StrokePose;

/// A vertex carried back further than this is of a blend that has collapsed, metres.
const FURTHEST_BACK: f32 = 0.2;

/// Less of a shape than this cannot be worked on as a pose shows it: all of it is shown instead.
const LEAST_OF_A_SHAPE: f32 = 0.05;

/// A piece in a pose. What is worked on are its vertices at rest, or those of one of its shapes; the pose shows them
/// with all else that it calls up.
pub struct PosedCloth {
    matrices: Vec<Mat4>,
    /// The piece at rest, metres.
    rest: Arc<Vec<Vec3>>,
    /// What the pose adds to it, but for the shape that is worked on, metres.
    beside: Vec<Vec3>,
    /// How much of what is worked on the pose shows.
    amount: f32,
    skin: Skin,
    /// The pose as it is shown.
    pub shown: StrokePose,
}

impl PosedCloth {
    /// Where the pose shows the vertices that are worked on.
    pub fn posed(&self, now: &[Vec3]) -> Vec<Vec3> {
        let before: Vec<Vec3> = (0..now.len()).map(|v| self.before_the_pose(v, now[v])).collect();
        let mut posed = before.clone();
        linear_blend(&before, &self.skin, &self.matrices, &mut posed);
        posed
    }

    /// Carries a vertex that was moved in the pose back to what is worked on; `now` stays where there is no way back.
    pub fn carried_back(&self, v: usize, now: Vec3, posed: Vec3) -> Vec3 {
        let back = blended_matrix(&self.skin, v, &self.matrices).inverse().transform_point3(posed);
        let moved = back - self.before_the_pose(v, now);
        match back.is_finite() && moved.length() <= FURTHEST_BACK {
            true => now + moved / self.amount,
            false => now,
        }
    }

    fn before_the_pose(&self, v: usize, now: Vec3) -> Vec3 {
        self.rest[v] + (now - self.rest[v]) * self.amount + self.beside[v]
    }
}

/// Asked of a room: pieces as a pose shows them.
pub trait PosedClothOfRoom {
    /// Piece `index` in a pose, to be worked on at rest or in one of its shapes.
    ///
    /// # Errors
    /// When it is not bound, or the pose, a joint or a shape is not there.
    fn posed_cloth(
        &self,
        index: usize,
        pose: &StrokePose,
        into: Option<&InShape>,
    ) -> Result<PosedCloth, WorkshopError>;
}

impl PosedClothOfRoom for Room {
    fn posed_cloth(
        &self,
        index: usize,
        pose: &StrokePose,
        into: Option<&InShape>,
    ) -> Result<PosedCloth, WorkshopError> {
        let piece = &self.dress.pieces[index];
        let skin = piece.bound.as_ref().ok_or(WorkshopError::BindFirst)?.skin.clone();
        let mut shown = pose.clone();
        let mut posed = self.pose_with(shown.pose, &shown.turns, &shown.shapes)?;
        let mut amount = 1.0;
        if let Some(shape) = into {
            let body = &self.dress.body;
            let number = body.morphs.iter().position(|m| m.name == shape.name);
            let called = number.and_then(|n| posed.amounts.get_mut(n)).map(std::mem::take).unwrap_or(0.0);
            let whole = shape.whole(piece);
            // What the body wears whole is all there at rest.
            let share = if whole.abs() >= LEAST_OF_A_SHAPE { called / whole } else { 0.0 };
            match share {
                share if share >= LEAST_OF_A_SHAPE => amount = share,
                // The body is shown in it as well, when it is the body's.
                _ => shown
                    .shapes
                    .extend(number.filter(|n| *n < body.own_shapes().len()).map(|n| (n, whole - called))),
            }
        }
        let mut beside = vec![Vec3::ZERO; piece.rest.len()];
        add_morphs(&mut beside, &self.dress.shapes_of(index), &posed.amounts);
        Ok(PosedCloth { matrices: posed.matrices, rest: piece.rest.clone(), beside, amount, skin, shown })
    }
}

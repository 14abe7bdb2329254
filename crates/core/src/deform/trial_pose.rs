//! A pose as layers are posed by it.

use glam::Mat4;

/// A pose to mend for.
#[derive(Clone, Debug)]
pub struct TrialPose {
    /// Skin matrices, one a joint.
    pub matrices: Vec<Mat4>,
    /// Amounts of the body's driven shapes.
    pub amounts: Vec<f32>,
}

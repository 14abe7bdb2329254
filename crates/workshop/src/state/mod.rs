//! What is kept of a fitting: its steps, its state, recipes, and large values as blobs.

pub(crate) mod blobs;
pub(crate) mod bound;
pub(crate) mod bundle;
pub(crate) mod by_hand;
pub(crate) mod choice;
pub(crate) mod clean;
pub(crate) mod corrective;
pub(crate) mod fitting;
pub(crate) mod key;
pub(crate) mod mask;
pub(crate) mod motion;
pub(crate) mod names;
pub(crate) mod own_joint;
pub(crate) mod placing;
pub(crate) mod push;
pub(crate) mod recipe;
pub(crate) mod step;
pub(crate) mod stroke;
pub(crate) mod trial_plan;
pub(crate) mod tuck;
pub(crate) mod turn;

//! What is kept of a fitting: its steps, its state, recipes, and large values as blobs.

pub mod blobs;
pub mod bound;
pub mod bundle;
pub mod by_hand;
pub mod choice;
pub mod clean;
pub mod corrective;
pub mod fitting;
pub mod key;
pub mod made_of;
pub mod mask;
pub mod motion;
pub mod names;
pub mod outfit_recipe;
pub mod own_joint;
pub mod placing;
pub mod push;
pub mod recipe;
pub mod said_driver;
pub mod step;
pub mod stroke;
pub mod trial_change;
pub mod trial_plan;
pub mod tuck;
pub mod turn;

//! How pieces take their weights, and how those are cleaned.

pub mod again;
pub mod apply;
pub mod bind;
pub mod cage_steps;
pub mod caged;
pub mod clean_steps;
pub mod cleaning;
pub mod hand_change;
pub mod in_order;
pub mod joint_steps;
pub mod joint_use;
pub mod kept;
pub mod patches;
pub mod sides;
pub mod sources;
pub mod steps;
pub mod stiff;
pub mod table_csv;

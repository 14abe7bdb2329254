//! How pieces take their weights, and how those are cleaned.

pub(crate) mod again;
pub(crate) mod bind;
pub(crate) mod cage_steps;
pub(crate) mod caged;
pub(crate) mod clean_steps;
pub(crate) mod cleaning;
pub(crate) mod hand_change;
pub(crate) mod in_order;
pub(crate) mod joint_steps;
pub(crate) mod joint_use;
pub(crate) mod kept;
pub(crate) mod patches;
pub(crate) mod sides;
pub(crate) mod sources;
pub(crate) mod steps;

pub(crate) mod stiff;
pub(crate) mod table_csv;

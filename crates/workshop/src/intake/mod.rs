//! What comes in: findings, their cures, sorting.

pub(crate) mod body_steps;
pub(crate) mod brought;
pub(crate) mod controls;
pub(crate) mod cut_steps;
pub(crate) mod finding;
pub(crate) mod found;
pub(crate) mod of_body;
pub(crate) mod of_piece;
pub(crate) mod piece_steps;
pub(crate) mod row_steps;
pub(crate) mod suggested;
pub(crate) mod unseen;
pub(crate) mod worn_on;

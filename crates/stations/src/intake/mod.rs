//! What comes in: findings, their cures, sorting.

pub mod apply;
pub mod body_shape;
pub mod body_steps;
pub mod brought;
pub mod calling_turn;
pub mod controls;
pub mod crossed_sides;
pub mod cut_steps;
pub mod finding;
pub mod found;
pub mod of_body;
pub mod of_piece;
pub mod piece_steps;
mod recipe_steps;
mod replace_body;
mod replace_steps;
pub mod row_steps;
pub mod suggested;
pub mod unseen;
pub mod worn_on;

//! Cells, the board made of them, snags and reports.

pub(crate) mod at_rest;
pub(crate) mod board;
pub(crate) mod board_csv;
pub(crate) mod cell;
pub(crate) mod cells;
pub(crate) mod floor_rows;
pub(crate) mod measured;
pub(crate) mod missing;
pub(crate) mod posed;
pub(crate) mod report;
pub(crate) mod snag_cards;
pub(crate) mod tied;
pub(crate) mod trial_steps;
pub(crate) mod worst_snags;

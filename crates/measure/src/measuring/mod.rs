//! Cells, the board made of them, snags and reports.

pub mod at_rest;
pub mod board;
pub mod board_csv;
pub mod cell;
pub mod cells;
pub mod floor_rows;
pub mod measured;
pub mod missing;
pub mod posed;
pub mod report;
pub mod snag_cards;
pub mod snag_tracks;

//! The use cases: open, bind, try, mend, undo, export.
pub mod picture;

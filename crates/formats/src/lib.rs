//! Open file formats to core types and back.

//! The made-up body, pieces and clips of the demo.

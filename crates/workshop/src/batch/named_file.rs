//! A file that was read from somewhere.

/// A file that was read from somewhere.
#[derive(Clone, Debug)]
pub struct NamedFile {
    /// What people call it: a path.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

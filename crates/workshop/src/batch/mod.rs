//! Files in, files out: what the command line asks for.

pub(crate) mod dressed_file;
pub(crate) mod fit;
pub(crate) mod named_file;

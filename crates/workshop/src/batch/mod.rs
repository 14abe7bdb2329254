//! Files in, files out: what the command line asks for.

pub(crate) mod dressed;
pub(crate) mod fit;
pub(crate) mod planned;

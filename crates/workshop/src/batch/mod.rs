//! Files in, files out: what the command line asks for, without a store.

pub(crate) mod dressed;
pub(crate) mod fit;

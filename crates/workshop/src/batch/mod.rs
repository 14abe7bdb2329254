//! Files in, files out: what the command line asks for.

pub(crate) mod dressed_file;
pub(crate) mod fit;
pub(crate) mod job_row;
pub(crate) mod jobs_file;
pub(crate) mod many;
pub(crate) mod named_file;
pub(crate) mod wear;

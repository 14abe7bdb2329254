//! A table that says which joint stands for which.

use askama::Template;

/// MatchWords of the table.
pub(crate) struct MatchWords {
    /// Head of the first column.
    pub joint: &'static str,
    /// Head of the second.
    pub is: &'static str,
    /// What no choice means.
    pub none: &'static str,
    /// Name of the field.
    pub field: &'static str,
    pub button: &'static str,
}

#[derive(Template)]
#[template(path = "joint_match.html")]
pub(crate) struct JointMatch {
    /// Where it is sent to.
    pub action: String,
    pub words: MatchWords,
    /// Those to choose from.
    pub joints: Vec<String>,
    /// A joint, and the one chosen for it or nothing.
    pub rows: Vec<(String, String)>,
}

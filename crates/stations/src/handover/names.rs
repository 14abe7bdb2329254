//! Names as they go out: no two alike, without control characters and what is a path elsewhere.

use std::collections::HashSet;

/// What stands for a letter that cannot go out.
const INSTEAD: char = '-';

/// Each name as it goes out.
///
/// Slashes, colons and the like are a path or a namespace where the file goes; control characters are nothing that
/// anyone typed.
pub fn outgoing_names(names: &[&str]) -> Vec<String> {
    let mut taken: HashSet<String> = HashSet::new();
    let one = |name: &&str| {
        let clean = clean(name);
        let numbered = (2..).map(|n| format!("{clean} {n}"));
        let is_free = |n: &String| !taken.contains(n);
        let free = std::iter::once(clean.clone()).chain(numbered).find(is_free).unwrap_or_default();
        taken.insert(free.clone());
        free
    };
    names.iter().map(one).collect()
}

fn clean(name: &str) -> String {
    let letter = |c: char| match c {
        '/' | '\\' | ':' | '|' | '<' | '>' | '"' | '*' | '?' => INSTEAD,
        c => c,
    };
    let clean: String = name.chars().filter(|c| !c.is_control()).map(letter).collect();
    match clean.trim() {
        "" => "unnamed".to_owned(),
        name => name.to_owned(),
    }
}

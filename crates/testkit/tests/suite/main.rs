//! The house itself: no folder of a crate uses one that uses it. Crates are kept so by the compiler.
#![allow(missing_docs, clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// By folder, the folders of the same crate that it names.
type Arrows = BTreeMap<String, BTreeSet<String>>;

/// Adds the folders that the text of a file names by `crate::`, comments left out.
fn add_arrows(arrows: &mut Arrows, folder: &str, folders: &BTreeSet<String>, text: &str) {
    let code = text.lines().filter(|line| !line.trim_start().starts_with("//"));
    for line in code {
        for named in line.split("crate::").skip(1) {
            let name: String = named.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
            if name != folder && folders.contains(&name) {
                arrows.entry(folder.to_owned()).or_default().insert(name);
            }
        }
    }
}

fn walk(folder: &Path, take: &mut dyn FnMut(&Path)) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        match path.is_dir() {
            true => walk(&path, take),
            false => take(&path),
        }
    }
}

fn arrows_of(sources: &Path) -> Arrows {
    let entries = || std::fs::read_dir(sources).unwrap().map(|e| e.unwrap().path());
    let name = |path: &Path| path.file_name().unwrap().to_string_lossy().into_owned();
    let folders: BTreeSet<String> = entries().filter(|p| p.is_dir()).map(|p| name(&p)).collect();
    let mut arrows = Arrows::new();
    for folder in &folders {
        walk(&sources.join(folder), &mut |file| {
            if file.extension().is_some_and(|e| e == "rs") {
                add_arrows(&mut arrows, folder, &folders, &std::fs::read_to_string(file).unwrap());
            }
        });
    }
    arrows
}

/// A way from a folder back to itself, if there is one.
fn circle(arrows: &Arrows) -> Option<Vec<String>> {
    fn from(at: &str, way: &mut Vec<String>, arrows: &Arrows, done: &mut BTreeSet<String>) -> bool {
        if way.iter().any(|w| w == at) {
            way.push(at.to_owned());
            return true;
        }
        if !done.insert(at.to_owned()) {
            return false;
        }
        way.push(at.to_owned());
        let found = arrows.get(at).into_iter().flatten().any(|next| from(next, way, arrows, done));
        if !found {
            way.pop();
        }
        found
    }
    let mut done = BTreeSet::new();
    arrows.keys().find_map(|start| {
        let mut way = Vec::new();
        from(start, &mut way, arrows, &mut done).then_some(way)
    })
}

#[test]
fn no_folder_uses_one_that_uses_it() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut seen = 0;
    for entry in std::fs::read_dir(crates).unwrap() {
        let sources = entry.unwrap().path().join("src");
        if !sources.is_dir() {
            continue;
        }
        let arrows = arrows_of(&sources);
        seen += arrows.len();
        assert_eq!(circle(&arrows), None, "{}", sources.display());
    }
    assert!(seen > 10, "{seen} folders with arrows were seen");
}

#[test]
fn a_circle_is_found() {
    let folders: BTreeSet<String> = ["mesh", "pose", "skin"].map(str::to_owned).into();
    let mut arrows = Arrows::new();
    add_arrows(
        &mut arrows,
        "mesh",
        &folders,
        "use crate::skin::Skin;\n// use crate::pose;\nuse crate::other::X;",
    );
    add_arrows(&mut arrows, "skin", &folders, "fn f() { crate::pose::turn() }");
    assert_eq!(circle(&arrows), None);
    add_arrows(&mut arrows, "pose", &folders, "use crate::mesh::{self, Mesh};");
    assert_eq!(circle(&arrows).unwrap().len(), 4);
}

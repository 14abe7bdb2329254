//! Files that are made once for all test programs.

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use tempfile::TempDir;
use tin_cloak_demo::{DemoError, DemoFile};
use tin_cloak_workshop::Workshop;

/// The workspace that this was built from.
const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

/// The path of a file of the repository's `testdata`.
pub fn testdata(name: &str) -> PathBuf {
    Path::new(ROOT).join("testdata").join(name)
}

/// A hash of every source that anything kept is made by.
fn made_by() -> &'static str {
    static HASH: OnceLock<String> = OnceLock::new();
    HASH.get_or_init(|| {
        let mut files = vec![Path::new(ROOT).join("Cargo.lock"), Path::new(ROOT).join("Cargo.toml")];
        let makers = [
            "core", "demo", "formats", "measure", "model", "solve", "stations", "store", "testkit",
            "workshop",
        ];
        makers
            .iter()
            .for_each(|name| list(&Path::new(ROOT).join("crates").join(name).join("src"), &mut files));
        files.sort();
        let mut hash = blake3::Hasher::new();
        for file in files {
            let name = file.strip_prefix(ROOT).unwrap_or(&file).display().to_string();
            let bytes = fs::read(&file).unwrap();
            hash.update(name.as_bytes()).update(&(bytes.len() as u64).to_le_bytes()).update(&bytes);
        }
        hash.finalize().to_hex()[..20].to_owned()
    })
}

fn list(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        match path.is_dir() {
            true => list(&path, files),
            false => files.push(path),
        }
    }
}

/// Where things are kept: beside the programs of this build (`target/debug/kept`).
fn shelf() -> PathBuf {
    let program = std::env::current_exe().unwrap();
    let build = program.ancestors().find(|a| a.ends_with("debug") || a.ends_with("release"));
    build.expect("a test program stands in target/").join("kept")
}

/// A folder that `make` filled, now or when it was first asked for by any test program.
///
/// # Panics
/// When it cannot be made, as a test does.
pub fn kept_folder(name: &str, make: impl FnOnce(&Path)) -> PathBuf {
    let (shelf, hash) = (shelf(), made_by());
    let (own, done) = (shelf.join(hash), shelf.join(hash).join(name));
    fs::create_dir_all(&own).unwrap();
    let door = File::create(own.join(format!("{name}.lock"))).unwrap();
    door.lock().unwrap();
    if !done.exists() {
        forget_older(&shelf, hash);
        let unfinished = tempfile::tempdir_in(&own).unwrap();
        make(unfinished.path());
        fs::rename(unfinished.keep(), &done).unwrap();
    }
    done
}

/// What other sources made stays for a day, for whoever goes back to them.
fn forget_older(shelf: &Path, hash: &str) {
    for entry in fs::read_dir(shelf).into_iter().flatten().flatten() {
        let is_other = entry.file_name() != hash;
        let age = entry.metadata().and_then(|m| m.modified()).ok().and_then(|at| at.elapsed().ok());
        if is_other && age.is_some_and(|age| age.as_secs() > 86_400) {
            let _ = fs::remove_dir_all(entry.path());
        }
    }
}

/// A copy of a data folder that `make` filled, to work in.
pub fn data(name: &str, make: impl FnOnce(&Path)) -> TempDir {
    let kept = kept_folder(name, make);
    let copy = tempfile::tempdir().unwrap();
    for entry in fs::read_dir(kept).unwrap() {
        let entry = entry.unwrap();
        fs::copy(entry.path(), copy.path().join(entry.file_name())).unwrap();
    }
    copy
}

/// The demo's data as `tin-cloak demo` makes it, with its board measured whole.
pub fn demo_data() -> TempDir {
    data("demo", |folder| filled(folder, wardrobe()))
}

/// The same of meshes with a quarter of the vertices.
pub fn coarse_demo_data() -> TempDir {
    data("coarse demo", |folder| filled(folder, coarse_wardrobe()))
}

fn filled(folder: &Path, files: &[DemoFile]) {
    let shop = std::sync::Arc::new(Workshop::open(folder).unwrap());
    let dressed = tin_cloak_demo::fill_with(&shop, files.to_vec()).unwrap();
    shop.measure_now(dressed).unwrap();
}

/// The demo's files.
pub fn wardrobe() -> &'static [DemoFile] {
    static FILES: OnceLock<Vec<DemoFile>> = OnceLock::new();
    FILES.get_or_init(|| kept_files("wardrobe", tin_cloak_demo::wardrobe))
}

/// The same with a quarter of the vertices.
pub fn coarse_wardrobe() -> &'static [DemoFile] {
    static FILES: OnceLock<Vec<DemoFile>> = OnceLock::new();
    FILES.get_or_init(|| kept_files("coarse wardrobe", tin_cloak_demo::coarse_wardrobe))
}

fn kept_files(name: &str, make: fn() -> Result<Vec<DemoFile>, DemoError>) -> Vec<DemoFile> {
    let kept = kept_folder(name, |folder| {
        let files = make().unwrap();
        files.iter().for_each(|file| fs::write(folder.join(file.name), &file.bytes).unwrap());
    });
    let read = |name: &&'static str| DemoFile { name, bytes: fs::read(kept.join(name)).unwrap() };
    tin_cloak_demo::NAMES.iter().map(read).collect()
}

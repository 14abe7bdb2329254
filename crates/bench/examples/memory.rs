//! How much memory two garments of 190,000 vertices take under a limit: bringing in, binding, a whole board, and six
//! moves of one of them, each measured and undone.
//!
//! `cargo run -p tin-cloak-bench --example memory -- 512` (megabytes), on Linux.
#![allow(missing_docs, clippy::unwrap_used)]

use std::collections::HashMap;
use std::sync::Arc;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::mesh::{vertex_normals, Mesh, Topology};
use tin_cloak_workshop::{
    read, BindingStep, Chosen, Companions, EaseOptions, PieceKind, SeatingStep, Step, Workshop,
};

/// Each garment is halved along its edges until it has so many vertices or more (191,000 come of it).
const VERTICES: usize = 150_000;

fn main() {
    let megabytes: u64 = std::env::args().nth(1).and_then(|a| a.parse().ok()).unwrap_or(512);
    let folder = tempfile::tempdir().unwrap();
    let shop = Arc::new(Workshop::open_within(folder.path(), megabytes << 20).unwrap());
    shop.measure_behind(false);
    let wardrobe = tin_cloak_demo::wardrobe().unwrap();
    let file = |name: &str| wardrobe.iter().find(|f| f.name == name).unwrap();
    let wick = shop.bring_in("wick.glb", &file("wick.glb").bytes, &Companions::new()).unwrap();
    let fitting = shop.begin("Wick", wick[0].id).unwrap();
    for (layer, name) in (1..).zip(["quilted tunic", "oilskin coat"]) {
        let bytes = finer(&file(&format!("{name}.glb")).bytes);
        let asset = shop.bring_in(&format!("{name}.obj"), bytes.as_bytes(), &Companions::new()).unwrap();
        let step = shop.piece_step(asset[0].id, layer, PieceKind::Soft).unwrap();
        shop.run_now(fitting, step).unwrap();
    }
    told("brought in", megabytes);
    shop.run_now(fitting, Step::Binding(BindingStep::Bind { pieces: Vec::new() })).unwrap();
    told("bound", megabytes);
    let board = shop.measure_now(fitting).unwrap();
    told(&format!("{} cells measured", board.size()), megabytes);
    for n in 1..=6 {
        let options = EaseOptions { least_mm: n as f32, most_mm: None };
        shop.run_now(
            fitting,
            Step::Seating(SeatingStep::Ease { piece: 2, chosen: Chosen::Everything, options }),
        )
        .unwrap();
        shop.measure_now(fitting).unwrap();
        shop.undo(fitting).unwrap();
        told(&format!("eased by {n} mm, measured, undone"), megabytes);
    }
}

/// The mesh of a file as OBJ, finer.
fn finer(glb: &[u8]) -> String {
    let mut mesh = read("x.glb", glb, &Companions::new()).unwrap().meshes.remove(0).mesh;
    let topology = Topology::new(&mesh);
    mesh.positions = topology.weld.gather(&mesh.positions);
    mesh.triangles = topology.triangles.clone();
    while mesh.positions.len() < VERTICES {
        mesh = halved(&mesh);
    }
    println!("{} vertices, {} faces", mesh.positions.len(), mesh.triangles.len());
    let mut text = String::new();
    mesh.positions.iter().for_each(|p| text += &format!("v {} {} {}\n", p.x, p.y, p.z));
    mesh.triangles.iter().for_each(|t| text += &format!("f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1));
    text
}

fn halved(mesh: &Mesh) -> Mesh {
    let (mut positions, mut middles) = (mesh.positions.clone(), HashMap::new());
    let mut middle = |a: u32, b: u32, positions: &mut Vec<Vec3>| {
        *middles.entry((a.min(b), a.max(b))).or_insert_with(|| {
            positions.push((positions[a as usize] + positions[b as usize]) * 0.5);
            positions.len() as u32 - 1
        })
    };
    let mut triangles = Vec::new();
    for &[a, b, c] in &mesh.triangles {
        let [d, e, f] = [(a, b), (b, c), (c, a)].map(|(v, w)| middle(v, w, &mut positions));
        triangles.extend([[a, d, f], [d, b, e], [f, e, c], [d, e, f]]);
    }
    let normals = vertex_normals(&positions, &triangles);
    Mesh { positions, normals, triangles, polygons: Vec::new() }
}

fn told(what: &str, limit: u64) {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let of = |key: &str| -> u64 {
        let line = status.lines().find_map(|l| l.strip_prefix(key)).unwrap_or_default();
        line.trim_matches(|c: char| !c.is_ascii_digit()).parse::<u64>().unwrap_or(0) / 1024
    };
    println!("{what}: {} MB now, {} MB at most, of {limit} MB kept", of("VmRSS:"), of("VmHWM:"));
}

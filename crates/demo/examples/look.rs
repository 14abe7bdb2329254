use tin_cloak_workshop::picture::*;
use glam::Vec3;
fn main() {
    let t = std::time::Instant::now();
    let files = tin_cloak_demo::wardrobe().unwrap();
    println!("{:?}", t.elapsed());
    let docs: Vec<_> = files.iter().map(|f| { std::fs::write(format!("/tmp/demo_{}", f.name.replace(' ', "_")), &f.bytes).unwrap(); tin_cloak_formats::read(f.name, &f.bytes, &Default::default()).unwrap() }).collect();
    let cols = [[233u8, 206, 178], [196, 178, 140], [92, 80, 70], [170, 178, 182]];
    for d in &docs { let m = &d.meshes[0].mesh; let topo = tin_cloak_core::mesh::Topology::of(m); println!("{} v {} t {} quads {} loops {:?} shells {}", d.meshes[0].name, m.positions.len(), m.triangles.len(), m.quads.len(), topo.boundary_loops().iter().map(|l| l.len()).collect::<Vec<_>>(), topo.shells); }
    let parts: Vec<PicturePart> = docs.iter().zip(cols).map(|(d, colour)| { let m = &d.meshes[0].mesh; PicturePart { positions: &m.positions, normals: &m.normals, triangles: &m.triangles, colour } }).collect();
    for (i, turn) in [0.0f32, 0.7, 1.57, 3.14].iter().enumerate() {
        let png = draw(&parts, View { turn: *turn, frame: Some((Vec3::new(-0.65, -0.02, -1.0), Vec3::new(0.65, 1.74, 1.0))) }, 320, 420);
        std::fs::write(format!("/tmp/look{i}.png"), png).unwrap();
    }
    let body = tin_cloak_core::query::Tree::build(parts[0].positions, parts[0].triangles);
    for p in &parts[1..] { let mut d: Vec<f32> = p.positions.iter().map(|q| body.closest(*q, 1.0).unwrap().distance_squared.sqrt()*1000.0).collect(); d.sort_by(f32::total_cmp); println!("off skin {:.1} {:.1} {:.1} {:.1}", d[0], d[d.len()/10], d[d.len()/2], d[d.len()-1]); }
    let png = draw(&parts[0..3], View { turn: 0.5, frame: Some((Vec3::new(-0.35, 1.0, -1.0), Vec3::new(0.35, 1.5, 1.0))) }, 800, 600);
    std::fs::write("/tmp/zoom.png", png).unwrap();
}

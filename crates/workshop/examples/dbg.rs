use tin_cloak_workshop::*;
use tin_cloak_workshop::core::clearance::*;
fn main() {
    let bytes = std::fs::read("/tmp/w.glb").unwrap();
    let doc = read("w.glb", &bytes, &Default::default()).unwrap();
    let (body, parts) = sort_document("w", doc, None).unwrap();
    let body = std::sync::Arc::new(body);
    let pieces = parts.into_iter().map(|p| { let m = p.mark.clone().unwrap(); Piece::new(p, m.layer.unwrap(), m.kind.unwrap(), &body, true) }).collect();
    let dress = Dress { body: body.clone(), pieces };
    let (outfit, _) = dress.outfit();
    let set = range_trials(&body);
    let poses = set.poses(&body);
    for (i, t) in set.trials.iter().enumerate() {
        if !std::env::args().skip(1).any(|a| a == t.name) { continue; }
        let mut b = outfit.buffers();
        b.pose(&outfit, &poses[i].matrices, &[]);
        let m = measure_pose(&outfit, &b, Default::default());
        for (pi, p) in outfit.pairs.iter().enumerate() {
            println!("{} pair {}/{} covered {} {:?}", t.name, p.outer, p.inner, p.covered.len(), (m.pairs[pi].poking, m.pairs[pi].deepest, m.pairs[pi].sunk, m.pairs[pi].sunk_deepest));
            for s in snags(&outfit, pi, &m.points[pi], Default::default()).iter().take(6) {
                let v = s.vertices[0] as usize;
                let l = if s.on_outer { p.outer } else { p.inner };
                let pt = &m.points[pi];
                let a = if s.on_outer { pt.outer[p.over.binary_search(&(v as u32)).unwrap()] } else { pt.inner[p.covered.binary_search(&(v as u32)).unwrap()] }.unwrap();
                let near = |o: usize, side: &Side| { let t = side.topology.triangles[a.triangle as usize]; outfit.layers[o].rest[t[0] as usize] };
                let o = if s.on_outer { p.inner } else { p.outer };
                let side = if s.on_outer { outfit.layers[o].walls.outside() } else { &outfit.layers[o].walls.towards_body };
                println!("   outer {} n {} {:.1}mm rest {:.3} posed {:.3} nearest-rest {:.3} normal {:.2}", s.on_outer, s.vertices.len(), s.deepest*1e3, outfit.layers[l].rest[v], b.positions(l)[v], near(o, side), a.normal);
            }
        }
    }
}

//! The quilted tunic and the oilskin coat: a tube of quads round the trunk, two tubes for the sleeves.

use crate::body::smooth;
use crate::figure::{self, arm, leg, trunk};
use crate::remesh::{relax, symmetrise, Shape3};
use crate::sdf::{ellipsoid, flat_cone, join, project, surface_along};
use glam::Vec3;
use std::f32::consts::TAU;
use tin_cloak_core::query::Bvh;

/// Columns round the trunk; the first is in front. Divisible by four, so that both sides match.
const COLUMNS: usize = 96;
/// Rings from hem to collar.
const RINGS: usize = 70;
/// Half the armhole's width in columns, and its rings.
const HOLE_HALF: usize = 8;
const HOLE: std::ops::Range<usize> = 49..61;
/// Rings of a sleeve beyond the armhole.
const SLEEVE_RINGS: usize = 50;

/// Where the trunk's rings end and the yoke over the shoulders begins.
const YOKE: f32 = 1.375;
const YOKE_RINGS: usize = 9;

/// How a garment is cut.
#[derive(Clone, Copy)]
struct TunicCut {
    /// Height of the hem.
    hem: f32,
    /// Distance off the form.
    ease: fn(Vec3) -> f32,
    /// Nearer to the skin than this nothing comes.
    least: f32,
    /// Open down the front.
    open: bool,
    /// Where the skirt that bridges the legs ends, and its radius there.
    skirt: (f32, f32),
}

impl TunicCut {
    /// What it lies on: the body without hands, feet and head, legs bridged by a skirt.
    fn form(&self, p: Vec3) -> f32 {
        let (low, radius) = self.skirt;
        let (top, end) = (Vec3::new(0.0, 0.99, -0.006), Vec3::new(0.0, low, 0.0));
        let skirt = flat_cone(p, top, end, 0.118, radius, Vec3::new(1.32, 1.0, 0.82));
        let trunk = join(trunk(p), skirt, 0.05);
        let lower = join(trunk, leg(p), 0.03);
        join(lower, arm(p), 0.05)
    }
}

/// Close at the shoulders, looser towards hem and cuffs.
const TUNIC: TunicCut = TunicCut {
    hem: 0.70,
    ease: |p| 0.0066 + smooth(1.10, 0.85, p.y) * 0.006 + smooth(0.38, 0.49, p.x.abs()) * 0.003,
    least: 0.0062,
    open: false,
    skirt: (0.72, 0.150),
};

/// Loose over a tunic, with tails that swing wide.
const COAT: TunicCut = TunicCut {
    hem: 0.56,
    ease: |p| 0.017 + smooth(1.05, 0.60, p.y) * 0.012 + smooth(0.38, 0.49, p.x.abs()) * 0.005,
    least: 0.015,
    open: true,
    skirt: (0.46, 0.185),
};

struct Tube {
    shape: Shape3,
    held: Vec<Held>,
    cut: TunicCut,
}

/// How a vertex is held while the mesh is evened out.
#[derive(Clone, Copy)]
enum Held {
    Free,
    /// Stays where it is.
    Still,
    /// Stays at this height.
    Height(f32),
    /// Stays in the plane of the cuff.
    Cuff(Vec3, Vec3),
}

/// The tunic, unbound, at rest.
pub(crate) fn tunic(body: &Shape3) -> Shape3 {
    sewn(body, TUNIC)
}

/// The coat, unbound, at rest.
pub(crate) fn coat(body: &Shape3) -> Shape3 {
    sewn(body, COAT)
}

fn sewn(body: &Shape3, cut: TunicCut) -> Shape3 {
    let mut tube =
        Tube { shape: Shape3 { positions: Vec::new(), triangles: Vec::new() }, held: Vec::new(), cut };
    tube.trunk();
    for sign in [1.0f32, -1.0] {
        tube.sleeve(sign);
    }
    let mut tube = tube.compact();
    let held = std::mem::take(&mut tube.held);
    let start = tube.shape.positions.clone();
    let hold = |v: usize, p: Vec3| match held[v] {
        Held::Free => p,
        Held::Still => start[v],
        Held::Height(y) => Vec3::new(p.x, y, p.z),
        Held::Cuff(centre, normal) => p - normal * (p - centre).dot(normal),
    };
    relax(&mut tube.shape, &|p| cut.form(p), &cut.ease, 160, 4, &hold);
    keep_off(&mut tube.shape, body, cut.least);
    symmetrise(&mut tube.shape.positions);
    tube.shape
}

/// The collar's place: an oval about the neck, as high as the form is there.
fn collar(angle: f32, cut: &TunicCut) -> Vec3 {
    let (x, z) = (angle.sin() * 0.079, angle.cos() * 0.072 - 0.026);
    let mut p = Vec3::new(x, 1.60, z);
    while cut.form(p) > (cut.ease)(p) && p.y > 1.3 {
        p.y -= 0.0005;
    }
    p
}

fn column_angle(column: usize) -> f32 {
    column as f32 / COLUMNS as f32 * TAU
}

impl Tube {
    fn vertex(&mut self, p: Vec3, held: Held) -> u32 {
        self.shape.positions.push(p);
        self.held.push(held);
        self.held.len() as u32 - 1
    }

    fn quad(&mut self, [a, b, c, d]: [u32; 4]) {
        self.shape.triangles.extend([[a, b, c], [a, c, d]]);
    }

    /// True for the grid cells that the armholes take out.
    fn is_hole(ring: usize, column: usize) -> bool {
        let from = |side: usize| column + HOLE_HALF >= side && column < side + HOLE_HALF;
        HOLE.contains(&ring) && (from(COLUMNS / 4) || from(COLUMNS * 3 / 4))
    }

    fn trunk(&mut self) {
        // Rays from the trunk's axis; arms left out, so that shoulders close over.
        let solid = |p: Vec3| {
            let bell = ellipsoid(p, Vec3::new(0.0, 0.80, 0.0), Vec3::new(0.2, 0.3, 0.13));
            join(trunk(p), bell, 0.05)
        };
        let on_trunk = |y: f32, angle: f32| {
            let direction = Vec3::new(angle.sin(), 0.0, angle.cos());
            let axis = Vec3::new(0.0, y, -0.012);
            axis + direction * surface_along(&solid, axis, direction)
        };
        for ring in 0..=RINGS {
            let below = ring.min(RINGS - YOKE_RINGS);
            let y = self.cut.hem + (YOKE - self.cut.hem) * below as f32 / (RINGS - YOKE_RINGS) as f32;
            let over = (ring - below) as f32 / YOKE_RINGS as f32;
            for column in 0..COLUMNS {
                let angle = column_angle(column);
                let p = on_trunk(y, angle).lerp(collar(angle, &self.cut), over);
                let held = match ring {
                    0 => Held::Height(self.cut.hem),
                    RINGS => Held::Still,
                    _ => Held::Free,
                };
                self.vertex(p, held);
            }
        }
        for ring in 0..RINGS {
            for column in 0..COLUMNS {
                // The front column lies on the middle: the cells on both its sides stay open.
                let front = self.cut.open && (column == 0 || column == COLUMNS - 1);
                if front || Self::is_hole(ring, column) {
                    continue;
                }
                let at = |r: usize, c: usize| (r * COLUMNS + c % COLUMNS) as u32;
                self.quad([
                    at(ring, column),
                    at(ring, column + 1),
                    at(ring + 1, column + 1),
                    at(ring + 1, column),
                ]);
            }
        }
    }

    /// The loop round an armhole, starting below, in the order in which the sleeve's quads
    /// face outward.
    fn hole_loop(side: usize) -> Vec<u32> {
        let at = |r: usize, c: usize| (r * COLUMNS + c % COLUMNS) as u32;
        let (left, right) = (side - HOLE_HALF, side + HOLE_HALF);
        let mut line: Vec<u32> = (left..right).map(|c| at(HOLE.start, c)).collect();
        line.extend(HOLE.map(|r| at(r, right)));
        line.extend((left + 1..=right).rev().map(|c| at(HOLE.end, c)));
        line.extend((HOLE.start + 1..=HOLE.end).rev().map(|r| at(r, left)));
        line
    }

    fn sleeve(&mut self, sign: f32) {
        let side = if sign > 0.0 { COLUMNS / 4 } else { COLUMNS * 3 / 4 };
        let mut below = Self::hole_loop(side);
        let mirror = |p: Vec3| Vec3::new(p.x * sign, p.y, p.z);
        let (shoulder, elbow, wrist) =
            (mirror(figure::UPPER_ARM), mirror(figure::LOWER_ARM), mirror(figure::HAND));
        let along = (wrist - elbow).normalize();
        let cuff = wrist - along * 0.012;
        let count = below.len();
        for ring in 1..=SLEEVE_RINGS {
            let t = ring as f32 / SLEEVE_RINGS as f32;
            let on_upper = t < 0.52;
            let centre =
                if on_upper { shoulder.lerp(elbow, t / 0.52) } else { elbow.lerp(cuff, (t - 0.52) / 0.48) };
            let axis = if on_upper { (elbow - shoulder).normalize() } else { along };
            // The loop starts below and runs to the back on the left, to the front on the right.
            let down = (Vec3::NEG_Y + axis * axis.y).normalize();
            let quarter = down.cross(axis) * sign;
            let quarter = if quarter.z * sign > 0.0 { -quarter } else { quarter };
            let ring_vertices: Vec<u32> = (0..count)
                .map(|i| {
                    let turn = (i as f32 - HOLE_HALF as f32) / count as f32 * TAU;
                    let p = centre + (down * turn.cos() + quarter * turn.sin()) * 0.055;
                    let held = if ring == SLEEVE_RINGS { Held::Cuff(cuff, along) } else { Held::Free };
                    self.vertex(project(&|p| self.cut.form(p), p, (self.cut.ease)(p), 4), held)
                })
                .collect();
            for i in 0..count {
                let j = (i + 1) % count;
                self.quad([below[i], below[j], ring_vertices[j], ring_vertices[i]]);
            }
            below = ring_vertices;
        }
    }

    /// Drops the vertices inside the armholes.
    fn compact(self) -> Self {
        let mut used = vec![u32::MAX; self.held.len()];
        let mut out = Tube {
            shape: Shape3 { positions: Vec::new(), triangles: Vec::new() },
            held: Vec::new(),
            cut: self.cut,
        };
        for t in &self.shape.triangles {
            let corners = t.map(|v| {
                if used[v as usize] == u32::MAX {
                    used[v as usize] = out.vertex(self.shape.positions[v as usize], self.held[v as usize]);
                }
                used[v as usize]
            });
            out.shape.triangles.push(corners);
        }
        out
    }
}

/// Moves vertices that lie nearer than `least` metres to the body (or inside it) out to it.
pub(crate) fn keep_off(shape: &mut Shape3, body: &Shape3, least: f32) {
    let tree = Bvh::build(&body.positions, &body.triangles);
    let normals = tin_cloak_core::mesh::vertex_normals(&body.positions, &body.triangles);
    for _ in 0..3 {
        for p in &mut shape.positions {
            let Some(hit) = tree.closest(*p, 0.05) else { continue };
            let corners = body.triangles[hit.triangle as usize];
            let normal: Vec3 = tin_cloak_core::mesh::mix(corners, hit.barycentric, |v| normals[v as usize]);
            let normal = normal.normalize_or_zero();
            let off = (*p - hit.point).dot(normal);
            if off < least {
                *p += normal * (least - off);
            }
        }
    }
}

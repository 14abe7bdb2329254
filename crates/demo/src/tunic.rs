//! The quilted tunic and the oilskin coat: a tube of quads round the trunk, two tubes for the sleeves.

use crate::body::smooth;
use crate::figure::{self, arm, leg, trunk};
use crate::remesh::{relax, symmetrise, Shape3};
use crate::sdf::{ellipsoid, flat_cone, join, project, surface_along};
use glam::Vec3;
use std::f32::consts::TAU;
use tin_cloak_core::query::Bvh;

/// Where the trunk's rings end and the yoke over the shoulders begins.
const YOKE: f32 = 1.375;

/// How many quads a garment is made of.
#[derive(Clone, Copy)]
pub(crate) struct Grid {
    /// Columns round the trunk; the first is in front. Divisible by four, so that both sides match.
    columns: usize,
    /// Rings from hem to collar.
    rings: usize,
    /// Of these the ones of the yoke.
    yoke_rings: usize,
    /// Half the armhole's width in columns, its first ring and the one after its last.
    hole_half: usize,
    hole: (usize, usize),
    /// Rings of a sleeve beyond the armhole.
    sleeve_rings: usize,
}

pub(crate) const FINE: Grid =
    Grid { columns: 96, rings: 70, yoke_rings: 9, hole_half: 8, hole: (49, 61), sleeve_rings: 50 };
pub(crate) const COARSE: Grid =
    Grid { columns: 48, rings: 35, yoke_rings: 5, hole_half: 4, hole: (24, 30), sleeve_rings: 25 };

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
    grid: Grid,
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
pub(crate) fn tunic(body: &Shape3, grid: Grid) -> Shape3 {
    sewn(body, TUNIC, grid)
}

/// The coat, unbound, at rest.
pub(crate) fn coat(body: &Shape3, grid: Grid) -> Shape3 {
    sewn(body, COAT, grid)
}

fn sewn(body: &Shape3, cut: TunicCut, grid: Grid) -> Shape3 {
    let shape = Shape3 { positions: Vec::new(), triangles: Vec::new() };
    let mut tube = Tube { shape, held: Vec::new(), cut, grid };
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

impl Grid {
    fn angle(&self, column: usize) -> f32 {
        column as f32 / self.columns as f32 * TAU
    }

    /// The vertex of a ring and a column of the trunk.
    fn at(&self, ring: usize, column: usize) -> u32 {
        (ring * self.columns + column % self.columns) as u32
    }

    /// True for the grid cells that the armholes take out.
    fn is_hole(&self, ring: usize, column: usize) -> bool {
        let from = |side: usize| column + self.hole_half >= side && column < side + self.hole_half;
        let on_side = from(self.columns / 4) || from(self.columns * 3 / 4);
        on_side && (self.hole.0..self.hole.1).contains(&ring)
    }

    /// The loop round an armhole, starting below, in the order in which the sleeve's quads
    /// face outward.
    fn hole_loop(&self, side: usize) -> Vec<u32> {
        let ((low, high), half) = (self.hole, self.hole_half);
        let (left, right) = (side - half, side + half);
        let mut line: Vec<u32> = (left..right).map(|c| self.at(low, c)).collect();
        line.extend((low..high).map(|r| self.at(r, right)));
        line.extend((left + 1..=right).rev().map(|c| self.at(high, c)));
        line.extend((low + 1..=high).rev().map(|r| self.at(r, left)));
        line
    }
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
        let Grid { columns, rings, yoke_rings, .. } = self.grid;
        let to_yoke = rings - yoke_rings;
        for ring in 0..=rings {
            let below = ring.min(to_yoke);
            let y = self.cut.hem + (YOKE - self.cut.hem) * below as f32 / to_yoke as f32;
            let over = (ring - below) as f32 / yoke_rings as f32;
            for column in 0..columns {
                let angle = self.grid.angle(column);
                let p = on_trunk(y, angle).lerp(collar(angle, &self.cut), over);
                let held = match ring {
                    0 => Held::Height(self.cut.hem),
                    _ if ring == rings => Held::Still,
                    _ => Held::Free,
                };
                self.vertex(p, held);
            }
        }
        for ring in 0..rings {
            for column in 0..columns {
                // The front column lies on the middle: the cells on both its sides stay open.
                let front = self.cut.open && (column == 0 || column == columns - 1);
                if front || self.grid.is_hole(ring, column) {
                    continue;
                }
                let corners =
                    [(ring, column), (ring, column + 1), (ring + 1, column + 1), (ring + 1, column)];
                self.quad(corners.map(|(r, c)| self.grid.at(r, c)));
            }
        }
    }

    fn sleeve(&mut self, sign: f32) {
        let Grid { columns, hole_half, sleeve_rings, .. } = self.grid;
        let side = if sign > 0.0 { columns / 4 } else { columns * 3 / 4 };
        let mut below = self.grid.hole_loop(side);
        let mirror = |p: Vec3| Vec3::new(p.x * sign, p.y, p.z);
        let (shoulder, elbow, wrist) =
            (mirror(figure::UPPER_ARM), mirror(figure::LOWER_ARM), mirror(figure::HAND));
        let along = (wrist - elbow).normalize();
        let cuff = wrist - along * 0.012;
        let count = below.len();
        for ring in 1..=sleeve_rings {
            let t = ring as f32 / sleeve_rings as f32;
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
                    let turn = (i as f32 - hole_half as f32) / count as f32 * TAU;
                    let p = centre + (down * turn.cos() + quarter * turn.sin()) * 0.055;
                    let held = if ring == sleeve_rings { Held::Cuff(cuff, along) } else { Held::Free };
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
            grid: self.grid,
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

//! Small pictures of dressed bodies, drawn on the processor.

use crate::looking::view::ViewOfRoom;
use crate::looking::view::ViewRequest;
use glam::{Mat3, Vec3};
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;

/// Body and pieces of a room at rest, by `colour` of each part (sRGB), as the bytes of a PNG.
///
/// # Errors
/// When the room has no rest pose.
pub fn of_room(
    room: &Room,
    colour: impl Fn(usize) -> [u8; 3],
    view: View,
    width: usize,
    height: usize,
) -> Result<Vec<u8>, WorkshopError> {
    let parts = room.view(&ViewRequest::default())?;
    let meshes = std::iter::once(&room.dress.body.mesh).chain(room.dress.pieces.iter().map(|p| &*p.mesh));
    let drawn: Vec<PicturePart> = parts
        .iter()
        .zip(meshes)
        .enumerate()
        .map(|(i, (part, mesh))| PicturePart {
            positions: &part.positions,
            normals: &part.normals,
            triangles: &mesh.triangles,
            colour: colour(i),
            marks: (&[], [0; 3]),
            shares: &[],
        })
        .collect();
    Ok(draw(&drawn, view, width, height))
}

/// One mesh of a picture.
#[derive(Clone, Copy)]
pub struct PicturePart<'a> {
    /// Vertices, metres.
    pub positions: &'a [Vec3],
    /// Unit normals, one a vertex.
    pub normals: &'a [Vec3],
    /// Vertex indices.
    pub triangles: &'a [[u32; 3]],
    /// Colour, sRGB.
    pub colour: [u8; 3],
    /// Vertices of another colour, ascending.
    pub marks: (&'a [u32], [u8; 3]),
    /// 0 to 1 for each vertex, drawn in bands instead of the colour; empty for none.
    pub shares: &'a [f32],
}

/// What to look at.
#[derive(Clone, Copy, Debug)]
pub struct View {
    /// Turn about the upward axis, radians; 0 looks at the front (from +Z).
    pub turn: f32,
    /// Then about the axis to the right, radians; above 0 it is looked down.
    pub tilt: f32,
    /// What must be in the picture, and so much round it, metres; `None` for all of it.
    pub frame: Option<(Vec3, f32)>,
}

impl View {
    /// From the front.
    pub const FRONT: Self = Self { turn: 0.0, tilt: 0.0, frame: None };

    /// Unit vector to the right in the picture.
    pub fn right(self) -> Vec3 {
        let (sin, cos) = self.turn.sin_cos();
        Vec3::new(cos, 0.0, -sin)
    }

    /// From where `look` points out to.
    pub fn along(look: Vec3, frame: Option<(Vec3, f32)>) -> Self {
        let tilt = look.normalize_or(Vec3::Z).y.clamp(-1.0, 1.0).asin();
        Self { turn: look.x.atan2(look.z), tilt, frame }
    }
}

const PAPER: [f32; 3] = [246.0, 242.0, 233.0];

const INK: [f32; 3] = [31.0, 42.0, 48.0];

const NOTHING: u32 = u32::MAX;

/// Draws `parts` in parallel projection, softly lit, with an ink outline, on paper; returns a
/// PNG of `width` × `height` pixels.
pub fn draw(parts: &[PicturePart], view: View, width: usize, height: usize) -> Vec<u8> {
    const SAMPLES: usize = 2;
    let (w, h) = (width * SAMPLES, height * SAMPLES);
    let mut canvas = Canvas::new(w, h);
    let turn = Mat3::from_rotation_x(view.tilt) * Mat3::from_rotation_y(-view.turn);
    let all = || parts.iter().flat_map(|p| p.positions.iter());
    let (low, high) = match view.frame {
        Some((at, round)) => (turn * at - Vec3::splat(round), turn * at + Vec3::splat(round)),
        None => {
            let grown = |(l, h): (Vec3, Vec3), p: &Vec3| (l.min(turn * *p), h.max(turn * *p));
            all().fold((Vec3::INFINITY, Vec3::NEG_INFINITY), grown)
        }
    };
    let centre = (low + high) * 0.5;
    let size = (high - low).max(Vec3::splat(1e-3));
    let scale = (w as f32 / size.x).min(h as f32 / size.y) * 0.92;
    for (index, part) in parts.iter().enumerate() {
        let placed: Vec<Vec3> = part
            .positions
            .iter()
            .map(|p| {
                let q = turn * *p - centre;
                Vec3::new(w as f32 * 0.5 + q.x * scale, h as f32 * 0.5 - q.y * scale, q.z * scale)
            })
            .collect();
        let normals: Vec<Vec3> = part.normals.iter().map(|n| turn * *n).collect();
        for t in part.triangles {
            let marked = t.iter().filter(|v| part.marks.0.binary_search(v).is_ok()).count();
            canvas.triangle(
                t.map(|v| placed[v as usize]),
                t.map(|v| normals[v as usize]),
                index as u32,
                match part.shares.is_empty() {
                    _ if marked > 1 => part.marks.1,
                    true => part.colour,
                    false => band(t.iter().map(|v| part.shares[*v as usize]).sum::<f32>() / 3.0),
                },
            );
        }
    }
    canvas.outline(SAMPLES);
    encode(&canvas.shrink(SAMPLES), width, height)
}

/// None is nearly paper, all is ink blue; ten steps between, so that each has an edge.
fn band(share: f32) -> [u8; 3] {
    const NONE: [f32; 3] = [233.0, 228.0, 216.0];
    const ALL: [f32; 3] = [36.0, 58.0, 110.0];
    let step = (share * 10.0).ceil() / 10.0;
    std::array::from_fn(|c| (NONE[c] + (ALL[c] - NONE[c]) * step.clamp(0.0, 1.0)) as u8)
}

struct Canvas {
    width: usize,
    height: usize,
    depth: Vec<f32>,
    colour: Vec<[f32; 3]>,
    part: Vec<u32>,
}

impl Canvas {
    fn new(width: usize, height: usize) -> Self {
        let pixels = width * height;
        Self {
            width,
            height,
            depth: vec![f32::NEG_INFINITY; pixels],
            colour: vec![PAPER; pixels],
            part: vec![NOTHING; pixels],
        }
    }

    fn triangle(&mut self, p: [Vec3; 3], n: [Vec3; 3], part: u32, colour: [u8; 3]) {
        let area = (p[1] - p[0]).truncate().perp_dot((p[2] - p[0]).truncate());
        if area == 0.0 || !area.is_finite() {
            return;
        }
        let clamp = |x: f32, most: usize| x.clamp(0.0, most as f32) as usize;
        let low = p[0].min(p[1]).min(p[2]);
        let high = p[0].max(p[1]).max(p[2]);
        for y in clamp(low.y, self.height)..clamp(high.y + 1.0, self.height) {
            for x in clamp(low.x, self.width)..clamp(high.x + 1.0, self.width) {
                let at = Vec3::new(x as f32 + 0.5, y as f32 + 0.5, 0.0);
                let weight = |a: Vec3, b: Vec3| (b - a).truncate().perp_dot((at - a).truncate()) / area;
                let (u, v, s) = (weight(p[1], p[2]), weight(p[2], p[0]), weight(p[0], p[1]));
                if u < 0.0 || v < 0.0 || s < 0.0 {
                    continue;
                }
                let z = p[0].z * u + p[1].z * v + p[2].z * s;
                let pixel = y * self.width + x;
                if z > self.depth[pixel] {
                    self.depth[pixel] = z;
                    self.part[pixel] = part;
                    let normal = (n[0] * u + n[1] * v + n[2] * s).normalize_or(Vec3::Z);
                    self.colour[pixel] = shade(normal, colour);
                }
            }
        }
    }

    /// Darkens pixels where another part, the paper or a far surface begins.
    fn outline(&mut self, samples: usize) {
        let step = samples as f32 * 9.0;
        let edges: Vec<bool> = (0..self.part.len())
            .map(|i| {
                let (x, y) = (i % self.width, i / self.width);
                let differs = |j: usize| {
                    self.part[i] != NOTHING
                        && (self.part[j] != self.part[i] || self.depth[i] - self.depth[j] > step)
                };
                let reach = samples.div_ceil(2);
                (x >= reach && differs(i - reach))
                    || (x + reach < self.width && differs(i + reach))
                    || (y >= reach && differs(i - reach * self.width))
                    || (y + reach < self.height && differs(i + reach * self.width))
            })
            .collect();
        for (colour, edge) in self.colour.iter_mut().zip(edges) {
            if edge {
                *colour = INK;
            }
        }
    }

    fn shrink(&self, samples: usize) -> Vec<u8> {
        let (width, height) = (self.width / samples, self.height / samples);
        let mut out = Vec::with_capacity(width * height * 3);
        for y in 0..height {
            for x in 0..width {
                for c in 0..3 {
                    let sum: f32 = (0..samples * samples)
                        .map(|k| {
                            let (dx, dy) = (k % samples, k / samples);
                            self.colour[(y * samples + dy) * self.width + x * samples + dx][c]
                        })
                        .sum();
                    out.push((sum / (samples * samples) as f32) as u8);
                }
            }
        }
        out
    }
}

fn shade(normal: Vec3, colour: [u8; 3]) -> [f32; 3] {
    let facing = if normal.z < 0.0 { -normal } else { normal };
    let key = facing.dot(Vec3::new(-0.45, 0.6, 0.66)).max(0.0);
    let light = 0.58 + 0.46 * key;
    colour.map(|c| (f32::from(c) * light).min(255.0))
}

fn encode(rgb: &[u8], width: usize, height: usize) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, width as u32, height as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    // Writing to memory fails only on wrong sizes, which are ours.
    if let Ok(mut writer) = encoder.write_header() {
        let _ = writer.write_image_data(rgb);
    }
    out
}

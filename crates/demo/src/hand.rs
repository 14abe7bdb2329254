//! Wick's hands: a palm, four fingers and a thumb, and where their joints are.
//!
//! Lengths are those of a hand of 18 cm: the middle finger just under half of it, phalanges of a
//! finger about 5 : 3 : 2.5 (common practice in figure drawing, no source).

use crate::figure::{HAND, HAND_TIP};
use crate::sdf::{ellipsoid, flat_cone, join, round_cone};
use glam::{Mat3, Vec3};
use std::sync::LazyLock;

const fn v(x: f32, y: f32, z: f32) -> Vec3 {
    Vec3::new(x, y, z)
}

/// A finger in the hand's own frame: x along the middle finger, y towards the thumb, z out of the back.
pub(crate) struct Finger {
    /// As its joints are called, without number and side.
    pub name: &'static str,
    /// Its three joints and its tip, metres.
    pub joints: [Vec3; 4],
    /// How thick it is there.
    radii: [f32; 4],
}

/// Thumb to little finger.
pub(crate) static FINGERS: LazyLock<[Finger; 5]> = LazyLock::new(|| {
    [
        Finger {
            name: "thumb",
            joints: [
                v(0.020, 0.026, -0.010),
                v(0.054, 0.054, -0.018),
                v(0.080, 0.068, -0.023),
                v(0.102, 0.076, -0.027),
            ],
            radii: [0.0165, 0.0122, 0.0105, 0.0085],
        },
        long("index", v(0.092, 0.0290, 0.0), 9.0, [0.039, 0.024, 0.020], 0.0092),
        long("middle", v(0.096, 0.0090, 0.0), 1.5, [0.042, 0.027, 0.021], 0.0094),
        long("ring", v(0.092, -0.0110, 0.0), -6.0, [0.039, 0.025, 0.021], 0.0088),
        long("little", v(0.083, -0.0295, -0.001), -15.0, [0.031, 0.019, 0.018], 0.0080),
    ]
});

/// A finger spread by so many degrees, a little curled as in a hand at ease.
fn long(name: &'static str, root: Vec3, spread: f32, lengths: [f32; 3], radius: f32) -> Finger {
    let mut joints = [root; 4];
    for (i, curl) in [4.0f32, 14.0, 22.0].into_iter().enumerate() {
        let (sin, cos) = curl.to_radians().sin_cos();
        let (aside, ahead) = spread.to_radians().sin_cos();
        joints[i + 1] = joints[i] + v(ahead * cos, aside * cos, -sin) * lengths[i];
    }
    Finger { name, joints, radii: [1.06, 1.0, 0.9, 0.72].map(|share| share * radius) }
}

impl Finger {
    fn distance(&self, q: Vec3) -> f32 {
        let bone = |i: usize| {
            let (a, b) = (self.joints[i], self.joints[i + 1]);
            round_cone(q, a, b, self.radii[i], self.radii[i + 1])
        };
        join(join(bone(0), bone(1), 0.003), bone(2), 0.003)
    }

    /// How far along the finger `q` lies, metres from its first joint (negative before it).
    fn along(&self, q: Vec3) -> f32 {
        let mut before = 0.0;
        let mut best = (f32::INFINITY, 0.0);
        for (i, pair) in self.joints.windows(2).enumerate() {
            let (bone, length) = (pair[1] - pair[0], pair[0].distance(pair[1]));
            let least = if i == 0 { -0.03 } else { 0.0 };
            let t = ((q - pair[0]).dot(bone) / length).clamp(least, length);
            let distance = q.distance(pair[0] + bone * (t / length));
            if distance < best.0 {
                best = (distance, before + t);
            }
            before += length;
        }
        best.1
    }

    /// How much of `q` each of the three joints carries; what is left is the hand's.
    fn shares(&self, q: Vec3) -> [f32; 3] {
        let at = self.along(q);
        let mut before = 0.0;
        let mut beyond = [0.0; 4];
        for (i, pair) in self.joints.windows(2).enumerate() {
            beyond[i] = crate::body::smooth(before - BEND, before + BEND, at);
            before += pair[0].distance(pair[1]);
        }
        [0, 1, 2].map(|i| beyond[i] - beyond[i + 1])
    }
}

/// Fingers nearer to each other than this grow together: the skin between their roots, metres.
const WEB: f32 = 0.006;
/// Half the length over which a finger bends at a joint, metres.
const BEND: f32 = 0.006;

/// Columns: along the fingers, towards the thumb, out of the back of the (left) hand.
fn frame() -> Mat3 {
    let along = (HAND_TIP - HAND).normalize();
    let back = v(-along.y, along.x, 0.0).normalize();
    Mat3::from_cols(along, along.cross(back), back)
}

static FRAME: LazyLock<Mat3> = LazyLock::new(frame);

fn to_hand(p: Vec3) -> Vec3 {
    FRAME.transpose() * (p - HAND)
}

/// A place of the left hand's own frame in the model.
pub(crate) fn in_model(q: Vec3) -> Vec3 {
    HAND + *FRAME * q
}

fn palm(q: Vec3) -> f32 {
    let mut d = round_cone(q, v(-0.03, 0.0, 0.0), v(0.02, 0.0, 0.0), 0.025, 0.022);
    for finger in &FINGERS[1..] {
        let root = finger.joints[0];
        let start = v(0.012, root.y * 0.55, 0.0);
        d = join(d, round_cone(q, start, root - v(0.004, 0.0, 0.0), 0.0145, finger.radii[0] + 0.0012), 0.014);
    }
    // The ball of the thumb and the heel of the hand.
    d = join(d, ellipsoid(q, v(0.044, 0.023, -0.013), v(0.036, 0.019, 0.014)), 0.014);
    d = join(d, ellipsoid(q, v(0.042, -0.021, -0.010), v(0.036, 0.015, 0.013)), 0.014);
    join(d, flat_cone(q, v(0.03, 0.0, 0.0), v(0.085, 0.0, 0.0), 0.026, 0.034, v(1.0, 1.0, 0.4)), 0.012)
}

/// The solid of both hands.
pub(crate) fn hand(p: Vec3) -> f32 {
    let q = to_hand(v(p.x.abs(), p.y, p.z));
    let far = q.distance(v(0.08, 0.02, 0.0)) - 0.14;
    if far > 0.06 {
        return far;
    }
    let fingers = FINGERS.iter().map(|f| f.distance(q));
    let (thumb, others) =
        (FINGERS[0].distance(q), fingers.skip(1).fold(f32::INFINITY, |d, f| join(d, f, WEB)));
    join(join(palm(q), others, 0.007), thumb, 0.012)
}

/// How much of a place of the left hand each finger's joints carry: finger, joint and share.
pub(crate) fn finger_shares(p: Vec3) -> Vec<(usize, usize, f32)> {
    let q = to_hand(p);
    let near = FINGERS.iter().enumerate().map(|(i, f)| (i, f.distance(q)));
    let Some((nearest, distance)) = near.min_by(|a, b| a.1.total_cmp(&b.1)) else { return Vec::new() };
    if nearest != 0 && palm(q) < distance {
        return Vec::new();
    }
    let shares = FINGERS[nearest].shares(q);
    (0..3).map(|joint| (nearest, joint, shares[joint])).collect()
}

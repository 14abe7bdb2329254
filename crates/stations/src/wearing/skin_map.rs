//! Where the skin of one body lies on another's: found once for two bodies, used by all that is carried.

use std::sync::Arc;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::regions::main_joints;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::wear::{limb_map, limb_of_joints, register, Limb, LimbMap, ScatteredField, SkinSurface};
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;

/// Where less of the skin finds a partner, the two bodies are not alike enough.
const LEAST_MATCHED: f32 = 0.5;

/// A map between two skins.
pub(super) struct SkinMap {
    /// How the limbs lie.
    pub limbs: LimbMap,
    /// What the skin was moved besides, told where the limbs bring it.
    pub field: ScatteredField,
    /// The share of the skin that found a partner, 0 to 1.
    pub matched_share: f32,
    /// How far it lies off the other skin, millimetres: on the mean, and at 95 %.
    pub off_mm: [f32; 2],
}

impl Weighed for SkinMap {
    fn bytes(&self) -> usize {
        self.limbs.matrices.len() * 64 + self.field.bytes()
    }
}

impl SkinMap {
    /// As a step tells it.
    pub fn sentence(&self, from: &str) -> String {
        format!(
            "{:.1} % of the skin of {from} found its place here, {:.1} mm off on the mean, {:.1} mm at 95 %; {} bones \
             were laid along each other",
            self.matched_share * 100.0,
            self.off_mm[0],
            self.off_mm[1],
            self.limbs.bones
        )
    }

    /// From the body of one room to that of another. `tell` is told the share done and answers whether to go on.
    pub fn between(from: &Room, to: &Room, tell: &dyn Fn(f32) -> bool) -> Result<Arc<Self>, WorkshopError> {
        // With the joints of pieces: they go along with what they hang from.
        let key = Key::begin("skin map").and_key(from.contents.body).and_key(to.contents.body_mesh).end();
        to.derived.try_get_or_once(key, || Self::find(&from.dress.body, &to.dress.body, tell))
    }

    fn find(from: &Body, to: &Body, tell: &dyn Fn(f32) -> bool) -> Result<Self, WorkshopError> {
        let none = |why: &str| no_map(from, to, why);
        let limbs = laid_along(from, to)?;
        let mut laid = from.rest.clone();
        linear_blend(&from.rest, &from.welded_skin, &limbs.matrices, &mut laid);
        let (own, other) = (limbs_of(from), limbs_of(to));
        let skin = SkinSurface { positions: &laid, topology: &from.topology, limbs: &own };
        let onto = SkinSurface { positions: &to.rest, topology: &to.topology, limbs: &other };
        let fail = |source| WorkshopError::Bind { piece: from.name.clone(), source };
        let found = register(skin, onto, tell).map_err(fail)?.ok_or(WorkshopError::Stopped)?;
        if found.matched_share < LEAST_MATCHED {
            let share = found.matched_share * 100.0;
            return Err(none(&format!("only {share:.0} % of its skin finds a place there: is that a body?")));
        }
        let moved: Vec<_> = found.places.iter().zip(&laid).map(|(p, q)| *p - *q).collect();
        let field = ScatteredField::through(&laid, &moved).ok_or_else(|| none("its skin is flat"))?;
        Ok(Self { limbs, field, matched_share: found.matched_share, off_mm: found.off.map(to_mm) })
    }
}

fn no_map(from: &Body, to: &Body, why: &str) -> WorkshopError {
    WorkshopError::NoSkinMap { from: from.name.clone(), to: to.name.clone(), why: why.to_owned() }
}

/// The limbs of one body laid along another's.
///
/// # Errors
/// When their skeletons have too little in common.
pub fn laid_along(from: &Body, to: &Body) -> Result<LimbMap, WorkshopError> {
    let why =
        "the two skeletons have too little of a person in common: name arms, legs, neck and head plainly";
    limb_map(&from.skeleton, &to.skeleton).ok_or_else(|| no_map(from, to, why))
}

/// The part of a person that each welded vertex of a body belongs to.
fn limbs_of(body: &Body) -> Vec<Limb> {
    let of_joint = limb_of_joints(&body.skeleton);
    main_joints(&body.welded_skin).into_iter().map(|j| of_joint[j.index()]).collect()
}

//! An outfit on another body: a map from one skin to the other, and pieces carried by it.
//!
//! First the limbs of the one are laid along those of the other ([`limb_map`]), then its skin is drawn onto the
//! other's ([`register`]), and what that moved is known everywhere about it ([`ScatteredField`]). Pieces go along
//! ([`carry_piece`]) from the inside out.

mod clear_of;
mod garment;
mod limb_map;
mod registration;
mod scattered_field;
mod similar_shape;
mod stiff_off;

pub use garment::{carry_piece, Beneath, Carried, StiffSize, Way, Worn};
pub use limb_map::{limb_map, limb_of_joints, Limb, LimbMap};
pub use registration::{register, Registration, SkinSurface};
pub use scattered_field::ScatteredField;

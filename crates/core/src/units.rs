//! Millimetres are what people read and set; the computation is in metres. What is in millimetres says so in its name.

use std::ops::Mul;

/// A length, or a vector of lengths, in millimetres.
pub fn to_mm<T: Mul<f32, Output = T>>(metres: T) -> T {
    metres * 1000.0
}

/// A length, or a vector of lengths, in metres.
pub fn from_mm<T: Mul<f32, Output = T>>(mm: T) -> T {
    mm * 0.001
}

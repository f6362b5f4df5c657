//! What an answer of light consists of: numbers by their places in an array.

use crate::scene::MAX_LIGHTS;

/// Numbers in an answer: for the surroundings, and for each light.
pub const SURROUNDINGS: usize = 7;
/// Of the first: what stands behind, the logarithm of a sheet's thickness, and one for each opacity.
pub const ONWARD: usize = 4;
pub const THICKNESS: usize = 5;
pub const OPACITY: usize = 6;
pub const OF_LIGHT: usize = 5;
pub const ANSWERED: usize = SURROUNDINGS + OF_LIGHT * MAX_LIGHTS;
/// Numbers of an answer under so many lights.
pub fn parts(lights: usize) -> usize {
    SURROUNDINGS + OF_LIGHT * lights
}

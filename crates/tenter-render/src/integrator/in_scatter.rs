//! Light scattered toward the eye in clouds, before it has colours.

use crate::scene::MAX_LIGHTS;
use crate::simd::Real;

/// What one light sends to a place, as shares of its irradiance there; each has a phase function of its own.
#[derive(Clone, Copy)]
pub struct LightInScatter<R: Real> {
    /// Unscattered.
    pub single: R,
    /// Scattered a few times, nearly forward.
    pub low_orders: R,
    /// Scattered many times: all around, and backward.
    pub high_orders: R,
    pub backward: R,
    /// Diffracted more than once and turned by nothing else.
    pub diffracted: R,
}

/// How much of each source reaches a place, or places together, each times its opacity.
#[derive(Clone, Copy)]
pub struct InScatter<R: Real> {
    /// Weights of what surrounds the layer above, beside and below, and the flow from above to below.
    pub above: R,
    pub beside: R,
    pub below: R,
    pub flow: R,
    /// Share of what stands behind the cloud that is scattered forward, as if it had not been scattered.
    pub forward_transmitted: R,
    /// Logarithm of the optical thickness of stratiform clouds.
    pub log_thickness: R,
    /// The opacities themselves.
    pub opacity: R,
    pub lights: [LightInScatter<R>; MAX_LIGHTS],
}

const SURROUNDINGS: usize = 7;
const PER_LIGHT: usize = 5;

impl InScatter<crate::simd::Scalar> {
    /// Numbers it consists of, all lights counted.
    pub const COUNT: usize = SURROUNDINGS + PER_LIGHT * MAX_LIGHTS;
    /// Place of the opacity among them.
    pub const OPACITY: usize = 6;

    /// Numbers that so many lights need; they are the first ones.
    pub fn count(lights: usize) -> usize {
        SURROUNDINGS + PER_LIGHT * lights
    }
}

/// The numbers of [`InScatter`] in a fixed order.
pub type InScatterArray<R> = [R; InScatter::COUNT];

impl<R: Real> InScatter<R> {
    #[inline(always)]
    pub fn zero() -> Self {
        Self::from_array(&[R::splat(0.0); InScatter::COUNT])
    }

    #[inline(always)]
    pub fn to_array(self) -> InScatterArray<R> {
        let mut array = [R::splat(0.0); InScatter::COUNT];
        array[0] = self.above;
        array[1] = self.beside;
        array[2] = self.below;
        array[3] = self.flow;
        array[4] = self.forward_transmitted;
        array[5] = self.log_thickness;
        array[InScatter::OPACITY] = self.opacity;
        for i in 0..MAX_LIGHTS {
            let first = SURROUNDINGS + PER_LIGHT * i;
            array[first] = self.lights[i].single;
            array[first + 1] = self.lights[i].low_orders;
            array[first + 2] = self.lights[i].high_orders;
            array[first + 3] = self.lights[i].backward;
            array[first + 4] = self.lights[i].diffracted;
        }
        array
    }

    #[inline(always)]
    pub fn from_array(array: &InScatterArray<R>) -> Self {
        let zero = R::splat(0.0);
        let dark = LightInScatter {
            single: zero,
            low_orders: zero,
            high_orders: zero,
            backward: zero,
            diffracted: zero,
        };
        let mut lights = [dark; MAX_LIGHTS];
        for i in 0..MAX_LIGHTS {
            let first = SURROUNDINGS + PER_LIGHT * i;
            lights[i] = LightInScatter {
                single: array[first],
                low_orders: array[first + 1],
                high_orders: array[first + 2],
                backward: array[first + 3],
                diffracted: array[first + 4],
            };
        }
        InScatter {
            above: array[0],
            beside: array[1],
            below: array[2],
            flow: array[3],
            forward_transmitted: array[4],
            log_thickness: array[5],
            opacity: array[InScatter::OPACITY],
            lights,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    #[test]
    fn every_number_comes_back_from_its_place() {
        let array: InScatterArray<Scalar> = std::array::from_fn(|i| Scalar(i as f32 + 1.0));
        let back = InScatter::from_array(&array).to_array();
        assert_eq!(array.map(|v| v.0), back.map(|v| v.0));
        assert_eq!(InScatter::count(MAX_LIGHTS), InScatter::COUNT);
    }
}

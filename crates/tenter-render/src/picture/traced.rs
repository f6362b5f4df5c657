//! What is kept of a traced ray: its radiance alone, or what a file of layers needs as well.

use crate::integrator::PacketRadiance;
use tenter_sky::spectrum::Rgb;

/// A pixel's value, from a ray or as the mean of several.
pub trait Traced: Copy + Send + Sync {
    /// Where the projection shows nothing.
    const NOTHING: Self;
    fn of(packet: &PacketRadiance, lane: usize) -> Self;
    /// Linear Rec.709, cd/m2.
    fn radiance(&self) -> Rgb;
    fn plus(self, other: Self) -> Self;
    fn times(self, factor: f32) -> Self;
    /// Mean with weights, which need not add up to 1.
    fn weighted_mean(values: impl Iterator<Item = (f64, Self)>) -> Self;
}

fn plus<const N: usize>(a: [f32; N], b: [f32; N]) -> [f32; N] {
    std::array::from_fn(|i| a[i] + b[i])
}

fn weighted_mean<const N: usize>(values: impl Iterator<Item = (f64, [f32; N])>) -> [f32; N] {
    let (mut sum, mut whole) = ([0.0; N], 0.0);
    for (weight, value) in values {
        whole += weight;
        for i in 0..N {
            sum[i] += weight * value[i] as f64;
        }
    }
    if whole > 0.0 { sum.map(|v| (v / whole) as f32) } else { [0.0; N] }
}

impl Traced for Rgb {
    const NOTHING: Rgb = [0.0; 3];
    fn of(packet: &PacketRadiance, lane: usize) -> Rgb {
        [packet.radiance[0][lane], packet.radiance[1][lane], packet.radiance[2][lane]]
    }
    fn radiance(&self) -> Rgb {
        *self
    }
    fn plus(self, other: Rgb) -> Rgb {
        plus(self, other)
    }
    fn times(self, factor: f32) -> Rgb {
        self.map(|v| v * factor)
    }
    fn weighted_mean(values: impl Iterator<Item = (f64, Rgb)>) -> Rgb {
        weighted_mean(values)
    }
}

/// Radiance, and what stands in the way of the light behind.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct LayeredPixel {
    pub radiance: Rgb,
    /// Of the clouds that the ray sees, with what they scatter forward.
    pub clouds_transmittance: f32,
    /// Of clouds and fog; 0 where the ray meets the ground.
    pub transmittance: f32,
    /// Share of ground or land behind the clouds.
    pub ground: f32,
    /// Opacity of clouds and ground, and the same times its distance, m.
    pub opacity: f32,
    pub opacity_distance: f32,
}

impl LayeredPixel {
    fn array(self) -> [f32; 8] {
        let [r, g, b] = self.radiance;
        [
            r,
            g,
            b,
            self.clouds_transmittance,
            self.transmittance,
            self.ground,
            self.opacity,
            self.opacity_distance,
        ]
    }

    fn from_array(a: [f32; 8]) -> LayeredPixel {
        LayeredPixel {
            radiance: [a[0], a[1], a[2]],
            clouds_transmittance: a[3],
            transmittance: a[4],
            ground: a[5],
            opacity: a[6],
            opacity_distance: a[7],
        }
    }
}

impl Traced for LayeredPixel {
    const NOTHING: LayeredPixel = LayeredPixel {
        radiance: [0.0; 3],
        clouds_transmittance: 1.0,
        transmittance: 0.0,
        ground: 0.0,
        opacity: 0.0,
        opacity_distance: 0.0,
    };
    fn of(packet: &PacketRadiance, lane: usize) -> LayeredPixel {
        LayeredPixel {
            radiance: Rgb::of(packet, lane),
            clouds_transmittance: packet.clouds_transmittance[lane],
            transmittance: packet.transmittance[lane],
            ground: packet.ground[lane],
            opacity: packet.opacity[lane],
            opacity_distance: packet.opacity_distance[lane],
        }
    }
    fn radiance(&self) -> Rgb {
        self.radiance
    }
    fn plus(self, other: LayeredPixel) -> LayeredPixel {
        LayeredPixel::from_array(plus(self.array(), other.array()))
    }
    fn times(self, factor: f32) -> LayeredPixel {
        LayeredPixel::from_array(self.array().map(|v| v * factor))
    }
    fn weighted_mean(values: impl Iterator<Item = (f64, LayeredPixel)>) -> LayeredPixel {
        LayeredPixel::from_array(weighted_mean(values.map(|(weight, v)| (weight, v.array()))))
    }
}

//! Fluxes between cloud layers: two-stream adding of slabs and the air between them.

use crate::clouds::optics::diffusion::NON_FORWARD_FRACTION;
use crate::clouds::optics::slab_table::SlabTable;
use crate::scene::Light;
use tenter_sky::spectrum::{Rgb, luminance};

/// Mean transmittances of a layer over its columns.
#[derive(Clone)]
pub(super) struct SlabFluxes {
    /// Transmittance for diffuse light; the rest is reflected.
    pub of_sky: f32,
    /// Share of diffuse light that passes between clouds or is scattered forward.
    pub open: f32,
    /// For each light: total transmittance, direct transmittance, and forward-scattered share.
    pub of_lights: Vec<(f32, f32, f32)>,
}

impl SlabFluxes {
    /// `table`: slabs of the layer's particles; `mean`: mean over columns of a function of optical depth.
    pub fn new(lights: &[Light], table: &SlabTable, mean: impl Fn(&dyn Fn(f64) -> f64) -> f64) -> SlabFluxes {
        let of_lights = lights.iter().map(|light| {
            let slabs = table.under(light.up());
            let through = mean(&|t| 1.0 - slabs.reflectance(t as f32) as f64);
            let straight = |left: f64| mean(&|t| (-t * left / f64::from(light.up().max(0.02))).exp()) as f32;
            (through as f32, straight(1.0), straight(NON_FORWARD_FRACTION as f64))
        });
        let all = table.under_all();
        let of_sky = mean(&|t| 1.0 - all.reflectance(t as f32) as f64) as f32;
        let open = mean(&|t| (-DIFFUSIVITY * t * NON_FORWARD_FRACTION as f64).exp()) as f32;
        SlabFluxes { of_sky, open, of_lights: of_lights.collect() }
    }

    /// The same for one light, or none.
    pub fn under(&self, light: Option<usize>) -> SlabFluxes {
        let of_lights = light.map(|l| self.of_lights[l]).into_iter().collect();
        SlabFluxes { of_lights, ..*self }
    }
}

/// Mean slant of diffuse light (Elsasser 1942, diffusivity factor).
const DIFFUSIVITY: f64 = 1.66;

/// Ratio of two values of a channel; `otherwise` where the denominator is negligible.
pub(crate) fn ratio(part: f32, whole: f32, otherwise: f32) -> f32 {
    const NEXT_TO_NOTHING: f32 = 1e-25;
    if whole.abs() > NEXT_TO_NOTHING { (part / whole).clamp(-1e6, 1e6) } else { otherwise }
}

/// A difference clamped to the sign of the channel: channels outside the gamut are negative.
pub(super) fn at_least_nothing(difference: f32, channel: f32) -> f32 {
    if channel < 0.0 { difference.min(0.0) } else { difference.max(0.0) }
}

/// Fluxes at the levels between slabs, the ground's first: down and up, and each light's direct part.
pub(super) struct FluxLevels {
    pub down: Vec<Rgb>,
    pub up: Vec<Rgb>,
    /// Up under each slab, including what the air below it scatters up.
    pub below: Vec<Rgb>,
    pub straight: Vec<Rgb>,
    /// Forward-scattered part of `down`.
    pub hardly: Vec<Rgb>,
    /// Up without clouds.
    pub bare: Vec<Rgb>,
}

/// Downward illuminance at an altitude without clouds: by the sky and by each light.
pub(super) struct ClearFluxes {
    pub sky: Rgb,
    pub lights: Vec<Rgb>,
    /// Ratio of the sky's light there to that at the eye.
    pub brighter: Rgb,
}

impl ClearFluxes {
    /// Reflected by the bare ground.
    pub fn up(&self, albedo: Rgb) -> Rgb {
        [0, 1, 2].map(|c| albedo[c] * (self.sky[c] + self.lights.iter().map(|v| v[c]).sum::<f32>()))
    }

    pub fn down(&self) -> f32 {
        luminance(self.sky) + self.lights.iter().map(|v| luminance(*v)).sum::<f32>()
    }
}

impl FluxLevels {
    /// The sky's and the lights' fluxes enter at the top; slabs, ground and the air above, with reflectance
    /// `air`, exchange light (two-stream adding, for example Liou 2002, section 6.4). The clear sky's light
    /// already includes that of the bare ground. `clear`: fluxes at each level without clouds.
    pub fn between(slabs: &[SlabFluxes], clear: &[ClearFluxes], albedo: Rgb, air: Rgb) -> FluxLevels {
        let n = slabs.len();
        let left = |share: &dyn Fn(&(f32, f32, f32)) -> f32| {
            let mut left = vec![clear[n].lights.clone(); n + 1];
            for i in (0..n).rev() {
                for (l, of_light) in slabs[i].of_lights.iter().enumerate() {
                    let (from, to) = (clear[i + 1].lights[l], clear[i].lights[l]);
                    let by_air = |c: usize| ratio(to[c], from[c], 1.0);
                    left[i][l] = [0, 1, 2].map(|c| left[i + 1][l][c] * share(of_light) * by_air(c));
                }
            }
            left
        };
        let (direct, nearly) = (left(&|of| of.1), left(&|of| of.2));
        let sum = |level: &[Rgb], share: &dyn Fn(usize) -> f32, c: usize| -> f32 {
            level.iter().enumerate().map(|(l, v)| v[c] * share(l)).sum()
        };
        let sky = clear[n].sky;
        let (mut down, mut up) = (vec![sky; n + 1], vec![[0.0; 3]; n + 1]);
        let straight: Vec<Rgb> =
            direct.iter().map(|level| [0, 1, 2].map(|c| sum(level, &|_| 1.0, c))).collect();
        // Light scattered down and up by the air under each slab.
        let (mut down_by_air, mut up_by_air) = (vec![[0.0; 3]; n], vec![[0.0; 3]; n]);
        let mut bare = vec![clear[0].up(albedo); n + 1];
        for i in 0..n {
            for c in 0..3 {
                let [under, over] = [i, i + 1].map(|level| sum(&clear[level].lights, &|_| 1.0, c));
                let there = ratio(straight[i][c], under, 1.0);
                let down = at_least_nothing(clear[i].sky[c] - clear[i + 1].sky[c], over);
                let up = at_least_nothing(over - under - down, over);
                (down_by_air[i][c], up_by_air[i][c]) = (down * there, up * there);
                bare[i + 1][c] = bare[i][c] + up;
            }
        }
        let hardly = direct.iter().zip(&nearly);
        let hardly: Vec<Rgb> = hardly
            .map(|(direct, nearly)| [0, 1, 2].map(|c| sum(nearly, &|_| 1.0, c) - sum(direct, &|_| 1.0, c)))
            .collect();
        // Each iteration adds one exchange; the remainder after these is negligible.
        for _ in 0..60 {
            for c in 0..3 {
                down[n][c] = sky[c] + air[c] * at_least_nothing(up[n][c] - bare[n][c], bare[n][c]);
                for i in (0..n).rev() {
                    let SlabFluxes { of_sky, of_lights, .. } = &slabs[i];
                    let scattered = sum(&direct[i + 1], &|l| of_lights[l].0 - of_lights[l].1, c);
                    let rising = up[i][c] + up_by_air[i][c];
                    let falling = of_sky * down[i + 1][c] + (1.0 - of_sky) * rising + scattered;
                    down[i][c] = falling + down_by_air[i][c];
                }
                up[0][c] = albedo[c] * (down[0][c] + straight[0][c]);
                for i in 0..n {
                    let SlabFluxes { of_sky, of_lights, .. } = &slabs[i];
                    let back = sum(&direct[i + 1], &|l| 1.0 - of_lights[l].0, c);
                    let rising = up[i][c] + up_by_air[i][c];
                    up[i + 1][c] = of_sky * rising + (1.0 - of_sky) * down[i + 1][c] + back;
                }
            }
        }
        let below = (0..n).map(|i| [0, 1, 2].map(|c| up[i][c] + up_by_air[i][c])).collect();
        FluxLevels { down, up, below, straight, hardly, bare }
    }

    /// Luminous flux down through a level.
    pub fn total_down(&self, level: usize) -> f32 {
        luminance(self.down[level]) + luminance(self.straight[level])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SKY: f32 = 20.0;
    const SUN: f32 = 80.0;

    fn clear(sky: f32, sun: f32) -> ClearFluxes {
        ClearFluxes { sky: [sky; 3], lights: vec![[sun; 3]], brighter: [1.0; 3] }
    }

    fn slab(of_sky: f32, through: f32, straight: f32) -> SlabFluxes {
        SlabFluxes { of_sky, open: straight, of_lights: vec![(through, straight, straight)] }
    }

    /// Slabs absorb nothing: the flux leaves at the top or is absorbed by black ground.
    #[test]
    fn no_light_is_lost_between_slabs() {
        let slabs = [slab(0.7, 0.5, 0.2), slab(0.4, 0.3, 0.0), slab(0.9, 0.95, 0.6)];
        let clear: Vec<ClearFluxes> = (0..4).map(|_| clear(SKY, SUN)).collect();
        let levels = FluxLevels::between(&slabs, &clear, [0.0; 3], [0.0; 3]);
        let out = levels.up[3][1] + levels.down[0][1] + levels.straight[0][1];
        assert!((out / (SKY + SUN) - 1.0).abs() < 1e-4, "{out}");
    }

    /// Without slabs the clear sky's light is unchanged.
    #[test]
    fn no_slab_leaves_the_clear_sky() {
        let levels = FluxLevels::between(&[], &[clear(SKY, SUN)], [0.3; 3], [0.1; 3]);
        assert_eq!((levels.down[0][0], levels.straight[0][0]), (SKY, SUN));
        assert!((levels.up[0][0] - 0.3 * (SKY + SUN)).abs() < 1e-4 && levels.bare[0] == levels.up[0]);
    }

    /// White clouds under air of reflectance 0.1: 1 + s R + (s R)^2 ..., R being their reflectance.
    #[test]
    fn light_goes_to_and_fro_over_white_clouds() {
        const BACK: f32 = 0.1;
        let slabs = [slab(0.0, 0.0, 0.0)];
        let clear = [clear(SKY, SUN), clear(SKY, SUN)];
        let levels = FluxLevels::between(&slabs, &clear, [0.0; 3], [BACK; 3]);
        let expected = (SKY + SUN) / (1.0 - BACK) - SUN;
        assert!((levels.down[1][0] / expected - 1.0).abs() < 1e-3, "{} {expected}", levels.down[1][0]);
        assert!(levels.down[0][0] < 1e-3 && levels.total_down(0) < 1e-3);
    }

    /// Air under open clouds scatters as if there were none; under opaque ones it does not.
    #[test]
    fn air_under_clouds_scatters_what_gets_there() {
        let clear = || [clear(SKY, 0.7 * SUN), clear(0.5 * SKY, SUN)];
        let open = FluxLevels::between(&[slab(1.0, 1.0, 1.0)], &clear(), [0.0; 3], [0.0; 3]);
        assert!((open.down[0][0] - SKY).abs() < 1e-3 && (open.straight[0][0] - 0.7 * SUN).abs() < 1e-3);
        // The rest of the light's loss goes up.
        assert!((open.below[0][0] - (0.3 * SUN - 0.5 * SKY)).abs() < 1e-3, "{}", open.below[0][0]);
        let closed = FluxLevels::between(&[slab(0.5, 0.4, 0.0)], &clear(), [0.0; 3], [0.0; 3]);
        let expected = 0.5 * 0.5 * SKY + 0.4 * SUN;
        assert!((closed.down[0][0] - expected).abs() < 1e-3, "{} {expected}", closed.down[0][0]);
        assert_eq!(closed.straight[0][0], 0.0);
    }

    #[test]
    fn what_has_hardly_turned_is_told_apart() {
        let slabs = [SlabFluxes { of_sky: 0.9, open: 0.4, of_lights: vec![(0.95, 0.4, 0.6)] }];
        let clear = [clear(SKY, SUN), clear(SKY, SUN)];
        let levels = FluxLevels::between(&slabs, &clear, [0.0; 3], [0.0; 3]);
        assert!((levels.hardly[0][2] - 0.2 * SUN).abs() < 1e-3 && levels.hardly[1][2] == 0.0);
        assert!(levels.hardly[0][2] < levels.down[0][2]);
    }
}

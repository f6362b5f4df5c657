//! Diffuse light of the clear sky at any altitude, and the reflectance of air for light from below.

use super::two_stream::{ClearFluxes, ratio};
use crate::air::{Air, Medium, SkyRadiance, TOP_M, forward_lobe, on_upright_planes};
use crate::scene::Light;
use crate::simd::Scalar;
use std::f64::consts::PI;
use tenter_sky::document::SkySource;
use tenter_sky::spectrum::{LightToRgb, Rgb, Spectrum, luminance};

/// Reflectance of the air above an altitude (m) for diffuse light from below: two-stream solution by
/// quadrature for conservative scattering (Meador and Weaver 1980, table 1), forward scattering counted as
/// none.
pub(super) fn sent_back_by_air(medium: &Medium, altitude: f64) -> Spectrum {
    const STEP: f64 = 500.0;
    const STEPS: usize = (TOP_M / STEP) as usize;
    let turned = [1.0, 1.0 - medium.aerosol.moment(1), 1.0 - medium.dust.moment(1)];
    let mut depth = Spectrum::ZERO;
    for i in 0..STEPS {
        let amounts = medium.amounts(altitude + (i as f64 + 0.5) * STEP);
        for (by, turned) in medium.scattering(&amounts).into_iter().zip(turned) {
            depth += by * (turned * STEP as f32);
        }
    }
    Spectrum(depth.0.map(|t| 0.75f32.sqrt() * t / (1.0 + 0.75f32.sqrt() * t)))
}

/// Effect of a spectral transmittance on each channel of a light.
pub(super) fn filter_of(shares: &Spectrum, to_rgb: &LightToRgb) -> Rgb {
    let (some, all) = (to_rgb.convert(shares), to_rgb.colour());
    // At the edge of the gamut a channel is a difference of much larger numbers.
    [0, 1, 2].map(|c| ratio(some[c], all[c], 0.0).clamp(0.0, shares.max().max(0.0)))
}

/// Radiance of a sky without clouds and discs in one direction, cd/m2.
pub fn clear_sky(lights: &[Light], painted: Option<&SkyRadiance>, night_glow: f32, d: [f64; 3]) -> Rgb {
    let at = d.map(|v| Scalar(v as f32));
    let mut sum = [night_glow; 3];
    let mut add = |light: [Scalar; 3], strength: f32| {
        for c in 0..3 {
            sum[c] += light[c].0 * strength;
        }
    };
    match painted {
        Some(painted) => add(painted.radiance(at, Scalar(0.0)), 1.0),
        None => {
            for light in lights {
                let s = light.direction();
                let cos: f64 = (0..3).map(|i| d[i] * s[i]).sum();
                add(light.view.sky.radiance(at, forward_lobe(Scalar(cos as f32))), light.strength);
            }
        }
    }
    sum
}

/// The clear sky as a source of light.
pub struct SkyLight<'a> {
    pub lights: &'a [Light],
    pub painted: Option<&'a SkyRadiance>,
    pub night_glow: f32,
    pub source: &'a SkySource,
}

/// The sky of one light; the first one includes what needs no light: airglow, or a painted sky. Parts are
/// additive.
pub(super) struct SkyPart<'a> {
    pub sky: &'a SkyLight<'a>,
    /// Index of the light.
    pub light: Option<usize>,
    pub with_rest: bool,
}

/// Illuminance by the clear sky, lx: on level ground, and the circumsolar part on a plane that faces the
/// light.
pub(super) struct SkyIrradiance {
    pub level: Rgb,
    pub sunward: Rgb,
}

impl SkyIrradiance {
    /// Circumsolar part on level ground.
    pub fn with_light(&self, part: &SkyPart) -> Rgb {
        self.sunward.map(|v| v * part.light().map_or(0.0, Light::up))
    }

    /// At another altitude: changed by the light that the air above scatters down. The circumsolar part
    /// goes with the light, the rest is uniform.
    pub fn at(&self, part: &SkyPart, over: &Scattering, altitude: f64) -> ClearFluxes {
        let (here, there) = (over.above(0.0), over.above(altitude));
        // Channels at the edge of the gamut follow the others.
        let whole = ratio(luminance(there), luminance(here), 1.0).max(0.0);
        let by_channel = |c: usize| ratio(there[c], here[c], whole).clamp(0.25 * whole, 4.0 * whole);
        let brighter = if part.sky.painted.is_some() { [1.0; 3] } else { [0, 1, 2].map(by_channel) };
        let with_light = self.with_light(part);
        let mut lights: Vec<Rgb> =
            part.light().map(|light| light.clear(altitude).map(|v| v * light.up())).into_iter().collect();
        for light in &mut lights {
            for c in 0..3 {
                light[c] += with_light[c] * brighter[c];
            }
        }
        let sky = [0, 1, 2].map(|c| (self.level[c] - with_light[c]) * brighter[c]);
        ClearFluxes { sky, lights, brighter }
    }
}

/// Light scattered down once by the air above an altitude.
pub(super) struct Scattering {
    /// Every [`Scattering::STEP`] m from the ground.
    above: Vec<Rgb>,
}

impl Scattering {
    const STEP: f64 = 500.0;
    const STEPS: usize = (TOP_M / Self::STEP) as usize;

    /// For a light at a cosine `m` to the zenith the Eddington approximation scatters `(1 + 3/2 g m) / 2`
    /// downward (Meador and Weaver 1980, table 1).
    pub fn new(medium: &Medium, light: Option<&Light>) -> Scattering {
        let asymmetry = [0.0, medium.aerosol.moment(1), medium.dust.moment(1)];
        let mut above = vec![[0.0; 3]; Self::STEPS + 1];
        for i in (0..Self::STEPS).rev() {
            let altitude = (i as f64 + 0.5) * Self::STEP;
            let scattered = medium.scattering(&medium.amounts(altitude));
            above[i] = above[i + 1];
            if let Some(light) = light {
                let up = light.up();
                let mut down = Spectrum::ZERO;
                for (by, g) in scattered.iter().zip(asymmetry) {
                    down += *by * (0.5 + 0.75 * g * up).min(0.95);
                }
                let down = filter_of(&down, &light.placed.in_sky.to_rgb);
                let lit = light.clear(altitude);
                for c in 0..3 {
                    above[i][c] += lit[c] * down[c];
                }
            }
        }
        Scattering { above }
    }

    fn above(&self, altitude: f64) -> Rgb {
        let x = (altitude / Self::STEP).clamp(0.0, Self::STEPS as f64 - 1e-3);
        let (i, f) = (x as usize, (x % 1.0) as f32);
        [0, 1, 2].map(|c| self.above[i][c] + (self.above[i + 1][c] - self.above[i][c]) * f)
    }
}

/// Sine of a light's elevation below which there is no circumsolar part.
const FADES_UNDER: f64 = 0.07;

impl SkyLight<'_> {
    /// One part per light that shines, the first with what needs no light.
    pub(super) fn parts(&self) -> Vec<SkyPart<'_>> {
        let shining = (0..self.lights.len()).filter(|i| self.lights[*i].strength > 0.0);
        let mut parts: Vec<SkyPart> =
            shining.map(|i| SkyPart { sky: self, light: Some(i), with_rest: false }).collect();
        match parts.first_mut() {
            Some(first) => first.with_rest = true,
            None => parts.push(SkyPart { sky: self, light: None, with_rest: true }),
        }
        parts
    }

    /// Factors of strength, colour shift and tint on the sky's light.
    fn filter(&self) -> Rgb {
        // Shifts are counted from D65's neighbour at 6500 K; no light is hotter than 40 000 K.
        let at = |mired: f64| {
            let rgb = LightToRgb::blackbody(1e6 / mired.clamp(25.0, 1000.0)).colour();
            rgb.map(|v| v / luminance(rgb))
        };
        const NEUTRAL: f64 = 1e6 / 6500.0;
        let (from, to) = (at(NEUTRAL), at(NEUTRAL + self.source.light_shift_mired));
        let tint = self.source.light_tint.0;
        let strength = self.source.light_strength;
        [0, 1, 2].map(|c| (to[c] / from[c]).max(0.0) * (tint[c] * strength) as f32)
    }
}

impl<'a> SkyPart<'a> {
    pub fn light(&self) -> Option<&'a Light> {
        self.light.map(|i| &self.sky.lights[i])
    }

    /// Colour of its light outside the atmosphere.
    pub fn to_rgb(&self) -> &'a LightToRgb {
        self.light().map_or(LightToRgb::sunlight(), |light| &light.placed.in_sky.to_rgb)
    }

    /// Radiance of the clear sky over the ground in one direction as a source, without discs.
    fn radiance(&self, d: [f64; 3], filter: Rgb) -> Rgb {
        let at = d.map(|v| Scalar(v as f32));
        let mut sum = [if self.with_rest { self.sky.night_glow } else { 0.0 }; 3];
        let mut add = |light: [Scalar; 3], strength: f32| {
            for c in 0..3 {
                sum[c] += light[c].0 * strength;
            }
        };
        match (self.sky.painted, self.light()) {
            (Some(painted), _) if self.with_rest => add(painted.radiance(at, Scalar(0.0)), 1.0),
            (None, Some(light)) => {
                let s = light.direction();
                let cos: f64 = (0..3).map(|i| d[i] * s[i]).sum();
                add(light.over_ground.radiance(at, forward_lobe(Scalar(cos as f32))), light.strength);
            }
            _ => {}
        }
        [0, 1, 2].map(|c| sum[c] * filter[c])
    }

    /// Illuminance by the clear sky: means over directions spread evenly by cosine.
    pub fn falling(&self) -> SkyIrradiance {
        const RINGS: usize = 24;
        const AROUND: usize = 48;
        let filter = self.sky.filter();
        let sun = self.light().map_or([0.0, 0.0, 1.0], Light::direction);
        let level_to_sun = sun[0].hypot(sun[1]);
        let (mut level, mut toward) = ([0.0f64; 3], [0.0f64; 3]);
        for i in 0..RINGS * AROUND {
            let sin2 = ((i / AROUND) as f64 + 0.5) / RINGS as f64;
            let (s, c) = ((i % AROUND) as f64 * 2.0 * PI / AROUND as f64).sin_cos();
            let (flat, up) = (sin2.sqrt(), (1.0 - sin2).sqrt());
            let l = self.radiance([flat * s, flat * c, up], filter);
            let sunward = flat / up * (s * sun[0] + c * sun[1]) / level_to_sun.max(1e-6);
            for k in 0..3 {
                level[k] += l[k] as f64;
                toward[k] += l[k] as f64 * sunward;
            }
        }
        // At the horizon a light does not favour a side of a layer: the circumsolar part fades.
        let fade = if self.light.is_some() { (sun[2] / FADES_UNDER).clamp(0.0, 1.0) } else { 0.0 };
        let whole = PI / (RINGS * AROUND) as f64;
        let sunward = toward.map(|v| v.max(0.0) * whole * fade / level_to_sun.max(0.3));
        // At most all of it.
        let share =
            |k: usize| (0.7 * level[k] * whole / (sunward[k] * sun[2].max(0.0)).max(1e-12)).clamp(0.0, 1.0);
        SkyIrradiance {
            level: level.map(|v| (v * whole) as f32),
            sunward: std::array::from_fn(|k| (sunward[k] * share(k)) as f32),
        }
    }

    /// Mean radiance on vertical planes at an altitude from above the horizon, and from the air below it.
    pub fn on_upright_planes(&self, air: &Air, altitude: f64) -> [Rgb; 2] {
        if self.sky.painted.is_some() {
            return [if self.with_rest { self.horizon_radiance() } else { [0.0; 3] }, [0.0; 3]];
        }
        let filter = self.sky.filter();
        let glow = if self.with_rest { self.sky.night_glow } else { 0.0 };
        let mut halves = [[glow; 3], [0.0; 3]];
        if let Some(light) = self.light() {
            for (half, more) in halves.iter_mut().zip(on_upright_planes(air, altitude, &light.placed.in_sky))
            {
                for c in 0..3 {
                    half[c] += more[c];
                }
            }
        }
        halves.map(|half| [0, 1, 2].map(|c| half[c] * filter[c]))
    }

    /// Mean radiance of the sky from 3 to 40 degrees above the horizon.
    fn horizon_radiance(&self) -> Rgb {
        const AROUND: usize = 24;
        let filter = self.sky.filter();
        let mut sum = [0.0f32; 3];
        let elevations = [3.0f64, 8.0, 15.0, 25.0, 40.0];
        for e in elevations {
            for a in 0..AROUND {
                let d = tenter_sky::camera::toward(a as f64 * 2.0 * PI / AROUND as f64, e.to_radians());
                let l = self.radiance(d, filter);
                for k in 0..3 {
                    sum[k] += l[k] / (AROUND * elevations.len()) as f32;
                }
            }
        }
        sum
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::{AirView, TableQuality};
    use crate::prepare::SceneCache;
    use crate::scene::Scene;
    use std::sync::Arc;
    use tenter_sky::document::{Air, Placement, Sky};
    use tenter_sky::spectrum::band_centre_nm;

    fn scene(air: &Air, elevation_deg: f64, eye_m: f64) -> Scene {
        let mut sky = Sky { air: air.clone(), ..Sky::default() };
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
        sky.eye.altitude_m = eye_m;
        SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap()
    }

    fn light(scene: &Scene) -> SkyLight<'_> {
        static SOURCE: std::sync::LazyLock<SkySource> = std::sync::LazyLock::new(SkySource::default);
        SkyLight { lights: &scene.lights, painted: None, night_glow: 0.0, source: &SOURCE }
    }

    /// Exponential integrals, by the middle of 20 000 steps: the integral of mu^(n-2) e^(-t/mu) over 0 to 1.
    fn exponential_integral(n: i32, t: f64) -> f64 {
        const STEPS: usize = 20_000;
        (0..STEPS)
            .map(|i| (i as f64 + 0.5) / STEPS as f64)
            .map(|mu| mu.powi(n - 2) * (-t / mu).exp() / STEPS as f64)
            .sum()
    }

    /// Air of molecules alone: spherical albedo as Vermote and others 1997 have it for the second simulation
    /// of the satellite signal, (3 t - 4 E3(t) + 6 E4(t)) / (4 + 3 t) (from memory).
    #[test]
    fn molecules_send_back_their_spherical_albedo() {
        let air = Air { visibility_km: 1000.0, ..Air::default() };
        let medium = Medium::new(&air);
        let sent_back = sent_back_by_air(&medium, 0.0);
        for (band, got) in sent_back.0.into_iter().enumerate() {
            let t = crate::air::rayleigh_column(band_centre_nm(band));
            let [e3, e4] = [3, 4].map(|n| exponential_integral(n, t));
            let expected = (3.0 * t - 4.0 * e3 + 6.0 * e4) / (4.0 + 3.0 * t);
            assert!((got as f64 / expected - 1.0).abs() < 0.12, "{band}: {got} {expected}");
        }
        // Half of the air lies under 5.5 km (U.S. Standard Atmosphere 1976: 505 hPa there).
        let above = sent_back_by_air(&medium, 5500.0);
        let green = |shares: &Spectrum| filter_of(shares, LightToRgb::sunlight())[1];
        let half = green(&above) / green(&sent_back);
        assert!((half - 0.5).abs() < 0.05, "{half}");
    }

    /// The sky's flux at altitudes, from the ground's, against tables built there.
    #[test]
    fn the_sky_fades_with_height_as_tables_made_there_have_it() {
        for (visibility_km, elevation_deg) in [(60.0, 40.0), (20.0, 40.0), (60.0, 10.0)] {
            let air = Air { visibility_km, ..Air::default() };
            let medium = Medium::new(&air);
            let ground = scene(&air, elevation_deg, 1.0);
            let here = light(&ground);
            let part = &here.parts()[0];
            let (falling, over) = (part.falling(), Scattering::new(&medium, part.light()));
            for altitude in [1500.0, 6000.0] {
                let mut there = scene(&air, elevation_deg, altitude);
                // Its own sky in place of the ground's.
                let view =
                    AirView::new(&there.air, altitude, &there.lights[0].placed.in_sky, TableQuality::Full);
                there.lights[0].over_ground = Arc::new(view.sky);
                let exact = luminance(light(&there).parts()[0].falling().level) / luminance(falling.level);
                let sampled = falling.at(part, &over, altitude);
                let with_light = falling.with_light(part);
                let level: Rgb =
                    std::array::from_fn(|c| sampled.sky[c] + with_light[c] * sampled.brighter[c]);
                let sampled = luminance(level) / luminance(falling.level);
                assert!(
                    (sampled / exact - 1.0).abs() < 0.3,
                    "{visibility_km} {elevation_deg} {altitude}: {sampled} {exact}"
                );
            }
            assert_eq!(falling.at(part, &over, 0.0).brighter, [1.0; 3]);
        }
    }

    /// Direct light grows with altitude, diffuse light falls, and their sum changes little.
    #[test]
    fn what_the_sky_loses_with_height_the_sun_gains() {
        let air = Air { visibility_km: 30.0, ..Air::default() };
        let medium = Medium::new(&air);
        let ground = scene(&air, 35.0, 1.0);
        let here = light(&ground);
        let part = &here.parts()[0];
        let (falling, over) = (part.falling(), Scattering::new(&medium, part.light()));
        let at = |altitude: f64| falling.at(part, &over, altitude);
        let levels = [0.0, 1000.0, 3000.0, 8000.0].map(at);
        for pair in levels.windows(2) {
            assert!(luminance(pair[1].sky) < luminance(pair[0].sky));
            assert!(luminance(pair[1].lights[0]) > luminance(pair[0].lights[0]));
            assert!(
                (pair[1].down() / pair[0].down() - 1.0).abs() < 0.12,
                "{} {}",
                pair[1].down(),
                pair[0].down()
            );
        }
    }
}

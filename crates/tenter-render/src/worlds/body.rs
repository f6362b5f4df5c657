//! One world: a ball with relief, air and rings, lit by the suns of the sky.

use super::rings::RingPlane;
use super::surface::Surface;
use super::{Shown, SunOnWorlds};
use glam::DVec3;
use std::f64::consts::PI;
use tenter_sky::camera::toward;
use tenter_sky::document::World;
use tenter_sky::smoothstep;
use tenter_sky::spectrum::{LightToRgb, Rgb, luminance};

/// Height of relief 1 over the middle ground, as a share of the radius, and slope of its shading.
const RELIEF: f64 = 0.025;
const SLOPE: f64 = 0.35;
/// Sine over which day passes into night to both sides of the terminator.
const TERMINATOR: f64 = 0.04;
/// Reflectance of clouds on a world of water.
const CLOUDS: f64 = 0.75;
/// Luminance of melt, cd/m2, and its temperature, K (lava at 1150 C; common practice, no source).
const MELT_CD_M2: f64 = 900.0;
const MELT_K: f64 = 1420.0;
/// Share of light that a rim of air at strength 1 sends on (own estimate, no source).
const RIM: f64 = 0.35;

/// A world ready to be looked at; lengths in its radii, axes those of the sky.
pub struct Body {
    /// Unit vector to its middle.
    pub direction: [f64; 3],
    /// Cosine of the angle within which anything of it is seen.
    pub nearest_cosine: f64,
    middle: DVec3,
    /// Axes of the world: at longitude 0, square to it, and its pole.
    axes: [DVec3; 3],
    surface: Surface,
    rings: Option<RingPlane>,
    relief: f64,
    light: DVec3,
    dark: DVec3,
    ring_colour: DVec3,
    air: (f64, DVec3),
    melt: DVec3,
    /// Direction and illuminance of each sun, lx.
    suns: Vec<(DVec3, DVec3)>,
}

/// Light of a Lambert sphere by its phase angle, as a share of that at full phase (Russell 1916): `(sin a +
/// (pi - a) cos a) / pi`.
///
/// ```
/// use tenter_render::worlds::lambert_phase;
/// assert!((lambert_phase(0.0) - 1.0).abs() < 1e-12 && lambert_phase(std::f64::consts::PI) < 1e-12);
/// assert!((lambert_phase(std::f64::consts::FRAC_PI_2) - 0.3183).abs() < 1e-4);
/// ```
pub fn lambert_phase(angle: f64) -> f64 {
    (angle.sin() + (PI - angle) * angle.cos()) / PI
}

fn vector(colour: [f64; 3]) -> DVec3 {
    DVec3::from_array(colour)
}

impl Body {
    pub fn new(world: &World, suns: &[SunOnWorlds]) -> Body {
        let d = vector(toward(world.azimuth_deg.to_radians(), world.elevation_deg.to_radians()));
        let distance = world.distance_km / world.radius_km;
        let right = DVec3::new(d.y, -d.x, 0.0).try_normalize().unwrap_or(DVec3::X);
        let up = right.cross(d);
        let (sl, cl) = world.lean_deg.to_radians().sin_cos();
        let leaned = up * cl + right * sl;
        // Rings lie in the plane of the equator: what opens them leans the pole toward the eye.
        let (so, co) = world.rings.opening_deg.to_radians().sin_cos();
        let pole = if world.ringed { leaned * co - d * so } else { leaned };
        let front = (-d - pole * pole.dot(-d)).try_normalize().unwrap_or(right);
        let aside = pole.cross(front);
        let (st, ct) = world.turn_deg.to_radians().sin_cos();
        let melt = LightToRgb::blackbody(MELT_K).colour();
        let melt = melt.map(|v| f64::from(v / luminance(melt)) * MELT_CD_M2);
        Body {
            direction: d.to_array(),
            nearest_cosine: (world.reach_km() / world.distance_km).min(1.0).asin().cos(),
            middle: d * distance,
            axes: [front * ct - aside * st, aside * ct + front * st, pole],
            surface: Surface::new(world),
            rings: RingPlane::new(world, pole),
            relief: world.relief,
            light: vector(world.light.0),
            dark: vector(world.dark.0),
            ring_colour: vector(world.rings.colour.0),
            air: (world.air_depth, vector(world.air_colour.0) * world.air_strength),
            melt: vector(melt),
            suns: suns.iter().map(|sun| (vector(sun.direction), vector(sun.illuminance))).collect(),
        }
    }

    /// What is seen in a direction, if anything of it is.
    pub fn toward(&self, d: [f64; 3], pixel: f64) -> Option<Shown> {
        let d = vector(d);
        if d.dot(vector(self.direction)) < self.nearest_cosine {
            return None;
        }
        let eye = -self.middle;
        let along = self.middle.dot(d);
        let detail = pixel * along.max(1.0);
        let ball = self.ball(eye, d, along, detail);
        let ring = self.ring(eye, d);
        let (mut light, mut hidden) = (DVec3::ZERO, 0.0);
        let mut under = |(own, share): (DVec3, f64)| {
            light += own * (1.0 - hidden);
            hidden += share * (1.0 - hidden);
        };
        match (ball, ring) {
            (Some((at, of_ball)), Some((ring_at, of_ring))) if ring_at < at => {
                under(of_ring);
                under(of_ball);
            }
            (Some((_, of_ball)), of_ring) => {
                under(of_ball);
                if let Some((_, of_ring)) = of_ring {
                    under(of_ring);
                }
            }
            (None, Some((_, of_ring))) => under(of_ring),
            (None, None) => return None,
        }
        let light: Rgb = light.to_array().map(|v| v as f32);
        Some(Shown { light, hidden: hidden as f32 })
    }

    /// In the world's own axes.
    fn local(&self, n: DVec3) -> [f64; 3] {
        self.axes.map(|axis| axis.dot(n))
    }

    /// The ball and its air along a ray: distance, light and share that it hides.
    fn ball(&self, eye: DVec3, d: DVec3, along: f64, detail: f64) -> Option<(f64, (DVec3, f64))> {
        if along <= 0.0 {
            return None;
        }
        let nearest = eye + d * along;
        let miss = nearest.length();
        let out = nearest / miss.max(1e-9);
        let bump = |n: DVec3| RELIEF * self.relief * self.surface.height(self.local(n), detail).0;
        let rim = |radius: f64| {
            let (depth, colour) = self.air;
            if depth <= 0.0 {
                return (DVec3::ZERO, 0.0);
            }
            let beside = miss / radius;
            let share = if beside < 1.0 {
                (-(1.0 - beside * beside).sqrt() / (3.0 * depth)).exp()
            } else {
                (-(beside - 1.0) / (0.3 * depth)).exp()
            };
            let mut light = DVec3::ZERO;
            for (sun, lux) in &self.suns {
                let day = smoothstep((out.dot(*sun) + 0.3) / 0.6);
                light += *lux * colour * (day * RIM / PI);
            }
            (light * share, (0.6 * share).min(1.0))
        };
        let near_limb = (0.9..1.0 + RELIEF).contains(&miss) && self.relief > 0.0;
        let radius = if near_limb { 1.0 + bump(out) } else { 1.0 };
        if miss >= radius {
            let (light, share) = rim(radius);
            return (share > 1e-4).then_some((along, (light, share)));
        }
        let t = along - (radius * radius - miss * miss).sqrt();
        let point = eye + d * t;
        let n = point.normalize();
        let at = self.local(n);
        let (glow, share) = rim(radius);
        // Night that does not glow has nothing to show.
        let dark = self.suns.iter().all(|(sun, _)| n.dot(*sun) <= -TERMINATOR);
        if dark && self.surface.is_cold() {
            return Some((t, (glow, 1.0)));
        }
        let ground = self.surface.ground(at, detail);
        let shaded = if self.relief > 0.0 { self.sloped(n, at, detail) } else { n };
        let mut reflects = self.dark.lerp(self.light, ground.light);
        reflects = reflects.lerp(DVec3::splat(CLOUDS), ground.clouds);
        let mut light = self.melt * ground.glow;
        for (sun, lux) in &self.suns {
            // Relief is lit only where the ball itself has day.
            let day = smoothstep((n.dot(*sun) + TERMINATOR) / (2.0 * TERMINATOR));
            let facing = shaded.dot(*sun).max(0.0) * day;
            if facing > 0.0 {
                let through = self.rings.as_ref().map_or(1.0, |rings| rings.shadow(n, *sun));
                light += *lux * reflects * (facing * through / PI);
            }
        }
        Some((t, (light * (1.0 - share) + glow, 1.0)))
    }

    /// The normal of the ground with its relief.
    fn sloped(&self, n: DVec3, at: [f64; 3], detail: f64) -> DVec3 {
        let (_, slope) = self.surface.height(at, detail);
        let slope = self.axes[0] * slope[0] + self.axes[1] * slope[1] + self.axes[2] * slope[2];
        let across = slope - n * slope.dot(n);
        (n - across * (SLOPE * self.relief * 0.12)).normalize()
    }

    /// The rings along a ray.
    fn ring(&self, eye: DVec3, d: DVec3) -> Option<(f64, (DVec3, f64))> {
        let rings = self.rings.as_ref()?;
        let (t, radius) = rings.meets(eye, d)?;
        let square = rings.opacity(radius);
        if square <= 0.0 {
            return None;
        }
        let slant = d.dot(rings.normal).abs().max(0.05);
        let opacity = 1.0 - (1.0 - square).powf(1.0 / slant);
        let point = eye + d * t;
        let mut light = DVec3::ZERO;
        for (sun, lux) in &self.suns {
            let same_side = (sun.dot(rings.normal) > 0.0) == (d.dot(rings.normal) < 0.0);
            let share = if same_side { 1.0 } else { 0.45 * (1.0 - square) };
            // Behind the world as the sun sees it.
            let along = point.dot(*sun);
            let in_shadow = along < 0.0 && (point - *sun * along).length() < 1.0;
            if !in_shadow {
                // Grazing light still meets ringlets side on.
                let facing = sun.dot(rings.normal).abs().sqrt();
                light += *lux * self.ring_colour * (opacity * share * facing / PI);
            }
        }
        Some((t, (light, opacity)))
    }
}

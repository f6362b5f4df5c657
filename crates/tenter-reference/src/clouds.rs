//! Clouds: free paths and transmittance by null collisions over the same forms that the interactive
//! integrator reads.
//!
//! Extinction never exceeds a form's core: collisions are sampled with that majorant and accepted in
//! proportion to the extinction (Woodcock 1965; Novak, Georgiev, Hanika and Jarosz 2018). Clear air
//! promised by the form is crossed in one step.

use super::phase_sampler::PhaseSampler;
use fastrand::Rng;
use glam::DVec3;
use tenter_render::clouds::form::CloudForm;
use tenter_render::clouds::shell_spans::shell_spans;
use tenter_render::scene::CloudComponent;
use tenter_render::simd::{Kernel, Real, dispatch};
use tenter_sky::spectrum::{BANDS, Spectrum};

/// Transmittance down to which shadow rays are followed; below it Russian roulette applies, unless the
/// phase function is large.
pub const LEAST: f32 = 0.1;
/// Share of a promised distance that is stepped at once.
const MAJORANT_TRUSTED: f64 = 0.5;

/// The clouds of a scene.
pub struct CloudField<'a> {
    parts: Vec<Part<'a>>,
    planet: f64,
}

struct Part<'a> {
    body: Body<'a>,
    base: f64,
    top: f64,
    /// Highest extinction, per metre.
    bound: f64,
    turns: PhaseSampler,
}

enum Body<'a> {
    Form(&'a CloudForm),
    /// Uniform.
    #[cfg(test)]
    Slab,
}

/// A collision with a cloud particle.
pub struct Collision {
    /// Metres along the ray.
    pub distance: f64,
    /// Index of the cloud.
    pub part: usize,
}

/// Treatment of light that is scattered by a degree or two on its way from a light.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ForwardPeak {
    Lost,
    /// It continues in its direction: where a path that ends here had an ordinary scattering before, paths
    /// need not find the forward peak around the light by chance. The sun's light is blurred by as much;
    /// equivalent to delta scaling (Nakajima and Tanaka 1988).
    Kept,
}

/// Russian roulette: of paths below `least` only some continue, with that weight.
pub fn survives(through: &mut Spectrum, least: f32, rng: &mut Rng) -> bool {
    let most = through.max();
    if most >= least {
        return true;
    }
    let survives = rng.f32() * least < most;
    *through = if survives { *through * (least / most) } else { Spectrum::ZERO };
    survives
}

impl<'a> CloudField<'a> {
    pub fn new(clouds: &'a [CloudComponent], planet: f64) -> CloudField<'a> {
        let part = |c: &'a CloudComponent| {
            let form = &c.form.0;
            Part {
                body: Body::Form(form),
                base: form.base as f64,
                top: (form.base + form.depth) as f64,
                bound: form.extinction as f64,
                turns: PhaseSampler::new(&c.phase),
            }
        };
        CloudField { parts: clouds.iter().map(part).collect(), planet }
    }

    /// The first collision along a ray within a distance.
    pub fn meet(&self, from: DVec3, direction: DVec3, within: f64, rng: &mut Rng) -> Option<Collision> {
        let mut first = None;
        let mut end = within;
        for (number, part) in self.parts.iter().enumerate() {
            part.walk(self.way(from, direction, end), rng, |distance, share, rng| {
                let met = rng.f64() < share;
                if met {
                    first = Some(Collision { distance, part: number });
                    end = distance;
                }
                !met
            });
        }
        first
    }

    /// Transmittance of clouds from space by ratio tracking (Novak, Selle and Jarosz 2014). Forward-peak
    /// scattering ([`PhaseSampler::onward`]) is lost, or counted as transmitted. Roulette below `least`.
    pub fn through(
        &self,
        from: DVec3,
        direction: DVec3,
        onward: ForwardPeak,
        least: f32,
        rng: &mut Rng,
    ) -> Spectrum {
        let mut through = Spectrum::splat(1.0);
        for part in &self.parts {
            let lost = match onward {
                ForwardPeak::Lost => Spectrum::splat(1.0),
                ForwardPeak::Kept => Spectrum(part.turns.onward.0.map(|share| 1.0 - share)),
            };
            let mut left = true;
            part.walk(self.way(from, direction, f64::MAX), rng, |_, share, rng| {
                for b in 0..BANDS {
                    through.0[b] *= 1.0 - lost.0[b] * share as f32;
                }
                left = survives(&mut through, least, rng);
                left
            });
            if !left {
                break;
            }
        }
        through
    }

    fn way(&self, from: DVec3, direction: DVec3, within: f64) -> RaySpan {
        RaySpan { planet: self.planet, from, direction, within }
    }

    /// Highest extinction of a cloud, per metre.
    pub fn extinction(&self, part: usize) -> f64 {
        self.parts[part].bound
    }

    /// Phase sampler of a cloud.
    pub fn turns(&self, part: usize) -> &PhaseSampler {
        &self.parts[part].turns
    }
}

/// Points of a ray that are evaluated together: the first gives the distance to the nearest cloud,
/// collisions are sampled at the others.
const TOGETHER: usize = 16;

/// A ray through the clouds.
#[derive(Clone, Copy)]
struct RaySpan {
    planet: f64,
    from: DVec3,
    direction: DVec3,
    /// Metres.
    within: f64,
}

impl Part<'_> {
    /// Visits tentative collisions along a ray: `visit` gets the distance and the extinction as a share of
    /// the majorant, and returns whether to continue.
    fn walk(&self, way: RaySpan, rng: &mut Rng, mut visit: impl FnMut(f64, f64, &mut Rng) -> bool) {
        if self.bound <= 0.0 {
            return;
        }
        let RaySpan { planet, from, direction, .. } = way;
        'stretches: for [start, end] in self.stretches(way) {
            let end = end.min(way.within);
            let mut t = start;
            while t < end {
                let drawn = std::array::from_fn(|_| rng.f32());
                let ExtinctionSamples { at, share, open_to } = self.look(planet, from, direction, t, drawn);
                for (at, share) in at.into_iter().zip(share).skip(1) {
                    if at >= end {
                        continue 'stretches;
                    }
                    if share > 0.0 && !visit(at, share as f64, rng) {
                        return;
                    }
                }
                t = open_to;
            }
        }
    }

    /// The spans of a ray between base and top, as distances: descending, and ascending from its lowest
    /// point.
    fn stretches(&self, RaySpan { planet, from, direction, within, .. }: RaySpan) -> [[f64; 2]; 2] {
        let altitude = from.length() - planet;
        if within < (altitude - self.base).min(self.top - altitude) {
            return [[0.0, within], [0.0; 2]];
        }
        shell_spans(planet, from.length(), from.dot(direction), self.base, self.top)
    }

    /// Evaluates a point of a ray, `t` metres along it, and the next tentative collisions under the
    /// majorant; `drawn`: uniform between 0 and 1.
    fn look(
        &self,
        planet: f64,
        from: DVec3,
        direction: DVec3,
        t: f64,
        drawn: [f32; TOGETHER],
    ) -> ExtinctionSamples {
        let form = match self.body {
            Body::Form(form) => Some(form),
            #[cfg(test)]
            Body::Slab => None,
        };
        let Part { base, bound, .. } = *self;
        dispatch(ExtinctionRow { form, planet, base, bound, from, direction, t, drawn })
    }
}

/// Extinction at points of a ray.
struct ExtinctionSamples {
    /// Metres along the ray.
    at: [f64; TOGETHER],
    /// Extinction as a share of the majorant.
    share: [f32; TOGETHER],
    /// Distance up to which the ray is known: the last point, or the end of clear air around one of them.
    open_to: f64,
}

struct ExtinctionRow<'a> {
    form: Option<&'a CloudForm>,
    planet: f64,
    base: f64,
    bound: f64,
    from: DVec3,
    direction: DVec3,
    t: f64,
    drawn: [f32; TOGETHER],
}

impl Kernel for ExtinctionRow<'_> {
    type Output = ExtinctionSamples;

    #[inline(always)]
    fn run<R: Real>(self) -> ExtinctionSamples {
        let mut steps = [0.0f32; TOGETHER];
        for (drawn, steps) in self.drawn.chunks_exact(R::LANES).zip(steps.chunks_exact_mut(R::LANES)) {
            let left = (R::splat(1.0) - R::load(drawn)).max(R::splat(f32::MIN_POSITIVE));
            (-left.ln()).max(R::splat(0.0)).store(steps);
        }
        let mut at = [self.t; TOGETHER];
        let per_step = 1.0 / self.bound;
        for k in 1..TOGETHER {
            at[k] = at[k - 1] + steps[k] as f64 * per_step;
        }
        let Some(form) = self.form else {
            return ExtinctionSamples { at, share: [1.0; TOGETHER], open_to: at[TOGETHER - 1] };
        };
        let [x, y, z] = self.over_ground(&at);
        let (mut share, mut open) = ([0.0f32; TOGETHER], [0.0f32; TOGETHER]);
        let per_bound = R::splat(per_step as f32);
        for k in (0..TOGETHER).step_by(R::LANES) {
            let here = form.at(R::load(&x[k..]), R::load(&y[k..]), R::load(&z[k..]), R::splat(0.0));
            (here.extinction * per_bound).store(&mut share[k..]);
            // Inside clouds there is no clear air.
            let outside =
                R::select(here.signed_distance.lt(R::splat(0.0)), -here.signed_distance, R::splat(0.0));
            let outside = R::select(R::splat(0.0).lt(here.extinction), R::splat(0.0), outside);
            outside.store(&mut open[k..]);
        }
        let last = at[TOGETHER - 1];
        let open_to =
            at.iter().zip(open).fold(last, |far, (at, open)| far.max(at + open as f64 * MAJORANT_TRUSTED));
        ExtinctionSamples { at, share, open_to }
    }
}

impl ExtinctionRow<'_> {
    /// Metres east and north along the ground from below the eye, and above the base.
    #[inline(always)]
    fn over_ground(&self, at: &[f64; TOGETHER]) -> [[f32; TOGETHER]; 3] {
        let (from, direction) = (self.from, self.direction);
        let mut out = [[0.0; TOGETHER]; 3];
        for (k, t) in at.iter().enumerate() {
            let place = over_ground(self.planet, self.base, from + direction * *t);
            [out[0][k], out[1][k], out[2][k]] = [place.x as f32, place.y as f32, place.z as f32];
        }
        out
    }
}

/// Metres east and north along the ground from below the eye, and above a base.
#[inline(always)]
fn over_ground(planet: f64, base: f64, place: DVec3) -> DVec3 {
    let DVec3 { x, y, z } = place;
    let flat = x * x + y * y;
    let q = flat / (z * z);
    let arc = if z > 0.0 && q < 0.02 {
        // The angle's arc tangent over its tangent, within 1e-9 to a seventh.
        planet * (1.0 - q * (1.0 / 3.0 - q * (0.2 - q * (1.0 / 7.0 - q * (1.0 / 9.0))))) / z
    } else {
        planet * flat.sqrt().atan2(z) / flat.sqrt().max(1e-9)
    };
    DVec3::new(x * arc, y * arc, (flat + z * z).sqrt() - planet - base)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::phase_sampler::Weight;
    use crate::slabs::REFLECTANCE;
    use std::ops::Range;
    use tenter_render::air::{TableQuality, henyey_greenstein};
    use tenter_render::clouds::optics::mie::PhaseFunction;
    use tenter_render::simd::Scalar;
    use tenter_sky::document::{CloudKind, CloudLayer};

    fn slab(heights: Range<f64>, bound: f64, phase: &PhaseFunction) -> Part<'_> {
        Part {
            body: Body::Slab,
            base: heights.start,
            top: heights.end,
            bound,
            turns: PhaseSampler::new(phase),
        }
    }

    fn field_of(part: Part, planet: f64) -> CloudField {
        CloudField { parts: vec![part], planet }
    }

    fn through(field: &CloudField, from: DVec3, direction: DVec3, rng: &mut Rng) -> f64 {
        field.through(from, direction, ForwardPeak::Lost, LEAST, rng).0[6] as f64
    }

    /// What is drawn for keeps its mean, and nothing comes out less than what is worth following.
    #[test]
    fn roulette_keeps_the_mean() {
        const DRAWN: usize = 200_000;
        let mut rng = Rng::with_seed(3);
        for (share, least) in [(0.02f32, 0.1f32), (0.09, 0.1), (0.003, 0.005), (0.4, 0.1)] {
            let mut mean = 0.0;
            for _ in 0..DRAWN {
                let mut through = Spectrum::splat(share);
                through.0[0] = 0.5 * share;
                let left = survives(&mut through, least, &mut rng);
                assert_eq!(left, through.max() > 0.0);
                assert!(!left || through.max() >= share.max(least) * 0.999, "{share} {least}");
                assert_eq!(through.0[0], 0.5 * through.max());
                mean += through.max() as f64 / DRAWN as f64;
            }
            assert!((mean / share as f64 - 1.0).abs() < 0.02, "{share} {least}: {mean}");
        }
    }

    /// However early is drawn for what is left, as much comes through on average: e to the minus of the depth
    /// (Beer 1852).
    #[test]
    fn what_comes_through_does_not_hang_on_the_roulette() {
        const RAYS: usize = 40_000;
        const PLANET: f64 = 1e9;
        let phase = PhaseFunction::new(10.0);
        let from = DVec3::new(0.0, 0.0, PLANET);
        let mut rng = Rng::with_seed(8);
        for depth in [0.5f64, 2.0, 5.0] {
            let field = field_of(slab(0.0..1000.0, depth / 1000.0, &phase), PLANET);
            for onward in [ForwardPeak::Lost, ForwardPeak::Kept] {
                let lost = match onward {
                    ForwardPeak::Lost => 1.0,
                    ForwardPeak::Kept => 1.0 - field.turns(0).onward.0[6] as f64,
                };
                let expected = (-depth * lost).exp();
                for least in [0.9, LEAST, 0.01] {
                    let (mut mean, mut square) = (0.0, 0.0);
                    for _ in 0..RAYS {
                        let share = field.through(from, DVec3::Z, onward, least, &mut rng).0[6] as f64;
                        mean += share / RAYS as f64;
                        square += share * share / RAYS as f64;
                    }
                    let unsure = ((square - mean * mean) / RAYS as f64).sqrt();
                    let off = (mean - expected).abs();
                    assert!(off < 4.0 * unsure + 1e-5, "{depth} {onward:?} {least}: {mean} for {expected}");
                }
            }
        }
    }

    #[test]
    fn slabs_reflect_what_discrete_ordinates_give() {
        const PATHS: usize = 200_000;
        // Flat enough; and not through the planet to the slab on its other side.
        const PLANET: f64 = 1e9;
        const WITHIN: f64 = 1e7;
        let hg =
            PhaseFunction::from_values(|a| [henyey_greenstein(0.85, Scalar(a.cos() as f32)).0 as f64; 3]);
        let mut rng = Rng::with_seed(11);
        for (thickness, expected) in REFLECTANCE {
            let slab = field_of(slab(0.0..1000.0, thickness / 1000.0, &hg), PLANET);
            for (cosine, expected) in [1.0f64, 0.87, 0.5, 0.2].into_iter().zip(expected) {
                let mut back = 0;
                for _ in 0..PATHS {
                    let mut weight = Weight::new(&mut rng);
                    let mut place = DVec3::new(0.0, 0.0, PLANET + 1000.0 - 1e-6);
                    let mut direction = DVec3::new((1.0 - cosine * cosine).sqrt(), 0.0, -cosine);
                    while let Some(met) = slab.meet(place, direction, WITHIN, &mut rng) {
                        place += direction * met.distance;
                        direction = slab.turns(0).turn(direction, &mut weight, &mut rng).direction;
                    }
                    back += usize::from(direction.z > 0.0);
                }
                let got = back as f64 / PATHS as f64;
                // Three standard errors come to 0.006 where half comes back.
                let unsure = 3.0 * (expected * (1.0 - expected) / PATHS as f64).sqrt();
                assert!(
                    (got - expected).abs() < unsure + 0.001,
                    "{thickness} {cosine}: {got} for {expected}"
                );
            }
        }
    }

    /// What is skipped is open: with and without long steps the same light comes through a form.
    #[test]
    fn long_steps_leave_no_cloud_out() {
        for kind in [CloudKind::CumulusMediocris, CloudKind::Stratocumulus, CloudKind::CirrusFibratus] {
            let layer = CloudLayer { water_content_g_m3: 0.01, ..kind.usual() };
            let form = CloudForm::new(&layer, 100_000.0, TableQuality::Full);
            let phase = PhaseFunction::new(10.0);
            let planet = 6.371e6;
            let part = Part {
                base: form.base as f64,
                top: (form.base + form.depth) as f64,
                bound: form.extinction as f64,
                body: Body::Form(&form),
                turns: PhaseSampler::new(&phase),
            };
            let field = field_of(part, planet);
            let from = DVec3::new(0.0, 0.0, planet + 20.0);
            let mut rng = Rng::with_seed(4);
            for (azimuth, elevation) in [(0.3f64, 0.2f64), (2.0, 0.5), (4.0, 1.2)] {
                let (s, c) = elevation.sin_cos();
                let direction = DVec3::new(c * azimuth.sin(), c * azimuth.cos(), s);
                const PATHS: usize = 4000;
                let mean = (0..PATHS).map(|_| through(&field, from, direction, &mut rng)).sum::<f64>()
                    / PATHS as f64;
                let [_, [start, end]] = field.parts[0].stretches(field.way(from, direction, f64::MAX));
                const STEPS: usize = 60_000;
                let step = (end - start) / STEPS as f64;
                let depth: f64 = (0..STEPS)
                    .map(|i| {
                        let t = start + (i as f64 + 0.5) * step;
                        let looked = field.parts[0].look(planet, from, direction, t, [0.0; TOGETHER]);
                        looked.share[0] as f64 * field.parts[0].bound
                    })
                    .sum::<f64>()
                    * step;
                assert!(
                    (mean - (-depth).exp()).abs() < 0.02,
                    "{kind:?} {azimuth} {elevation}: {mean} for {}",
                    (-depth).exp()
                );
            }
        }
    }

    /// Collisions are drawn as often as the bound says, and all of a ray is looked at: nowhere is cloud left
    /// out between two looks.
    #[test]
    fn collisions_are_drawn_by_the_bound() {
        const BOUND: f64 = 0.02;
        const LENGTH: f64 = 1000.0;
        let phase = PhaseFunction::new(10.0);
        let planet = 6.371e6;
        let field = field_of(slab(0.0..LENGTH, BOUND, &phase), planet);
        let from = DVec3::new(0.0, 0.0, planet);
        let mut rng = Rng::with_seed(6);
        const RAYS: usize = 4000;
        let (mut all, mut low) = (0usize, 0usize);
        for _ in 0..RAYS {
            let mut last = 0.0;
            field.parts[0].walk(field.way(from, DVec3::Z, f64::MAX), &mut rng, |at, share, _| {
                assert!(at >= last && at < LENGTH + 1e-6 && share == 1.0, "{at} {share}");
                last = at;
                all += 1;
                low += usize::from(at < 0.25 * LENGTH);
                true
            });
        }
        let mean = all as f64 / RAYS as f64;
        assert!((mean / (BOUND * LENGTH) - 1.0).abs() < 0.01, "{mean}");
        assert!((low as f64 / all as f64 - 0.25).abs() < 0.01, "{low} of {all}");
    }

    /// A cloud without water is none, and a way that ends before a cloud meets nothing.
    #[test]
    fn clouds_without_water_are_not_met() {
        let phase = PhaseFunction::new(10.0);
        let planet = 6.371e6;
        let from = DVec3::new(0.0, 0.0, planet);
        let mut rng = Rng::with_seed(8);
        let empty = field_of(slab(500.0..900.0, 0.0, &phase), planet);
        let dense = field_of(slab(500.0..900.0, 10.0, &phase), planet);
        assert_eq!(through(&empty, from, DVec3::Z, &mut rng), 1.0);
        assert!(empty.meet(from, DVec3::Z, 1e6, &mut rng).is_none());
        assert_eq!(through(&dense, from, DVec3::Z, &mut rng), 0.0);
        assert!(dense.meet(from, DVec3::Z, 499.0, &mut rng).is_none());
        let met = dense.meet(from, DVec3::Z, 1e6, &mut rng).expect("a wall of cloud");
        assert!(met.distance >= 500.0 && met.distance < 505.0 && met.part == 0, "{}", met.distance);
        assert!(dense.meet(from, -DVec3::Z, 100.0, &mut rng).is_none());
    }

    /// A slab lit from above, seen from above and below: what a path brings back that looks toward the light
    /// by whole phase functions, and so comes into their peak by chance, and one that knows onward turns as
    /// [`AirPaths`](crate::AirPaths) does.
    #[test]
    fn onward_turns_bring_what_chance_would() {
        const PLANET: f64 = 1e9;
        const PATHS: usize = 300_000;
        // Small droplets have a broad peak, which chance finds.
        let phase = PhaseFunction::new(3.0);
        let field = field_of(slab(0.0..1000.0, 0.003, &phase), PLANET);
        let turns = field.turns(0);
        let light = DVec3::new(0.5, 0.0, 0.75f64.sqrt());
        let mut rng = Rng::with_seed(12);
        for (up, direction) in [
            (true, DVec3::new(0.0, 0.8, 0.6)),
            (true, DVec3::new(-0.6, 0.5, 0.39f64.sqrt())),
            (false, DVec3::new(0.0, 0.6, -0.8)),
        ] {
            let [mut by_chance, mut known] = [0.0f64; 2];
            for _ in 0..PATHS {
                let mut place = DVec3::new(0.0, 0.0, PLANET + if up { 1e-6 } else { 1000.0 - 1e-6 });
                let mut direction = direction;
                let mut weight = Weight::new(&mut rng);
                let mut straight = true;
                while let Some(met) = field.meet(place, direction, 1e7, &mut rng) {
                    place += direction * met.distance;
                    let scattered = turns.at(direction.dot(light));
                    let phase = weight.bands * scattered.phase;
                    let mean = |light: Spectrum| light.0.iter().sum::<f32>() as f64 / (BANDS * PATHS) as f64;
                    let onward = scattered.onward;
                    let lost = phase * field.through(place, light, ForwardPeak::Lost, LEAST, &mut rng);
                    let kept = phase * field.through(place, light, ForwardPeak::Kept, LEAST, &mut rng);
                    by_chance += mean(lost);
                    known += mean(kept * (1.0 - onward));
                    if straight {
                        known += mean(lost * onward);
                    }
                    let turn = turns.turn(direction, &mut weight, &mut rng);
                    direction = turn.direction;
                    straight &= turn.onward;
                }
            }
            assert!((known / by_chance - 1.0).abs() < 0.06, "{direction}: {known} for {by_chance}");
        }
    }
}

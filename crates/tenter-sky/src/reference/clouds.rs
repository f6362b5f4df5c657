//! Light's ways through clouds: free paths by null collisions over the same forms that the live integrator reads.
//!
//! Extinction is nowhere above that of a form's core, so collisions are drawn with that bound and taken as often as the
//! extinction there is a share of it (Woodcock 1965; Novak, Georgiev, Hanika and Jarosz 2018). Where a form promises open air, the
//! way through it is gone in one step.

use super::phase::turned;
use crate::clouds::form::CloudForm;
use crate::clouds::mie::DropletPhase;
use crate::clouds::passage::passages;
use crate::scene::Clouds;
use crate::simd::{Kernel, Real, dispatch};
use crate::spectrum::{BANDS, Spectrum, band_centre_nm};
use fastrand::Rng;
use glam::DVec3;
use std::f64::consts::PI;

/// How much of a promised distance is gone at once.
const TRUSTED: f64 = 0.5;

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
    phase: Turns<'a>,
}

enum Body<'a> {
    Form(&'a CloudForm),
    /// The same everywhere.
    #[cfg(test)]
    Slab,
}

/// Where a path meets a droplet.
pub struct Meeting {
    /// Metres along the ray.
    pub distance: f64,
    /// Number of the cloud.
    pub part: usize,
}

/// How often paths are split at a droplet.
const SPLIT: f64 = 0.1;

/// Where a path goes on after a droplet.
pub struct Turn {
    pub direction: DVec3,
    /// What each band weighs more or less for it.
    pub weight: Spectrum,
    /// What it may bring back at the next droplet, of what an even phase function would.
    pub worth: f32,
}

impl<'a> CloudField<'a> {
    pub fn new(clouds: &'a [Clouds], planet: f64) -> CloudField<'a> {
        let part = |c: &'a Clouds| {
            let form = &c.form.0;
            Part {
                body: Body::Form(form),
                base: form.base as f64,
                top: (form.base + form.depth) as f64,
                bound: form.extinction as f64,
                phase: Turns::new(&c.phase),
            }
        };
        CloudField { parts: clouds.iter().map(part).collect(), planet }
    }

    /// The first collision along a ray within a distance.
    pub fn meet(&self, from: DVec3, direction: DVec3, within: f64, rng: &mut Rng) -> Option<Meeting> {
        let mut first = None;
        let mut end = within;
        for (number, part) in self.parts.iter().enumerate() {
            part.walk(self.planet, from, direction, end, rng, |distance, share, rng| {
                let met = rng.f64() < share;
                if met {
                    first = Some(Meeting { distance, part: number });
                    end = distance;
                }
                !met
            });
        }
        first
    }

    /// Share of light that comes through clouds from space, by ratio tracking (Novak, Selle and Jarosz 2014).
    pub fn through(&self, from: DVec3, direction: DVec3, rng: &mut Rng) -> f32 {
        let mut through = 1.0;
        for part in &self.parts {
            part.walk(self.planet, from, direction, f64::MAX, rng, |_, share, rng| {
                through *= 1.0 - share;
                if through < 0.1 {
                    // Russian roulette: a tenth of these go on with ten times the weight.
                    through = if rng.f64() < through { 1.0 } else { 0.0 };
                }
                through > 0.0
            });
            if through <= 0.0 {
                break;
            }
        }
        through as f32
    }

    /// Phase function of a cloud, per steradian, band by band.
    pub fn phase(&self, part: usize, cosine: f64) -> Spectrum {
        self.parts[part].phase.at(cosine)
    }

    /// Draws where a path goes on after a droplet. Some paths are split, and their second part goes on around the direction of a
    /// light (after Buras and Mayer 2011): what comes into the forward peak beside a light by chance alone would bring back
    /// a thousand times what others do. Both parts are weighed by how often either way draws their direction (Veach 1997).
    pub fn turn(
        &self,
        part: usize,
        direction: DVec3,
        lights: impl ExactSizeIterator<Item = DVec3> + Clone,
        rng: &mut Rng,
    ) -> (Turn, Option<Turn>) {
        let phase = &self.parts[part].phase;
        let count = lights.len();
        let to = |turned: DVec3| {
            let cosine = direction.dot(turned);
            let mut drawn_by = phase.density(cosine);
            let mut gain = 1.0f64;
            for light in lights.clone() {
                let beside = phase.density(light.dot(turned));
                drawn_by += SPLIT / count as f64 * beside;
                gain = gain.max(4.0 * PI * beside);
            }
            let weight = phase.at(cosine) * (1.0 / drawn_by) as f32;
            Turn { direction: turned, weight, worth: gain as f32 }
        };
        let own = to(turned(direction, phase.draw(rng), rng));
        let splits = count > 0 && rng.f64() < SPLIT;
        let light = splits.then(|| lights.clone().nth(rng.usize(..count))).flatten();
        (own, light.map(|light| to(turned(light, phase.draw(rng), rng))))
    }
}

/// Places of a ray that are looked at together: the first tells how far the nearest cloud is, collisions are drawn at the others.
const TOGETHER: usize = 16;

impl Part<'_> {
    /// Visits drawn places of a ray: `visit` gets the distance and the extinction there as a share of the bound, and says whether
    /// to go on.
    fn walk(
        &self,
        planet: f64,
        from: DVec3,
        direction: DVec3,
        within: f64,
        rng: &mut Rng,
        mut visit: impl FnMut(f64, f64, &mut Rng) -> bool,
    ) {
        if self.bound <= 0.0 {
            return;
        }
        'stretches: for [start, end] in self.stretches(planet, from, direction) {
            let end = end.min(within);
            let mut t = start;
            while t < end {
                let drawn = std::array::from_fn(|_| rng.f32());
                let Looked { at, share, open_to } = self.look(planet, from, direction, t, drawn);
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

    /// The parts of a ray between base and top, as distances: on the way down, and up from its lowest point.
    fn stretches(&self, planet: f64, from: DVec3, direction: DVec3) -> [[f64; 2]; 2] {
        passages(planet, from.length(), from.dot(direction), self.base, self.top)
    }

    /// Looks at a place of a ray, `t` metres along it, and at those where collisions come next if extinction is the bound all along;
    /// `drawn`: evenly between 0 and 1.
    fn look(&self, planet: f64, from: DVec3, direction: DVec3, t: f64, drawn: [f32; TOGETHER]) -> Looked {
        let form = match self.body {
            Body::Form(form) => Some(form),
            #[cfg(test)]
            Body::Slab => None,
        };
        let Part { base, bound, .. } = *self;
        dispatch(Look { form, planet, base, bound, from, direction, t, drawn })
    }
}

/// What was found at places of a ray.
struct Looked {
    /// Metres along the ray.
    at: [f64; TOGETHER],
    /// Extinction as a share of the bound.
    share: [f32; TOGETHER],
    /// How far along the ray everything is known: the last place, or beyond it what lies open around one of them.
    open_to: f64,
}

struct Look<'a> {
    form: Option<&'a CloudForm>,
    planet: f64,
    base: f64,
    bound: f64,
    from: DVec3,
    direction: DVec3,
    t: f64,
    drawn: [f32; TOGETHER],
}

impl Kernel for Look<'_> {
    type Output = Looked;

    #[inline(always)]
    fn run<R: Real>(self) -> Looked {
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
            return Looked { at, share: [1.0; TOGETHER], open_to: at[TOGETHER - 1] };
        };
        let [x, y, z] = self.over_ground(&at);
        let (mut share, mut open) = ([0.0f32; TOGETHER], [0.0f32; TOGETHER]);
        let per_bound = R::splat(per_step as f32);
        for k in (0..TOGETHER).step_by(R::LANES) {
            let here = form.at(R::load(&x[k..]), R::load(&y[k..]), R::load(&z[k..]), R::splat(0.0));
            (here.extinction * per_bound).store(&mut share[k..]);
            // Inside of clouds nothing is open.
            let outside = R::select(here.inside.lt(R::splat(0.0)), -here.inside, R::splat(0.0));
            let outside = R::select(R::splat(0.0).lt(here.extinction), R::splat(0.0), outside);
            outside.store(&mut open[k..]);
        }
        let last = at[TOGETHER - 1];
        let open_to = at.iter().zip(open).fold(last, |far, (at, open)| far.max(at + open as f64 * TRUSTED));
        Looked { at, share, open_to }
    }
}

impl Look<'_> {
    /// Metres east and north along the ground from below the eye, and above the base.
    #[inline(always)]
    fn over_ground(&self, at: &[f64; TOGETHER]) -> [[f32; TOGETHER]; 3] {
        let (from, direction) = (self.from, self.direction);
        let mut out = [[0.0; TOGETHER]; 3];
        let mut farthest = 0.0f64;
        for (k, t) in at.iter().enumerate() {
            let (x, y, z) = (from.x + direction.x * t, from.y + direction.y * t, from.z + direction.z * t);
            let flat = x * x + y * y;
            let q = flat / (z * z);
            // The angle's arc tangent over its tangent, within 1e-9 to a seventh.
            let arc = 1.0 - q * (1.0 / 3.0 - q * (0.2 - q * (1.0 / 7.0 - q * (1.0 / 9.0))));
            let arc = self.planet * arc / z;
            farthest = farthest.max(if z > 0.0 { q } else { f64::MAX });
            out[0][k] = (x * arc) as f32;
            out[1][k] = (y * arc) as f32;
            out[2][k] = ((flat + z * z).sqrt() - self.planet - self.base) as f32;
        }
        if farthest > 0.02 {
            for (k, t) in at.iter().enumerate() {
                let place = from + direction * *t;
                let flat = place.x.hypot(place.y);
                let arc = self.planet * flat.atan2(place.z) / flat.max(1e-9);
                out[0][k] = (place.x * arc) as f32;
                out[1][k] = (place.y * arc) as f32;
            }
        }
        out
    }
}

/// Steps of a phase function's cumulated form.
const STEPS: usize = 4096;

/// Turns at a scattering: the phase function and its cumulated form.
struct Turns<'a> {
    phase: &'a DropletPhase,
    /// Cosines, from straight on to straight back, and how often a turn is no farther (green).
    steps: Vec<(f64, f64)>,
    /// Shares of the three colours' functions for each band.
    mix: [[f32; 3]; BANDS],
}

impl<'a> Turns<'a> {
    fn new(phase: &'a DropletPhase) -> Turns<'a> {
        // Finer toward straight on, where most of the light goes.
        let cosine = |i: usize| (PI * (i as f64 / STEPS as f64).powi(3)).cos();
        let mut steps = vec![(1.0, 0.0)];
        for i in 1..=STEPS {
            let (c0, c1) = (cosine(i - 1), cosine(i));
            let mean = 0.5 * (phase.at(c0)[1] + phase.at(c1)[1]) as f64;
            steps.push((c1, steps[i - 1].1 + 2.0 * PI * mean * (c0 - c1)));
        }
        let all = steps[STEPS].1;
        steps.iter_mut().for_each(|s| s.1 /= all);
        Turns { phase, steps, mix: std::array::from_fn(|b| shares(band_centre_nm(b))) }
    }

    fn at(&self, cosine: f64) -> Spectrum {
        let rgb = self.phase.at(cosine);
        Spectrum(self.mix.map(|mix| (0..3).map(|c| mix[c] * rgb[c]).sum()))
    }

    /// Draws the cosine of an angle.
    fn draw(&self, rng: &mut Rng) -> f64 {
        let u = rng.f64();
        let i = self.steps.partition_point(|s| s.1 < u).clamp(1, self.steps.len() - 1);
        let ((c0, u0), (c1, u1)) = (self.steps[i - 1], self.steps[i]);
        let f = if u1 > u0 { (u - u0) / (u1 - u0) } else { 0.5 };
        c0 + (c1 - c0) * f
    }

    /// How often a cosine is drawn, per steradian.
    fn density(&self, cosine: f64) -> f64 {
        let angle = cosine.clamp(-1.0, 1.0).acos();
        let i = ((angle / PI).cbrt() * STEPS as f64) as usize + 1;
        let i = i.min(STEPS);
        let ((c0, u0), (c1, u1)) = (self.steps[i - 1], self.steps[i]);
        (u1 - u0) / (2.0 * PI * (c0 - c1))
    }
}

/// Shares of the functions for red, green and blue at a wavelength: straight between the colours' own.
fn shares(nm: f64) -> [f32; 3] {
    let [red, green, blue] = DropletPhase::WAVELENGTHS_NM;
    if nm >= green {
        let f = ((nm - green) / (red - green)).min(1.0) as f32;
        [f, 1.0 - f, 0.0]
    } else {
        let f = ((green - nm) / (green - blue)).min(1.0) as f32;
        [0.0, 1.0 - f, f]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::{Fineness, lobe};
    use crate::document::{CloudKind, CloudLayer};
    use crate::reference::slabs::REFLECTANCE;
    use crate::simd::Scalar;

    #[test]
    fn slabs_reflect_what_discrete_ordinates_give() {
        const PATHS: usize = 60_000;
        // Flat enough; and not through the planet to the slab on its other side.
        const PLANET: f64 = 1e9;
        const WITHIN: f64 = 1e7;
        let hg = DropletPhase::from_values(|a| [lobe(0.85, Scalar(a.cos() as f32)).0 as f64; 3]);
        let mut rng = Rng::with_seed(11);
        for (thickness, expected) in REFLECTANCE {
            let part = Part {
                body: Body::Slab,
                base: 0.0,
                top: 1000.0,
                bound: thickness / 1000.0,
                phase: Turns::new(&hg),
            };
            let slab = CloudField { parts: vec![part], planet: PLANET };
            for (cosine, expected) in [1.0f64, 0.87, 0.5, 0.2].into_iter().zip(expected) {
                let mut back = 0;
                for _ in 0..PATHS {
                    let mut place = DVec3::new(0.0, 0.0, PLANET + 1000.0 - 1e-6);
                    let mut direction = DVec3::new((1.0 - cosine * cosine).sqrt(), 0.0, -cosine);
                    while let Some(met) = slab.meet(place, direction, WITHIN, &mut rng) {
                        place += direction * met.distance;
                        direction = slab.turn(0, direction, [].into_iter(), &mut rng).0.direction;
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
            let form = CloudForm::new(&layer, 100_000.0, Fineness::Full);
            let phase = DropletPhase::new(10.0);
            let planet = 6.371e6;
            let part = Part {
                base: form.base as f64,
                top: (form.base + form.depth) as f64,
                bound: form.extinction as f64,
                body: Body::Form(&form),
                phase: Turns::new(&phase),
            };
            let field = CloudField { parts: vec![part], planet };
            let from = DVec3::new(0.0, 0.0, planet + 20.0);
            let mut rng = Rng::with_seed(4);
            for (azimuth, elevation) in [(0.3f64, 0.2f64), (2.0, 0.5), (4.0, 1.2)] {
                let (s, c) = elevation.sin_cos();
                let direction = DVec3::new(c * azimuth.sin(), c * azimuth.cos(), s);
                const PATHS: usize = 4000;
                let mean = (0..PATHS).map(|_| field.through(from, direction, &mut rng) as f64).sum::<f64>()
                    / PATHS as f64;
                let [_, [start, end]] = field.parts[0].stretches(planet, from, direction);
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

    /// Collisions are drawn as often as the bound says, and all of a ray is looked at: nowhere is cloud left out between two looks.
    #[test]
    fn collisions_are_drawn_by_the_bound() {
        const BOUND: f64 = 0.02;
        const LENGTH: f64 = 1000.0;
        let phase = DropletPhase::new(10.0);
        let part =
            || Part { body: Body::Slab, base: 0.0, top: LENGTH, bound: BOUND, phase: Turns::new(&phase) };
        let planet = 6.371e6;
        let from = DVec3::new(0.0, 0.0, planet);
        let mut rng = Rng::with_seed(6);
        const RAYS: usize = 4000;
        let (mut all, mut low) = (0usize, 0usize);
        for _ in 0..RAYS {
            let mut last = 0.0;
            part().walk(planet, from, DVec3::Z, f64::MAX, &mut rng, |at, share, _| {
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
        let phase = DropletPhase::new(10.0);
        let part =
            |bound: f64| Part { body: Body::Slab, base: 500.0, top: 900.0, bound, phase: Turns::new(&phase) };
        let planet = 6.371e6;
        let from = DVec3::new(0.0, 0.0, planet);
        let mut rng = Rng::with_seed(8);
        let empty = CloudField { parts: vec![part(0.0)], planet };
        let dense = CloudField { parts: vec![part(10.0)], planet };
        assert_eq!(empty.through(from, DVec3::Z, &mut rng), 1.0);
        assert!(empty.meet(from, DVec3::Z, 1e6, &mut rng).is_none());
        assert_eq!(dense.through(from, DVec3::Z, &mut rng), 0.0);
        assert!(dense.meet(from, DVec3::Z, 499.0, &mut rng).is_none());
        let met = dense.meet(from, DVec3::Z, 1e6, &mut rng).expect("a wall of cloud");
        assert!(met.distance >= 500.0 && met.distance < 505.0 && met.part == 0, "{}", met.distance);
        assert!(dense.meet(from, -DVec3::Z, 100.0, &mut rng).is_none());
    }

    /// Splitting changes what comes from where, not how much: weights add up to what paths that are never split have.
    #[test]
    fn split_paths_weigh_what_whole_ones_do() {
        let phase = DropletPhase::new(10.0);
        let part = Part { body: Body::Slab, base: 0.0, top: 1000.0, bound: 0.01, phase: Turns::new(&phase) };
        let field = CloudField { parts: vec![part], planet: 6.371e6 };
        let light = DVec3::new(0.6, 0.0, 0.8);
        let mut rng = Rng::with_seed(9);
        const N: usize = 200_000;
        for direction in [DVec3::Z, DVec3::new(-0.8, 0.0, 0.6), DVec3::new(0.59, 0.1, 0.8).normalize()] {
            let (mut all, mut onward, mut beside) = (0.0, 0.0, 0.0);
            for _ in 0..N {
                let (own, split) = field.turn(0, direction, [light].into_iter(), &mut rng);
                for turn in [Some(own), split].into_iter().flatten() {
                    let weight = turn.weight.0[8] as f64 / N as f64;
                    all += weight;
                    onward += weight * direction.dot(turn.direction);
                    beside += weight * f64::from(light.dot(turn.direction) > 0.999);
                }
            }
            assert!((all - 1.0).abs() < 0.02, "{direction}: {all}");
            assert!((onward - phase.asymmetry[1]).abs() < 0.02, "{direction}: {onward}");
            // A cone of 0.001 times 2 pi around the light, by the phase function in its middle.
            let expected = 2.0 * PI * 0.001 * field.phase(0, direction.dot(light)).0[8] as f64;
            if expected < 0.05 {
                assert!((beside / expected - 1.0).abs() < 0.1, "{direction}: {beside} {expected}");
            }
        }
    }

    #[test]
    fn turns_have_the_asymmetry_of_their_function() {
        let phase = DropletPhase::new(10.0);
        let turns = Turns::new(&phase);
        let mut rng = Rng::with_seed(2);
        const N: usize = 200_000;
        let (mut mean, mut gain) = (0.0, 0.0);
        for _ in 0..N {
            let cosine = turns.draw(&mut rng);
            mean += cosine / N as f64;
            gain += turns.at(cosine).0[8] as f64 / turns.density(cosine) / N as f64;
        }
        assert!((mean - phase.asymmetry[1]).abs() < 0.003, "{mean} {:?}", phase.asymmetry);
        assert!((gain - 1.0).abs() < 0.02, "{gain}");
    }
}

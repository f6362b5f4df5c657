//! How light is scattered in clouds, and how even sheets get exactly what a plane slab sends.
//!
//! What reaches a place is told by its depths to each side and toward the light ([`Scattered`]); that holds
//! wherever forms bend and shade themselves, and is a few tens of percent off where the sun is low over thin
//! sheets. So for sheets it is multiplied by what [`SlabLight`] has for an even one of that thickness, over
//! what this has for the same.

use crate::air::lobe;
use crate::clouds::ball::HALF;
use crate::clouds::diffusion::{ASYMMETRY, LEAVES_DIRECTION, Reach, not_yet_scattered, reach};
use crate::clouds::mie::DropletPhase;
use crate::clouds::slab::{AS_DROPLETS, Between, DIRECTIONS, LIGHT, OUT, SIDES, SlabLight, THICKNESS, TURN};
use crate::scene::{Light, MAX_LIGHTS};
use crate::simd::{Real, Scalar};
use std::f32::consts::PI;
use std::sync::LazyLock;

/// Share of extinction that turns light for good (similarity).
const TURNED: f32 = 1.0 - ASYMMETRY;
/// Steepest way through a sheet whose thickness is taken for that along a ray.
const SLANTED: f32 = 0.05;
/// Depth toward a light under which what lies over a place tells nothing of another side: where a sheet ends
/// both go to nothing.
const IN_EDGES: f32 = 0.1;
/// Sine of a light's height within which it lights a sheet from above and from below.
const EDGEWISE: f32 = 0.02;
/// Corrections past these are not believed: neither side is known well there.
const MOST: f32 = 6.0;

/// Of what a sheet of this thickness scatters along a way (`down`: sine of its height), the share that has
/// hardly turned.
#[inline(always)]
pub fn hardly_turned<R: Real>(thickness: R, down: R) -> R {
    let one = R::splat(1.0);
    // Thinner ones are no different, but their exponentials would cancel.
    let along = (thickness / down.abs().max(R::splat(SLANTED))).max(R::splat(0.03));
    one - (one - (-along * R::splat(TURNED)).exp()) / (one - (-along).exp())
}

/// How much more light would meet droplets along a way than crystals that turn so many times more of what
/// they meet; `thickness`: of droplets that turn as much (similarity), `down`: sine of the way's height.
#[inline(always)]
pub fn more_met<R: Real>(thickness: R, down: R, turned: f32) -> R {
    let one = R::splat(1.0);
    let along = (thickness / down.abs().max(R::splat(SLANTED))).max(R::splat(0.03));
    (one - (-along).exp()) / (one - (along * R::splat(-1.0 / turned)).exp())
}

/// The same of a heap, by the mean chord of the ball that it is like; `dome`: its optical radius.
#[inline(always)]
pub fn through_ball<R: Real>(dome: R) -> R {
    hardly_turned(dome * R::splat(HALF * 4.0 / 3.0), R::splat(1.0))
}

/// The smooth phase function of light that has been turned a few times: two or three turns by narrow angles
/// make a broader lobe, the rest is nearly even.
#[inline(always)]
pub fn few_turns<R: Real>(cosine: R) -> R {
    lobe(0.72, cosine) * R::splat(0.7) + lobe(0.1, cosine) * R::splat(0.3)
}

/// A place in a cloud: optical depths to its surfaces and toward a light, that light's sine of height, the
/// same of the way that is looked along, and the share of what is scattered that has turned.
pub struct Scattered<R: Real> {
    pub above: R,
    pub below: R,
    pub beside: R,
    pub depth: R,
    pub up: R,
    pub down: R,
    pub spread: R,
}

impl<R: Real> Scattered<R> {
    /// What has been turned a few times, and many times. Through a sheet light flows straight down, or up
    /// from a sun below.
    #[inline(always)]
    pub fn in_sheet(&self) -> (Reach<R>, [R; 2]) {
        let up = self.up.abs().max(R::splat(0.05));
        let (facing, level) = self.lit_side(up);
        let flow = (self.up * R::splat(1.0 / EDGEWISE)).clamp(-1.0, 1.0) * level;
        let r = reach(self.above, self.below, self.beside, self.depth, facing, flow);
        let through = self.through(up);
        let many = r.sun - not_yet_scattered(facing, self.turned(), through, r.sunward);
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let single = (-self.depth).exp();
        // Of what flows down, this has not yet been scattered; without it more flows up near the lit side.
        let straight = facing * R::splat(3.0) * self.turned() * flow;
        let lean = (r.sun_lean - straight) * self.down * R::splat(ASYMMETRY) * (one - through);
        let many = (many + lean).max(zero) * self.spread;
        (r, [self.turned() - single, many])
    }

    /// Cosine of the light to the plane through which it comes in, and how level that plane is. The ways
    /// straight up and toward the light end on it, so with its slope t the second is `sin e + t cos e` times
    /// as short as the first under a light at height e. In an even sheet it is level; under a light overhead
    /// both ways are one and tell nothing.
    #[inline(always)]
    fn lit_side(&self, up: R) -> (R, R) {
        let one = R::splat(1.0);
        let over = R::select(self.up.le(R::splat(0.0)), self.below, self.above);
        let shorter = (over / (self.depth + R::splat(IN_EDGES))).max(up) - up;
        let square = one - up * up;
        let aside = square.sqrt();
        let slope = shorter * aside / (up * up * R::splat(0.25) + square);
        let level = one / slope.mul_add(slope, one).sqrt();
        (slope.mul_add(aside, up) * level, level)
    }

    #[inline(always)]
    fn turned(&self) -> R {
        (-self.depth * R::splat(TURNED)).exp()
    }

    /// Near the lit side many scatterings have not yet happened, in a thin body nowhere.
    #[inline(always)]
    fn through(&self, facing: R) -> R {
        ((self.depth + self.below / facing) * R::splat(-TURNED)).exp()
    }
}

/// What is looked up in sheets of one kind of particles is multiplied by: for few and many turns of a
/// light, by thickness, light and direction as [`SlabLight`] has them; for what comes from above and from
/// below, by side, direction and thickness.
pub struct SheetCorrections {
    slabs: SlabLight,
    /// Of what is scattered the share of the phase function's peak, which the table leaves out; what the
    /// function is without it at most, and the asymmetry of what it turns twice.
    pub peak: f32,
    cut_off: f32,
    twice: f32,
    light: Vec<f32>,
    above: Vec<f32>,
    below: Vec<f32>,
}

/// Share of the side away from a light that is seen from below: a light that stands edgewise lights both.
fn side_above(light: f32) -> f32 {
    (0.5 + 0.5 * light / EDGEWISE).clamp(0.0, 1.0)
}

/// All thicknesses, lights and directions of the table, as [`SlabLight::radiance`] takes them.
fn cases() -> impl Iterator<Item = [usize; 5]> {
    let directions = |[t, l]: [usize; 2]| {
        (0..DIRECTIONS).map(move |d| {
            let (way, turn) = (d / TURN.len(), d % TURN.len());
            [t, l, way / OUT.len(), way % OUT.len(), turn]
        })
    };
    (0..THICKNESS.len()).flat_map(|t| (0..LIGHT.len()).map(move |l| [t, l])).flat_map(directions)
}

/// A correction for a packet of rays, by thickness.
pub type ByThickness<R> = [R; THICKNESS.len()];

/// Corrections for a packet of rays.
pub struct OfSheet<R: Real> {
    pub lights: [ByThickness<R>; MAX_LIGHTS],
    pub above: ByThickness<R>,
    pub below: ByThickness<R>,
    /// What the particles' phase function is without its peak at most.
    pub cut_off: R,
}

/// Light of even slabs as it comes without correction, which goes by thickness alone: in the order of
/// [`SheetCorrections`].
struct Uncorrected {
    light: Vec<f32>,
    surroundings: Vec<[f32; 2]>,
}

impl Uncorrected {
    fn get() -> &'static Uncorrected {
        static TABLE: LazyLock<Uncorrected> = LazyLock::new(Uncorrected::new);
        &TABLE
    }

    fn new() -> Uncorrected {
        let light = cases()
            .map(|[t, l, side, out, turn]| {
                of_light(THICKNESS[t] / AS_DROPLETS, LIGHT[l], side, OUT[out], TURN[turn])
            })
            .collect();
        let ways = (0..SIDES).flat_map(|side| OUT.map(|out| (side, out)));
        let surroundings = ways
            .flat_map(|(side, out)| THICKNESS.map(|t| of_surroundings(t / AS_DROPLETS, side, out)))
            .collect();
        Uncorrected { light, surroundings }
    }
}

impl SheetCorrections {
    /// `turned`: how many times more light the particles turn than droplets of 10 um (similarity).
    pub fn new(phase: &DropletPhase, turned: f32) -> SheetCorrections {
        let believed = |exact: f32, own: f32| (exact / own.max(1e-9)).clamp(1.0 / MOST, MOST);
        let (slabs, own) = (SlabLight::of(phase, turned), Uncorrected::get());
        let light = cases().zip(&own.light).map(|(case, own)| believed(slabs.radiance(case), *own)).collect();
        let (mut above, mut below) = (Vec::new(), Vec::new());
        let mut uncorrected = own.surroundings.iter();
        for side in 0..SIDES {
            for out in OUT {
                let under = slabs.under(out);
                for (thickness, own) in THICKNESS.into_iter().zip(&mut uncorrected) {
                    // What comes out along a way, of light that is even all round, is what a beam along it
                    // would leave there (reciprocity; van de Hulst 1980, section 3.3); what has hardly turned
                    // is taken from behind.
                    let thickness = thickness / AS_DROPLETS;
                    let sent_back = under.sent_back(thickness / turned);
                    let passed = 1.0 - sent_back - (-TURNED * thickness / out).exp();
                    let (over, beneath) = if side == 0 { (passed, sent_back) } else { (sent_back, passed) };
                    above.push(believed(over, own[0]));
                    below.push(believed(beneath, own[1]));
                }
            }
        }
        let moments = phase.moments();
        let peak = moments.peak().max(0.0) as f32;
        let twice = moments.peak_asymmetry(1.0 - LEAVES_DIRECTION as f64).powi(2).clamp(0.8, 0.999) as f32;
        SheetCorrections { slabs, peak, cut_off: phase.cut_off(peak as f64), twice, light, above, below }
    }

    /// Slabs of these particles.
    pub fn slabs(&self) -> &SlabLight {
        &self.slabs
    }

    /// Of all that scattering turns, what the peak alone has turned twice and more, at the cosine of the
    /// angle to a light that is spread over so many radians.
    #[inline(always)]
    pub fn twice_in_peak<R: Real>(&self, cosine: R, spread: f64) -> R {
        lobe(self.twice.min(1.0 - spread as f32).max(0.0), cosine) * R::splat(self.peak)
    }

    /// For ways (unit vectors in the eye's axes) under lights.
    #[inline(always)]
    pub fn of_rays<R: Real>(&self, ways: &[R; 3], lights: &[Light]) -> OfSheet<R> {
        let [mut x, mut y, mut z] = [[0.0f32; 16]; 3];
        ways[0].store(&mut x);
        ways[1].store(&mut y);
        ways[2].store(&mut z);
        let mut of = OfSheet {
            lights: [[R::splat(1.0); THICKNESS.len()]; MAX_LIGHTS],
            above: [R::splat(1.0); THICKNESS.len()],
            below: [R::splat(1.0); THICKNESS.len()],
            cut_off: R::splat(self.cut_off),
        };
        let mut found = [[[0.0f32; 16]; THICKNESS.len()]; MAX_LIGHTS + 2];
        for lane in 0..R::LANES {
            let way = [x[lane], y[lane], z[lane]];
            for (i, light) in lights.iter().enumerate() {
                self.of_light(way, light.direction(), lane, &mut found[2 + i]);
            }
            let side = usize::from(z[lane] < 0.0);
            for (o, weight) in Between::of(&OUT, z[lane].abs()).both() {
                let first = (side * OUT.len() + o) * THICKNESS.len();
                for t in 0..THICKNESS.len() {
                    found[0][t][lane] += weight * self.above[first + t];
                    found[1][t][lane] += weight * self.below[first + t];
                }
            }
        }
        for t in 0..THICKNESS.len() {
            (of.above[t], of.below[t]) = (R::load(&found[0][t]), R::load(&found[1][t]));
            for i in 0..lights.len() {
                of.lights[i][t] = R::load(&found[2 + i][t]);
            }
        }
        of
    }

    /// Of one way under one light.
    fn of_light(
        &self,
        [x, y, z]: [f32; 3],
        light: [f64; 3],
        lane: usize,
        found: &mut [[f32; 16]; THICKNESS.len()],
    ) {
        let [sx, sy, sz] = [light[0] as f32, light[1] as f32, light[2] as f32];
        // Looking up one sees the side away from a sun above; one that stands edgewise lights both.
        let above = side_above(sz);
        let away = if z > 0.0 { above } else { 1.0 - above };
        let flat = (x.hypot(y) * sx.hypot(sy)).max(1e-6);
        let turn = ((x * sx + y * sy) / flat).clamp(-1.0, 1.0).acos().to_degrees();
        let (rows, outs) = (Between::of(&LIGHT, sz.abs()), Between::of(&OUT, z.abs()));
        let turns = Between::of(&TURN, turn);
        let sides = [away, 1.0 - away];
        for side in 0..2 {
            if sides[side] == 0.0 {
                continue;
            }
            for t in 0..THICKNESS.len() {
                // The eight entries around: by the light's sine, the way's, and the azimuth between them.
                for corner in 0..8 {
                    let (l, a) = rows.entry(corner & 1);
                    let (o, b) = outs.entry(corner >> 1 & 1);
                    let (k, c) = turns.entry(corner >> 2);
                    let first = (t * LIGHT.len() + l) * DIRECTIONS + (side * OUT.len() + o) * TURN.len();
                    found[t][lane] += sides[side] * a * b * c * self.light[first + k];
                }
            }
        }
    }
}

/// The correction at a thickness, by its logarithm.
#[inline(always)]
pub fn at_thickness<R: Real>(corrections: &ByThickness<R>, log: R) -> R {
    // Thicknesses double from one to the next.
    let x = (log * R::splat(std::f32::consts::LOG2_E) + R::splat((AS_DROPLETS / THICKNESS[0]).log2()))
        .clamp(0.0, THICKNESS.len() as f32 - 1.0);
    let mut sum = R::splat(0.0);
    for (k, value) in corrections.iter().enumerate() {
        let weight = (R::splat(1.0) - (x - R::splat(k as f32)).abs()).max(R::splat(0.0));
        sum = value.mul_add(weight, sum);
    }
    sum
}

/// Places along a way through an even slab, all of the same opacity: their depths to both surfaces, and each
/// one's opacity.
fn places(thickness: f32, side: usize, out: f32) -> ([[f32; 2]; STEPS], f32) {
    let seen = 1.0 - (-thickness / out).exp();
    let place = |i: usize| {
        let way = -(1.0 - (i as f32 + 0.5) / STEPS as f32 * seen).ln() * out;
        if side == 0 { [thickness - way, way] } else { [way, thickness - way] }
    };
    (std::array::from_fn(place), seen / STEPS as f32)
}

/// Steps through an even slab.
const STEPS: usize = 24;

/// What is looked up at a place of an even slab: light's sine of height, and that of the way along which it
/// is seen.
fn even([above, below]: [f32; 2], light: f32, down: f32) -> Scattered<Scalar> {
    Scattered {
        above: Scalar(above),
        below: Scalar(below),
        beside: Scalar(1e6),
        depth: Scalar(above / light),
        up: Scalar(light),
        down: Scalar(down),
        spread: Scalar(1.0) - hardly_turned(Scalar(above + below), Scalar(down)),
    }
}

/// The way's sine of height, with which one looks up or down at a slab.
fn looking(side: usize, out: f32) -> f32 {
    if side == 0 { out } else { -out }
}

/// Radiance of few and many turns out of an even slab, as it comes without correction; angles as
/// [`SlabLight`] has them.
fn of_light(thickness: f32, light: f32, side: usize, out: f32, turn_deg: f32) -> f32 {
    let flat = |m: f32| (1.0 - m * m).max(0.0).sqrt();
    let down = looking(side, out);
    let cosine = flat(light) * flat(out) * turn_deg.to_radians().cos() + light * down;
    let (places, opacity) = places(thickness, side, out);
    let sent = places.map(|place| {
        let (_, [few, many]) = even(place, light, down).in_sheet();
        few.0 * few_turns(Scalar(cosine)).0 + many.0 * 0.25 / PI
    });
    sent.iter().sum::<f32>() * opacity
}

/// Radiance out of an even slab under a radiance of 1 from above, and from below, as it comes without
/// correction.
fn of_surroundings(thickness: f32, side: usize, out: f32) -> [f32; 2] {
    let down = looking(side, out);
    let (places, opacity) = places(thickness, side, out);
    let mut sums = [0.0; 2];
    for place in places {
        let here = even(place, 0.5, down);
        let (r, _) = here.in_sheet();
        let lean = r.lean.0 * down * ASYMMETRY;
        sums[0] += (r.above.0 + lean) * here.spread.0 * opacity;
        sums[1] += (r.below.0 - lean) * here.spread.0 * opacity;
    }
    sums
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Rays that look where the table has a direction get its number.
    #[test]
    fn rays_get_the_correction_of_their_direction() {
        let table = SheetCorrections::new(&DropletPhase::new(10.0), 1.0);
        let (light, out, turn) = (4, 3, 2);
        let flat = |m: f32| (1.0 - m * m).sqrt();
        let (s, c) = TURN[turn].to_radians().sin_cos();
        for (side, z) in [(0, OUT[out]), (1, -OUT[out])] {
            let way = [flat(OUT[out]) * c, flat(OUT[out]) * s, z];
            let toward = [flat(LIGHT[light]) as f64, 0.0, LIGHT[light] as f64];
            let mut found = [[0.0; 16]; THICKNESS.len()];
            table.of_light(way, toward, 0, &mut found);
            let found = found.map(|f| Scalar(f[0]));
            for (t, thickness) in THICKNESS.into_iter().enumerate() {
                let expected = table.light
                    [(t * LIGHT.len() + light) * DIRECTIONS + (side * OUT.len() + out) * TURN.len() + turn];
                assert!((found[t].0 / expected - 1.0).abs() < 1e-3);
                let at = at_thickness(&found, Scalar((thickness / AS_DROPLETS).ln()));
                assert!((at.0 / expected - 1.0).abs() < 1e-3, "{side} {thickness}");
            }
        }
    }

    /// Droplets need no more of themselves; of ice, that turns half as much again, thin sheets need half as
    /// much again to scatter as often.
    #[test]
    fn more_is_met_where_crystals_stand_for_droplets() {
        let more = |thickness: f32, turned: f32| more_met(Scalar(thickness), Scalar(0.7), turned).0;
        assert!((more(3.0, 1.0) - 1.0).abs() < 1e-6);
        assert!((more(0.05, 1.5) - 1.5).abs() < 0.03 && (more(60.0, 1.5) - 1.0).abs() < 1e-3);
    }

    /// Next to nothing lets on what it scatters but for the share that turns for good; large heaps let
    /// nothing on.
    #[test]
    fn small_heaps_let_light_on() {
        let share = |dome: f32| through_ball(Scalar(dome)).0;
        assert!((share(0.0) - ASYMMETRY).abs() < 0.02, "{}", share(0.0));
        assert!((1..40).all(|i| share(i as f32 + 1.0) < share(i as f32)) && share(60.0) < 1e-3);
    }

    /// Light comes into an even sheet from above, and into a wall that faces it from the side; straight from
    /// above, it does into both.
    #[test]
    fn walls_are_lit_from_the_side() {
        let side = |above: f32, depth: f32, up: f32| {
            let place = Scattered { depth: Scalar(depth), ..even([above, 3.0], up, 1.0) };
            let (facing, level) = place.lit_side(Scalar(up));
            [facing.0, level.0]
        };
        let near = |[a, b]: [f32; 2], [c, d]: [f32; 2]| (a - c).abs() < 0.02 && (b - d).abs() < 0.02;
        assert!(near(side(4.0, 20.0, 0.2), [0.2, 1.0]));
        assert!(near(side(400.0, 1.0, 0.2), [0.98, 0.0]));
        // A slope of 45 degrees, a hundred deep, that faces a light of 11.5 degrees.
        let above = 100.0 * 2f32.sqrt();
        let toward = 100.0 / (0.5f32.sqrt() * (0.2 + 0.96f32.sqrt()));
        assert!(near(side(above, toward, 0.2), [0.83, 0.71]), "{:?}", side(above, toward, 0.2));
        assert!(near(side(6.0, 4.0, 1.0), [1.0, 1.0]));
    }

    #[test]
    fn corrections_are_moderate_where_the_sun_is_high() {
        let table = SheetCorrections::new(&DropletPhase::new(10.0), 1.0);
        let values: Vec<f32> = (0..THICKNESS.len())
            .flat_map(|t| {
                (0..SIDES * OUT.len()).map(move |d| (t * LIGHT.len() + 7) * DIRECTIONS + d * TURN.len() + 4)
            })
            .map(|i| table.light[i])
            .collect();
        let usual = values.iter().filter(|v| (0.4..2.5).contains(*v)).count();
        assert!(usual * 10 > values.len() * 8, "{values:?}");
    }
}

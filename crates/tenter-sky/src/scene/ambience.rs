//! Light that comes from all around: on level ground, and on clouds from above, beside and below.

use super::{Fog, Light};
use crate::air::{Medium, SkyColour, narrow};
use crate::clouds::form::Survey;
use crate::clouds::slab::{AS_DROPLETS, SlabLight};
use crate::document::SkySource;
use crate::live::TURNED;
use crate::simd::Scalar;
use crate::spectrum::{LightToRgb, Rgb, Spectrum, luminance};
use std::f64::consts::PI;

/// Means over the whole sky. Illuminances in lx, radiances in cd/m2, linear Rec.709.
#[derive(Clone, Debug)]
pub struct Ambience {
    /// Illuminance of level ground by everything but the direct lights, where no cloud stands in particular.
    pub ground_diffuse: Rgb,
    /// Radiance of the ground, seen from above.
    pub ground: Rgb,
    /// What surrounds each cloud layer, from the lowest up.
    pub layers: Vec<Surroundings>,
    /// Mean radiance that fog sends on of what it gets from all sides.
    pub fog: Rgb,
    /// Of the clouds below the eye: mean radiance all around that they add in the air over them to what it gets from the ground.
    pub lifted: Rgb,
}

/// Mean radiance around a cloud layer, and what it takes from below.
#[derive(Clone, Copy, Debug)]
pub struct Surroundings {
    pub overhead: Rgb,
    pub around: Rgb,
    pub below: Rgb,
    /// What the sky around the first light adds to it, on a plane that faces it, lx; `overhead` is without.
    pub sunward: Rgb,
    /// Share of the air's light under this layer that it takes, and all layers above it have left.
    pub taken: f32,
    /// How much scattered light there is under this layer, from above and below, as a share of what there is over it; more than one
    /// where it scatters more of what comes straight than it keeps.
    pub scattered: f32,
}

/// What a layer does to light in the mean over its columns.
struct Slab {
    /// Share let through of the sky's light; the rest is sent back.
    of_sky: f32,
    /// For each light: share let through, share that comes straight, and share that comes nearly so.
    of_lights: Vec<(f32, f32, f32)>,
}

impl Slab {
    /// `mean`: over columns, of a function of their optical depth.
    fn new(lights: &[Light], mean: impl Fn(&dyn Fn(f64) -> f64) -> f64) -> Slab {
        let table = SlabLight::get();
        let of_lights = lights.iter().map(|light| {
            let up = light.direction()[2].max(0.0);
            let slabs = table.under(up as f32);
            let through = mean(&|t| 1.0 - slabs.sent_back(t as f32 * AS_DROPLETS) as f64);
            let straight = |left: f64| mean(&|t| (-t * left / up.max(0.02)).exp()) as f32;
            (through as f32, straight(1.0), straight(TURNED as f64))
        });
        let all = table.under_all();
        let of_sky = mean(&|t| 1.0 - all.sent_back(t as f32 * AS_DROPLETS) as f64) as f32;
        Slab { of_sky, of_lights: of_lights.collect() }
    }
}

/// Fluxes at the levels between slabs, the ground's first: down and up, and each light's straight part.
struct Levels {
    down: Vec<Rgb>,
    up: Vec<Rgb>,
    /// Up under each slab, with what the air below it sends up.
    below: Vec<Rgb>,
    straight: Vec<Rgb>,
    /// Of `down`, what has hardly turned.
    hardly: Vec<Rgb>,
    /// Up without clouds.
    bare: Vec<Rgb>,
}

/// Light that comes down at an altitude without clouds, on level ground: from the sky and from each light.
struct Clear {
    sky: Rgb,
    lights: Vec<Rgb>,
    /// How much more the sky sheds there than at the eye.
    brighter: Rgb,
}

impl Clear {
    /// What goes up again from bare ground.
    fn up(&self, albedo: Rgb) -> Rgb {
        [0, 1, 2].map(|c| albedo[c] * (self.sky[c] + self.lights.iter().map(|v| v[c]).sum::<f32>()))
    }

    fn down(&self) -> f32 {
        luminance(self.sky) + self.lights.iter().map(|v| luminance(*v)).sum::<f32>()
    }
}

impl Levels {
    /// The sky's light and the lights' come in at the top; slabs and ground send light to and fro (the two-stream adding of slabs, for
    /// example Liou 2002, section 6.4), and so does the air over them, a share `air`: of what goes up from bare ground the sky's
    /// light knows. `clear`: what there is at each level without clouds.
    fn between(slabs: &[Slab], clear: &[Clear], albedo: Rgb, air: Rgb) -> Levels {
        let n = slabs.len();
        let left = |share: &dyn Fn(&(f32, f32, f32)) -> f32| {
            let mut left = vec![clear[n].lights.clone(); n + 1];
            for i in (0..n).rev() {
                for (l, of_light) in slabs[i].of_lights.iter().enumerate() {
                    let (from, to) = (clear[i + 1].lights[l], clear[i].lights[l]);
                    let by_air = |c: usize| if from[c] > 0.0 { to[c] / from[c] } else { 1.0 };
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
        // What the air under a slab, down to the next one, scatters down of what gets there.
        let of_air = |i: usize, c: usize| {
            let whole = sum(&clear[i].lights, &|_| 1.0, c);
            let there = if whole > 0.0 { straight[i][c] / whole } else { 1.0 };
            (clear[i].sky[c] - clear[i + 1].sky[c]).max(0.0) * there
        };
        // And up, of what the lights lose on the way.
        let up_of_air = |i: usize, c: usize| {
            let lights = |level: usize| sum(&clear[level].lights, &|_| 1.0, c);
            let lost = lights(i + 1) - lights(i) - (clear[i].sky[c] - clear[i + 1].sky[c]);
            let there = if lights(i) > 0.0 { straight[i][c] / lights(i) } else { 0.0 };
            (lost.max(0.0), lost.max(0.0) * there)
        };
        let mut bare = vec![clear[0].up(albedo); n + 1];
        for i in 0..n {
            bare[i + 1] = [0, 1, 2].map(|c| bare[i][c] + up_of_air(i, c).0);
        }
        let hardly = direct.iter().zip(&nearly);
        let hardly: Vec<Rgb> = hardly
            .map(|(direct, nearly)| [0, 1, 2].map(|c| sum(nearly, &|_| 1.0, c) - sum(direct, &|_| 1.0, c)))
            .collect();
        // Each turn adds a passage to and fro; what is left after these is nothing.
        for _ in 0..60 {
            for c in 0..3 {
                down[n][c] = sky[c] + air[c] * (up[n][c] - bare[n][c]).max(0.0);
                for i in (0..n).rev() {
                    let Slab { of_sky, of_lights } = &slabs[i];
                    let scattered = sum(&direct[i + 1], &|l| of_lights[l].0 - of_lights[l].1, c);
                    let rising = up[i][c] + up_of_air(i, c).1;
                    down[i][c] = of_sky * down[i + 1][c] + (1.0 - of_sky) * rising + scattered;
                    down[i][c] += of_air(i, c);
                }
                up[0][c] = albedo[c] * (down[0][c] + straight[0][c]);
                for i in 0..n {
                    let Slab { of_sky, of_lights } = &slabs[i];
                    let back = sum(&direct[i + 1], &|l| 1.0 - of_lights[l].0, c);
                    let rising = up[i][c] + up_of_air(i, c).1;
                    up[i + 1][c] = of_sky * rising + (1.0 - of_sky) * down[i + 1][c] + back;
                }
            }
        }
        let below = (0..n).map(|i| [0, 1, 2].map(|c| up[i][c] + up_of_air(i, c).1)).collect();
        Levels { down, up, below, straight, hardly, bare }
    }

    /// Luminous flux down through a level.
    fn total_down(&self, level: usize) -> f32 {
        luminance(self.down[level]) + luminance(self.straight[level])
    }
}

/// Share that air over an altitude (m) sends back of light that comes from all over the ground's side: the hemispheric mean two-stream
/// solution for air that absorbs nothing (Meador and Weaver 1980, table 1 and equation 14), with forward scattering counted as none.
fn sent_back_by_air(medium: &Medium, altitude: f64, to_rgb: &LightToRgb) -> Rgb {
    const STEP: f64 = 500.0;
    const STEPS: usize = 120;
    let turned = [1.0, 1.0 - medium.aerosol.moment(1), 1.0 - medium.dust.moment(1)];
    let mut depth = Spectrum::ZERO;
    for i in 0..STEPS {
        let amounts = medium.amounts(altitude + (i as f64 + 0.5) * STEP);
        for (by, turned) in medium.scattering(&amounts).into_iter().zip(turned) {
            depth += by * (turned * STEP as f32);
        }
    }
    let share = Spectrum(depth.0.map(|t| t / (1.0 + t)));
    let (some, all) = (to_rgb.convert(&share), to_rgb.convert(&Spectrum::splat(1.0)));
    [0, 1, 2].map(|c| if all[c] > 0.0 { some[c] / all[c] } else { 0.0 })
}

/// The sky as it lights things.
pub struct SkyLight<'a> {
    pub lights: &'a [Light],
    pub painted: Option<&'a SkyColour>,
    pub night_glow: f32,
    pub source: &'a SkySource,
}

/// What a clear sky sheds, lx: on level ground, and of that what comes from around the first light, on a plane that faces it: so
/// much that its flow along the ground is the sky's.
struct Falling {
    level: Rgb,
    sunward: Rgb,
}

impl Falling {
    /// What comes from around the first light, on level ground.
    fn with_first(&self, sky: &SkyLight) -> Rgb {
        let up = sky.lights[0].direction()[2].max(0.0) as f32;
        self.sunward.map(|v| v * up)
    }

    /// At another altitude than the eye's: so much more or less as there is air above that scatters down what the lights send it. The
    /// sky around the first light goes with it, the rest is even.
    fn at(&self, sky: &SkyLight, over: &Scattering, eye: f64, altitude: f64) -> Clear {
        let (here, there) = (over.above(eye), over.above(altitude));
        let ratio = |c: usize| if here[c] > 0.0 { there[c] / here[c] } else { 1.0 };
        let brighter = if sky.painted.is_some() { [1.0; 3] } else { [0, 1, 2].map(ratio) };
        let with_first = self.with_first(sky);
        let mut lights = sky.on_level_ground(altitude);
        for c in 0..3 {
            lights[0][c] += with_first[c] * brighter[c];
        }
        let sky = [0, 1, 2].map(|c| (self.level[c] - with_first[c]) * brighter[c]);
        Clear { sky, lights, brighter }
    }
}

/// Light that clear air scatters down, by all that lies over an altitude (once scattered).
struct Scattering {
    /// Every [`Scattering::STEP`] m from the ground.
    above: Vec<Rgb>,
}

impl Scattering {
    const STEP: f64 = 500.0;
    const STEPS: usize = 120;

    /// Of a light at a cosine `m` to the zenith the Eddington approximation sends `(1 + 3/2 g m) / 2` of what is scattered on down (Meador and Weaver
    /// 1980, table 1).
    fn new(medium: &Medium, sky: &SkyLight) -> Scattering {
        let asymmetry = [0.0, medium.aerosol.moment(1), medium.dust.moment(1)];
        let mut above = vec![[0.0; 3]; Self::STEPS + 1];
        for i in (0..Self::STEPS).rev() {
            let altitude = (i as f64 + 0.5) * Self::STEP;
            let scattered = medium.scattering(&medium.amounts(altitude));
            above[i] = above[i + 1];
            for light in sky.lights {
                let up = light.direction()[2].max(0.0) as f32;
                let mut down = Spectrum::ZERO;
                for (by, g) in scattered.iter().zip(asymmetry) {
                    down += *by * (0.5 + 0.75 * g * up).min(0.95);
                }
                let to_rgb = &light.placed.in_sky.to_rgb;
                let (down, all) = (to_rgb.convert(&down), to_rgb.convert(&Spectrum::splat(1.0)));
                let lit = light.clear(altitude);
                for c in 0..3 {
                    above[i][c] += if all[c] > 0.0 { lit[c] * down[c] / all[c] } else { 0.0 };
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

/// Sine of the first light's height under which no part of the sky goes with it.
const FADES_UNDER: f64 = 0.07;

impl Ambience {
    /// `clouds`: the layers' columns, from the lowest up; `heights`: the altitudes of
    /// their middles and tops, m.
    pub fn new(
        medium: &Medium,
        sky: &SkyLight,
        clouds: &[&Survey],
        heights: &[(f64, f64)],
        eye: f64,
        fog: Option<&Fog>,
    ) -> Ambience {
        let albedo = medium.ground_rgb;
        let around = sky.horizon_radiance();
        let falling = sky.falling();
        let over = Scattering::new(medium, sky);
        let clear_at = |altitude: f64| falling.at(sky, &over, eye, altitude);
        // Fog takes from the lights only: it is thin beside what the sky's light comes through.
        let fog_top = fog.map(|fog| fog.to as f64);
        let fog = fog.map(|fog| Slab { of_sky: 1.0, ..Slab::new(sky.lights, |f| f(fog.column())) });
        let slabs: Vec<Slab> = fog
            .into_iter()
            .chain(clouds.iter().map(|survey| Slab::new(sky.lights, |f| survey.mean(f))))
            .collect();
        let highest = heights.iter().map(|(_, top)| *top).fold(0.0, f64::max);
        let air = sent_back_by_air(medium, highest, &sky.lights[0].placed.in_sky.to_rgb);
        // Layers that cross are taken as one over the other.
        let middles = heights.iter().scan(0.0f64, |over, (middle, _)| {
            *over = over.max(*middle);
            Some(*over)
        });
        let clear: Vec<Clear> = [0.0].into_iter().chain(fog_top).chain(middles).map(clear_at).collect();
        let levels = Levels::between(&slabs, &clear, albedo, air);
        let radiance = |flux: Rgb| flux.map(|v| v / PI as f32);
        let lowest = slabs.len() - clouds.len();
        let under_eye = heights.iter().take_while(|(_, top)| *top <= eye).count();
        // Half of what surrounds the air is the ground's side.
        let lifted = match (under_eye, sky.painted) {
            (0, _) | (_, Some(_)) => [0.0; 3],
            _ => [0, 1, 2].map(|c| {
                0.5 * (radiance(levels.up[lowest + under_eye])[c]
                    - radiance(levels.bare[lowest + under_eye])[c])
                    .max(0.0)
            }),
        };
        let mut layers = Vec::with_capacity(clouds.len());
        let (mut open, mut left) = (1.0, 1.0);
        // Of the first light.
        let mut straight_left = 1.0;
        for i in (lowest..slabs.len()).rev() {
            let overhead = radiance(levels.down[i + 1]);
            let brighter = clear[i + 1].brighter;
            let sunward = [0, 1, 2].map(|c| falling.sunward[c] * brighter[c] * straight_left);
            let around = [0, 1, 2].map(|c| around[c] * brighter[c]);
            // Shares of what there is without clouds.
            let [above, under] =
                [i + 1, i].map(|level| levels.total_down(level) / clear[level].down().max(1e-9));
            let share = if above > 0.0 { (under / above).min(1.0) } else { slabs[i].of_sky };
            let [over, beneath] = [i + 1, i].map(|level| {
                // Over the highest, the air's tables know of no clouds.
                let bare = levels.bare[level];
                let up = if level == slabs.len() { bare } else { levels.up[level] };
                let all = luminance(levels.down[level]) + luminance(up) - luminance(levels.hardly[level]);
                all / (luminance(clear[level].sky) + luminance(bare)).max(1e-9)
            });
            straight_left *= slabs[i].of_lights[0].1;
            layers.push(Surroundings {
                overhead,
                // Layers above hide the clear sky's horizon.
                around: [0, 1, 2].map(|c| overhead[c] + (around[c] - overhead[c]) * open),
                below: radiance(levels.below[i]),
                sunward,
                taken: left * (1.0 - share),
                scattered: if over > 0.0 { beneath / over } else { slabs[i].of_sky },
            });
            open *= slabs[i].of_sky;
            left *= share;
        }
        layers.reverse();
        // What goes with the first light is the sky's still, where the ground is lit.
        let with_first = falling.with_first(sky);
        let ground_diffuse =
            [0, 1, 2].map(|c| levels.down[0][c] + with_first[c] * clear[0].brighter[c] * straight_left);
        let ground = radiance(levels.up[0]);
        Ambience {
            ground_diffuse,
            ground,
            layers,
            // Half of what surrounds a droplet is sky, half is ground.
            fog: [0, 1, 2].map(|c| 0.5 * (ground_diffuse[c] / PI as f32 + ground[c])),
            lifted,
        }
    }
}

impl SkyLight<'_> {
    /// What comes straight from each light through clear air, on level ground at an altitude.
    fn on_level_ground(&self, altitude: f64) -> Vec<Rgb> {
        let up = |light: &Light| light.direction()[2].max(0.0) as f32;
        self.lights.iter().map(|light| light.clear(altitude).map(|v| v * up(light))).collect()
    }

    /// Radiance of the clear sky in one direction as it lights things, without the discs.
    fn radiance(&self, d: [f64; 3], filter: Rgb) -> Rgb {
        let at = d.map(|v| Scalar(v as f32));
        let mut sum = [self.night_glow; 3];
        let mut add = |light: [Scalar; 3], strength: f32| {
            for c in 0..3 {
                sum[c] += light[c].0.max(0.0) * strength;
            }
        };
        match self.painted {
            Some(painted) => add(painted.radiance(at, Scalar(0.0)), 1.0),
            None => {
                for light in self.lights {
                    let s = light.direction();
                    let cos: f64 = (0..3).map(|i| d[i] * s[i]).sum();
                    add(light.view.sky.radiance(at, narrow(Scalar(cos as f32))), light.strength);
                }
            }
        }
        [0, 1, 2].map(|c| sum[c] * filter[c])
    }

    /// What strength, shift and tint make of the sky's light.
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

    /// The clear sky's light: means over directions spread evenly in what they add to level ground.
    fn falling(&self) -> Falling {
        const RINGS: usize = 24;
        const AROUND: usize = 48;
        let filter = self.filter();
        let sun = self.lights[0].direction();
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
        // A light on the horizon has no side of a layer to itself: what goes with it fades.
        let fade = (sun[2] / FADES_UNDER).clamp(0.0, 1.0);
        let whole = PI / (RINGS * AROUND) as f64;
        let sunward = toward.map(|v| v.max(0.0) * whole * fade / level_to_sun.max(0.3));
        // Nor more than there is.
        let share = |k: usize| (0.7 * level[k] * whole / (sunward[k] * sun[2].max(0.0)).max(1e-12)).min(1.0);
        Falling {
            level: level.map(|v| (v * whole) as f32),
            sunward: std::array::from_fn(|k| (sunward[k] * share(k)) as f32),
        }
    }

    /// Mean radiance of the sky from 3 to 40 degrees above the horizon.
    fn horizon_radiance(&self) -> Rgb {
        const AROUND: usize = 24;
        let filter = self.filter();
        let mut sum = [0.0f32; 3];
        let elevations = [3.0f64, 8.0, 15.0, 25.0, 40.0];
        for e in elevations {
            for a in 0..AROUND {
                let d = crate::camera::toward(a as f64 * 2.0 * PI / AROUND as f64, e.to_radians());
                let l = self.radiance(d, filter);
                for k in 0..3 {
                    sum[k] += l[k] / (AROUND * elevations.len()) as f32;
                }
            }
        }
        sum
    }
}

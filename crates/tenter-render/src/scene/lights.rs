//! The document's suns and moon, placed in the sky.

use super::eclipse::{Occluder, TOTALITY_LEFT, covered_share, moonlight_left};
use crate::air::SunInSky;
use crate::worlds::{SunOnWorlds, lambert_phase};
use chrono::{DateTime, FixedOffset};
use std::f64::consts::PI;
use tenter_sky::astronomy::{self, CelestialFrame, moonlight};
use tenter_sky::camera::toward;
use tenter_sky::document::{Grade, LightColour, Moon, MoonPhase, Place, Placement, Sky, Sun, World};
use tenter_sky::spectrum::{LightToRgb, Spectrum, luminance, solar_illuminance, spectrum_of};

/// Lights one scene can hold: the suns and the moon.
pub const MAX_LIGHTS: usize = tenter_sky::document::MAX_SUNS + 1;

/// How bright a disc is from place to place.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Face {
    /// Darkening toward the rim by a linear law with this factor, and what stands before it.
    Sun { limb_darkening: f64, behind: Option<Occluder> },
    /// Lit from a direction: cosine of the phase angle, and the direction of the bright limb as a vector in
    /// the sky; light of the earth as a share of the full moon's; direction of its north in the sky.
    Moon { phase_cos: f64, bright_limb: [f64; 3], earthshine: f64, north: [f64; 3] },
    /// Seen as part of the sky, not as a disc; or not at all.
    World { seen: bool },
}

impl Face {
    /// What kind of light has it, in a word.
    pub fn kind(&self) -> &'static str {
        match self {
            Face::Sun { .. } => "sun",
            Face::Moon { .. } => "moon",
            Face::World { .. } => "world",
        }
    }
}

/// One light of a sky, before air.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlacedLight {
    pub in_sky: SunInSky,
    /// Unit vector to where the disc is seen: refraction lifts it over the direction its light comes from.
    pub seen: [f64; 3],
    /// Height of the disc over its width: refraction lifts its lower rim more than its upper one.
    pub flattening: f64,
    pub face: Face,
    pub disc_seen: bool,
    pub glare: f64,
    /// Share of its light that an eclipse takes.
    pub covered: f64,
    pub lining: Lining,
}

/// Light of clouds around a light raised by hand; not physical.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Lining {
    /// How much more light there is right before the light, as a multiple.
    pub strength: f32,
    /// Angle over which that falls to 1/e, radians.
    pub width: f32,
}

impl Lining {
    /// Factor on light that clouds scatter once, by the cosine of the angle from the light.
    pub fn factor(self, cos: f32) -> f32 {
        if self.strength <= 0.0 {
            return 1.0;
        }
        let away = cos.clamp(-1.0, 1.0).acos() / self.width;
        1.0 + self.strength * (-away * away).exp()
    }
}

/// Where a sun stands, degrees, and its strength with the distance of the day taken in.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlacedSun {
    pub azimuth_deg: f64,
    /// True height of its centre: light, twilight and exposure follow it.
    pub elevation_deg: f64,
    /// Height at which the disc is seen. A sun set by hand is seen where it stands; one of place and time
    /// is lifted by refraction.
    pub seen_elevation_deg: f64,
    pub strength: f64,
}

impl PlacedSun {
    pub fn of(sky: &Sky, sun: &Sun) -> PlacedSun {
        match &sun.placement {
            Placement::Hand { azimuth_deg, elevation_deg } => PlacedSun {
                azimuth_deg: azimuth_deg.rem_euclid(360.0),
                elevation_deg: *elevation_deg,
                seen_elevation_deg: *elevation_deg,
                strength: sun.strength,
            },
            Placement::Place {} => {
                let place = &sky.place;
                let p = astronomy::sun(place.latitude_deg, place.longitude_deg, time_of(sky))
                    .expect("ranges were validated");
                PlacedSun {
                    azimuth_deg: (p.azimuth + place.north_offset_deg).rem_euclid(360.0),
                    elevation_deg: p.elevation,
                    seen_elevation_deg: p.apparent_elevation,
                    strength: sun.strength / (p.distance * p.distance),
                }
            }
        }
    }

    pub fn direction(&self) -> [f64; 3] {
        toward(self.azimuth_deg.to_radians(), self.elevation_deg.to_radians())
    }
}

/// A disc's height over its width where refraction lifts a true elevation to a seen one, degrees: 0.83 on
/// the horizon.
fn flattening(elevation: f64, seen: f64) -> f64 {
    const STEP: f64 = 0.05;
    if seen == elevation {
        return 1.0;
    }
    let [low, high] = [-STEP, STEP].map(|by| elevation + by + astronomy::refraction(elevation + by));
    ((high - low) / (2.0 * STEP)).clamp(0.5, 1.0)
}

/// A sky's grade with the exposure that holds for its first sun's height.
pub fn grade_of(sky: &Sky) -> Grade {
    let ev100 = sky.grade.ev100_at(PlacedSun::of(sky, &sky.suns[0]).elevation_deg);
    Grade { ev100, exposures: Vec::new(), ..sky.grade.clone() }
}

/// The moment of a sky.
pub fn time_of(sky: &Sky) -> DateTime<FixedOffset> {
    DateTime::parse_from_rfc3339(&sky.place.at).expect("validated with the document")
}

/// Where the moon stands and what it sheds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlacedMoon {
    pub azimuth_deg: f64,
    /// True height of its centre, and the height at which it is seen, as of [`PlacedSun`].
    pub elevation_deg: f64,
    pub seen_elevation_deg: f64,
    pub phase_deg: f64,
    /// Outside the air, on a plane that faces it, lx.
    pub illuminance_lx: f64,
}

impl PlacedMoon {
    pub fn of(sky: &Sky, moon: &Moon) -> PlacedMoon {
        let place = &sky.place;
        let real = astronomy::moon(place.latitude_deg, place.longitude_deg, time_of(sky));
        let (azimuth_deg, elevation_deg, lifted) = match moon.placement {
            Placement::Hand { azimuth_deg, elevation_deg } => (azimuth_deg, elevation_deg, 0.0),
            Placement::Place {} => {
                (real.azimuth + place.north_offset_deg, real.elevation, astronomy::refraction(real.elevation))
            }
        };
        let (azimuth_deg, seen_elevation_deg) = (azimuth_deg.rem_euclid(360.0), elevation_deg + lifted);
        let (phase_deg, near) = match moon.phase {
            MoonPhase::Hand { phase_deg } => (phase_deg, 1.0),
            MoonPhase::Time {} => (real.phase, (real.angular_diameter / MEAN_DIAMETER_DEG).powi(2)),
        };
        let illuminance_lx = moonlight(phase_deg) * near * moon.strength;
        PlacedMoon { azimuth_deg, elevation_deg, seen_elevation_deg, phase_deg, illuminance_lx }
    }
}

/// Of the moon at its mean distance.
const MEAN_DIAMETER_DEG: f64 = 0.518;

/// Light of the earth on the moon at new moon, as a share of the sun's there (about 1e-4; Goode et al. 2001,
/// from memory); it wanes as the earth does.
fn earthshine(phase_deg: f64) -> f64 {
    1e-4 * (1.0 - phase_deg.to_radians().cos()) * 0.5
}

/// The moon's rock is darker in the blue: relative to 550 nm a straight line, which takes the sun's colour
/// index of 0.65 to 0.88 (0.92 observed; common practice, no source).
fn moons_colour() -> LightToRgb {
    let rock = Spectrum::from_fn(|nm| 1.0 + 0.0018 * (nm - 550.0));
    let light = LightToRgb::sunlight().filtered(&rock);
    let bright = tenter_sky::spectrum::luminance(light.colour()) as f64 / solar_illuminance();
    light.filtered(&Spectrum::splat((1.0 / bright) as f32))
}

/// The moon as a light.
fn placed_moon(sky: &Sky) -> PlacedLight {
    let placed = PlacedMoon::of(sky, &sky.moon);
    let sun = PlacedSun::of(sky, &sky.suns[0]).direction();
    let direction = toward(placed.azimuth_deg.to_radians(), placed.elevation_deg.to_radians());
    let Place { latitude_deg, longitude_deg, north_offset_deg, .. } = sky.place;
    let stars = CelestialFrame::at(latitude_deg, longitude_deg, time_of(sky)).turned(north_offset_deg);
    // How far the moon is from the middle of the planet's shadow: by time that is the phase angle, which
    // knows nothing of where on the planet the eye is.
    let from_shadow_deg = match sky.moon.phase {
        MoonPhase::Time {} => placed.phase_deg,
        MoonPhase::Hand { .. } => angle_between(direction, sun.map(|v| -v)).to_degrees(),
    };
    let radius_deg = sky.moon.angular_diameter_deg * 0.5;
    let left = moonlight_left(from_shadow_deg, radius_deg, GRAZING);
    let covered = 1.0 - luminance(left.map(|v| v as f32)).min(1.0) as f64;
    let strength = placed.illuminance_lx / solar_illuminance() * (1.0 - covered);
    let colour = if covered > 0.0 { reddened(left) } else { moons_colour() };
    PlacedLight {
        in_sky: SunInSky { direction, disc_radius: radius_deg.to_radians(), to_rgb: colour, strength },
        seen: toward(placed.azimuth_deg.to_radians(), placed.seen_elevation_deg.to_radians()),
        flattening: flattening(placed.elevation_deg, placed.seen_elevation_deg),
        face: Face::Moon {
            phase_cos: placed.phase_deg.to_radians().cos(),
            bright_limb: sun,
            earthshine: earthshine(placed.phase_deg) * sky.moon.earthshine,
            north: stars.ecliptic_pole(),
        },
        disc_seen: true,
        glare: 0.0,
        covered,
        lining: Lining { strength: sky.moon.lining as f32, width: sky.moon.lining_deg.to_radians() as f32 },
    }
}

/// What a clear air lets through of light that passes along the ground and out again, linear Rec.709: twice
/// 38 air masses of molecules and ozone, less what refraction keeps in higher air (own estimate after the
/// depths of Bodhaine et al. 1999 above 8 km).
const GRAZING: [f32; 3] = [0.32, 0.07, 0.006];

/// Moonlight of a colour that an eclipse leaves, at luminance 1 of the moon's own.
fn reddened(left: [f64; 3]) -> LightToRgb {
    let tint = left.map(|v| v as f32);
    let y = luminance(tint).max(1e-12);
    moons_colour().filtered(&spectrum_of(tint.map(|v| v / y)))
}

fn angle_between(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|i| a[i] * b[i]).sum::<f64>().clamp(-1.0, 1.0).acos()
}

/// Takes from a sun what a moon or a world hides of it.
fn eclipse(sun: &mut PlacedLight, direction: [f64; 3], radius: f64) {
    let Face::Sun { limb_darkening, .. } = sun.face else { return };
    let apart = angle_between(sun.seen, direction);
    let covered = covered_share(apart, sun.in_sky.disc_radius, radius, limb_darkening);
    if covered > sun.covered {
        let whole = sun.in_sky.strength / (1.0 - sun.covered).max(TOTALITY_LEFT);
        sun.in_sky.strength = whole * (1.0 - covered).max(TOTALITY_LEFT);
        sun.covered = covered;
        sun.face = Face::Sun { limb_darkening, behind: Some(Occluder { direction, radius }) };
    }
}

/// Suns as they light worlds: what eclipses them here does not there.
pub fn suns_on_worlds(sky: &Sky, lights: &[PlacedLight]) -> Vec<SunOnWorlds> {
    let suns = lights.iter().take(sky.suns.len());
    suns.map(|sun| {
        let whole = sun.in_sky.strength / (1.0 - sun.covered).max(TOTALITY_LEFT);
        let illuminance = sun.in_sky.to_rgb.colour().map(|v| f64::from(v) * whole);
        SunOnWorlds { direction: sun.in_sky.direction, illuminance }
    })
    .collect()
}

/// The light of a world outside the air, on a plane that faces it: a Lambert sphere of the mean of its
/// colours (Russell 1916), lit by each sun. It comes from the middle of what is lit: from the world's own
/// middle at full phase, from the limb as a thin crescent.
fn worldshine(world: &World, suns: &[SunOnWorlds]) -> Option<PlacedLight> {
    let direction = toward(world.azimuth_deg.to_radians(), world.elevation_deg.to_radians());
    let radius = world.angular_radius();
    let (mut sum, mut toward_light, mut whole) = ([0.0; 3], [0.0; 3], 0.0);
    for sun in suns {
        let phase = PI - angle_between(direction, sun.direction);
        let share = 2.0 / 3.0 * lambert_phase(phase) * radius.sin().powi(2);
        let shed: [f64; 3] =
            std::array::from_fn(|c| share * 0.5 * (world.light.0[c] + world.dark.0[c]) * sun.illuminance[c]);
        // How far the middle of what is lit lies toward this sun, in radii.
        let (sin, cos) = phase.sin_cos();
        let aside = 0.5 * (1.0 - cos) / sin.max(1e-6);
        for i in 0..3 {
            sum[i] += shed[i];
            toward_light[i] += shed[GREEN] * aside * (sun.direction[i] + cos * direction[i]);
        }
        whole += shed[GREEN];
    }
    let aside = radius.sin() / whole.max(1e-30);
    let from: [f64; 3] = std::array::from_fn(|i| direction[i] + aside * toward_light[i]);
    let length = from.iter().map(|v| v * v).sum::<f64>().sqrt();
    let rgb = sum.map(|v| v as f32);
    let lux = f64::from(luminance(rgb));
    (lux > 0.0).then(|| PlacedLight {
        in_sky: SunInSky {
            direction: from.map(|v| v / length),
            disc_radius: radius.min(WIDEST_LIGHT),
            to_rgb: LightToRgb::tinted(rgb.map(|v| v / lux as f32)),
            strength: lux / solar_illuminance(),
        },
        seen: direction,
        flattening: 1.0,
        face: Face::World { seen: world.seen },
        disc_seen: false,
        glare: 0.0,
        covered: 0.0,
        lining: Lining::default(),
    })
}

/// The channel that stands for brightness.
const GREEN: usize = 1;
/// Half the angle of the widest light that shadows are made for, radians.
const WIDEST_LIGHT: f64 = 0.17;
/// Share of a sun's light on level ground under which a world's is left out.
const LEAST_WORLDSHINE: f64 = 1e-3;

/// Adds the light of worlds, the strongest first, as far as there is room and it can be seen beside that of
/// the suns.
fn add_worldshine(sky: &Sky, lights: &mut Vec<PlacedLight>) {
    let level = |l: &PlacedLight| l.in_sky.strength * l.in_sky.direction[2].max(0.0);
    let suns: f64 = lights[..sky.suns.len()].iter().map(level).sum();
    let shedding = sky.worlds.iter().filter(|w| !w.muted && w.sheds_light);
    let on_worlds = suns_on_worlds(sky, lights);
    let mut shine: Vec<PlacedLight> = shedding.filter_map(|world| worldshine(world, &on_worlds)).collect();
    shine.retain(|l| l.in_sky.strength > LEAST_WORLDSHINE * suns);
    shine.sort_by(|a, b| b.in_sky.strength.total_cmp(&a.in_sky.strength));
    shine.truncate(MAX_LIGHTS - lights.len());
    lights.extend(shine);
}

/// All lights: the suns in their order, the moon, worlds. A muted sun stays, without light.
pub fn placed_lights(sky: &Sky) -> Vec<PlacedLight> {
    let mut lights: Vec<PlacedLight> = sky
        .suns
        .iter()
        .map(|sun| {
            let placed = PlacedSun::of(sky, sun);
            PlacedLight {
                in_sky: SunInSky {
                    direction: placed.direction(),
                    disc_radius: (sun.angular_diameter_deg * 0.5).to_radians(),
                    to_rgb: colour_of(&sun.colour),
                    strength: if sun.muted { 0.0 } else { placed.strength },
                },
                seen: toward(placed.azimuth_deg.to_radians(), placed.seen_elevation_deg.to_radians()),
                flattening: flattening(placed.elevation_deg, placed.seen_elevation_deg),
                face: Face::Sun { limb_darkening: sun.limb_darkening, behind: None },
                disc_seen: sun.disc_seen && !sun.muted,
                glare: sun.glare,
                covered: 0.0,
                lining: Lining::default(),
            }
        })
        .collect();
    if sky.moon.risen {
        let moon = placed_moon(sky);
        for sun in &mut lights {
            eclipse(sun, moon.seen, moon.in_sky.disc_radius);
        }
        lights.push(moon);
    }
    for world in sky.worlds.iter().filter(|w| !w.muted && w.seen) {
        let direction = toward(world.azimuth_deg.to_radians(), world.elevation_deg.to_radians());
        for sun in &mut lights[..sky.suns.len()] {
            eclipse(sun, direction, world.angular_radius());
        }
    }
    add_worldshine(sky, &mut lights);
    lights
}

fn colour_of(colour: &LightColour) -> LightToRgb {
    match colour {
        LightColour::Sunlight {} => *LightToRgb::sunlight(),
        LightColour::Temperature { kelvin } => LightToRgb::blackbody(*kelvin),
        LightColour::Tint { tint } => LightToRgb::tinted(tint.0.map(|v| v as f32)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Krisciunas and Schaefer 1991: outside the air the full moon sheds 0.31 lx; half moons a tenth of it
    /// (their fig. 1, from memory: magnitude -10.1 at 90 degrees).
    #[test]
    fn moonlight_by_phase() {
        assert!((moonlight(0.0) - 0.313).abs() < 0.005, "{}", moonlight(0.0));
        assert!((moonlight(90.0) / moonlight(0.0) - 0.091).abs() < 0.005, "{}", moonlight(90.0));
        assert!(moonlight(180.0) < 1e-3 * moonlight(0.0));
    }

    #[test]
    fn muted_suns_shed_nothing_and_the_moon_comes_last() {
        let mut sky = Sky::default();
        sky.suns.push(Sun { muted: true, ..Sun::default() });
        sky.moon.risen = true;
        let lights = placed_lights(&sky);
        assert_eq!((lights.len(), lights[1].in_sky.strength), (3, 0.0));
        assert!(matches!(lights[2].face, Face::Moon { .. }));
    }

    /// A sun on the horizon is seen half a degree higher and five sixths as high as it is wide (common
    /// practice, no source: 29' at the upper rim, 34' on the horizon); its light comes from where it stands.
    #[test]
    fn refraction_lifts_the_disc_alone() {
        let mut sky = Sky::default();
        sky.suns[0].placement = Placement::Place {};
        sky.place.at = "2026-06-21T21:45:00+01:00".into();
        let placed = PlacedSun::of(&sky, &sky.suns[0]);
        let lifted = placed.seen_elevation_deg - placed.elevation_deg;
        assert!((lifted - astronomy::refraction(placed.elevation_deg)).abs() < 1e-9);
        let light = placed_lights(&sky)[0];
        assert_eq!(light.in_sky.direction, placed.direction());
        assert!((light.seen[2].asin().to_degrees() - placed.seen_elevation_deg).abs() < 1e-9);
        assert!((flattening(-0.3, -0.3 + astronomy::refraction(-0.3)) - 0.83).abs() < 0.04);
        assert_eq!(flattening(12.0, 12.0), 1.0);
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 10.0, elevation_deg: -0.3 };
        let by_hand = placed_lights(&sky)[0];
        assert_eq!((by_hand.seen, by_hand.flattening), (by_hand.in_sky.direction, 1.0));
    }

    #[test]
    fn north_offset_turns_what_time_has_placed() {
        let mut sky = Sky::default();
        sky.suns[0].placement = Placement::Place {};
        let before = PlacedSun::of(&sky, &sky.suns[0]);
        sky.place.north_offset_deg = 30.0;
        let after = PlacedSun::of(&sky, &sky.suns[0]);
        assert!(((after.azimuth_deg - before.azimuth_deg).rem_euclid(360.0) - 30.0).abs() < 1e-9);
        assert_eq!(after.elevation_deg, before.elevation_deg);
    }
}

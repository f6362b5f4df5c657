//! Skies against values from outside the project.

use hw_skymodel::rgb::{Channel, SkyParams, SkyState};
use tenter_render::air::{Air as AirTables, TableQuality};
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::readouts;
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_render::source::standard;
use tenter_sky::camera::toward;
use tenter_sky::document::{AerosolKind, Air, MoonPhase, Placement, Sky, SkyKind};
use tenter_sky::spectrum::{LightToRgb, luminance};

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Full, &|| false).unwrap()
}

fn by_hand(azimuth_deg: f64, elevation_deg: f64) -> Placement {
    Placement::Hand { azimuth_deg, elevation_deg }
}

fn luminances(sky: &Sky, at: &[[f64; 2]]) -> Vec<f64> {
    let directions: Vec<_> = at.iter().map(|[a, e]| toward(a.to_radians(), e.to_radians())).collect();
    let seen = radiance_along(&scene(sky), &directions, 0.001, MarchQuality::default());
    seen.into_iter().map(|(light, _)| luminance(light) as f64).collect()
}

/// Hosek and Wilkie 2012, an analytic fit to path-traced skies (as the crate `hw-skymodel` carries it), at
/// turbidity 2 to 6 with the sun at 30 degrees, in eight directions. Turbidity as an aerosol depth after
/// Preetham, Shirley and Smits 1999 (0.04608 T - 0.04586 at 1 um, Angstrom exponent 1.3).
///
/// The mean of the eight agrees within a fifth. Single directions spread from 0.55 to 1.75: their sky is
/// brighter away from the sun and darker beside it, as of an aerosol that scatters far more evenly than the
/// published ones this air is made of (OPAC's asymmetry of 0.7); with the same aerosol the reference
/// integrator agrees with the live sky to 3 %.
#[test]
fn hosek_and_wilkie_skies() {
    const SUN: f64 = 30.0;
    let directions: [[f64; 2]; 8] = [
        [0.0, 90.0],
        [180.0, 60.0],
        [90.0, 60.0],
        [0.0, 45.0],
        [180.0, 10.0],
        [90.0, 20.0],
        [0.0, 20.0],
        [45.0, 10.0],
    ];
    let s = toward(180f64.to_radians(), SUN.to_radians());
    for turbidity in [2.0, 3.0, 4.0, 6.0] {
        let params =
            SkyParams { elevation: SUN.to_radians() as f32, turbidity: turbidity as f32, albedo: [0.1; 3] };
        let state = SkyState::new(&params).unwrap();
        let theirs: Vec<f64> = directions
            .iter()
            .map(|[a, e]| {
                let d = toward(a.to_radians(), e.to_radians());
                let gamma = (0..3).map(|i| d[i] * s[i]).sum::<f64>().clamp(-1.0, 1.0).acos();
                let zenith = (90.0 - e).to_radians();
                let [r, g, b] = [Channel::R, Channel::G, Channel::B]
                    .map(|c| state.radiance(zenith as f32, gamma as f32, c) as f64);
                // Their radiances weigh the spectrum by the observer without its 683 lm/W.
                683.0 * (0.2126 * r + 0.7152 * g + 0.0722 * b)
            })
            .collect();
        let height_km = 1.2;
        let depth = (0.04608 * turbidity - 0.04586) * 0.55f64.powf(-1.3);
        let mut sky = Sky {
            air: Air {
                visibility_km: 3.912 / (depth / height_km + 0.0115),
                aerosol: AerosolKind::Continental,
                aerosol_scale_height_m: height_km * 1000.0,
                ground_albedo: 0.1,
                ..Air::default()
            },
            ..Sky::default()
        };
        sky.suns[0].placement = by_hand(180.0, SUN);
        let ours = luminances(&sky, &directions);
        let ratios: Vec<f64> = ours.iter().zip(&theirs).map(|(a, b)| a / b).collect();
        let mean = ours.iter().sum::<f64>() / theirs.iter().sum::<f64>();
        println!("turbidity {turbidity}: mean {mean:.2}, {ratios:.2?}");
        assert!((0.8..1.25).contains(&mean), "turbidity {turbidity}: mean {mean:.2}, {ratios:.2?}");
        for ratio in &ratios {
            assert!((0.55..1.75).contains(ratio), "turbidity {turbidity}: {ratios:.2?}");
        }
    }
}

/// ASTM G173-03: direct light at an air mass of 1.5 through 1.42 cm of water, 0.34 atm-cm of ozone and a
/// rural aerosol of depth 0.084 at 500 nm makes 97 142 lx (summed over the standard's own table by an
/// independent library). Here without the water, which takes little of what an eye sees, and with a
/// continental aerosol of that depth.
#[test]
fn direct_light_at_air_mass_one_and_a_half() {
    let height_km = 1.5;
    let depth = 0.084 * (550.0f64 / 500.0).powf(-1.3);
    let mut sky = Sky {
        air: Air {
            visibility_km: 3.912 / (depth / height_km + 0.0115),
            aerosol: AerosolKind::Continental,
            aerosol_scale_height_m: height_km * 1000.0,
            ozone_du: 343.8,
            ..Air::default()
        },
        ..Sky::default()
    };
    // Air mass 1.5 by Kasten and Young 1989 stands 41.8 degrees high.
    sky.suns[0].placement = by_hand(180.0, 41.8);
    let light = scene(&sky).lights[0].clear(0.0);
    let lx = luminance(light) as f64;
    assert!((lx / 97_142.0 - 1.0).abs() < 0.03, "{lx}");
}

/// Moonlight of a clear night after Krisciunas and Schaefer 1991 and as this project's design has it: a full
/// moon makes about 0.27 lx from the zenith and 0.16 lx at 45 degrees; a half moon about a tenth.
#[test]
fn moonlight_by_height_and_phase() {
    let lx = |elevation_deg: f64, phase_deg: f64| {
        let mut sky = Sky::default();
        sky.suns[0].placement = by_hand(0.0, -40.0);
        sky.night.floor_lx = 0.0;
        sky.air.visibility_km = 60.0;
        sky.moon.risen = true;
        sky.moon.placement = by_hand(180.0, elevation_deg);
        sky.moon.phase = MoonPhase::Hand { phase_deg };
        let meter = readouts(&sky, &scene(&sky));
        (meter.global_horizontal_lx, meter.direct_horizontal_lx)
    };
    let ((zenith, _), (global, direct)) = (lx(90.0, 0.0), lx(45.0, 0.0));
    assert!((0.24..0.31).contains(&zenith), "{zenith}");
    // The published 0.16 leaves out most of the sky's own light.
    assert!(direct < 0.18 && (0.16..0.21).contains(&global), "{direct} {global}");
    let half = lx(90.0, 90.0).0 / zenith;
    assert!((0.07..0.12).contains(&half), "{half}");
}

/// ISO 15469: pictures of the standard's skies are its formula times the zenith's luminance, from horizon to
/// zenith.
#[test]
fn standard_skies_are_the_standards() {
    const SUN: f64 = 40.0;
    for number in [1, 5, 7, 12, 15] {
        let mut sky = Sky::default();
        sky.suns[0].placement = by_hand(180.0, SUN);
        sky.night.floor_lx = 0.0;
        sky.eye.altitude_m = 1.0;
        sky.source.made_of = SkyKind::Standard { number, zenith_cd_m2: 2000.0, kelvin: 6500.0 };
        let directions = [[0.0, 90.0], [180.0, 39.0], [180.0, 60.0], [120.0, 12.0], [0.0, 3.0], [60.0, 35.0]];
        let seen = luminances(&sky, &directions);
        let sun = toward(180f64.to_radians(), SUN.to_radians());
        for ([azimuth, elevation], seen) in directions.iter().zip(seen) {
            let d = toward(azimuth.to_radians(), elevation.to_radians());
            let to_sun = (0..3).map(|i| d[i] * sun[i]).sum();
            let wanted = 2000.0 * standard::relative(number, d[2], sun[2], to_sun);
            assert!((seen / wanted - 1.0).abs() < 0.005, "{number} {azimuth} {elevation}: {seen} {wanted}");
        }
    }
}

/// A blackbody's light keeps its chromaticity on the way into the scene: 0.001 in x and y of the published
/// ones (Wyszecki and Stiles 1982, table 1(3.3.1), and illuminant A of CIE 15; from memory).
#[test]
fn suns_have_their_blackbodys_colour() {
    for (kelvin, x, y) in [(2856.0, 0.4476, 0.4074), (5000.0, 0.3451, 0.3516), (10_000.0, 0.2807, 0.2884)] {
        let rgb = LightToRgb::blackbody(kelvin).colour().map(|v| v as f64);
        let [bx, by] = tenter_sky::spectrum::rgb_to_xyz(rgb).xy();
        assert!((bx - x).abs() < 1e-3 && (by - y).abs() < 1e-3, "{kelvin}: {bx} {by}");
    }
}

/// Koschmieder 1924: over a distance V air at the ground lets through 2 % of light, here for V of 1 to 30 km
/// within 1 % of the extinction.
#[test]
fn extinction_along_the_ground() {
    for visibility_km in [1.0, 3.0, 10.0, 30.0] {
        let air = Air { visibility_km, ..Air::default() };
        let tables = AirTables::new(&air, TableQuality::Draft);
        let n = tables.medium.amounts(0.0);
        let depth = tables.medium.optical_depth(n);
        // Bands 6 and 7 lie at 542.5 and 567.5 nm.
        let at_550 = depth.0[6] + (depth.0[7] - depth.0[6]) * 0.3;
        let wanted = 3.912 / (visibility_km * 1000.0);
        assert!((at_550 as f64 / wanted - 1.0).abs() < 0.01, "{visibility_km}: {at_550}");
    }
}

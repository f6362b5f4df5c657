//! Haze under a closed sheet of clouds is lit by the sheet, not by the sun.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::toward;
use tenter_sky::document::{Air, CloudKind, CloudLayer, Placement, Sky};
use tenter_sky::spectrum::luminance;

/// Aerosol of optical depth 0.3 under a sheet of thickness 16, the sun at 40 degrees in azimuth 200.
fn under_a_lid() -> Sky {
    let lid = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..CloudKind::Stratus.usual() };
    let air = Air { visibility_km: 12.0, ..Air::default() };
    let mut sky = Sky { air, clouds: vec![lid], ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg: 40.0 };
    sky
}

/// Toward the sun and away from it, from near the horizon up: the reference integrator's luminance, cd/m2,
/// of 3 % of noise (`tenter probe --reference --noise 3`).
const REFERENCE: [(f64, f64, f64); 9] = [
    (200.0, 2.0, 4368.0),
    (200.0, 5.0, 5105.0),
    (200.0, 10.0, 5908.0),
    (200.0, 20.0, 7198.0),
    (20.0, 2.0, 4151.0),
    (20.0, 5.0, 4894.0),
    (20.0, 10.0, 5673.0),
    (20.0, 20.0, 6863.0),
    (20.0, 60.0, 10_652.0),
];

#[test]
fn haze_under_a_lid_is_as_bright_as_in_the_reference() {
    let scene = SceneCache::default().scene(&under_a_lid(), TableQuality::Full, &|| false).unwrap();
    for (azimuth, elevation, expected) in REFERENCE {
        let d = toward(f64::to_radians(azimuth), f64::to_radians(elevation));
        let got = luminance(radiance_along(&scene, &[d], 1e-3, MarchQuality::default())[0].0) as f64;
        println!("{azimuth} {elevation}: {got:.0} for {expected}");
        // Three standard errors, and the 8 % that the sheet itself is off without haze.
        assert!((got / expected - 1.0).abs() < 0.12, "{azimuth} {elevation}: {got} for {expected}");
    }
}

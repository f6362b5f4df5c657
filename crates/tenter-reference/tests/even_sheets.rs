//! Even sheets in single directions, held against the reference integrator: no constant of theirs comes
//! from these.

mod common;

use common::{SUN_AZIMUTH_DEG, bare, even_sheet, scene};
use tenter_reference::Reference;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_sky::camera::toward;
use tenter_sky::document::{CloudKind, CloudLayer, Sky};
use tenter_sky::spectrum::luminance;

/// Azimuth and height of looks that are farther than 12 degrees from the sun.
const LOOKS: [(f64, f64); 6] = [
    (SUN_AZIMUTH_DEG, 10.0),
    (SUN_AZIMUTH_DEG, 80.0),
    (20.0, 60.0),
    (20.0, 20.0),
    (110.0, 15.0),
    (110.0, 50.0),
];

/// A closed sheet without lumps or halo over black ground, and nearly no air.
fn sheet(kind: CloudKind, thickness: f64, sine: f64) -> Sky {
    let layer = CloudLayer { halo: 0.0, ..even_sheet(kind, thickness) };
    Sky { clouds: vec![layer], ..bare(sine, 0.0) }
}

/// Droplets, and ice in sheets and in veils: thin, and of some thickness, seen from below and from above.
#[test]
fn even_sheets_are_near_the_reference() {
    for kind in [CloudKind::Altostratus, CloudKind::Cirrocumulus, CloudKind::Cirrostratus] {
        let (mut sum, mut count, mut most) = (0.0, 0.0, 0.0f64);
        for (thickness, sine) in [(0.5, 0.5), (3.0, 0.3), (8.0, 0.75)] {
            let mut sky = sheet(kind, thickness, sine);
            let top = sky.clouds[0].base_m + sky.clouds[0].depth_m;
            for (altitude, sign) in [(2.0, 1.0), (top + 2000.0, -1.0)] {
                sky.eye.altitude_m = altitude;
                let scene = scene(&sky);
                let reference = Reference::new(&scene).unwrap();
                for (azimuth, elevation) in LOOKS {
                    let d = toward(azimuth.to_radians(), sign * elevation.to_radians());
                    let truth = luminance(reference.along(d, 0.02, 1 << 16).rgb) as f64;
                    let live =
                        luminance(radiance_along(&scene, &[d], 1e-3, MarchQuality::default())[0].0) as f64;
                    let off = live / truth - 1.0;
                    println!(
                        "{kind:?} {thickness} {sine} {sign} {azimuth}/{elevation}: {truth:.0} {:+.1} %",
                        100.0 * off
                    );
                    (sum, count, most) = (sum + off.abs(), count + 1.0, most.max(off.abs()));
                }
            }
        }
        println!("{kind:?}: mean {:.1} %, most {:.1} %", 100.0 * sum / count, 100.0 * most);
        assert!(sum / count < 0.07 && most < 0.3, "{kind:?}: mean {}, most {most}", sum / count);
    }
}

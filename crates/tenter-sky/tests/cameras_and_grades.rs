//! Cameras and grades keep their promises for whatever is set.

use proptest::prelude::*;
use tenter_sky::camera::{Camera, angles_of, toward};
use tenter_sky::develop::{Development, suggested_ev100, white_luminance};
use tenter_sky::document::{Eye, Grade, ToneCurve};

const CURVES: [ToneCurve; 3] = [ToneCurve::Clip, ToneCurve::Filmic, ToneCurve::Aces];

fn apart(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|k| (a[k] - b[k]).powi(2)).sum::<f64>().sqrt()
}

fn lens() -> impl Strategy<Value = Camera> {
    (0.0..360.0f64, -80.0..80.0f64, 15.0..200.0f64, -180.0..180.0f64, -9.0..9.0f64).prop_map(
        |(heading_deg, pitch_deg, lens_mm, roll_deg, shift_up_mm)| {
            let shift_right_mm = -0.5 * shift_up_mm;
            let turned = Eye { heading_deg, pitch_deg, roll_deg, ..Eye::default() };
            Camera::lens(&Eye { lens_mm, shift_right_mm, shift_up_mm, ..turned }, 960, 540)
        },
    )
}

fn any_camera() -> impl Strategy<Value = Camera> {
    let heading = -360.0..360.0f64;
    prop_oneof![
        lens(),
        heading.clone().prop_map(|h| Camera::latlong(512, h)),
        heading.clone().prop_map(|h| Camera::cube(128, h)),
        heading.prop_map(|h| Camera::fisheye(256, h)),
    ]
}

proptest! {
    /// Where a pixel looks is shown in that pixel, and every look is a unit vector.
    #[test]
    fn a_direction_comes_back_to_its_pixel(camera in any_camera(), u in 0.01..0.99f64, v in 0.01..0.99f64) {
        let (x, y) = (u * camera.width as f64, v * camera.height as f64);
        if let Some(d) = camera.direction(x, y) {
            prop_assert!((apart(d, [0.0; 3]) - 1.0).abs() < 1e-9, "{d:?}");
            let place = camera.place(d).expect("what is looked at is shown");
            prop_assert!((place[0] - x).abs() < 1e-5 && (place[1] - y).abs() < 1e-5, "{x} {y}: {place:?}");
        }
    }

    /// Neighbours look about one pixel's angle apart in the middle of a lens.
    #[test]
    fn pixels_are_as_wide_as_said(camera in lens()) {
        // Where the axis of the lens meets the picture.
        let axis = (0..960).map(f64::from).max_by(|a, b| {
            camera.axis_cosine(*a, 270.0).total_cmp(&camera.axis_cosine(*b, 270.0))
        });
        let row = (0..540).map(f64::from).max_by(|a, b| {
            camera.axis_cosine(480.0, *a).total_cmp(&camera.axis_cosine(480.0, *b))
        });
        let look = |x: f64| camera.direction(axis.unwrap() + x, row.unwrap()).unwrap();
        let wide = apart(look(0.0), look(1.0));
        prop_assert!((wide / camera.pixel_angle() - 1.0).abs() < 0.05, "{wide} {}", camera.pixel_angle());
    }

    /// A camera leaned to the right shows the horizon rising to the right, by that angle.
    #[test]
    fn roll_turns_the_horizon_the_other_way(roll_deg in -60.0..60.0f64, heading_deg in 0.0..360.0f64) {
        let camera = Camera::lens(&Eye { roll_deg, heading_deg, pitch_deg: 0.0, ..Eye::default() }, 900, 900);
        let at = |degrees: f64| camera.place(toward((heading_deg + degrees).to_radians(), 0.0)).unwrap();
        let (left, right) = (at(-5.0), at(5.0));
        let rise = (left[1] - right[1]).atan2(right[0] - left[0]).to_degrees();
        prop_assert!((rise - roll_deg).abs() < 1e-6, "{rise}");
    }

    /// A frame shifted up by a share of the lens looks that much higher, and uprights stay upright.
    #[test]
    fn shift_moves_the_frame_alone(shift_up_mm in -15.0..15.0f64, lens_mm in 18.0..90.0f64) {
        let eye = Eye { shift_up_mm, lens_mm, pitch_deg: 0.0, heading_deg: 0.0, ..Eye::default() };
        let camera = Camera::lens(&eye, 800, 450);
        let (_, elevation) = angles_of(camera.direction(400.0, 225.0).unwrap());
        prop_assert!((elevation.tan() - shift_up_mm / lens_mm).abs() < 1e-9);
        let upright = |elevation: f64| camera.place(toward(0.2, elevation)).unwrap()[0];
        prop_assert!((upright(0.0) - upright(0.3)).abs() < 1e-6);
    }

    /// Azimuth and elevation name a direction and are read back from it.
    #[test]
    fn angles_name_a_direction(azimuth in 0.0..6.2f64, elevation in -1.55..1.55f64) {
        let d = toward(azimuth, elevation);
        prop_assert!((d[2] - elevation.sin()).abs() < 1e-12);
        let (a, e) = angles_of(d);
        prop_assert!(apart(toward(a, e), d) < 1e-9, "{a} {e}");
    }

    /// More light is never shown darker, nothing leaves the display's range, and grey stays grey at the
    /// neutral white.
    #[test]
    fn grades_rise_and_stay_in_range(ev100 in -6.0..20.0f64, share in 0.0..4.0f32, curve in 0..3usize) {
        let grade = Grade { ev100, tone_curve: CURVES[curve], ..Grade::default() };
        let development = Development::new(&grade);
        let shown = |v: f32| development.apply([v * white_luminance(ev100) as f32; 3]);
        let (low, high) = (shown(share), shown(share * 1.1 + 0.01));
        prop_assert!(low.iter().all(|v| (0.0..=1.0).contains(v)), "{low:?}");
        prop_assert!(high[1] >= low[1], "{low:?} {high:?}");
        prop_assert!((low[0] - low[1]).abs() < 2e-3 && (low[2] - low[1]).abs() < 2e-3, "{low:?}");
    }

    /// One more EV is half the value on the display, before the curve bends (ISO 12232).
    #[test]
    fn a_stop_is_a_factor_of_two(ev100 in 0.0..16.0f64, share in 0.02..0.2f64) {
        let luminance = (share * white_luminance(ev100)) as f32;
        let linear = |ev100: f64| {
            let grade = Grade { ev100, tone_curve: ToneCurve::Clip, ..Grade::default() };
            let m = Development::new(&grade).matrix;
            (m[1][0] + m[1][1] + m[1][2]) * luminance
        };
        prop_assert!((linear(ev100 + 1.0) / linear(ev100) - 0.5).abs() < 1e-4);
        prop_assert!((linear(ev100) as f64 / share - 1.0).abs() < 1e-3);
    }

    /// A warmer white makes the same light bluer, a cooler one redder.
    #[test]
    fn white_balance_turns_the_other_way(kelvin in 2500.0..5500.0f64) {
        let shown = |white_k: f64| {
            let grade = Grade { ev100: 10.0, white_k, ..Grade::default() };
            let c = Development::new(&grade).apply([300.0; 3]);
            c[2] / c[0]
        };
        prop_assert!(shown(kelvin) > 1.02 && shown(7500.0 + kelvin) < 0.98);
    }

    /// At the suggested exposure a white card under that light is bright and not clipped; an incident meter
    /// places mid-grey well below white (C = 250, ISO 2720). In the dark it is darker, and more so the darker
    /// it is, by 3.5 stops at most.
    #[test]
    fn the_suggested_exposure_shows_a_card(lux in 0.001..120_000.0f64) {
        let card = |lux: f64| 0.9 * lux / std::f64::consts::PI / white_luminance(suggested_ev100(lux));
        let darkest = if lux < 100.0 { 0.4 / 3.5f64.exp2() } else { 0.4 };
        prop_assert!((darkest..0.9).contains(&card(lux)), "{}", card(lux));
        prop_assert!(card(0.5 * lux) <= card(lux) * 1.000_001);
    }
}

//! Sun and moon at moments that everybody knows. Circumstances of eclipses as NASA's Five Millennium Canon
//! (Espenak and Meeus 2006, 2009) has them, equinoxes and solstices as almanacs have them; all from memory,
//! to the minute and a tenth of a degree.

use tenter_sky::astronomy::{moon, sun};

fn at(text: &str) -> chrono::DateTime<chrono::FixedOffset> {
    chrono::DateTime::parse_from_rfc3339(text).unwrap()
}

/// Angle between two places in the sky, degrees.
fn apart(a: [f64; 2], b: [f64; 2]) -> f64 {
    let [[za, ea], [zb, eb]] = [a.map(f64::to_radians), b.map(f64::to_radians)];
    (ea.sin() * eb.sin() + ea.cos() * eb.cos() * (za - zb).cos()).clamp(-1.0, 1.0).acos().to_degrees()
}

/// In the middle of a total eclipse the moon covers the sun: their middles are closer than the moon is wider.
#[test]
fn total_eclipses_of_the_sun() {
    for (moment, latitude, longitude) in
        [("2017-08-21T18:25:32Z", 36.97, -87.67), ("2024-04-08T18:17:18Z", 25.29, -104.14)]
    {
        let s = sun(latitude, longitude, at(moment)).unwrap();
        let m = moon(latitude, longitude, at(moment));
        let away = apart([s.azimuth, s.elevation], [m.azimuth, m.elevation]);
        assert!(away < 0.1, "{moment}: {away} degrees apart");
        assert!(m.illuminated_fraction < 1e-4, "{moment}: {}", m.illuminated_fraction);
        // The sun is 0.533 degrees wide at one astronomical unit.
        let wide = m.angular_diameter * s.distance / 0.533;
        assert!((1.02..1.07).contains(&wide), "{moment}: {wide} times as wide as the sun");
    }
}

/// In a total eclipse of the moon it stands opposite to the sun, full, wherever it is seen from.
#[test]
fn total_eclipses_of_the_moon() {
    for moment in ["2018-07-27T20:21:44Z", "2022-05-16T04:11:30Z"] {
        for (latitude, longitude) in [(0.0, 30.0), (50.0, 10.0), (-35.0, -60.0)] {
            let m = moon(latitude, longitude, at(moment));
            assert!(m.illuminated_fraction > 0.999, "{moment}: {}", m.illuminated_fraction);
        }
    }
}

/// Seen from the pole the sun stands at its declination.
#[test]
fn equinoxes_and_solstices() {
    for (moment, declination) in [
        ("2025-03-20T09:01:00Z", 0.0),
        ("2025-06-21T02:42:00Z", 23.44),
        ("2025-09-22T18:19:00Z", 0.0),
        ("2025-12-21T15:03:00Z", -23.44),
    ] {
        let s = sun(90.0, 0.0, at(moment)).unwrap();
        assert!((s.elevation - declination).abs() < 0.02, "{moment}: {}", s.elevation);
    }
}

/// At the equator, on an equinox, the sun rises due east, culminates in the zenith and sets due west.
#[test]
fn an_equinox_on_the_equator() {
    let noon = sun(0.0, 0.0, at("2025-03-20T12:07:30Z")).unwrap();
    assert!(noon.elevation > 89.5, "{}", noon.elevation);
    let rising = sun(0.0, 0.0, at("2025-03-20T06:10:00Z")).unwrap();
    let setting = sun(0.0, 0.0, at("2025-03-20T18:05:00Z")).unwrap();
    assert!((rising.azimuth - 90.0).abs() < 0.2, "{}", rising.azimuth);
    assert!((setting.azimuth - 270.0).abs() < 0.2, "{}", setting.azimuth);
}

/// Above the polar circle the sun does not set at midsummer, nor rise at midwinter.
#[test]
fn midnight_sun_and_polar_night() {
    for hour in 0..24 {
        let moment = |day: &str| at(&format!("{day}T{hour:02}:00:00Z"));
        assert!(sun(70.0, 20.0, moment("2025-06-21")).unwrap().elevation > 3.0, "{hour}");
        assert!(sun(70.0, 20.0, moment("2025-12-21")).unwrap().elevation < -3.0, "{hour}");
    }
}

/// A place off the earth is refused with its number.
#[test]
fn places_off_the_earth_are_refused() {
    let refused = sun(91.0, 0.0, at("2025-06-21T12:00:00Z")).unwrap_err();
    assert!(refused.to_string().contains("91"), "{refused}");
}

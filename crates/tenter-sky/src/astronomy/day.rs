//! One day at one place: how sun and moon climb, and when light changes.

use super::{moon, refraction, sun};
use chrono::{DateTime, Duration, FixedOffset, NaiveTime};
use serde::Serialize;

/// Minutes between points of the curves.
pub const STEP_MINUTES: i64 = 10;
pub const MINUTES: i64 = 24 * 60;

/// Where sun and moon stand, degrees: as seen, and the sun's true height, which light follows.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Point {
    /// Since local midnight.
    pub minute: f64,
    pub sun_azimuth_deg: f64,
    pub sun_elevation_deg: f64,
    pub sun_true_elevation_deg: f64,
    pub moon_azimuth_deg: f64,
    pub moon_elevation_deg: f64,
}

/// What the sun does at a moment.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Event {
    Noon,
    Sunrise,
    Sunset,
    CivilDawn,
    CivilDusk,
    NauticalDawn,
    NauticalDusk,
    AstronomicalDawn,
    AstronomicalDusk,
}

/// Light by the height of the sun.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Span {
    /// From -4 to 6 degrees (common practice, no source).
    Golden,
    /// From -6 to -4 degrees (common practice, no source).
    Blue,
    /// Below -18 degrees.
    Night,
}

/// A day from local midnight to midnight.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Day {
    pub points: Vec<Point>,
    /// In the order of the day, minutes.
    pub events: Vec<(Event, f64)>,
    pub spans: Vec<(Span, f64, f64)>,
}

/// True height of the sun's centre when its upper rim rises: half a disc and 34' of refraction, as almanacs
/// have it.
const RISE_DEG: f64 = -0.833;

impl Day {
    /// The day of a moment, in its own offset.
    ///
    /// ```
    /// let at = chrono::DateTime::parse_from_rfc3339("2026-06-21T15:00:00+01:00").unwrap();
    /// let day = tenter_sky::astronomy::Day::new(60.0, -5.0, at);
    /// assert_eq!(day.points.len(), 145);
    /// ```
    pub fn new(latitude: f64, longitude: f64, at: DateTime<FixedOffset>) -> Day {
        let midnight = at.with_time(NaiveTime::MIN).single().unwrap_or(at);
        let time = |minute: f64| midnight + Duration::milliseconds((minute * 60_000.0).round() as i64);
        let height = |minute: f64| sun(latitude, longitude, time(minute)).map_or(-90.0, |s| s.elevation);
        let points: Vec<Point> = (0..=MINUTES / STEP_MINUTES)
            .map(|i| {
                let minute = (i * STEP_MINUTES) as f64;
                let s = sun(latitude, longitude, time(minute));
                let m = moon(latitude, longitude, time(minute));
                Point {
                    minute,
                    sun_azimuth_deg: s.as_ref().map_or(0.0, |s| s.azimuth),
                    sun_elevation_deg: s.as_ref().map_or(-90.0, |s| s.apparent_elevation),
                    sun_true_elevation_deg: s.map_or(-90.0, |s| s.elevation),
                    moon_azimuth_deg: m.azimuth,
                    moon_elevation_deg: m.elevation + refraction(m.elevation),
                }
            })
            .collect();
        let heights: Vec<f64> = points.iter().map(|p| height(p.minute)).collect();
        let crossings = |level: f64| -> Vec<(f64, bool)> {
            (1..heights.len())
                .filter(|i| (heights[i - 1] < level) != (heights[*i] < level))
                .map(|i| {
                    let rising = heights[i - 1] < level;
                    let (mut low, mut high) = (points[i - 1].minute, points[i].minute);
                    for _ in 0..30 {
                        let middle = (low + high) * 0.5;
                        if (height(middle) < level) == rising { low = middle } else { high = middle }
                    }
                    ((low + high) * 0.5, rising)
                })
                .collect()
        };
        let mut events = Vec::new();
        for (level, rise, set) in [
            (RISE_DEG, Event::Sunrise, Event::Sunset),
            (-6.0, Event::CivilDawn, Event::CivilDusk),
            (-12.0, Event::NauticalDawn, Event::NauticalDusk),
            (-18.0, Event::AstronomicalDawn, Event::AstronomicalDusk),
        ] {
            events.extend(crossings(level).into_iter().map(|(at, up)| (if up { rise } else { set }, at)));
        }
        events.push((Event::Noon, highest(&points, &heights, height)));
        events.sort_by(|a, b| a.1.total_cmp(&b.1));
        let mut spans = Vec::new();
        for (span, low, high) in
            [(Span::Golden, -4.0, 6.0), (Span::Blue, -6.0, -4.0), (Span::Night, -90.1, -18.0)]
        {
            let mut edges: Vec<f64> =
                crossings(low).into_iter().chain(crossings(high)).map(|c| c.0).collect();
            edges.extend([0.0, MINUTES as f64]);
            edges.sort_by(f64::total_cmp);
            for pair in edges.windows(2) {
                let middle = height((pair[0] + pair[1]) * 0.5);
                if pair[1] - pair[0] > 1e-6 && (low..high).contains(&middle) {
                    spans.push((span, pair[0], pair[1]));
                }
            }
        }
        spans.sort_by(|a, b| a.1.total_cmp(&b.1));
        Day { points, events, spans }
    }
}

/// The minute of the greatest height, by narrowing in on the highest point.
fn highest(points: &[Point], heights: &[f64], height: impl Fn(f64) -> f64) -> f64 {
    let top = (0..heights.len()).max_by(|a, b| heights[*a].total_cmp(&heights[*b])).unwrap_or(0);
    let (mut low, mut high) = (points[top].minute - 10.0, points[top].minute + 10.0);
    for _ in 0..40 {
        let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
        if height(a) < height(b) { low = a } else { high = b }
    }
    ((low + high) * 0.5).clamp(0.0, MINUTES as f64)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(latitude: f64, longitude: f64, at: &str) -> Day {
        Day::new(latitude, longitude, DateTime::parse_from_rfc3339(at).unwrap())
    }

    fn minute(day: &Day, event: Event) -> Option<f64> {
        day.events.iter().find(|(e, _)| *e == event).map(|(_, at)| *at)
    }

    /// Greenwich, 2000 January 1: sunrise 08:06, sunset 16:01, noon 12:03 by almanac (The Astronomical
    /// Almanac's tables of rising and setting for 51.5 north; from memory, to a minute or two).
    #[test]
    fn a_winters_day_in_greenwich() {
        let d = day(51.48, 0.0, "2000-01-01T12:00:00Z");
        for (event, wanted) in [(Event::Sunrise, 486.0), (Event::Noon, 723.3), (Event::Sunset, 961.0)] {
            let found = minute(&d, event).unwrap();
            assert!((found - wanted).abs() < 2.5, "{event:?}: {found}");
        }
        assert_eq!(d.spans.iter().filter(|s| s.0 == Span::Blue).count(), 2);
        assert_eq!(d.spans.iter().filter(|s| s.0 == Span::Night).count(), 2);
    }

    /// At the equator on the equinox the day is twelve hours and a few minutes long, and twilight is short:
    /// six degrees in 24 minutes less the disc and refraction.
    #[test]
    fn the_equinox_at_the_equator() {
        let d = day(0.0, 0.0, "2026-03-20T12:00:00Z");
        let long = minute(&d, Event::Sunset).unwrap() - minute(&d, Event::Sunrise).unwrap();
        assert!((long - 726.7).abs() < 1.0, "{long}");
        let twilight = minute(&d, Event::CivilDusk).unwrap() - minute(&d, Event::Sunset).unwrap();
        assert!((twilight - 20.7).abs() < 0.3, "{twilight}");
    }

    /// In the far north there is no sunset in June and no sunrise in December; noon is still noon.
    #[test]
    fn polar_days_and_nights() {
        let (summer, winter) =
            (day(75.0, 20.0, "2026-06-21T12:00:00Z"), day(75.0, 20.0, "2026-12-21T12:00:00Z"));
        assert!(minute(&summer, Event::Sunset).is_none() && minute(&winter, Event::Sunrise).is_none());
        assert!(
            (minute(&summer, Event::Noon).unwrap() - 641.8).abs() < 2.0,
            "{:?}",
            minute(&summer, Event::Noon)
        );
    }
}

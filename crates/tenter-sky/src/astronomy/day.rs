//! One day at one place: how sun and moon climb, and when light changes.

use super::{Moon, moon, moonlight, refraction, sun};
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
    /// Lit share of the moon's disc, and whether it grows.
    pub moon_lit: f64,
    pub moon_waxing: bool,
}

/// What sun or moon do at a moment.
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
    Moonrise,
    Moonset,
    /// The middle of the longest time in which the ground gets the least light.
    Darkest,
}

/// Light by the height of the sun.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Span {
    /// From -4 to 6 degrees (common practice, no source).
    Golden,
    /// From -6 to -4 degrees (common practice, no source).
    Blue,
    /// Twilights: the rim of the sun is under the horizon, its middle over -6, -12 and -18 degrees.
    Civil,
    Nautical,
    Astronomical,
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

/// Spans and the heights of the sun's middle between which they lie, degrees.
const SPANS: [(Span, f64, f64); 6] = [
    (Span::Golden, -4.0, 6.0),
    (Span::Blue, -6.0, -4.0),
    (Span::Civil, -6.0, RISE_DEG),
    (Span::Nautical, -12.0, -6.0),
    (Span::Astronomical, -18.0, -12.0),
    (Span::Night, -90.1, -18.0),
];

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
                    moon_lit: m.illuminated_fraction,
                    moon_waxing: m.waxing,
                }
            })
            .collect();
        let heights: Vec<f64> = points.iter().map(|p| height(p.minute)).collect();
        let crossings = |level: f64| crossings(&points, &height, level);
        let mut events = Vec::new();
        for (level, rise, set) in [
            (RISE_DEG, Event::Sunrise, Event::Sunset),
            (-6.0, Event::CivilDawn, Event::CivilDusk),
            (-12.0, Event::NauticalDawn, Event::NauticalDusk),
            (-18.0, Event::AstronomicalDawn, Event::AstronomicalDusk),
        ] {
            events.extend(crossings(level).into_iter().map(|(at, up)| (if up { rise } else { set }, at)));
        }
        let moons_height = |minute: f64| moon(latitude, longitude, time(minute)).elevation;
        events.extend(
            self::crossings(&points, &moons_height, RISE_DEG)
                .into_iter()
                .map(|(at, up)| (if up { Event::Moonrise } else { Event::Moonset }, at)),
        );
        let light = |minute: f64| level_light_lx(height(minute), &moon(latitude, longitude, time(minute)));
        events.extend(darkest(&points, light).map(|at| (Event::Darkest, at)));
        events.push((Event::Noon, highest(&points, &heights, height)));
        events.sort_by(|a, b| a.1.total_cmp(&b.1));
        let mut spans = Vec::new();
        for (span, low, high) in SPANS {
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

/// When a height passes a level, and whether it rises.
fn crossings(points: &[Point], height: &impl Fn(f64) -> f64, level: f64) -> Vec<(f64, bool)> {
    let heights: Vec<f64> = points.iter().map(|p| height(p.minute)).collect();
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
}

/// Light of a clear sky on level ground by the sun's true height, degrees and lx (Seidelmann 1992,
/// "Explanatory Supplement to the Astronomical Almanac", section 9.37; from memory).
const SUNS_LIGHT: [(f64, f64); 6] =
    [(-18.0, 6.5e-4), (-12.0, 8.3e-3), (-6.0, 3.4), (-0.8, 453.0), (5.0, 4760.0), (20.0, 32_400.0)];

/// Light of sun and moon on level ground, lx; of the moon under 5 degrees as good as nothing.
fn level_light_lx(sun_deg: f64, moon: &Moon) -> f64 {
    let next = SUNS_LIGHT.partition_point(|(at, _)| *at < sun_deg).clamp(1, SUNS_LIGHT.len() - 1);
    let [(low, dim), (high, bright)] = [SUNS_LIGHT[next - 1], SUNS_LIGHT[next]];
    let share = ((sun_deg - low) / (high - low)).clamp(0.0, 1.0);
    let height = moon.elevation.to_radians().sin();
    // Air of half a magnitude at the zenith dims it toward the horizon.
    let through = (-0.25 / height.max(0.02)).exp();
    dim * (bright / dim).powf(share) + moonlight(moon.phase) * height.max(0.0) * through
}

/// The middle of the longest run of points with nearly the least light; none while the sun is up.
fn darkest(points: &[Point], light: impl Fn(f64) -> f64) -> Option<f64> {
    let lights: Vec<f64> = points.iter().map(|p| light(p.minute)).collect();
    let least = lights.iter().copied().fold(f64::INFINITY, f64::min);
    if least > SUNS_LIGHT[3].1 {
        return None;
    }
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for i in (0..lights.len()).filter(|i| lights[*i] <= 1.1 * least) {
        match runs.last_mut() {
            Some(run) if run.1 + 1 == i => run.1 = i,
            _ => runs.push((i, i)),
        }
    }
    let longest = runs.into_iter().max_by_key(|(from, to)| to - from)?;
    Some(0.5 * (points[longest.0].minute + points[longest.1].minute))
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

    /// Half moon on 2000 January 14 (full on January 21, total eclipse: Espenak, NASA): it stands in the
    /// south at nightfall, sets after midnight, and the darkest hour comes between that and dawn.
    #[test]
    fn the_darkest_hour_comes_after_the_moon() {
        let d = day(51.48, 0.0, "2000-01-15T12:00:00Z");
        let (set, dark) = (minute(&d, Event::Moonset).unwrap(), minute(&d, Event::Darkest).unwrap());
        let dawn = minute(&d, Event::AstronomicalDawn).unwrap();
        assert!(set < dark && dark < dawn, "{set} {dark} {dawn}");
        assert!(d.points[100].moon_waxing && (0.5..0.8).contains(&d.points[100].moon_lit));
        let eclipsed = day(51.48, 0.0, "2000-01-21T04:00:00Z");
        assert!(eclipsed.points[28].moon_lit > 0.995);
    }

    /// Twilights follow one another without gaps from sunset to night.
    #[test]
    fn twilights_join() {
        let d = day(45.0, 0.0, "2026-03-20T12:00:00Z");
        let evening: Vec<&(Span, f64, f64)> = d.spans.iter().filter(|s| s.1 > 900.0).collect();
        let of = |span: Span| evening.iter().find(|s| s.0 == span).unwrap();
        assert_eq!(of(Span::Civil).2, of(Span::Nautical).1);
        assert_eq!(of(Span::Nautical).2, of(Span::Astronomical).1);
        assert_eq!(of(Span::Astronomical).2, of(Span::Night).1);
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

//! The gazetteer: populated places with their coordinates and time zones.
//!
//! The table is the one of the npm package `city-timezones` 1.3.4 (MIT), whose places are Natural Earth's
//! (public domain), rounded to four decimals. Hallow Skerry is ours.

use chrono::{DateTime, Datelike, FixedOffset, NaiveDateTime, Offset, TimeZone, Timelike, Utc};
use chrono_tz::Tz;
use serde::Serialize;
use std::sync::LazyLock;

#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Place {
    pub name: String,
    pub province: String,
    pub country: String,
    pub latitude_deg: f64,
    pub longitude_deg: f64,
    pub population: u64,
    pub zone: String,
    #[serde(skip)]
    folded: String,
}

/// Every place, the largest first.
fn all() -> &'static [Place] {
    static ALL: LazyLock<Vec<Place>> = LazyLock::new(|| {
        let skerry = Place {
            name: "Hallow Skerry".into(),
            province: String::new(),
            country: "the demo's own island".into(),
            latitude_deg: 60.0,
            longitude_deg: -5.0,
            population: 0,
            zone: "Europe/London".into(),
            folded: "hallow skerry".into(),
        };
        let table = include_str!("../data/places.tsv").lines().skip(1).filter_map(read);
        std::iter::once(skerry).chain(table).collect()
    });
    &ALL
}

fn read(line: &str) -> Option<Place> {
    let mut fields = line.split('\t');
    let mut next = || fields.next();
    let (name, plain, province, country) = (next()?, next()?, next()?, next()?);
    let (latitude, longitude) = (next()?.parse().ok()?, next()?.parse().ok()?);
    let (population, zone) = (next()?.parse().ok()?, next()?);
    Some(Place {
        name: name.into(),
        province: province.into(),
        country: country.into(),
        latitude_deg: latitude,
        longitude_deg: longitude,
        population,
        zone: zone.into(),
        folded: format!("{name} {plain} {province} {country}").to_lowercase(),
    })
}

/// Longest text that is searched for, characters: no place has a longer name.
pub const LONGEST_SEARCH: usize = 120;

/// Places whose name, province or country hold every word that is typed; names that begin with it first, then
/// the larger.
pub fn search(typed: &str, most: usize) -> Vec<&'static Place> {
    let typed = typed.trim().to_lowercase();
    let words: Vec<&str> =
        typed.split(|c: char| c.is_whitespace() || c == ',').filter(|w| !w.is_empty()).collect();
    if words.is_empty() {
        return Vec::new();
    }
    let rank = |p: &Place| {
        let named = p.folded.starts_with(words[0]);
        let exact = named && p.folded[words[0].len()..].starts_with(' ');
        (!exact, !named)
    };
    let mut found: Vec<&Place> =
        all().iter().filter(|p| words.iter().all(|w| p.folded.contains(w))).collect();
    // The sort keeps the order among equals, and that is by population.
    found.sort_by_key(|p| rank(p));
    found.truncate(most);
    found
}

/// The time zone of the nearest known place: a guess for coordinates by hand. Over open sea it may be off by
/// an hour.
pub fn zone_near(latitude: f64, longitude: f64) -> &'static str {
    let distance = |p: &Place| {
        let (a, b) = (latitude.to_radians(), p.latitude_deg.to_radians());
        let apart = (longitude - p.longitude_deg).to_radians();
        -(a.sin() * b.sin() + a.cos() * b.cos() * apart.cos())
    };
    all().iter().min_by(|a, b| distance(a).total_cmp(&distance(b))).map_or("", |p| p.zone.as_str())
}

/// Why there is no such moment.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum NoMoment {
    #[error("{0:?} is not in the tz database")]
    Zone(String),
    #[error("{0:?} is not a local time like 2026-06-21T15:00, from 1950 to 2050")]
    Local(String),
}

/// A local time of a zone with its offset. An hour that daylight saving leaves out moves past the gap; of one
/// that comes twice the first is taken.
pub fn moment(zone: &str, local: &str) -> Result<DateTime<FixedOffset>, NoMoment> {
    let tz: Tz = zone.parse().map_err(|_| NoMoment::Zone(zone.into()))?;
    let formats = ["%Y-%m-%dT%H:%M:%S", "%Y-%m-%dT%H:%M"];
    let time = formats
        .iter()
        .find_map(|f| NaiveDateTime::parse_from_str(local, f).ok())
        // The years that documents allow, without leap seconds.
        .filter(|t| (1950..=2050).contains(&t.year()) && t.nanosecond() < 1_000_000_000)
        .ok_or_else(|| NoMoment::Local(local.into()))?;
    let found = tz.from_local_datetime(&time).earliest();
    let found = found.or_else(|| tz.from_local_datetime(&(time + chrono::Duration::hours(1))).earliest());
    found.map(|t| t.fixed_offset()).ok_or_else(|| NoMoment::Local(local.into()))
}

/// A moment of the clock, in a zone.
pub fn now_in(zone: &str, now: DateTime<Utc>) -> Result<DateTime<FixedOffset>, NoMoment> {
    let tz: Tz = zone.parse().map_err(|_| NoMoment::Zone(zone.into()))?;
    let offset = tz.offset_from_utc_datetime(&now.naive_utc()).fix();
    Ok(now.with_timezone(&offset))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_found_by_what_is_typed() {
        let first = |typed: &str| search(typed, 5)[0].name.clone();
        assert_eq!(first("hallow"), "Hallow Skerry");
        assert_eq!(first("reykja"), "Reykjavík");
        assert_eq!(first("Paris"), "Paris");
        assert_eq!(first("london, canada"), "London");
        assert_eq!(search("london, canada", 5)[0].country, "Canada");
        assert_eq!(search("london", 5)[0].country, "United Kingdom");
        assert!(search("", 5).is_empty() && search("zzzz", 5).is_empty());
        assert_eq!(search("a", 7).len(), 7);
    }

    #[test]
    fn every_place_is_on_the_globe_and_has_a_zone() {
        assert!(all().len() > 7000);
        for p in all() {
            assert!(p.latitude_deg.abs() <= 90.0 && p.longitude_deg.abs() <= 180.0, "{p:?}");
            assert!(p.zone.parse::<Tz>().is_ok(), "{p:?}");
        }
        assert_eq!(zone_near(48.9, 2.3), "Europe/Paris");
        assert_eq!(zone_near(60.0, -5.1), "Europe/London");
    }

    /// Daylight saving of the tz database: in 2026 British summer time began on March 29 at 01:00 UTC.
    #[test]
    fn zones_know_daylight_saving() {
        let at = |local: &str| moment("Europe/London", local).unwrap().to_rfc3339();
        assert_eq!(at("2026-03-28T12:00"), "2026-03-28T12:00:00+00:00");
        assert_eq!(at("2026-03-30T12:00"), "2026-03-30T12:00:00+01:00");
        assert_eq!(at("2026-03-29T01:30"), "2026-03-29T02:30:00+01:00");
        assert_eq!(at("2026-10-25T01:30"), "2026-10-25T01:30:00+01:00");
        assert!(moment("Nowhere", "2026-03-28T12:00").is_err());
        for local in ["2026-02-30T12:00", "+262142-12-31T23:59:59", "1949-12-31T23:59", "2016-12-31T23:59:60"]
        {
            assert!(moment("Europe/London", local).is_err(), "{local}");
        }
    }
}

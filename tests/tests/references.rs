//! Live skies against stored pictures of the reference integrator.

use anyhow::Result;
use tenter_sky::scene::PlacedSun;
use tenter_tests::crops::{CROPS, live, off};
use tenter_tests::references::{compare, hash_of, index, starters};

/// Agreement as the design defines it, percent: mean and 95th percentile; with the sun above 2 degrees, at twilight, and in clouds.
const CLEAR: [f64; 2] = [3.0, 10.0];
const TWILIGHT: [f64; 2] = [15.0, f64::INFINITY];
const CLOUDS: [f64; 2] = [10.0, 30.0];
/// With clouds, of the light percent, and of colour u'v'.
const LIGHT: f64 = 4.0;
const COLOUR: f64 = 0.01;
/// Where the light of a starter is farther off, what it reaches.
const LESS_LIGHT: &[(&str, f64)] = &[("deck-under-the-balloon", 6.0)];
/// Where a starter is farther off, what it reaches stands here, so that it can't get worse unseen.
const FARTHER: &[(&str, [f64; 2])] = &[("dust-over-the-sea", [5.0, 19.0]), ("gold-at-the-bar", [3.0, 14.5])];
/// A reference less sure than this says little; where it is, the sky is only reported.
const SURE_PERCENT: f64 = 12.5;
const UNSURE: [&str; 1] = ["blue-hour"];

#[test]
fn live_skies_agree_with_stored_references() -> Result<()> {
    let index = index()?;
    let mut unsure = Vec::new();
    for (starter, cloudy) in
        [false, true].into_iter().flat_map(|c| starters(c).into_iter().map(move |s| (s, c)))
    {
        let entry = index.get(starter.slug).filter(|e| e.scene == hash_of(&starter.sky));
        let Some(entry) = entry else {
            panic!(
                "{}: the stored reference is of another sky; run `cargo run --bin references`",
                starter.slug
            )
        };
        let off = compare(starter)?;
        println!("{}: {off:?}", starter.slug);
        if entry.noise_percent > SURE_PERCENT {
            unsure.push(starter.slug);
            continue;
        }
        let height = PlacedSun::of(&starter.sky, &starter.sky.suns[0]).elevation_deg;
        let usual = if cloudy {
            CLOUDS
        } else if height > 2.0 {
            CLEAR
        } else {
            TWILIGHT
        };
        let [mean, most] = FARTHER.iter().find(|f| f.0 == starter.slug).map_or(usual, |f| f.1);
        assert!(off.mean <= mean && off.ninety_fifth <= most, "{}: {off:?}", starter.slug);
        let light = LESS_LIGHT.iter().find(|f| f.0 == starter.slug).map_or(LIGHT, |f| f.1);
        let kept = off.light.abs() <= light && off.colour <= COLOUR;
        assert!(!cloudy || kept, "{}: {off:?}", starter.slug);
    }
    // What single directions of the blue hour show stands in docs/accuracy.md.
    unsure.sort_unstable();
    assert_eq!(unsure, UNSURE, "every other reference is sure enough to be held to");
    Ok(())
}

/// What crops of forms reach, percent: the mean, the 95th percentile and the light. References by paths alone (towers, squall, deck) have 13 to 18 % of noise, so some of it is theirs.
const FORMS: [(&str, [f64; 3]); 6] = [
    ("ferry-afternoon", [9.0, 28.0, 7.0]),
    ("towers-at-evening", [18.5, 70.0, 12.0]),
    ("four-kinds-at-evening", [11.0, 30.0, 6.0]),
    ("squall-passing-off", [23.0, 46.0, 18.0]),
    ("mackerel-sky", [4.0, 12.0, 4.0]),
    ("deck-under-the-balloon", [13.0, 30.0, 8.0]),
];

#[test]
fn forms_agree_with_stored_references() -> Result<()> {
    for (crop, (slug, [mean, most, light])) in CROPS.iter().zip(FORMS) {
        assert_eq!(crop.slug, slug);
        let Some(reference) = crop.stored()? else {
            panic!("{slug}: the stored crop is of another sky; run `cargo run --bin crops`")
        };
        let off = off(&live(&crop.sky())?, &reference);
        println!("{slug}: {off:?}");
        assert!(off.mean <= mean && off.ninety_fifth <= most && off.light.abs() <= light, "{slug}: {off:?}");
    }
    Ok(())
}

//! Live skies against stored pictures of the reference integrator.

use anyhow::Result;
use tenter_render::scene::PlacedSun;
use tenter_tests::crops::{CROPS, LARGE, live, off, structures};
use tenter_tests::references::{compare, hash_of, index, starters};

/// Agreement as the design defines it, percent: mean and 95th percentile; with the sun above 2 degrees, at
/// twilight, and in clouds.
const CLEAR: [f64; 2] = [3.0, 10.0];
const TWILIGHT: [f64; 2] = [15.0, f64::INFINITY];
const CLOUDS: [f64; 2] = [10.0, 30.0];
/// With clouds, of the light percent, and of colour u'v'.
const LIGHT: f64 = 4.0;
const COLOUR: f64 = 0.01;
/// Where the colour of a starter is farther off, what it reaches.
const OTHER_COLOUR: &[(&str, f64)] = &[("deck-under-the-balloon", 0.012)];
/// Where the light of a starter is farther off, what it reaches (docs/accuracy.md).
const OTHER_LIGHT: &[(&str, f64)] = &[("veil-with-a-ring", 5.5), ("sharp-gaps-over-haze", 5.5)];
/// Where a starter is farther off, what it reaches stands here, so that it can't get worse unseen.
const FARTHER: &[(&str, [f64; 2])] =
    &[("dust-over-the-sea", [5.0, 19.0]), ("gold-at-the-bar", [3.0, 14.0]), ("low-sun-bar", [7.5, 31.5])];
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
        let colour = OTHER_COLOUR.iter().find(|f| f.0 == starter.slug).map_or(COLOUR, |f| f.1);
        let light = OTHER_LIGHT.iter().find(|f| f.0 == starter.slug).map_or(LIGHT, |f| f.1);
        let kept = off.light.abs() <= light && off.colour <= colour;
        assert!(!cloudy || kept, "{}: {off:?}", starter.slug);
    }
    // What single directions of the blue hour show stands in docs/accuracy.md.
    unsure.sort_unstable();
    assert_eq!(unsure, UNSURE, "every other reference is sure enough to be held to");
    Ok(())
}

/// What crops of forms reach, percent: the mean, the 95th percentile and the light. References by paths alone
/// (squall, deck) have 13 to 16 % of noise in single pixels of few, so some of it is theirs.
const FORMS: [(&str, [f64; 3]); 6] = [
    ("ferry-afternoon", [8.0, 30.0, 4.0]),
    ("towers-at-evening", [13.0, 36.0, 6.5]),
    ("four-kinds-at-evening", [11.5, 35.0, 5.0]),
    ("squall-passing-off", [18.5, 42.0, 13.5]),
    ("mackerel-sky", [3.5, 9.5, 4.0]),
    ("deck-under-the-balloon", [11.5, 35.0, 9.5]),
];
/// How far structure may be off its reference's, as a share: form is not allowed to blur. The towers' lumps
/// shade one another too hard.
const STRUCTURE: f64 = 0.2;
const HARDER: &[(&str, f64)] = &[("towers-at-evening", 0.27)];

#[test]
fn forms_agree_with_stored_references() -> Result<()> {
    for (crop, (slug, [mean, most, light])) in CROPS.iter().zip(FORMS) {
        assert_eq!(crop.slug, slug);
        let Some(reference) = crop.stored()? else {
            panic!("{slug}: the stored crop is of another sky; run `cargo run --bin crops`")
        };
        let live = live(&crop.sky(), crop.size())?;
        let off = off(&live, &reference, crop.size());
        println!("{slug}: {off:?}");
        assert!(off.mean <= mean && off.ninety_fifth <= most && off.light.abs() <= light, "{slug}: {off:?}");
        if crop.size().width == LARGE.width {
            let [own, its] = structures(&live, &reference);
            let most = HARDER.iter().find(|h| h.0 == slug).map_or(STRUCTURE, |h| h.1);
            assert!((own.all / its.all - 1.0).abs() <= most, "{slug}: {own:?} {its:?}");
        }
    }
    Ok(())
}

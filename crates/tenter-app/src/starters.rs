//! Starters that ship with Tenter: skies to begin from, copied on use.

use serde::Deserialize;
use std::sync::LazyLock;
use tenter_sky::document::Sky;

/// A sky offered as a beginning.
#[derive(Clone, Debug)]
pub struct Starter {
    /// Short name for the command line and addresses.
    pub slug: &'static str,
    pub name: String,
    pub about: String,
    pub sky: Sky,
}

#[derive(Deserialize)]
struct File {
    name: String,
    about: String,
    sky: serde_json::Value,
}

macro_rules! shipped {
    ($($slug:literal),* $(,)?) => {
        [$(($slug, include_str!(concat!("../../../demo/starters/", $slug, ".json")))),*]
    };
}

/// All starters, in the order they are shown.
pub fn all() -> &'static [Starter] {
    static ALL: LazyLock<Vec<Starter>> = LazyLock::new(|| {
        shipped![
            "clear-noon",
            "ferry-afternoon",
            "low-sun-bar",
            "washed-air",
            "haze-on-the-sound",
            "dust-over-the-sea",
            "gold-at-the-bar",
            "girdle-of-dusk",
            "blue-hour",
            "moon-on-the-skerry",
            "fog-on-the-causeway",
            "three-dim-suns",
            "sharp-gaps-over-haze",
            "lid-over-the-harbour",
            "squall-passing-off",
            "towers-at-evening",
            "mackerel-sky",
            "mares-tails",
            "veil-with-a-ring",
            "four-kinds-at-evening",
            "deck-under-the-balloon",
            "moonlit-anchorage",
            "milky-way-over-the-stacks",
            "thin-moon-at-dusk",
            "corona-in-a-mackerel-sky",
            "eclipse-over-the-bar",
            "ringed-neighbour",
            "two-worlds-and-two-suns",
        ]
        .into_iter()
        .map(|(slug, text)| {
            let file: File = serde_json::from_str(text).expect("shipped starters are tested");
            let sky = Sky::from_value(file.sky).expect("shipped starters are tested");
            Starter { slug, name: file.name, about: file.about, sky }
        })
        .collect()
    });
    &ALL
}

pub fn find(slug: &str) -> Option<&'static Starter> {
    all().iter().find(|s| s.slug == slug)
}

#[cfg(test)]
mod tests {
    #[test]
    fn every_starter_is_a_valid_sky() {
        let clear = super::all().iter().filter(|s| s.sky.clouds.is_empty()).count();
        assert!(clear >= 8, "{clear}");
        assert!(super::find("clear-noon").unwrap().sky.clouds.is_empty());
    }
}

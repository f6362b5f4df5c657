//! How light becomes a picture.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How scene values become display values.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum ToneCurve {
    /// Straight to the display; what is brighter than white is clipped.
    Clip,
    /// Our own: straight shadows, a long rounded shoulder.
    Filmic,
    /// A fit to the ACES reference rendering (Narkowicz 2015).
    Aces,
}

/// Exposures one sky can hold.
pub const MAX_EXPOSURES: usize = 8;

/// An exposure for a height of the sun.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ExposureAt {
    /// Height of the first sun for which it is set.
    #[schemars(title = "Sun height", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-18, 60]))]
    pub sun_elevation_deg: f64,
    /// Exposure at ISO 100.
    #[schemars(title = "Exposure", range(min = -20, max = 30), extend("unit" = "EV", "soft" = [-6, 18]))]
    pub ev100: f64,
}

impl Default for ExposureAt {
    fn default() -> Self {
        ExposureAt { sun_elevation_deg: 30.0, ev100: 14.0 }
    }
}

/// Exposure, white balance and curve.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Grade {
    /// Exposure at ISO 100; one more halves the picture's brightness. Sunny day 15, dusk 5, night -4.
    #[schemars(title = "Exposure", range(min = -20, max = 30), extend("unit" = "EV", "soft" = [-6, 18]))]
    pub ev100: f64,
    /// Exposures for heights of the sun; where there are any they stand in for the one above, in between by
    /// straight lines.
    #[schemars(title = "Exposure by sun height", length(max = MAX_EXPOSURES))]
    pub exposures: Vec<ExposureAt>,
    /// Colour of light that is shown as white; higher makes the picture warmer. 6500 leaves it as it is.
    #[schemars(
        title = "White balance",
        range(min = 1500, max = 40000),
        extend("unit" = "K", "soft" = [2500, 12000], "scale" = "log")
    )]
    pub white_k: f64,
    /// Shift of white between green and magenta; positive is more magenta in the picture.
    #[schemars(title = "Tint", range(min = -100, max = 100), extend("unit" = "", "soft" = [-50, 50]))]
    pub tint: f64,
    /// How bright values roll off to white.
    #[schemars(title = "Tone curve", extend("unit" = ""))]
    pub tone_curve: ToneCurve,
}

impl Default for Grade {
    fn default() -> Self {
        Grade {
            ev100: 14.0,
            exposures: Vec::new(),
            white_k: 6500.0,
            tint: 0.0,
            tone_curve: ToneCurve::Filmic,
        }
    }
}

impl Grade {
    /// The exposure for a height of the first sun, degrees.
    pub fn ev100_at(&self, sun_elevation: f64) -> f64 {
        let mut stops: Vec<&ExposureAt> = self.exposures.iter().collect();
        stops.sort_by(|a, b| a.sun_elevation_deg.total_cmp(&b.sun_elevation_deg));
        let next = stops.partition_point(|s| s.sun_elevation_deg <= sun_elevation);
        match (next.checked_sub(1).map(|i| stops[i]), stops.get(next)) {
            (Some(a), Some(b)) => {
                let t = (sun_elevation - a.sun_elevation_deg) / (b.sun_elevation_deg - a.sun_elevation_deg);
                a.ev100 + (b.ev100 - a.ev100) * t
            }
            (Some(only), None) => only.ev100,
            (None, Some(only)) => only.ev100,
            (None, None) => self.ev100,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn exposures_are_met_and_passed_between() {
        let at = |sun_elevation_deg, ev100| ExposureAt { sun_elevation_deg, ev100 };
        let grade = Grade { exposures: vec![at(20.0, 14.0), at(-10.0, 2.0)], ..Grade::default() };
        for (height, wanted) in [(-40.0, 2.0), (-10.0, 2.0), (5.0, 8.0), (20.0, 14.0), (60.0, 14.0)] {
            assert_eq!(grade.ev100_at(height), wanted, "{height}");
        }
        assert_eq!(Grade::default().ev100_at(3.0), 14.0);
    }
}

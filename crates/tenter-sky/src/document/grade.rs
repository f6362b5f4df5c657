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

/// Strength of three ranges of display values, and where they end.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ToneRanges {
    /// Brighter or darker dark parts; black stays.
    #[schemars(title = "Shadows", range(min = -0.4, max = 0.4), extend("unit" = "", "soft" = [-0.4, 0.4]))]
    pub shadows: f64,
    /// Brighter or darker middle.
    #[schemars(title = "Midtones", range(min = -0.4, max = 0.4), extend("unit" = "", "soft" = [-0.4, 0.4]))]
    pub midtones: f64,
    /// Brighter or darker light parts; white stays.
    #[schemars(title = "Lights", range(min = -0.4, max = 0.4), extend("unit" = "", "soft" = [-0.4, 0.4]))]
    pub lights: f64,
    /// Display value up to which shadows reach.
    #[schemars(
        title = "Shadows end",
        range(min = 0.05, max = 0.95),
        extend("unit" = "", "soft" = [0.1, 0.6])
    )]
    pub shadows_end: f64,
    /// Display value from which lights begin.
    #[schemars(
        title = "Lights begin",
        range(min = 0.05, max = 0.95),
        extend("unit" = "", "soft" = [0.4, 0.9])
    )]
    pub lights_begin: f64,
}

impl Default for ToneRanges {
    fn default() -> Self {
        ToneRanges { shadows: 0.0, midtones: 0.0, lights: 0.0, shadows_end: 0.4, lights_begin: 0.6 }
    }
}

/// One number for all channels, and what each has beside it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Wheel {
    /// For all channels.
    #[schemars(title = "All", range(min = -1, max = 1), extend("unit" = "", "soft" = [-0.5, 0.5]))]
    pub all: f64,
    /// Beside it for red.
    #[schemars(title = "Red", range(min = -1, max = 1), extend("unit" = "", "soft" = [-0.3, 0.3]))]
    pub red: f64,
    /// Beside it for green.
    #[schemars(title = "Green", range(min = -1, max = 1), extend("unit" = "", "soft" = [-0.3, 0.3]))]
    pub green: f64,
    /// Beside it for blue.
    #[schemars(title = "Blue", range(min = -1, max = 1), extend("unit" = "", "soft" = [-0.3, 0.3]))]
    pub blue: f64,
}

impl Wheel {
    /// Its value in each channel.
    pub fn channels(&self) -> [f64; 3] {
        [self.red, self.green, self.blue].map(|own| self.all + own)
    }
}

/// Points one curve can hold.
pub const MAX_CURVE_POINTS: usize = 16;

/// A point of a drawn curve, in display values.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CurvePoint {
    /// Value that comes in.
    #[schemars(title = "From", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub from: f64,
    /// Value that goes out.
    #[schemars(title = "To", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub to: f64,
}

/// Drawn curves: through their points, and through black and white where no point says otherwise.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct DrawnCurves {
    /// For red alone.
    #[schemars(title = "Red", length(max = MAX_CURVE_POINTS))]
    pub red: Vec<CurvePoint>,
    /// For green alone.
    #[schemars(title = "Green", length(max = MAX_CURVE_POINTS))]
    pub green: Vec<CurvePoint>,
    /// For blue alone.
    #[schemars(title = "Blue", length(max = MAX_CURVE_POINTS))]
    pub blue: Vec<CurvePoint>,
    /// For all channels, after their own.
    #[schemars(title = "Together", length(max = MAX_CURVE_POINTS))]
    pub together: Vec<CurvePoint>,
}

/// Light that the stop of the lens spreads by diffraction: rays around suns and moons.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct LensGlare {
    /// How much of it is seen; 1 is what a clean lens does. Pictures only.
    #[schemars(title = "Rays of the stop", range(min = 0, max = 1000), extend("unit" = "", "soft" = [0, 10]))]
    pub strength: f64,
    /// Number of the stop; a smaller opening spreads more.
    #[schemars(
        title = "Stop",
        range(min = 1, max = 64),
        extend("unit" = "f/", "soft" = [2.8, 32], "scale" = "log")
    )]
    pub f_number: f64,
    /// Blades of the stop: as many rays where they are even, twice as many where they are odd.
    #[schemars(title = "Blades", range(min = 3, max = 18), extend("unit" = "", "soft" = [5, 11]))]
    pub blades: u32,
    /// How round the blades make the opening; a round one has no rays, but a glow.
    #[schemars(title = "Roundness", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub roundness: f64,
    /// Turn of the rays, clockwise.
    #[schemars(
        title = "Turn of the rays",
        range(min = -180, max = 180),
        extend("unit" = "deg", "soft" = [-90, 90])
    )]
    pub turn_deg: f64,
}

impl Default for LensGlare {
    fn default() -> Self {
        LensGlare { strength: 0.0, f_number: 16.0, blades: 7, roundness: 0.0, turn_deg: 0.0 }
    }
}

/// Most values along each side of a table of colours.
pub const MAX_TABLE_SIZE: u32 = 33;

/// What a table of colours is looked up with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum TableInput {
    /// Display values, after all other steps.
    #[default]
    Display,
    /// Scene light by its stops from grey, after saturation; the table stands in for all that follows.
    Log,
}

/// A table of colours that was brought in; none where its size is 0.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ColourTable {
    /// What it is called.
    #[schemars(title = "Name", length(max = 120))]
    pub name: String,
    /// What it is looked up with.
    #[schemars(title = "Looked up with")]
    pub input: TableInput,
    /// How much of it is seen.
    #[schemars(
        title = "Strength of the table",
        range(min = 0, max = 1),
        extend("unit" = "", "soft" = [0, 1])
    )]
    pub strength: f64,
    /// Values along each side.
    #[schemars(title = "Size", range(min = 0, max = MAX_TABLE_SIZE), extend("unit" = "", "soft" = [0, 33]))]
    pub size: u32,
    /// Colours, red fastest: three numbers of four hexadecimal digits, 0 to ffff.
    #[schemars(title = "Values", length(max = 431244), regex(pattern = "^[0-9a-f]*$"))]
    pub values: String,
}

impl Default for ColourTable {
    fn default() -> Self {
        ColourTable {
            name: String::new(),
            input: TableInput::default(),
            strength: 1.0,
            size: 0,
            values: String::new(),
        }
    }
}

/// Exposure, white balance, curve, and what is done to display values after it. Steps follow in the order of
/// the fields; none of them changes a map's light.
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
    /// Light that the stop spreads.
    #[schemars(title = "Glare of the lens")]
    pub glare: LensGlare,
    /// Share of the lens's own falling off: light of a bare lens falls with the fourth power of the cosine
    /// of the angle from its axis. Pictures only.
    #[schemars(title = "Vignette", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub vignette: f64,
    /// Power of scene values about the pivot: more parts light from dark.
    #[schemars(
        title = "Contrast",
        range(min = 0.2, max = 4),
        extend("unit" = "", "soft" = [0.5, 2], "scale" = "log")
    )]
    pub contrast: f64,
    /// The value that contrast leaves as it is, from grey.
    #[schemars(title = "Pivot", range(min = -8, max = 8), extend("unit" = "stops", "soft" = [-3, 3]))]
    pub pivot_stops: f64,
    /// Distance of colours from grey of their luminance; 0 is black and white.
    #[schemars(title = "Saturation", range(min = 0, max = 4), extend("unit" = "", "soft" = [0, 2]))]
    pub saturation: f64,
    /// How far dark parts are seen as an eye sees them at night: toward blue and grey, as its rods take over.
    #[schemars(title = "Night eye", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub night_eye: f64,
    /// How bright values roll off to white.
    #[schemars(title = "Tone curve", extend("unit" = ""))]
    pub tone_curve: ToneCurve,
    /// Brighter or darker shadows, midtones and lights.
    #[schemars(title = "Ranges")]
    pub ranges: ToneRanges,
    /// Raises black, in halves of the display's range; white stays.
    #[schemars(title = "Lift")]
    pub lift: Wheel,
    /// Bends the middle, in powers of two of the exponent; black and white stay.
    #[schemars(title = "Gamma")]
    pub gamma: Wheel,
    /// Scales, in stops of display values; black stays.
    #[schemars(title = "Gain")]
    pub gain: Wheel,
    /// Drawn curves.
    #[schemars(title = "Curves")]
    pub curves: DrawnCurves,
    /// A table of colours, brought in.
    #[schemars(title = "Table of colours")]
    pub table: ColourTable,
}

impl Default for Grade {
    fn default() -> Self {
        Grade {
            ev100: 14.0,
            exposures: Vec::new(),
            white_k: 6500.0,
            tint: 0.0,
            glare: LensGlare::default(),
            vignette: 0.0,
            contrast: 1.0,
            pivot_stops: 0.0,
            saturation: 1.0,
            night_eye: 0.0,
            tone_curve: ToneCurve::Filmic,
            ranges: ToneRanges::default(),
            lift: Wheel::default(),
            gamma: Wheel::default(),
            gain: Wheel::default(),
            curves: DrawnCurves::default(),
            table: ColourTable::default(),
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

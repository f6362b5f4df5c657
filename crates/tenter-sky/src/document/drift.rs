//! How clouds move in time.

use super::{CloudLayer, Sky};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The common wind, and the time that has passed since the sky was set.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Drift {
    /// Speed of the common wind; each layer takes its own share of it.
    #[schemars(title = "Wind", range(min = 0, max = 200), extend("unit" = "m/s", "soft" = [0, 40]))]
    pub wind_m_s: f64,
    /// Where the common wind comes from.
    #[schemars(title = "Wind from", range(min = 0, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub from_deg: f64,
    /// Time since the sky was set: layers drift and age by it; the sun does not move.
    #[schemars(
        title = "Time passed",
        range(min = 0, max = 100000),
        extend("unit" = "min", "soft" = [0, 120])
    )]
    pub passed_min: f64,
    /// Length of a loop after which clouds are the same again; 0 is none. Ageing comes round, drifting does
    /// not.
    #[schemars(title = "Loop", range(min = 0, max = 100000), extend("unit" = "min", "soft" = [0, 120]))]
    pub loop_min: f64,
}

impl Default for Drift {
    fn default() -> Self {
        Drift { wind_m_s: 8.0, from_deg: 250.0, passed_min: 0.0, loop_min: 0.0 }
    }
}

impl Drift {
    /// A layer as it is after the time that has passed.
    pub fn carried(&self, layer: &CloudLayer) -> CloudLayer {
        let way = self.wind_m_s * layer.wind_share * self.passed_min * 60.0;
        let (sin, cos) = self.from_deg.to_radians().sin_cos();
        // Taken off before it is added to the age, so that the loop's end is its beginning bit for bit.
        let passed =
            if self.loop_min > 0.0 { self.passed_min.rem_euclid(self.loop_min) } else { self.passed_min };
        CloudLayer {
            slide_east_m: layer.slide_east_m - way * sin,
            slide_north_m: layer.slide_north_m - way * cos,
            age_min: layer.age_min + passed,
            loop_min: self.loop_min,
            ..layer.clone()
        }
    }

    /// The layers that a loop cannot close for, with how far each drifts in it, m; nothing where there is no
    /// loop. Fields of clouds repeat nowhere, so what drifts does not come back.
    pub fn open_ends<'a>(&self, sky: &'a Sky) -> Vec<(&'a CloudLayer, f64)> {
        let way = |layer: &CloudLayer| (self.wind_m_s * layer.wind_share * self.loop_min * 60.0).abs();
        sky.clouds.iter().map(|layer| (layer, way(layer))).filter(|(l, way)| !l.muted && *way > 0.0).collect()
    }
}

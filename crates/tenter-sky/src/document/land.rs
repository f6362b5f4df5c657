//! Trial land.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Simple land under the sky, to judge light, shadow and depth on; never part of a bake unless asked for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Land {
    /// Whether there is any.
    #[schemars(title = "Trial land")]
    pub shown: bool,
    /// Left out of the picture while looking.
    #[schemars(title = "Muted")]
    pub muted: bool,
    /// Another number makes another coast.
    #[schemars(title = "Seed", range(min = 0, max = 4294967295u32), extend("unit" = "", "soft" = [0, 99]))]
    pub seed: u32,
    /// How tall headlands and stacks are, as a multiple of the usual.
    #[schemars(title = "Relief", range(min = 0.1, max = 10), extend("unit" = "", "soft" = [0.3, 3]))]
    pub relief: f64,
    /// Brightness of rock and heath, as a multiple of the usual.
    #[schemars(title = "Land albedo", range(min = 0, max = 5), extend("unit" = "", "soft" = [0, 2]))]
    pub albedo: f64,
}

impl Default for Land {
    fn default() -> Self {
        Land { shown: false, muted: false, seed: 3, relief: 1.0, albedo: 1.0 }
    }
}

//! How plans are asked for.

use crate::job::{BakeError, Result};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tenter_render::plan::PlanSettings;

/// The shadow of clouds on level ground.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ShadowBake {
    pub shadow: PlanSettings,
    /// Number of the light: suns in their order, the moon last.
    #[serde(default)]
    pub light: usize,
}

/// Clouds from above.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CoverBake {
    pub cover: PlanSettings,
}

pub(crate) fn check_plan(kind: &str, plan: &PlanSettings) -> Result<()> {
    plan.check().map_err(|e| {
        BakeError::input(format!("settings.{kind}.{}", e.field), format!("{} {}", e.value, e.problem))
    })
}

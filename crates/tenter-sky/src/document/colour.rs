//! A colour as a document holds it.

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// Linear Rec.709; what 1 stands for, its field says.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Colour(pub [f64; 3]);

impl Colour {
    pub const WHITE: Colour = Colour([1.0; 3]);
}

impl JsonSchema for Colour {
    fn schema_name() -> Cow<'static, str> {
        "Colour".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "type": "array",
            "format": "colour",
            "description": "Linear Rec.709: red, green, blue.",
            "items": {"type": "number", "minimum": 0, "maximum": 1000},
            "minItems": 3,
            "maxItems": 3
        })
    }
}

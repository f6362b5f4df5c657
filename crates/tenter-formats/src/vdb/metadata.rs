//! Metadata of files and grids: a count, then name, type, size and value of each.

pub(super) fn put_string(out: &mut Vec<u8>, text: &str) {
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(text.as_bytes());
}

/// A value with its OpenVDB type.
#[derive(Clone, Debug, PartialEq)]
pub enum MetaValue {
    Bool(bool),
    Int64(i64),
    Double(f64),
    Vec3i([i32; 3]),
    Vec3d([f64; 3]),
    Text(String),
}

impl MetaValue {
    fn type_name(&self) -> &'static str {
        match self {
            MetaValue::Bool(_) => "bool",
            MetaValue::Int64(_) => "int64",
            MetaValue::Double(_) => "double",
            MetaValue::Vec3i(_) => "vec3i",
            MetaValue::Vec3d(_) => "vec3d",
            MetaValue::Text(_) => "string",
        }
    }

    fn bytes(&self) -> Vec<u8> {
        match self {
            MetaValue::Bool(value) => vec![u8::from(*value)],
            MetaValue::Int64(value) => value.to_le_bytes().to_vec(),
            MetaValue::Double(value) => value.to_le_bytes().to_vec(),
            MetaValue::Vec3i(value) => value.iter().flat_map(|v| v.to_le_bytes()).collect(),
            MetaValue::Vec3d(value) => value.iter().flat_map(|v| v.to_le_bytes()).collect(),
            MetaValue::Text(value) => value.as_bytes().to_vec(),
        }
    }
}

/// Writes entries in the order given; names must be unique.
pub(super) fn put_metadata(out: &mut Vec<u8>, entries: &[(String, MetaValue)]) {
    out.extend((entries.len() as u32).to_le_bytes());
    for (name, value) in entries {
        let bytes = value.bytes();
        put_string(out, name);
        put_string(out, value.type_name());
        out.extend((bytes.len() as u32).to_le_bytes());
        out.extend(bytes);
    }
}

//! Content names for documents and parts of them.

use sha2::{Digest, Sha256};

/// SHA-256 of the value's JSON with fields in their declared order, in hexadecimal.
pub fn of<T: serde::Serialize>(value: &T) -> String {
    let json = serde_json::to_vec(value).expect("documents are plain data");
    Sha256::digest(&json).iter().map(|b| format!("{b:02x}")).collect()
}

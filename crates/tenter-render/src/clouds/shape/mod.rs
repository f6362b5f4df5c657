//! The functions that cloud bodies are made of, by family, and the noise and numbers drawn for them.

pub(super) mod ageing;
pub(super) mod cirriform;
pub(super) mod cumuliform;
pub(crate) mod hash;
pub(super) mod stratiform;
pub mod worley;

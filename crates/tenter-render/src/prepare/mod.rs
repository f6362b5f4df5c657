//! Makes scenes of documents: resolves the document, builds the tables and probes of its light, and keeps
//! them.
//!
//! Each stage is a pure function of the part of the document it reads and is kept under that part's content:
//! exposure touches no stage, a moved sun keeps the form and the density of clouds, a turned camera keeps
//! all.

mod ambient;
mod cache;
mod eye_probe;
mod ground_probe;
mod lru;
mod resolve_layer;
mod resolved_sky;
mod sky_light;
mod slab_correction;
mod two_stream;

pub use cache::SceneCache;
pub use lru::Cancelled;
pub use resolved_sky::ResolvedSky;
pub use sky_light::clear_sky;

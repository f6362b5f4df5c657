//! Thresholds that give the requested cover.

use tenter_sky::document::{CloudKind, CloudLayer, Family};

/// Covers at which thresholds are tabulated, where cover varies.
pub(super) const COVERS: usize = 33;

/// Threshold above all values.
pub(super) const NOTHING: f64 = 1e3;

/// Threshold of a field above which a share of the plane equal to the cover lies.
#[derive(Clone, Debug)]
pub struct CoverThreshold {
    /// For the layer's cover.
    pub(super) threshold: f64,
    /// For covers from 0 to 1 in even steps, where regions ask for others.
    pub(super) by_cover: Vec<f64>,
}

/// Width of the square around the origin over which a layer has its requested cover, m: 100 km, or enough
/// for some of its cells.
pub fn surveyed_m(layer: &CloudLayer) -> f64 {
    let cells = if layer.kind.family() == Family::Cirriform { 3.0 } else { 12.0 };
    (layer.cell_size_m * cells).max(100_000.0)
}

/// Cover passed to the threshold so that, with lobes that reach out and edges too thin to count, the
/// requested cover results. Calibrated per genus by `examples/cover.rs` (seeds 101 to 105).
pub(super) fn calibrated_cover(kind: CloudKind, cover: f64) -> f64 {
    const CUT: [f64; 7] = [0.0, 0.05, 0.2, 0.5, 0.8, 0.95, 1.0];
    let given = match kind {
        CloudKind::CumulusHumilis => [0.0, 0.042, 0.196, 0.519, 0.807, 0.937, 1.0],
        CloudKind::CumulusMediocris => [0.0, 0.046, 0.192, 0.505, 0.792, 0.943, 1.0],
        CloudKind::CumulusCongestus => [0.0, 0.064, 0.227, 0.526, 0.794, 0.937, 1.0],
        CloudKind::Cumulonimbus => [0.0, 0.045, 0.183, 0.471, 0.765, 0.93, 1.0],
        CloudKind::Nimbostratus => [0.0, 0.07, 0.244, 0.559, 0.843, 0.966, 1.0],
        CloudKind::Altocumulus => [0.0, 0.032, 0.154, 0.45, 0.765, 0.931, 1.0],
        CloudKind::CirrusUncinus => [0.0, 0.053, 0.214, 0.528, 0.829, 0.965, 1.0],
        _ => CUT,
    };
    let i = given.partition_point(|g| *g <= cover).clamp(1, CUT.len() - 1);
    let [from, to] = [given[i - 1], given[i]];
    CUT[i - 1] + (CUT[i] - CUT[i - 1]) * (cover - from) / (to - from)
}

impl CoverThreshold {
    /// For another cover than the layer's.
    pub(super) fn of(&self, cover: f64) -> f64 {
        if cover <= 1e-3 {
            return NOTHING;
        }
        let x = cover * (self.by_cover.len() - 1) as f64;
        let i = (x as usize).min(self.by_cover.len() - 2);
        self.by_cover[i] + (self.by_cover[i + 1] - self.by_cover[i]) * (x - i as f64)
    }
}

/// Closure of an overcast: past 97 % cover cumuliform bodies merge.
pub(super) fn closed(cover: f64) -> f64 {
    ((cover - 0.97) / 0.03).clamp(0.0, 1.0)
}

//! Lobes and edges of a form, by its layer.

use tenter_sky::document::{CloudLayer, Family};

/// Lobes and edges of a form; lengths in metres.
pub(super) struct SurfaceDetail {
    pub(super) family: Family,
    pub(super) depth: f64,
    pub(super) extinction: f64,
    pub(super) lump: f64,
    pub(super) amplitude: f64,
    /// Width of the edge at the crown and at the underside.
    pub(super) edge: [f64; 2],
    /// Elongation of lobes along the heading.
    pub(super) length: f64,
    /// Edge as a share of the usual one; less for small bodies.
    pub(super) small: f64,
}

impl SurfaceDetail {
    pub(super) fn of_body(layer: &CloudLayer) -> SurfaceDetail {
        let (family, cell, depth) = (layer.kind.family(), layer.cell_size_m, layer.depth_m);
        let lump = match family {
            Family::Cumuliform => (0.2 * cell).min(0.5 * depth),
            Family::Stratiform => (0.45 * cell).min(1.2 * depth),
            Family::Cirriform => (0.14 * cell).min(0.8 * depth),
        };
        let amplitude = layer.lobes
            * match family {
                Family::Cumuliform => 0.42 * lump,
                Family::Stratiform => 0.22 * lump,
                Family::Cirriform => 0.24 * depth,
            };
        let edge = match family {
            Family::Cumuliform => [8.0 + 30.0 * layer.erosion, 30.0 + 60.0 * layer.erosion],
            Family::Stratiform => [(0.10 + 0.10 * layer.erosion) * depth, 0.3 * depth],
            Family::Cirriform => [0.5 * depth; 2],
        };
        let length = match family {
            Family::Cirriform => layer.stretch.sqrt() * 2.0,
            _ => layer.stretch.sqrt(),
        };
        // Small bodies have thin edges, or they would consist of edge.
        let small = if family == Family::Cumuliform { (lump / 600.0).clamp(0.15, 1.0) } else { 1.0 };
        let edge = edge.map(|e| e * layer.edge * small);
        SurfaceDetail {
            family,
            depth,
            extinction: layer.extinction_per_m(),
            lump,
            amplitude,
            edge,
            length,
            small,
        }
    }

    /// Of anvils.
    pub(super) fn of_anvil(layer: &CloudLayer) -> SurfaceDetail {
        let depth = 0.2 * layer.depth_m;
        let lump = (0.05 * layer.cell_size_m).min(0.5 * depth);
        SurfaceDetail {
            family: Family::Cirriform,
            depth,
            extinction: ANVIL_SHARE * layer.extinction_per_m(),
            lump,
            amplitude: 0.5 * lump * layer.lobes,
            edge: [0.12 * depth, 0.3 * depth].map(|e| e * layer.edge),
            length: 2.5,
            small: 1.0,
        }
    }
}

/// Extinction of an anvil as a share of its body's: ice of 0.2 g/m3 and 30 um against water of 0.8 and 13
/// (common practice, no source).
const ANVIL_SHARE: f64 = 0.1;

//! Stratiform clouds: closed cells with thin seams, or a deck that swells and thins.

use crate::clouds::shape::ageing::swing_of;
use crate::clouds::shape::hash::Draw;
use tenter_sky::document::CloudKind;

/// Parameters of a stratiform kind.
#[derive(Clone, Copy, Debug)]
pub struct SheetStyle {
    /// Share of cells in the field, the rest is a smooth deck.
    pub cells: f64,
    /// Field value over which a gap grows to the full depth.
    pub seam: f32,
    /// Size of the undulations in cell sizes.
    pub swell: f64,
}

pub fn style_of(kind: CloudKind) -> SheetStyle {
    match kind {
        CloudKind::Stratus => SheetStyle { cells: 0.15, seam: 0.35, swell: 2.2 },
        CloudKind::Nimbostratus => SheetStyle { cells: 0.2, seam: 0.4, swell: 1.6 },
        CloudKind::Altostratus => SheetStyle { cells: 0.08, seam: 0.5, swell: 1.8 },
        CloudKind::Altocumulus => SheetStyle { cells: 0.75, seam: 0.45, swell: 7.0 },
        CloudKind::Cirrocumulus => SheetStyle { cells: 0.6, seam: 0.5, swell: 14.0 },
        _ => SheetStyle { cells: 0.65, seam: 0.5, swell: 4.0 },
    }
}

/// The centre of a cell and its radius.
#[derive(Clone, Copy, Debug)]
pub struct Cell {
    pub x: f64,
    pub y: f64,
    pub reach: f64,
    pub strength: f64,
}

/// Relative change of radius as cells form and dissolve.
const SWING: f64 = 0.22;

/// Visits the cells of two sizes that touch a rectangle, in the stretched plane; `turns`: how often they
/// have been replaced.
pub fn cells_in(
    seed: u32,
    cell: f64,
    low: [f64; 2],
    high: [f64; 2],
    smallest: f64,
    turns: f64,
    mut visit: impl FnMut(Cell),
) {
    for (level, (spacing, strength)) in [(1.0, 1.0), (0.47, 0.72)].into_iter().enumerate() {
        let s = spacing * cell;
        if s < smallest {
            continue;
        }
        let range = |axis: usize| ((low[axis] / s).floor() as i64 - 2, (high[axis] / s).ceil() as i64 + 2);
        let ((x0, x1), (y0, y1)) = (range(0), range(1));
        for iy in y0..y1 {
            for ix in x0..x1 {
                let mut draw = Draw::new(seed, 16 + level as u32, ix, iy);
                let (x, y) = ((ix as f64 + draw.next()) * s, (iy as f64 + draw.next()) * s);
                let reach = s * draw.range(0.8, 1.15);
                let strength = strength * draw.range(0.75, 1.0);
                let strength = strength * (1.0 + SWING * swing_of(turns, draw.next()));
                visit(Cell { x, y, reach, strength });
            }
        }
    }
}

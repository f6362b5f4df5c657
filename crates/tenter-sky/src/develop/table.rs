//! Tables of colours by colours.

use super::GREY;
use crate::document::{ColourTable, TableInput};
use crate::spectrum::Rgb;
use std::fmt::Write;

/// Stops from grey that 0 and 1 stand for in a table for scene light: `x = (log2(v / 0.18) + 10) / 18`, `v`
/// linear Rec.709 with 1 for display white at the exposure.
pub const TABLE_STOPS: [f32; 2] = [-10.0, 8.0];
/// Light that counts as black, as a share of display white.
const BLACK: f32 = 1e-9;
/// Largest number of a document's table.
const FULL: f32 = 65535.0;

/// A table made ready for pixels: values at the corners of equal cubes, between them by straight lines along
/// each axis.
#[derive(Clone, Debug, PartialEq)]
pub struct LoadedTable {
    size: usize,
    /// Red fastest.
    values: Vec<Rgb>,
    input: TableInput,
    strength: f32,
}

impl LoadedTable {
    /// The table of a document; nothing where it has none, or none of it is seen.
    pub fn new(table: &ColourTable) -> Option<LoadedTable> {
        let size = table.size as usize;
        let digits = table.values.as_bytes();
        if size < 2 || table.strength == 0.0 || digits.len() != 12 * size.pow(3) {
            return None;
        }
        let number = |digits: &[u8]| {
            let of = |digit: u8| (digit as char).to_digit(16).unwrap_or(0);
            digits.iter().fold(0, |sum, digit| 16 * sum + of(*digit)) as f32 / FULL
        };
        let colour = |row: &[u8]| [number(&row[..4]), number(&row[4..8]), number(&row[8..])];
        let values = digits.chunks_exact(12).map(colour).collect();
        Some(LoadedTable::of(size, values, table.input, table.strength as f32))
    }

    /// A table of `size` values a side, red fastest.
    pub fn of(size: usize, values: Vec<Rgb>, input: TableInput, strength: f32) -> LoadedTable {
        debug_assert_eq!(values.len(), size.pow(3));
        LoadedTable { size, values, input, strength }
    }

    /// The same as a document holds it.
    pub fn to_document(&self, name: String) -> ColourTable {
        let mut values = String::with_capacity(12 * self.values.len());
        for v in self.values.iter().flatten() {
            let _ = write!(values, "{:04x}", (v.clamp(0.0, 1.0) * FULL).round() as u16);
        }
        let (input, strength) = (self.input, self.strength.into());
        ColourTable { name, input, strength, size: self.size as u32, values }
    }

    pub fn input(&self) -> TableInput {
        self.input
    }

    /// The colour at a place from 0 to 1 in each channel.
    pub fn look_up(&self, x: Rgb) -> Rgb {
        let last = self.size - 1;
        let place = x.map(|v| v.clamp(0.0, 1.0) * last as f32);
        let low = place.map(|v| (v as usize).min(last - 1));
        let at = |r: usize, g: usize, b: usize| self.values[r + self.size * (g + self.size * b)];
        let t: Rgb = std::array::from_fn(|c| place[c] - low[c] as f32);
        let mix = |a: Rgb, b: Rgb, t: f32| std::array::from_fn(|c| a[c] + (b[c] - a[c]) * t);
        let red = |g, b| mix(at(low[0], g, b), at(low[0] + 1, g, b), t[0]);
        let green = |b| mix(red(low[1], b), red(low[1] + 1, b), t[1]);
        mix(green(low[2]), green(low[2] + 1), t[2])
    }

    fn seen(&self, own: Rgb, table: Rgb) -> Rgb {
        std::array::from_fn(|c| own[c] + (table[c] - own[c]) * self.strength)
    }

    /// Display values after a table for display values.
    pub(super) fn of_display(&self, own: Rgb) -> Rgb {
        self.seen(own, self.look_up(own))
    }

    /// Display values of scene light by a table for it; `own` are those without it.
    pub(super) fn of_light(&self, light: Rgb, own: impl Fn() -> Rgb) -> Rgb {
        let [from, to] = TABLE_STOPS;
        let shown = self.look_up(light.map(|v| ((v.max(BLACK) / GREY).log2() - from) / (to - from)));
        if self.strength == 1.0 { shown } else { self.seen(own(), shown) }
    }
}

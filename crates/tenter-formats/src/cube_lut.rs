//! A grade as a table of colours: "Cube LUT Specification", version 1.0 (Adobe 2013), three-dimensional.

use serde::Deserialize;
use std::fmt::Write;
use tenter_sky::develop::{Development, GREY, white_luminance};
use tenter_sky::document::Grade;
use tenter_sky::spectrum::Rgb;

/// Values along each side that are offered: common practice, no source.
pub const SIZES: [usize; 2] = [33, 65];
/// Stops from grey that 0 and 1 stand for in a table for scene light.
pub const STOPS: [f32; 2] = [-10.0, 8.0];

/// What a table is looked up with.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LutInput {
    /// Scene light at the exposure, linear Rec.709 with 1 for display white, by its stops from grey:
    /// `x = (log2(v / 0.18) + 10) / 18`.
    Log,
    /// Display values after tone curve and transfer curve: the table has the steps after them alone.
    Display,
}

/// Scene light that a value of a table's input stands for.
pub fn light_of(x: f32) -> f32 {
    GREY * (STOPS[0] + (STOPS[1] - STOPS[0]) * x).exp2()
}

/// Text of a table of `size` values a side, red fastest. The grade's exposure is left out: 1 is display
/// white.
pub fn write(title: &str, grade: &Grade, size: usize, input: LutInput) -> String {
    let development = Development::new(&Grade { ev100: -white_luminance(0.0).log2(), ..grade.clone() });
    let shown = |x: Rgb| match input {
        LutInput::Log => development.apply(x.map(light_of)),
        LutInput::Display => development.display().apply(x),
    };
    let title: String = title.chars().filter(|c| *c != '"' && !c.is_control()).collect();
    let about = match input {
        LutInput::Log => {
            "Input: x = (log2(v / 0.18) + 10) / 18, v linear Rec.709 with 1 for display white at the exposure"
        }
        LutInput::Display => "Input: display values, sRGB, as the tone curve leaves them",
    };
    let mut out = format!(
        "TITLE \"{title}\"\n# {about}\n# Output: display values, sRGB\nLUT_3D_SIZE {size}\n\
         DOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n"
    );
    let step = 1.0 / (size - 1) as f32;
    for i in 0..size * size * size {
        let [r, g, b] = shown([i % size, i / size % size, i / (size * size)].map(|k| k as f32 * step));
        let _ = writeln!(out, "{r:.6} {g:.6} {b:.6}");
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::{ToneCurve, Wheel};

    /// A table read as its specification says, by straight lines between its values.
    fn look_up(text: &str, x: Rgb) -> Rgb {
        let size: usize = text.lines().find_map(|l| l.strip_prefix("LUT_3D_SIZE ")).unwrap().parse().unwrap();
        let rows: Vec<Vec<f32>> = text
            .lines()
            .filter(|l| l.starts_with(|c: char| c.is_ascii_digit()))
            .map(|l| l.split(' ').map(|v| v.parse().unwrap()).collect())
            .collect();
        assert_eq!(rows.len(), size.pow(3));
        let place = x.map(|v| v.clamp(0.0, 1.0) * (size - 1) as f32);
        let low = place.map(|v| (v as usize).min(size - 2));
        let mut sum = [0.0; 3];
        for corner in 0..8 {
            let bit = |c: usize| corner >> c & 1;
            let weight: f32 = (0..3)
                .map(|c| {
                    let t = place[c] - low[c] as f32;
                    if bit(c) == 1 { t } else { 1.0 - t }
                })
                .product();
            let row = &rows[low[0] + bit(0) + size * (low[1] + bit(1) + size * (low[2] + bit(2)))];
            (0..3).for_each(|c| sum[c] += weight * row[c]);
        }
        sum
    }

    fn grade() -> Grade {
        Grade {
            ev100: 12.0,
            white_k: 5200.0,
            contrast: 1.2,
            saturation: 1.1,
            tone_curve: ToneCurve::Filmic,
            gain: Wheel { all: -0.1, red: 0.1, ..Wheel::default() },
            ..Grade::default()
        }
    }

    /// Looked up with scene light, a table gives what the development does to it.
    #[test]
    fn a_table_is_its_grade() {
        let development = Development::new(&grade());
        for (size, within) in [(33, 0.02), (65, 0.008)] {
            let text = write("Evening", &grade(), size, LutInput::Log);
            for i in 0..200 {
                let stops = -7.0 + 0.065 * i as f32;
                let v = [0.0, 0.3, -0.4].map(|k| GREY * (stops + k * (i % 7) as f32 * 0.2).exp2());
                let x = v.map(|v| ((v / GREY).log2() - STOPS[0]) / (STOPS[1] - STOPS[0]));
                let wanted = development.apply(v.map(|v| v * white_luminance(12.0) as f32));
                let found = look_up(&text, x);
                for c in 0..3 {
                    assert!((found[c] - wanted[c]).abs() < within, "{size} {v:?}: {found:?} {wanted:?}");
                }
            }
        }
    }

    #[test]
    fn a_table_for_display_values_has_the_last_steps_alone() {
        let text = write("a \"b\"\n", &Grade::default(), 33, LutInput::Display);
        assert!(text.starts_with("TITLE \"a b\"\n"));
        let found = look_up(&text, [0.2, 0.5, 0.93]);
        assert!((found[0] - 0.2).abs() < 1e-5 && (found[2] - 0.93).abs() < 1e-5);
    }
}

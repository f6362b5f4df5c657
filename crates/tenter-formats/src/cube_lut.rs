//! Tables of colours, out and in: "Cube LUT Specification", version 1.0 (Adobe 2013), three-dimensional.

use std::fmt::Write;
use tenter_sky::develop::{Development, GREY, LoadedTable, TABLE_STOPS, white_luminance};
use tenter_sky::document::{ColourTable, Grade, MAX_TABLE_SIZE, TableInput};
use tenter_sky::spectrum::Rgb;

/// Values along each side that are offered: common practice, no source.
pub const SIZES: [usize; 2] = [33, 65];
/// Most values along each side of a table that is read: those of the specification.
const LARGEST: usize = 256;

/// Why a table can't be taken.
#[derive(Debug, PartialEq, thiserror::Error)]
pub enum CubeError {
    #[error("it has a table of one dimension; three are needed (LUT_3D_SIZE)")]
    OneDimension,
    #[error("LUT_3D_SIZE is missing, or not from 2 to {LARGEST}")]
    Size,
    #[error("line {0}: {1:?} is no row of three numbers and no keyword that is known")]
    Line(usize, String),
    #[error("{got} rows where {size} values a side take {wanted}")]
    Rows { size: usize, wanted: usize, got: usize },
    #[error("DOMAIN_MAX is not above DOMAIN_MIN")]
    Domain,
}

/// Scene light that a value of a table's input stands for, linear Rec.709 with 1 for display white at the
/// exposure.
pub fn light_of(x: f32) -> f32 {
    GREY * (TABLE_STOPS[0] + (TABLE_STOPS[1] - TABLE_STOPS[0]) * x).exp2()
}

/// Three numbers of a line.
fn three(words: &[&str]) -> Option<Rgb> {
    let [r, g, b] = words else { return None };
    let read = |word: &str| word.parse::<f32>().ok().filter(|v| v.is_finite());
    Some([read(r)?, read(g)?, read(b)?])
}

/// Reads a table: as it is where it fits a document and its domain is 0 to 1, else looked up anew at most
/// [`MAX_TABLE_SIZE`] values a side. Values beyond the display's range are held at its ends.
pub fn read(text: &str, input: TableInput) -> Result<ColourTable, CubeError> {
    let (mut name, mut size, mut rows) = (String::new(), 0, Vec::new());
    let (mut low, mut high) = ([0.0; 3], [1.0; 3]);
    for (i, line) in text.lines().enumerate() {
        let line = line.trim();
        let unknown = || CubeError::Line(i + 1, line.chars().take(60).collect());
        let words: Vec<&str> = line.split_whitespace().collect();
        match words.as_slice() {
            [] => {}
            [first, ..] if first.starts_with('#') => {}
            ["TITLE", ..] => {
                name = line["TITLE".len()..].trim().trim_matches('"').chars().take(120).collect()
            }
            ["LUT_1D_SIZE", ..] => return Err(CubeError::OneDimension),
            ["LUT_3D_SIZE", n] => size = n.parse().map_err(|_| CubeError::Size)?,
            ["DOMAIN_MIN", rest @ ..] => low = three(rest).ok_or_else(unknown)?,
            ["DOMAIN_MAX", rest @ ..] => high = three(rest).ok_or_else(unknown)?,
            row => rows.push(three(row).ok_or_else(unknown)?),
        }
        if rows.len() > LARGEST.pow(3) {
            return Err(unknown());
        }
    }
    if !(2..=LARGEST).contains(&size) {
        return Err(CubeError::Size);
    }
    if rows.len() != size.pow(3) {
        return Err(CubeError::Rows { size, wanted: size.pow(3), got: rows.len() });
    }
    if (0..3).any(|c| high[c] <= low[c]) {
        return Err(CubeError::Domain);
    }
    let name = name.chars().filter(|c| !c.is_control()).collect();
    let most = MAX_TABLE_SIZE as usize;
    let table = LoadedTable::of(size, rows, input, 1.0);
    if size <= most && low == [0.0; 3] && high == [1.0; 3] {
        return Ok(table.to_document(name));
    }
    let size = size.min(most);
    let step = 1.0 / (size - 1) as f32;
    let at = |i: usize| {
        let x = [i % size, i / size % size, i / (size * size)].map(|k| k as f32 * step);
        table.look_up(std::array::from_fn(|c| (x[c] - low[c]) / (high[c] - low[c])))
    };
    let values = (0..size.pow(3)).map(at).collect();
    Ok(LoadedTable::of(size, values, input, 1.0).to_document(name))
}

/// Text of a table of `size` values a side, red fastest. The grade's exposure is left out: 1 is display
/// white. So is its night eye, which hangs on cd/m2.
pub fn write(title: &str, grade: &Grade, size: usize, input: TableInput) -> String {
    let development =
        Development::new(&Grade { ev100: -white_luminance(0.0).log2(), night_eye: 0.0, ..grade.clone() });
    let shown = |x: Rgb| match input {
        TableInput::Log => development.apply(x.map(light_of)),
        TableInput::Display => development.finish(x),
    };
    let title: String = title.chars().filter(|c| *c != '"' && !c.is_control()).collect();
    let about = match input {
        TableInput::Log => {
            "Input: x = (log2(v / 0.18) + 10) / 18, v linear Rec.709 with 1 for display white at the exposure"
        }
        TableInput::Display => "Input: display values, sRGB, as the tone curve leaves them",
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

    /// A table's size and rows.
    fn rows(text: &str) -> (usize, Vec<Vec<f32>>) {
        let size: usize = text.lines().find_map(|l| l.strip_prefix("LUT_3D_SIZE ")).unwrap().parse().unwrap();
        let rows: Vec<Vec<f32>> = text
            .lines()
            .filter(|l| l.starts_with(|c: char| c.is_ascii_digit()))
            .map(|l| l.split(' ').map(|v| v.parse().unwrap()).collect())
            .collect();
        assert_eq!(rows.len(), size.pow(3));
        (size, rows)
    }

    /// A table read as its specification says, by straight lines between its values.
    fn look_up((size, rows): &(usize, Vec<Vec<f32>>), x: Rgb) -> Rgb {
        let size = *size;
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
            let text = rows(&write("Evening", &grade(), size, TableInput::Log));
            for i in 0..200 {
                let stops = -7.0 + 0.065 * i as f32;
                let v = [0.0, 0.3, -0.4].map(|k| GREY * (stops + k * (i % 7) as f32 * 0.2).exp2());
                let x = v.map(|v| ((v / GREY).log2() - TABLE_STOPS[0]) / (TABLE_STOPS[1] - TABLE_STOPS[0]));
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
        let text = write("a \"b\"\n", &Grade::default(), 33, TableInput::Display);
        assert!(text.starts_with("TITLE \"a b\"\n"));
        let found = look_up(&rows(&text), [0.2, 0.5, 0.93]);
        assert!((found[0] - 0.2).abs() < 1e-5 && (found[2] - 0.93).abs() < 1e-5);
    }

    /// What was written is read again, and applied does what the grade did.
    #[test]
    fn a_table_that_comes_in_does_what_it_was_made_from() {
        let text = write("Evening", &grade(), 33, TableInput::Log);
        let table = read(&text, TableInput::Log).unwrap();
        assert_eq!((table.name.as_str(), table.size, table.values.len()), ("Evening", 33, 12 * 33 * 33 * 33));
        let (own, taken) =
            (Development::new(&grade()), Development::new(&Grade { ev100: 12.0, table, ..Grade::default() }));
        for i in 0..200 {
            let v = white_luminance(12.0) as f32 * GREY * (-7.0 + 0.065 * i as f32).exp2();
            let light = [v, 0.8 * v, 1.1 * v];
            // White balance is in the table: what comes in must not have it twice.
            let (a, b) = (own.apply(light), taken.apply(light));
            assert!((0..3).all(|c| (a[c] - b[c]).abs() < 0.02), "{a:?} {b:?}");
        }
    }

    #[test]
    fn tables_for_display_values_come_last_and_by_their_strength() {
        let text = "LUT_3D_SIZE 2\n0 0 0\n0 0 0\n0 0 0\n0 0 0\n1 1 1\n1 1 1\n1 1 1\n1 1 1\n";
        let mut table = read(text, TableInput::Display).unwrap();
        let shown = |table: &ColourTable| {
            let grade =
                Grade { ev100: 0.0, tone_curve: ToneCurve::Clip, table: table.clone(), ..Grade::default() };
            Development::new(&grade).apply([0.1, 0.2, 1.2 * 0.5])
        };
        // Every channel becomes blue: linear 0.5 is 0.735 in sRGB (IEC 61966-2-1).
        let all = shown(&table);
        assert!(all.iter().all(|v| (v - 0.735).abs() < 2e-3), "{all:?}");
        table.strength = 0.5;
        let (half, none) = (shown(&table), shown(&ColourTable::default()));
        assert!((0..3).all(|c| (half[c] - 0.5 * (none[c] + all[c])).abs() < 1e-5), "{half:?}");
    }

    #[test]
    fn large_tables_and_other_domains_are_looked_up_anew() {
        let text = write("a", &Grade::default(), 65, TableInput::Display);
        let table = read(&text, TableInput::Display).unwrap();
        assert_eq!(table.size, 33);
        let wide = text.replace("DOMAIN_MAX 1.0 1.0 1.0", "DOMAIN_MAX 2.0 2.0 2.0");
        let loaded = LoadedTable::new(&read(&wide, TableInput::Display).unwrap()).unwrap();
        let found = loaded.look_up([0.5, 1.0, 0.25]);
        assert!((found[0] - 0.25).abs() < 1e-3 && (found[1] - 0.5).abs() < 1e-3, "{found:?}");
    }

    #[test]
    fn what_can_not_be_taken_is_told() {
        let read = |text: &str| read(text, TableInput::Display).unwrap_err();
        assert_eq!(read("LUT_1D_SIZE 4\n"), CubeError::OneDimension);
        assert_eq!(read("0 0 0\n"), CubeError::Size);
        assert_eq!(read("LUT_3D_SIZE 1000\n"), CubeError::Size);
        assert_eq!(read("LUT_3D_SIZE 2\n0 0 0\n"), CubeError::Rows { size: 2, wanted: 8, got: 1 });
        assert_eq!(read("LUT_3D_SIZE 2\n0 0 nan\n"), CubeError::Line(2, "0 0 nan".into()));
        assert_eq!(read("hello there\n"), CubeError::Line(1, "hello there".into()));
    }
}

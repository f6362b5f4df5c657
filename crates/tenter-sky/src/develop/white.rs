//! White balance: the light of one temperature shown as white.

use crate::spectrum::{Xyz, blackbody_xy, rgb_to_xyz, uv_to_xy, xy_to_uv, xyz_to_rgb};

/// Matrix in linear Rec.709 that shows light of a temperature as white, by the Bradford transform (Lam 1985;
/// values as in CIE 160:2004). 6500 K with no tint leaves every colour as it is.
pub(super) fn white_balance(kelvin: f64, tint: f64) -> [[f64; 3]; 3] {
    let neutral = white_xyz(6500.0, 0.0);
    let shown = white_xyz(kelvin, tint);
    let (from, to) = (times(BRADFORD, shown), times(BRADFORD, neutral));
    let column = |i: usize| {
        let mut unit = [0.0; 3];
        unit[i] = 1.0;
        let cone = times(BRADFORD, rgb_to_xyz(unit).0);
        let adapted = [0, 1, 2].map(|k| cone[k] * to[k] / from[k]);
        xyz_to_rgb(Xyz(times(BRADFORD_INVERSE, adapted)))
    };
    let columns = [column(0), column(1), column(2)];
    [0, 1, 2].map(|r| [columns[0][r], columns[1][r], columns[2][r]])
}

const BRADFORD: [[f64; 3]; 3] =
    [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]];
const BRADFORD_INVERSE: [[f64; 3]; 3] = [
    [0.986992905, -0.147054256, 0.159962652],
    [0.432305270, 0.518360272, 0.049291228],
    [-0.008528665, 0.040042822, 0.968486696],
];

fn times(m: [[f64; 3]; 3], v: [f64; 3]) -> [f64; 3] {
    m.map(|row| (0..3).map(|i| row[i] * v[i]).sum())
}

/// White of a temperature, moved off the blackbody line: positive tint takes light for greener.
pub(super) fn white_xyz(kelvin: f64, tint: f64) -> [f64; 3] {
    let [u, v] = xy_to_uv(blackbody_xy(kelvin));
    let [x, y] = uv_to_xy([u, v + tint * 2e-4]);
    [x / y, 1.0, (1.0 - x - y) / y]
}

/// Steps of the table of white points, in mired (1e6 / K), from the coolest to the warmest.
const MIRED_FROM: f64 = 24.0;
const MIRED_STEP: f64 = 3.0;
const MIRED_COUNT: usize = 216;

/// TypeScript with what the shader's white balance needs from here: CIE 1960 (u, v) of blackbodies and the
/// matrices of this module. Generated, so that the numbers exist once.
pub fn white_points_typescript() -> String {
    let uv: Vec<String> = (0..MIRED_COUNT)
        .map(|i| {
            let [u, v] = xy_to_uv(blackbody_xy(1e6 / (MIRED_FROM + MIRED_STEP * i as f64)));
            format!("[{u:.7}, {v:.7}]")
        })
        .collect();
    let matrix = |m: [[f64; 3]; 3]| format!("{m:?}");
    let to_xyz = [0, 1, 2].map(|r| {
        [0, 1, 2].map(|c| {
            let mut unit = [0.0; 3];
            unit[c] = 1.0;
            rgb_to_xyz(unit).0[r]
        })
    });
    let to_rgb = [0, 1, 2].map(|r| {
        [0, 1, 2].map(|c| {
            let mut unit = [0.0; 3];
            unit[c] = 1.0;
            xyz_to_rgb(Xyz(unit))[r]
        })
    });
    format!(
        "// Generated from the Rust develop module: do not edit.\n\n\
         export const miredFrom = {MIRED_FROM};\nexport const miredStep = {MIRED_STEP};\n\
         export const bradford = {};\nexport const bradfordInverse = {};\n\
         export const rgbToXyz = {};\nexport const xyzToRgb = {};\n\
         export const blackbodyUv = [\n  {},\n];\n",
        matrix(BRADFORD),
        matrix(BRADFORD_INVERSE),
        matrix(to_xyz),
        matrix(to_rgb),
        uv.join(",\n  ")
    )
}

//! Constituents of the air: profiles, cross-sections, phase functions.

use super::TOP_M;
use crate::simd::{Int, Real};
use tenter_sky::document::{self, AerosolKind};
use tenter_sky::spectrum::{Rgb, Spectrum, luminance, ozone_per_dobson, spectrum_of};

/// Density over altitude at steps of 5 km, kg/m3: US Standard Atmosphere 1976 (values from memory).
const DENSITY: [f64; 21] = [
    1.225, 0.7364, 0.4135, 0.1948, 0.08891, 0.04008, 0.01841, 0.008463, 0.003996, 0.001966, 0.001027,
    5.681e-4, 3.097e-4, 1.632e-4, 8.283e-5, 3.992e-5, 1.846e-5, 8.22e-6, 3.416e-6, 1.393e-6, 5.604e-7,
];

/// Rayleigh optical depth of the whole column at 1013.25 hPa (Bodhaine et al. 1999, eq. 30).
pub fn rayleigh_column(nm: f64) -> f64 {
    let um2 = (nm * 1e-3).powi(2);
    0.0021520 * (1.0455996 - 341.29061 / um2 - 0.90230850 * um2)
        / (1.0 + 0.0027059889 / um2 - 85.968563 * um2)
}

/// Optical properties of an aerosol kind: Angstrom exponent, single scattering albedo at 400 and 700 nm,
/// asymmetry. After Hess, Koepke and Schult 1998 (OPAC), humidity 80 %, rounded; from memory.
struct AerosolOptics {
    angstrom: f64,
    albedo: [f64; 2],
    asymmetry: f64,
}

fn optics(kind: AerosolKind) -> AerosolOptics {
    let (angstrom, albedo, asymmetry) = match kind {
        AerosolKind::Continental => (1.3, [0.93, 0.91], 0.70),
        AerosolKind::Maritime => (0.3, [0.99, 0.995], 0.77),
        AerosolKind::Urban => (1.4, [0.83, 0.79], 0.69),
        AerosolKind::DesertDust => (0.2, [0.82, 0.95], 0.74),
    };
    AerosolOptics { angstrom, albedo, asymmetry }
}

/// Asymmetry of the narrow forward lobe that all particles share; only its share differs.
pub const NARROW: f32 = 0.93;

/// What particles do to light, at their reference density.
#[derive(Clone)]
pub struct Particles {
    /// Per metre.
    pub extinction: Spectrum,
    pub scattering: Spectrum,
    /// Weights and asymmetries of the lobes of their phase function, the narrow one first.
    pub lobes: [(f32, f32); 3],
}

impl Particles {
    /// Phase function, per steradian.
    #[inline(always)]
    pub fn phase(&self, cos: f32) -> f32 {
        let [turned, forward] = self.broad(cos);
        self.lobes[0].0 * henyey_greenstein_f32(NARROW, cos) + turned + forward
    }

    /// The phase function without its narrow lobe, per steradian: the non-forward part, and the part that
    /// counts as forward, of each lobe its fourth moment.
    #[inline(always)]
    pub fn broad(&self, cos: f32) -> [f32; 2] {
        let mut parts = [0.0; 2];
        for (share, g) in [self.lobes[1], self.lobes[2]] {
            let light = share * henyey_greenstein_f32(g, cos);
            let forward = g * g * g * g;
            parts[0] += light * (1.0 - forward);
            parts[1] += light * forward;
        }
        parts
    }

    /// A moment of the phase function.
    pub fn moment(&self, degree: usize) -> f32 {
        self.lobes.iter().map(|(share, g)| share * g.powi(degree as i32)).sum()
    }

    /// The same with a forward share of scattering counted as unscattered.
    fn without_forward(&self, share: f32) -> Particles {
        Particles {
            extinction: self.extinction - self.scattering * share,
            scattering: self.scattering * (1.0 - share),
            lobes: self.lobes,
        }
    }
}

/// A wide lobe that, beside the narrow and a weak backward one, gives the whole its asymmetry.
fn lobes(asymmetry: f32, narrow: f32, backward: f32) -> [(f32, f32); 3] {
    const BACK: f32 = -0.4;
    let broad = 1.0 - narrow - backward;
    let g = ((asymmetry - narrow * NARROW - backward * BACK) / broad).min(0.95);
    [(narrow, NARROW), (broad, g), (backward, BACK)]
}

/// Optical properties of the air over altitude.
#[derive(Clone)]
pub struct Medium {
    /// Radius of the planet, m.
    pub planet: f64,
    /// Albedo of the ground, in each band and in linear Rec.709.
    pub ground: Spectrum,
    pub ground_rgb: Rgb,
    /// Scattering and extinction of molecules at the ground, per metre.
    pub molecules: Spectrum,
    pub molecules_extinction: Spectrum,
    pub aerosol: Particles,
    pub dust: Particles,
    /// Absorption of ozone where it is densest, per metre.
    pub ozone: Spectrum,
    /// Amounts every [`PROFILE_STEP_M`], so that the inner loops only interpolate.
    profile: Vec<[f32; CONSTITUENTS]>,
}

/// Extinction at 550 nm times visibility (Koschmieder 1924): a black thing keeps 2 % of its contrast.
pub const KOSCHMIEDER: f64 = 3.912;

const PROFILE_STEP_M: f64 = 25.0;

/// Molecules, aerosol, ozone, dust.
pub const CONSTITUENTS: usize = 4;

/// Amounts of the constituents relative to their reference densities; or columns of them, m.
pub type Amounts = [f64; CONSTITUENTS];

/// Columns times a factor.
#[inline(always)]
pub fn times(amounts: Amounts, factor: f64) -> Amounts {
    [amounts[0] * factor, amounts[1] * factor, amounts[2] * factor, amounts[3] * factor]
}

/// Optical depth of dust is for this wavelength, nm; coarse grains take all of them nearly alike (Angstrom
/// exponent after Hess, Koepke and Schult 1998, mineral dust of the coarse mode; from memory).
const DUST_ANGSTROM: f64 = 0.1;

impl Medium {
    pub fn new(air: &document::Air) -> Medium {
        let column = rayleigh_equivalent_height() * air.molecules_scale_height_m / EARTHS_SCALE_HEIGHT_M;
        let optics = optics(air.aerosol);
        let rgb = |colour: document::Colour| colour.0.map(|v| v as f32);
        // What is not molecular is aerosol.
        let total = KOSCHMIEDER / (air.visibility_km * 1000.0);
        let molecular = rayleigh_column(550.0) / column * air.molecules;
        let aerosol = (total - molecular).max(0.0);
        let extinction = Spectrum::from_fn(|nm| aerosol * (nm / 550.0).powf(-optics.angstrom));
        let albedo = Spectrum::from_fn(|nm| {
            optics.albedo[0] + (optics.albedo[1] - optics.albedo[0]) * ((nm - 400.0) / 300.0).clamp(0.0, 1.0)
        });
        let dust = air.dust_optical_depth / air.dust_scale_height_m;
        let dust_extinction = Spectrum::from_fn(|nm| dust * (nm / 550.0).powf(-DUST_ANGSTROM));
        let molecules = Spectrum::from_fn(|nm| rayleigh_column(nm) / column * air.molecules)
            * spectrum_of(rgb(air.scatter_tint));
        let absorbed = spectrum_of(rgb(air.absorb_tint)) * (1.0 / column) as f32;
        // A triangle 15 km to both sides has the column of a full layer 15 km deep.
        let ozone = ozone_per_dobson() * (air.ozone_du / 15_000.0) as f32;
        let tint = rgb(air.ground_tint);
        let ground_rgb = tint.map(|v| v * air.ground_albedo as f32 / luminance(tint).max(1e-6));
        let ground = spectrum_of(ground_rgb).at_most(1.0);
        Medium {
            planet: air.planet_radius_km * 1000.0,
            ground,
            ground_rgb: ground_rgb.map(|v| v.min(1.0)),
            molecules,
            molecules_extinction: molecules + absorbed,
            aerosol: Particles {
                extinction,
                scattering: extinction * albedo,
                lobes: lobes(optics.asymmetry as f32, 0.12, 0.06),
            },
            dust: Particles {
                extinction: dust_extinction,
                scattering: dust_extinction * spectrum_of(rgb(air.dust_tint)).at_most(1.0),
                lobes: lobes(0.77, 0.3, 0.08),
            },
            ozone,
            profile: profile(air),
        }
    }

    /// The same air with forward shares of aerosol and dust scattering counted as unscattered (delta
    /// scaling; Joseph, Wiscombe and Weinman 1976).
    pub fn without_forward(&self, [aerosol, dust]: [f32; 2]) -> Medium {
        Medium {
            aerosol: self.aerosol.without_forward(aerosol),
            dust: self.dust.without_forward(dust),
            ..self.clone()
        }
    }

    /// Scattering by molecules, aerosol and dust in their columns.
    #[inline(always)]
    pub fn scattering(&self, columns: &Amounts) -> [Spectrum; 3] {
        [
            self.molecules * columns[0] as f32,
            self.aerosol.scattering * columns[1] as f32,
            self.dust.scattering * columns[3] as f32,
        ]
    }

    /// Amounts at an altitude.
    #[inline(always)]
    pub fn amounts(&self, altitude: f64) -> Amounts {
        let x = altitude.clamp(0.0, TOP_M) as f32 * (1.0 / PROFILE_STEP_M) as f32;
        let k = x as usize;
        let f = x - k as f32;
        let (a, b) = (&self.profile[k], &self.profile[k + 1]);
        [
            (a[0] + (b[0] - a[0]) * f) as f64,
            (a[1] + (b[1] - a[1]) * f) as f64,
            (a[2] + (b[2] - a[2]) * f) as f64,
            (a[3] + (b[3] - a[3]) * f) as f64,
        ]
    }

    /// Amounts at a packet of altitudes.
    #[inline(always)]
    pub fn amounts_at<R: Real>(&self, altitude: R) -> [R; CONSTITUENTS] {
        let x = altitude.clamp(0.0, TOP_M as f32) * R::splat((1.0 / PROFILE_STEP_M) as f32);
        let k = x.floor();
        let f = x - k;
        let first = k.to_int() * R::Int::splat(4);
        let profile = self.profile.as_flattened();
        let mut amounts = [f; CONSTITUENTS];
        for (c, amount) in amounts.iter_mut().enumerate() {
            let at = first + R::Int::splat(c as i32);
            // SAFETY: the profile has an entry past the one at the clamped top.
            let (a, b) = unsafe { (R::gather(profile, at), R::gather(profile, at + R::Int::splat(4))) };
            *amount = a.lerp(b, f);
        }
        amounts
    }

    /// Optical depth of columns of the constituents.
    #[inline(always)]
    pub fn optical_depth(&self, columns: Amounts) -> Spectrum {
        self.molecules_extinction * columns[0] as f32
            + self.aerosol.extinction * columns[1] as f32
            + self.ozone * columns[2] as f32
            + self.dust.extinction * columns[3] as f32
    }
}

/// Scale height that stands for the standard atmosphere's own profile, m.
const EARTHS_SCALE_HEIGHT_M: f64 = 8000.0;

/// Amounts over altitude.
fn profile(air: &document::Air) -> Vec<[f32; CONSTITUENTS]> {
    let stretch = EARTHS_SCALE_HEIGHT_M / air.molecules_scale_height_m;
    (0..=(TOP_M / PROFILE_STEP_M) as usize + 1)
        .map(|i| {
            let h = i as f64 * PROFILE_STEP_M;
            let ozone = (1.0 - (h - 22_500.0).abs() / 15_000.0).max(0.0);
            [
                density(h * stretch) as f32,
                (-h / air.aerosol_scale_height_m).exp() as f32,
                ozone as f32,
                (-h / air.dust_scale_height_m).exp() as f32,
            ]
        })
        .collect()
}

/// Density of molecules relative to the ground, log-linear between the standard's levels.
fn density(h: f64) -> f64 {
    let x = h / 5000.0;
    if x >= 20.0 {
        // Above the table the density goes on exponentially.
        return density(99_000.0) * (-(h - 99_000.0) / 5500.0).exp();
    }
    let k = x as usize;
    let ln = DENSITY[k].ln() + (DENSITY[k + 1].ln() - DENSITY[k].ln()) * (x - k as f64);
    ln.exp() / DENSITY[0]
}

/// Height of a column of ground density that holds all molecules, m.
fn rayleigh_equivalent_height() -> f64 {
    static HEIGHT: std::sync::LazyLock<f64> =
        std::sync::LazyLock::new(|| (0..4000).map(|i| density(12.5 + 25.0 * i as f64) * 25.0).sum());
    *HEIGHT
}

/// Phase function of molecules, per steradian (Chandrasekhar 1960; depolarisation left out).
#[inline(always)]
pub fn rayleigh_phase(cos: f32) -> f32 {
    3.0 / (16.0 * std::f32::consts::PI) * (1.0 + cos * cos)
}

/// Henyey and Greenstein 1941, per steradian.
#[inline(always)]
pub fn henyey_greenstein_f32(g: f32, cos: f32) -> f32 {
    let d = (1.0 + g * g - 2.0 * g * cos).max(1e-6);
    (1.0 - g * g) / (4.0 * std::f32::consts::PI * d * d.sqrt())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Bodhaine et al. 1999, table 3 (from memory): 0.0971 at 550 nm, 0.3602 at 400 nm, sea level, 45
    /// degrees.
    #[test]
    fn rayleigh_optical_depth() {
        assert!((rayleigh_column(550.0) - 0.0971).abs() < 3e-4, "{}", rayleigh_column(550.0));
        assert!((rayleigh_column(400.0) - 0.3602).abs() < 2e-3, "{}", rayleigh_column(400.0));
        // Column over ground density in the US Standard Atmosphere: 8.4 km.
        assert!((rayleigh_equivalent_height() - 8430.0).abs() < 80.0, "{}", rayleigh_equivalent_height());
    }

    /// Koschmieder 1924: extinction at the ground at 550 nm is 3.912 / V within 1 %.
    #[test]
    fn visibility_sets_extinction() {
        for v in [1.0, 5.0, 10.0, 30.0] {
            let m = Medium::new(&document::Air { visibility_km: v, ..Default::default() });
            // 550 nm lies between the bands at 540 and 565.
            let at = |s: &Spectrum| s.0[6] + (s.0[7] - s.0[6]) * 0.4;
            let sum = at(&m.molecules) + at(&m.aerosol.extinction);
            assert!((sum as f64 / (3.912 / (v * 1000.0)) - 1.0).abs() < 0.01, "{v}: {sum}");
        }
    }

    #[test]
    fn phase_functions_are_normalised() {
        let integral = |p: &dyn Fn(f32) -> f32| -> (f64, f64) {
            let n = 200_000;
            (0..n).fold((0.0, 0.0), |(sum, g), i| {
                let c = -1.0 + 2.0 * (i as f64 + 0.5) / n as f64;
                let v = p(c as f32) as f64 * 2.0 * std::f64::consts::PI * 2.0 / n as f64;
                (sum + v, g + v * c)
            })
        };
        let (sum, _) = integral(&rayleigh_phase);
        assert!((sum - 1.0).abs() < 1e-4);
        for g in [0.65, 0.77] {
            let particles = Particles {
                extinction: Spectrum::ZERO,
                scattering: Spectrum::ZERO,
                lobes: lobes(g, 0.12, 0.06),
            };
            let (sum, mean) = integral(&|c| particles.phase(c));
            assert!((sum - 1.0).abs() < 1e-3 && (mean - g as f64).abs() < 2e-3, "{sum} {mean}");
            assert!((particles.moment(1) - g).abs() < 1e-5);
        }
    }
}

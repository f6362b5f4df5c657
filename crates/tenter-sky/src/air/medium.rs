//! Constituents of the air: profiles, cross-sections, phase functions.

use super::TOP_M;
use crate::document::{self, AerosolKind};
use crate::simd::{Int, Real};
use crate::spectrum::{Spectrum, ozone_per_dobson};

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

/// The air as rays see it.
#[derive(Clone)]
pub struct Medium {
    /// Radius of the planet, m.
    pub planet: f64,
    pub ground_albedo: f32,
    /// Scattering of molecules at the ground, per metre.
    pub molecules: Spectrum,
    /// Extinction of aerosol at the ground, per metre.
    pub aerosol_extinction: Spectrum,
    /// Scattering of aerosol at the ground, per metre.
    pub aerosol_scattering: Spectrum,
    pub aerosol_asymmetry: f32,
    /// Absorption of ozone where it is densest, per metre.
    pub ozone: Spectrum,
    /// Amounts every [`PROFILE_STEP_M`], so that the inner loops only interpolate.
    profile: Vec<[f32; 4]>,
}

const PROFILE_STEP_M: f64 = 25.0;

/// Amounts of molecules, aerosol and ozone, relative to their reference densities; or columns of them, m.
pub type Amounts = [f64; 3];

impl Medium {
    pub fn new(air: &document::Air) -> Medium {
        let column = rayleigh_equivalent_height();
        let optics = optics(air.aerosol);
        // Koschmieder: total extinction at 550 nm is 3.912 / V; what molecules leave is aerosol.
        let total = 3.912 / (air.visibility_km * 1000.0);
        let molecular = rayleigh_column(550.0) / column * air.molecules;
        let aerosol = (total - molecular).max(0.0);
        let aerosol_extinction = Spectrum::from_fn(|nm| aerosol * (nm / 550.0).powf(-optics.angstrom));
        let albedo = Spectrum::from_fn(|nm| {
            optics.albedo[0] + (optics.albedo[1] - optics.albedo[0]) * ((nm - 400.0) / 300.0).clamp(0.0, 1.0)
        });
        // A tent of 15 km to both sides has the column of a full layer 15 km deep.
        let ozone = ozone_per_dobson() * (air.ozone_du / 15_000.0) as f32;
        Medium {
            planet: air.planet_radius_km * 1000.0,
            ground_albedo: air.ground_albedo as f32,
            molecules: Spectrum::from_fn(|nm| rayleigh_column(nm) / column * air.molecules),
            aerosol_extinction,
            aerosol_scattering: aerosol_extinction * albedo,
            aerosol_asymmetry: optics.asymmetry as f32,
            ozone,
            profile: profile(air.aerosol_scale_height_m),
        }
    }

    /// The same air where a forward share of what aerosol scatters counts as not scattered at all (delta scaling;
    /// Joseph, Wiscombe and Weinman 1976): scattered evenly, what is left does what the whole does with its peak.
    pub fn without_forward(&self, share: f32) -> Medium {
        Medium {
            aerosol_extinction: self.aerosol_extinction - self.aerosol_scattering * share,
            aerosol_scattering: self.aerosol_scattering * (1.0 - share),
            aerosol_asymmetry: (self.aerosol_asymmetry - share) / (1.0 - share),
            ..self.clone()
        }
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
        ]
    }

    /// Amounts at a packet of altitudes.
    #[inline(always)]
    pub fn amounts_at<R: Real>(&self, altitude: R) -> [R; 3] {
        let x = altitude.clamp(0.0, TOP_M as f32) * R::splat((1.0 / PROFILE_STEP_M) as f32);
        let k = x.floor();
        let f = x - k;
        let first = k.to_int() * R::Int::splat(4);
        let profile = self.profile.as_flattened();
        let mut amounts = [f; 3];
        for (c, amount) in amounts.iter_mut().enumerate() {
            let at = first + R::Int::splat(c as i32);
            // SAFETY: the profile has an entry past the one at the clamped top.
            let (a, b) = unsafe { (R::gather(profile, at), R::gather(profile, at + R::Int::splat(4))) };
            *amount = a.lerp(b, f);
        }
        amounts
    }

    /// Optical depth of columns of the three constituents.
    #[inline(always)]
    pub fn optical_depth(&self, columns: Amounts) -> Spectrum {
        self.molecules * columns[0] as f32
            + self.aerosol_extinction * columns[1] as f32
            + self.ozone * columns[2] as f32
    }
}

/// Amounts of molecules, aerosol and ozone over altitude.
fn profile(aerosol_scale_height: f64) -> Vec<[f32; 4]> {
    (0..=(TOP_M / PROFILE_STEP_M) as usize + 1)
        .map(|i| {
            let h = i as f64 * PROFILE_STEP_M;
            let ozone = (1.0 - (h - 22_500.0).abs() / 15_000.0).max(0.0);
            [density(h) as f32, (-h / aerosol_scale_height).exp() as f32, ozone as f32, 0.0]
        })
        .collect()
}

/// Density of molecules relative to the ground, log-linear between the standard's levels.
fn density(h: f64) -> f64 {
    let x = (h / 5000.0).min(19.999);
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

/// Phase function of aerosol, per steradian: a broad and a narrow forward lobe and a weak backward one
/// (Henyey and Greenstein 1941), with the given asymmetry.
#[inline(always)]
pub fn aerosol_phase(asymmetry: f32, cos: f32) -> f32 {
    aerosol_lobes(asymmetry).iter().map(|(share, g)| share * henyey_greenstein(*g, cos)).sum()
}

/// Shares and asymmetries of its three lobes.
#[inline(always)]
pub fn aerosol_lobes(asymmetry: f32) -> [(f32, f32); 3] {
    // 0.12 * 0.93 + 0.82 * g + 0.06 * -0.4 = asymmetry
    let broad = ((asymmetry - 0.12 * 0.93 + 0.06 * 0.4) / 0.82).min(0.95);
    [(0.12, 0.93), (0.82, broad), (0.06, -0.4)]
}

/// Henyey and Greenstein 1941, per steradian.
#[inline(always)]
pub fn henyey_greenstein(g: f32, cos: f32) -> f32 {
    let d = (1.0 + g * g - 2.0 * g * cos).max(1e-6);
    (1.0 - g * g) / (4.0 * std::f32::consts::PI * d * d.sqrt())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Bodhaine et al. 1999, table 3 (from memory): 0.0971 at 550 nm, 0.3602 at 400 nm, sea level, 45 degrees.
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
            // 550 nm lies between the bands at 542.5 and 567.5
            let at = |s: &Spectrum| s.0[6] + (s.0[7] - s.0[6]) * 0.3;
            let sum = at(&m.molecules) + at(&m.aerosol_extinction);
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
            let (sum, mean) = integral(&|c| aerosol_phase(g, c));
            assert!((sum - 1.0).abs() < 1e-3 && (mean - g as f64).abs() < 2e-3, "{sum} {mean}");
        }
    }
}

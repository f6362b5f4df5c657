//! The form of one layer: a smooth hull from maps, displaced by lobes and erosion.
//!
//! The hull's map has one number per point: for cumuliform clouds the squared height of the dome (so that
//! `value - z^2` is zero on an ellipsoid), for others the thickness in metres; both continue below zero
//! outside, which gives rays the distance to the next cloud. Maps are nested squares around the origin,
//! each four times as wide as the one before.

mod sample;
mod surface_detail;

use crate::air::Build;
use crate::clouds::cover::column_statistics::ColumnStatistics;
use crate::clouds::cover::field::{Field, surveyed_m};
use crate::clouds::cover::maps::Maps;
use crate::clouds::cover::regions::Regions;
use crate::clouds::nested::LEVELS;
use crate::clouds::optics::diffusion::NON_FORWARD_FRACTION;
use crate::clouds::shape::ageing::Ageing;
use crate::clouds::shape::worley::COARSEST;
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use sample::Sample;
use surface_detail::SurfaceDetail;
use tenter_sky::document::{CloudLayer, Family};

/// Optical thickness beyond which forward-scattered light no longer counts as transmitted.
const THICK: f32 = 4.0;
/// Width of single clouds, in cells: cumuliform, and others.
const BODY: [f64; 2] = [0.3, 0.5];
/// Size ratio of coarse to fine lobes.
const FINER: f64 = 7.3;
/// Size of fine lobes, m, above which they carry finest ones.
const COARSE_FOR_THE_EYE: f64 = 60.0;
/// Rotation of the blocks about an axis that is no lattice direction; rows are orthonormal.
const TURN: [[f32; 3]; 3] = [[0.7526, 0.6072, -0.2547], [-0.5303, 0.7888, 0.3137], [0.3914, -0.1010, 0.9147]];
/// Rise of lobes with age, m per minute, by family (common practice, no source).
const BOIL: [f64; 3] = [70.0, 12.0, 6.0];
/// Steps of a drawn profile.
const PROFILE_STEPS: usize = 32;
/// Correlation length of the top heights of an uneven layer, in cells.
const UNEVEN_CELLS: f64 = 1.5;
/// Diffuse smoothing per steepness of lobes: three quarters for full lobes. Calibrated: with all of it
/// towers have the contrasts of their reference, but a deck pierced by towers loses more light than allowed
/// (docs/accuracy.md).
const EVENED: f64 = 2.5;
/// Lobes fade from footprints of 0.6 of their size to 1.6 of it.
const FADE: f32 = 1.6;

/// A layer that can be sampled.
pub struct CloudForm {
    pub family: Family,
    /// Altitude of the base, m.
    pub base: f32,
    /// Height of the layer above its base, m.
    pub depth: f32,
    /// Highest extinction, per metre.
    pub extinction: f32,
    /// Mean extinction of bodies, edges included, per metre.
    pub mean_extinction: f32,
    /// Mean extinction inside the edges, per metre.
    pub core_extinction: f32,
    /// Extinction profile over height as shares of the highest, in even steps; empty is uniform.
    profile: Vec<f32>,
    /// Sine and cosine of the heading; the layer's axes run along it and to the left of it.
    axes: [f32; 2],
    /// Shear along the heading: per metre of height, and per square metre below the top.
    lean: [f32; 2],
    /// Factor on distances under shear.
    leaning: f32,
    /// Whether it is the anvils of a layer.
    pub is_anvil: bool,
    /// Whether it is streaks that hang all through its depth.
    fibrous: bool,
    /// Longest step inside, m.
    pub longest_step: f32,
    /// Share of its optical depth that removes light from its direction; 1 for thick clouds: light passes
    /// between them.
    pub non_forward_fraction: f32,
    /// About how wide single clouds are, m.
    pub body_width: f32,
    /// Width of the square of the column statistics, m.
    sampled_width: f32,
    maps: Maps,
    /// Factor on lengths along the heading in the lookup of lobes.
    shorten: f32,
    /// Noise blocks per metre, for coarse, fine and finest lobes.
    per_block: [f32; 3],
    /// Fading of lobes with the footprint, per metre.
    fade: [f32; 3],
    /// Fading of lobes away from their body, per metre.
    rooted: f32,
    /// Growth per metre: of edge sharpness and stratiform lobes above the base, and of cumuliform lobes
    /// with their body.
    sharpen: f32,
    rise: f32,
    flank: f32,
    /// Growth of fine lobes and erosion with their body, per metre.
    fray: f32,
    /// Ratio of the distance to a steep lobed surface to the vertical one.
    steep: f32,
    /// Share of high-order light that is computed as without lobes: lobes light one another across gaps,
    /// which evens out their shading; the steeper they are, the more.
    pub diffuse_smoothing: f32,
    /// Variation of top height, m, its noise blocks per metre, and the remaining share of the depth.
    uneven: [f32; 2],
    squeeze: f32,
    /// Hanging lobes of the underside: as a share of lobes, and in metres.
    hanging: [f32; 2],
    /// Displacement by coarse, fine and finest lobes, m; the last are 0 where fine ones are small enough.
    amplitude: [f32; 3],
    /// Offsets of the noise blocks, in block sides along their own axes.
    offset: [[f32; 3]; 3],
    /// Width of the edge at the crown and at the underside, m.
    edge: [f32; 2],
    /// Inward displacement by erosion, m.
    erosion: f32,
    /// Largest displacement by lobes and erosion, m.
    max_displacement: f32,
    /// Longest distance trusted among domes, m.
    open_step: f32,
}

/// A layer sampled at a packet of points.
#[derive(Clone, Copy)]
pub struct CloudSample<R: Real> {
    /// Signed distance to the surface, m, positive inside; a lower bound outside.
    pub signed_distance: R,
    /// Extinction, per metre.
    pub extinction: R,
    /// Metres of cloud above, below and to the side, along the hull.
    pub above: R,
    pub below: R,
    pub beside: R,
    /// Change of those above and below per metre of height: less than one in soft edges.
    pub column_share: R,
    /// Distance to the nearest surface, radius of the dome at the point, and signed distance to its surface
    /// without lobes, m. Cumuliform clouds only.
    pub surface_distance: R,
    pub body_radius: R,
    pub hull_distance: R,
}

/// Share of extinction left by edges, lobes and erosion of cumuliform bodies. Other forms account for their
/// edges in [`CloudForm::upright`]; what is neglected there is 1 to 4 % (altocumulus 12 %) for usual
/// layers.
const LEFT: f32 = 0.85;
/// Base of an anvil as a share of the body's depth.
const ANVIL_FROM: f64 = 0.76;

impl CloudForm {
    /// The form of a layer's bodies. `reach`: distance at which this layer can be seen, m.
    pub fn new<'a>(layer: &CloudLayer, reach: f64, build: impl Into<Build<'a>>) -> CloudForm {
        CloudForm::grown(layer, SurfaceDetail::of_body(layer), None, reach, build.into())
    }

    /// Whether a layer's tallest bodies spread into anvils.
    pub fn has_anvils(layer: &CloudLayer) -> bool {
        layer.anvil > 0.0 && layer.kind.family() == Family::Cumuliform
    }

    /// The anvils over a layer's tallest bodies.
    pub fn anvils<'a>(layer: &CloudLayer, reach: f64, build: impl Into<Build<'a>>) -> CloudForm {
        let from = layer.base_m + ANVIL_FROM * layer.depth_m;
        CloudForm::grown(layer, SurfaceDetail::of_anvil(layer), Some(from), reach, build.into())
    }

    /// `anvil_from`: altitude where anvils begin.
    fn grown(
        layer: &CloudLayer,
        detail: SurfaceDetail,
        anvil_from: Option<f64>,
        reach: f64,
        build: Build,
    ) -> CloudForm {
        let SurfaceDetail { family, depth, lump, amplitude, edge, length, small, .. } = detail;
        let fine_lump = lump / FINER * layer.erosion_grain;
        let sizes = [lump, fine_lump, fine_lump / FINER];
        let block = sizes.map(|size| size * COARSEST as f64);
        let slid = layer.slid_along();
        // Blocks are periodic along their own axes: a slide is rotated before whole blocks are removed.
        let ageing = Ageing::of(layer);
        let offset = block.map(|b| {
            let slid = [-slid[0] / length / b, -slid[1] / b];
            let boiled = ageing.moved(TURN.map(|row| -row[2] as f64 * BOIL[family as usize] / b));
            std::array::from_fn(|axis| {
                let row = TURN[axis];
                let offset = slid[0] * row[0] as f64 + slid[1] * row[1] as f64 + boiled[axis];
                offset.rem_euclid(1.0) as f32
            })
        });
        let erosion = 0.35 * layer.erosion * lump.min(200.0);
        let body_lump = SurfaceDetail::of_body(layer).amplitude;
        // Threads are as strong as their streaks; fine lobes are a little rounder than coarse ones.
        let fine: f64 = match family {
            Family::Cirriform => 0.5,
            Family::Stratiform => 0.24,
            Family::Cumuliform => 0.18,
        };
        let finest = if sizes[1] > COARSE_FOR_THE_EYE { amplitude * fine * fine } else { 0.0 };
        let moved = (1.0 + fine).max(1.2) * amplitude + erosion;
        let (sin, cos) = layer.heading_deg.to_radians().sin_cos();
        let bend = layer.lean_deg.to_radians().tan();
        let lean = match (family, anvil_from) {
            // An anvil lies where its body's top has been sheared to.
            (_, Some(_)) => [0.0; 2],
            (Family::Cumuliform, _) => [bend, 0.0],
            (Family::Stratiform, _) => [bend, 0.0],
            (Family::Cirriform, _) => [0.0, bend / depth],
        };
        let field = Field {
            layer,
            tallest: (layer.depth_m - 0.5 * body_lump).max(0.5 * layer.depth_m),
            // Calibrated over all genera: taller bodies have more lobes.
            swell: 0.006 * layer.lobes * layer.depth_m - (0.55 - 0.25 * small) * erosion,
            family: layer.kind.family(),
            anvil: anvil_from.map(|_| depth),
            amplitude,
            erosion,
            edge: edge[1],
            bend: lean[1],
            regions: Regions::of(layer),
            ageing,
        };
        let steep = 1.0 / (1.0 + layer.lobes * layer.lobes).sqrt();
        let drawn = anvil_from.is_none() && !layer.profile.is_empty();
        let steps = if drawn { 0..PROFILE_STEPS + 1 } else { 0..0 };
        let densities: Vec<f64> = steps.map(|i| layer.density_at(i as f64 / PROFILE_STEPS as f64)).collect();
        let densest = if drawn { densities.iter().copied().fold(1e-6, f64::max) } else { 1.0 };
        let profile: Vec<f32> = densities.iter().map(|d| (d / densest) as f32).collect();
        let mean_share = match profile.len() {
            0 => 1.0,
            n => profile.iter().sum::<f32>() / n as f32,
        };
        let extinction = (detail.extinction * densest) as f32;
        let told_edges = family != Family::Cumuliform || anvil_from.is_some();
        let bulk = if told_edges { 1.0 } else { LEFT } * extinction * mean_share;
        CloudForm {
            family,
            base: anvil_from.unwrap_or(layer.base_m) as f32,
            depth: depth as f32,
            extinction,
            mean_extinction: bulk,
            core_extinction: extinction * mean_share,
            non_forward_fraction: 1.0 - (1.0 - NON_FORWARD_FRACTION) * (-bulk * depth as f32 / THICK).exp(),
            profile,
            axes: [sin as f32, cos as f32],
            lean: lean.map(|l| l as f32),
            fibrous: family == Family::Cirriform && anvil_from.is_none(),
            is_anvil: anvil_from.is_some(),
            leaning: (1.0 / (1.0 + lean[0] * lean[0]).sqrt()) as f32,
            body_width: (BODY[usize::from(family != Family::Cumuliform)] * layer.cell_size_m) as f32,
            sampled_width: surveyed_m(layer).min(2.0 * reach) as f32,
            maps: Maps::new(&field, reach, build),
            per_block: block.map(|b| 1.0 / b as f32),
            shorten: (1.0 / length) as f32,
            fade: sizes.map(|size| (FADE as f64 / size) as f32),
            rooted: match family {
                Family::Cumuliform => 1.0 / (1.3 * amplitude).max(1.0) as f32,
                _ => 0.0,
            },
            sharpen: match family {
                Family::Cumuliform => 1.0 / (0.12 * depth) as f32,
                _ => 1.0 / (0.25 * depth) as f32,
            },
            rise: 1.0 / (0.05 * depth) as f32,
            flank: 0.55 / amplitude.max(1.0) as f32,
            fray: 1.0 / (2.6 * (0.24 * amplitude + erosion)).max(1.0) as f32,
            steep: steep as f32,
            diffuse_smoothing: (EVENED * (1.0 - steep)).min(1.0) as f32,
            uneven: if anvil_from.is_some() {
                [0.0; 2]
            } else {
                let raised = (1.0 - layer.squeeze()) * depth;
                [raised, 1.0 / (UNEVEN_CELLS * COARSEST as f64 * layer.cell_size_m.max(depth))]
                    .map(|v| v as f32)
            },
            squeeze: if anvil_from.is_some() { 1.0 } else { layer.squeeze() as f32 },
            hanging: match family {
                Family::Cumuliform => {
                    let hanging = 1.0 - layer.flat_base;
                    [hanging, hanging * 0.35 * amplitude].map(|v| v as f32)
                }
                // Half way the underside of a stratiform layer follows a sixth of its missing thickness.
                _ => [0.7 * (1.0 - layer.flat_base), 0.32 * (1.0 - layer.flat_base)].map(|v| v as f32),
            },
            amplitude: [amplitude, amplitude * fine, finest].map(|a| a as f32),
            offset,
            edge: edge.map(|e| e as f32),
            erosion: erosion as f32,
            open_step: ((0.04 * layer.cell_size_m).min(0.3 * depth) + moved + edge[1]) as f32,
            max_displacement: moved as f32,
            longest_step: match family {
                Family::Cirriform => (0.06 * depth).max(40.0) as f32,
                _ => 40.0,
            },
        }
    }

    /// Whether their altitude ranges overlap.
    #[inline]
    pub fn crosses(&self, other: &CloudForm) -> bool {
        self.base < other.base + other.depth && other.base < self.base + self.depth
    }

    /// Half the width of each nested square, m.
    pub fn squares(&self) -> [f32; LEVELS] {
        self.maps.half
    }

    /// The layer at points (m east, m north, m above the base) for a footprint of `w` metres.
    #[inline(always)]
    pub fn at<R: Real>(&self, x: R, y: R, z: R, w: R) -> CloudSample<R> {
        self.sample::<R, true>([x, y, z], w)
    }

    /// As [`CloudForm::at`] without the columns above, below and beside: for shadow rays.
    #[inline(always)]
    pub fn at_without_columns<R: Real>(&self, x: R, y: R, z: R, w: R) -> CloudSample<R> {
        self.sample::<R, false>([x, y, z], w)
    }

    #[inline(always)]
    fn sample<R: Real, const COLUMNS: bool>(&self, at: [R; 3], w: R) -> CloudSample<R> {
        match self.family {
            Family::Cumuliform => R::call(Sample::<R, false, COLUMNS> { form: self, at, w }),
            _ => R::call(Sample::<R, true, COLUMNS> { form: self, at, w }),
        }
    }

    /// Body radius at points, m: of the equivalent hemisphere.
    #[inline(always)]
    pub fn body_at<R: Real>(&self, x: R, y: R, z: R) -> R {
        let [x, y] = self.along_axes(x, y, z);
        self.maps.body(x, y)
    }

    /// The extinction alone, per metre.
    #[inline(always)]
    pub fn extinction_at<R: Real>(&self, x: R, y: R, z: R, w: R) -> R {
        self.at_without_columns(x, y, z, w).extinction
    }

    /// Points in the layer's axes, shear removed.
    #[inline(always)]
    fn along_axes<R: Real>(&self, x: R, y: R, z: R) -> [R; 2] {
        let [sin, cos] = R::splat_each(self.axes);
        let down = (R::splat(self.depth) - z).max(R::splat(0.0));
        // Tops lead their bases, trails lag behind their heads.
        let bent = down * down * R::splat(self.lean[1]) - z * R::splat(self.lean[0]);
        [x * sin + y * cos + bent, y * sin - x * cos]
    }

    /// Optical depth straight up through the whole layer, with `steps` samples of footprint `w`, at places
    /// given by their metres east and north.
    pub fn columns(&self, x: &[f32], y: &[f32], w: f32, steps: usize) -> Vec<f32> {
        dispatch(Columns { form: self, x, y, w, steps })
    }

    /// Share of columns over the optical depth that counts as cloud, and mean of a function of the depth,
    /// from a grid of places over [`surveyed_m`].
    pub fn column_statistics(&self, counts_from: f64) -> ColumnStatistics {
        const SIDE: usize = 128;
        let at = |k: usize| ((k as f32 + 0.5) / SIDE as f32 - 0.5) * self.sampled_width;
        let x: Vec<f32> = (0..SIDE).map(at).collect();
        let depths = (0..SIDE)
            .into_par_iter()
            .flat_map_iter(|row| self.columns(&x, &[at(row); SIDE], 20.0, 16))
            .collect();
        ColumnStatistics::new(depths, f64::from(self.sampled_width), counts_from)
    }
}

struct Columns<'a> {
    form: &'a CloudForm,
    x: &'a [f32],
    y: &'a [f32],
    w: f32,
    steps: usize,
}

impl Kernel for Columns<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let n = self.x.len();
        let mut out = vec![0.0; n];
        let dz = self.form.depth / self.steps as f32;
        let mut lanes = [[0.0f32; 16]; 3];
        for start in (0..n).step_by(R::LANES) {
            let count = R::LANES.min(n - start);
            lanes[0][..count].copy_from_slice(&self.x[start..start + count]);
            lanes[1][..count].copy_from_slice(&self.y[start..start + count]);
            let (x, y) = (R::load(&lanes[0]), R::load(&lanes[1]));
            let mut sum = R::splat(0.0);
            for i in 0..self.steps {
                let z = R::splat((i as f32 + 0.5) * dz);
                sum = sum + self.form.extinction_at(x, y, z, R::splat(self.w));
            }
            (sum * R::splat(dz)).store(&mut lanes[2]);
            out[start..start + count].copy_from_slice(&lanes[2][..count]);
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;
    use crate::simd::Scalar;
    use tenter_sky::document::CloudKind;

    #[test]
    fn cover_is_what_was_asked() {
        for kind in CloudKind::ALL {
            for cover in [0.05, 0.2, 0.5, 0.8, 0.95] {
                for seed in [1, 7, 23] {
                    let layer = CloudLayer { cover, seed, ..kind.usual() };
                    let form = CloudForm::new(&layer, 160_000.0, TableQuality::Full);
                    let got = form.column_statistics(layer.counts_from()).cover();
                    assert!((got - cover).abs() < 0.03, "{kind:?}: asked {cover}, seed {seed}, got {got:.3}");
                }
            }
        }
    }

    #[test]
    fn no_cover_is_no_cloud_and_full_cover_has_no_gap() {
        for kind in CloudKind::ALL {
            let none = CloudForm::new(&CloudLayer { cover: 0.0, ..kind.usual() }, 1e5, TableQuality::Draft);
            assert_eq!(none.column_statistics(0.0).cover(), 0.0, "{kind:?}");
            if kind == CloudKind::Contrail {
                continue;
            }
            let full = CloudForm::new(&CloudLayer { cover: 1.0, ..kind.usual() }, 1e5, TableQuality::Draft);
            let cover = full.column_statistics(0.03).cover();
            assert!(cover > 0.985, "{kind:?}: {cover}");
        }
    }

    /// What is told to lie over and under places of even sheets, in their soft edges too, is what is there,
    /// within the layer's ends.
    #[test]
    fn depths_over_and_under_places_of_sheets_are_what_is_there() {
        const STEPS: usize = 700;
        for kind in [CloudKind::Stratus, CloudKind::Altocumulus, CloudKind::Nimbostratus] {
            let layer = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..kind.usual() };
            let form = CloudForm::new(&layer, 1e5, TableQuality::Draft);
            let step = form.depth / STEPS as f32;
            let column: Vec<CloudSample<Scalar>> = (0..STEPS)
                .map(|k| form.at(Scalar(300.0), Scalar(40.0), Scalar((k as f32 + 0.5) * step), Scalar(0.5)))
                .collect();
            let filled =
                |some: &[CloudSample<Scalar>]| some.iter().map(|p| p.column_share.0 * step).sum::<f32>();
            let off = 0.02 * form.depth;
            for k in (0..STEPS).step_by(20) {
                let (under, over) = (filled(&column[..k]), filled(&column[k..]));
                let CloudSample { above, below, .. } = column[k];
                let near = |got: Scalar, true_m: f32| (got.0 - true_m).abs() < off;
                assert!(
                    near(above, over) && near(below, under),
                    "{kind:?} {k}: {} {over}, {} {under}",
                    above.0,
                    below.0
                );
            }
        }
    }

    /// Lumps of towers overhang their bases: where a kilometre of cloud and more lies over a place near its
    /// base, that is told.
    #[test]
    fn what_lies_over_overhanging_lumps_is_told() {
        let layer = CloudLayer { anvil: 0.0, cover: 0.3, ..CloudKind::Cumulonimbus.usual() };
        let form = CloudForm::new(&layer, 1e5, TableQuality::Draft);
        let at = |i: usize, z: f32| {
            let off = |k: usize| Scalar(k as f32 * 150.0 - 15_000.0);
            form.at(off(i % 200), off(i / 200), Scalar(z), Scalar(20.0))
        };
        const STEP: f32 = 50.0;
        let over = |i: usize| {
            (8..200).map(|k| at(i, k as f32 * STEP).extinction.0 * STEP / form.core_extinction).sum::<f32>()
        };
        let deep = (0..200 * 200)
            .filter(|i| at(*i, 400.0).extinction.0 > 0.5 * form.core_extinction && over(*i) > 1000.0);
        let sampled: Vec<f32> = deep.map(|i| at(i, 400.0).above.0).collect();
        let missed = sampled.iter().filter(|above| **above < 200.0).count() as f32 / sampled.len() as f32;
        assert!(sampled.len() > 1000 && missed < 0.02, "{missed} of {}", sampled.len());
    }

    /// Where what raises anvils ends there is no step in their thickness, which would be drawn as a line of
    /// ice; the wider edges are, the farther out it would be seen.
    #[test]
    fn anvils_end_without_a_step() {
        for edge in [1.0, 2.5, 4.0] {
            let layer = CloudLayer {
                edge,
                cover: 0.4,
                anvil: 1.0,
                cell_size_m: 7000.0,
                ..CloudKind::Cumulonimbus.usual()
            };
            let form = CloudForm::anvils(&layer, 160_000.0, TableQuality::Full);
            let off = |k: usize| Scalar(k as f32 * 60.0 - 18_000.0);
            let places = (0..600 * 600).map(|i| form.maps.hull(off(i % 600), off(i / 600)));
            let steepest = places.fold(0.0f32, |most, hull| most.max(hull.slope.0));
            assert!(steepest < 8.0, "{edge}: {steepest}");
        }
    }
}

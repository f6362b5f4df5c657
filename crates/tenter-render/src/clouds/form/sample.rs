//! A form at points: hull, lobes and erosion, and the cloud around.

use super::{CloudForm, CloudSample, FADE, PROFILE_STEPS, TURN};
use crate::clouds::cover::maps::Hull;
use crate::clouds::shape::cirriform::{FIBRE_ENDS, fibre_ends};
use crate::clouds::shape::worley::WorleyBlock;
use crate::simd::{Mask, Real, Subkernel};

/// Cloud between a point at this depth inside and the surface with this edge, as metres of full extinction:
/// the integral of the edge's smoothstep.
#[inline(always)]
fn within<R: Real>(inside: R, edge: R) -> R {
    let share = (inside / edge + R::splat(0.5)).clamp(0.0, 1.0);
    let in_edge = edge * share * share * share * (R::splat(1.0) - share * R::splat(0.5));
    in_edge + (inside - edge * R::splat(0.5)).max(R::splat(0.0))
}

/// Metres of full extinction along a path into a streak whose end has this slope and edge.
#[inline(always)]
fn fibre_column<R: Real>(slope: f32, way: R, edge: R) -> R {
    let inside = within(way.max(R::splat(0.0)) * R::splat(slope), edge);
    (inside - within(R::splat(0.0), edge)) * R::splat(1.0 / slope)
}

/// Metres of full extinction above and below a point in the middle of a streak with this edge: the
/// integrals of the smoothstep over [`fibre_ends`].
#[inline(always)]
fn fibre_columns<R: Real>(z: R, depth: R, edge: R) -> [R; 2] {
    let zero = R::splat(0.0);
    let [low, high] = FIBRE_ENDS;
    // Equidistant from both ends.
    let middle = depth * R::splat(high / (low + high));
    let lower = fibre_column(low, middle, edge);
    let upper = fibre_column(high, depth - z.max(middle), edge);
    let over = upper + (lower - fibre_column(low, z, edge)).max(zero);
    let whole = fibre_column(high, depth - middle, edge) + lower;
    [over, (whole - over).max(zero)]
}

impl CloudForm {
    #[inline(always)]
    fn place<R: Real, const SHEET: bool>(&self, x: R, y: R, z: R, w: R) -> CloudSample<R> {
        let (zero, depth) = (R::splat(0.0), R::splat(self.depth));
        let [x, y] = self.along_axes(x, y, z);
        let (height, squeeze) = (z, R::splat(self.squeeze));
        let mut z = z;
        if self.uneven[0] > 0.0 {
            let s = R::splat(self.uneven[1]);
            let raised = WorleyBlock::get().at([x * s, y * s, R::splat(0.37)]) * R::splat(self.uneven[0]);
            z = (z - raised) * R::splat(1.0 / self.squeeze);
        }
        let hull = self.maps.hull(x, y);
        let (smooth, side, mut above, mut below, mut beside);
        let mut lifted = zero;
        let (mut deep, mut dome) = (zero, zero);
        // Change of the hull's value per metre.
        let mut steep = R::splat(1.0);
        // Factor on distances where the hull's thickness changes fast.
        let mut tilt = R::splat(1.0);
        if SHEET {
            let thickness = hull.value;
            tilt = R::splat(1.0) / (hull.slope * hull.slope * R::splat(0.35) + R::splat(1.0)).sqrt();
            let half = thickness * R::splat(0.5);
            if self.fibrous {
                // Streaks span the layer, thin toward both ends.
                smooth = half.min(fibre_ends(z, depth)) * squeeze;
                side = smooth;
            } else {
                let low = (depth - thickness.max(zero)) * R::splat(self.hanging[1]);
                smooth = (half - (z - low - half).abs()) * tilt * squeeze;
                side = smooth;
                lifted = low;
            }
            (above, below) = (zero, zero);
            beside = R::splat(1e6);
        } else {
            let q = hull.value - z * z;
            steep = (hull.slope * hull.slope + z * z * R::splat(4.0)).sqrt().max(R::splat(0.25) * depth);
            // The slope gives the distance to the dome's own surface; another dome may be nearer, so it is
            // trusted only nearby. Outside, the horizontal distance is a true bound.
            let body = (q / steep).max(-R::splat(self.open_step) - (z - depth).max(zero));
            let along = hull.value / hull.slope.max(R::splat(1e-3));
            let body = R::select(hull.value.lt(zero), body.min(along), body);
            side = body * R::splat(self.leaning) * squeeze;
            smooth = side.min((z - R::splat(self.hanging[1])) * squeeze);
            (above, below, beside) = (zero, z.max(zero), zero);
            // For a sphere of radius r the hull is r^2 - x^2 and its slope 2 x.
            let flat = hull.slope * R::splat(0.5);
            dome = flat.mul_add(flat, hull.value.max(zero)).sqrt();
            deep = (dome - flat.mul_add(flat, z * z).sqrt()).min(z) * squeeze;
        }
        // Height of the body that a lobe here grows on: uphill by the lobe's size.
        let body = slope_height(&hull, R::splat(self.amplitude[0]));
        let (inside, edge, out) =
            self.surface::<R, SHEET>(x * R::splat(self.shorten), y, z, w, [smooth, side], body);
        let share = (inside / edge + R::splat(0.5)).clamp(0.0, 1.0);
        if SHEET && self.fibrous {
            // Columns are filled as in the middle of the streak, but for its ends.
            let filled =
                (hull.value * R::splat(0.5) * squeeze / edge).smoothstep(R::splat(-0.5), R::splat(0.5));
            let columns = fibre_columns(z, depth, edge / squeeze);
            (above, below) = (columns[0] * filled, columns[1] * filled);
        }
        if SHEET && !self.fibrous {
            // Lobes displace the surface; deep inside they are skipped.
            let reach = R::splat(self.max_displacement);
            let moved = R::select((reach + edge).lt(smooth), inside + reach, inside);
            let longer = R::splat(1.0) / (tilt * squeeze);
            let upper = hull.value.lt((z - lifted) * R::splat(2.0));
            let end = R::select(upper, depth - z, z);
            let [nearer, farther] =
                self.upright(hull.value, lifted, [moved * longer, end], [edge, w, longer]);
            above = R::select(upper, nearer, farther);
            below = R::select(upper, farther, nearer);
        }
        // A smoothstep keeps the ramp's mean and has no corner that shading would show.
        let share = share * share * (R::splat(3.0) - share - share);
        let clear = inside + edge * R::splat(0.5);
        // Lobes are steeper than a distance function: among them only a part of it is a safe step.
        let among = smooth + R::splat(self.max_displacement) + edge * R::splat(0.5);
        let clear = R::select(clear.lt(zero), (clear * R::splat(0.5)).min(among), clear);
        let clear =
            if SHEET && self.fibrous { R::select(clear.lt(zero), clear * tilt, clear) } else { clear };
        let mut near = zero;
        if !SHEET {
            // Columns are measured from the displaced surface: an overhanging lobe has the whole tower
            // above it.
            let value = out.mul_add(steep, hull.value).max(zero);
            above = (value.sqrt() - z).max(zero);
            beside = value / hull.slope.max(R::splat(0.25) * depth);
            // Lobes displace the surface; deep inside they are skipped. Edges are thinner than full
            // extinction.
            let reach = R::splat(self.max_displacement);
            let all = R::select((reach + edge).lt(smooth), inside + reach, inside);
            let round = (deep / smooth.max(R::splat(1.0))).clamp(0.25, 1.0);
            let round = R::select(R::splat(1.0).lt(smooth), round, R::splat(1.0));
            let from_edge = (all + edge * R::splat(0.5)).max(zero) * round * R::splat(self.steep);
            // Lobes stand out from the dome, but have at least their body's radius.
            dome = dome.max(body);
            let in_edge = from_edge.min(edge);
            near = from_edge - in_edge + in_edge * in_edge / edge * R::splat(0.5);
        }
        let mut extinction = share * R::splat(self.extinction);
        if !self.profile.is_empty() {
            let steps = PROFILE_STEPS as f32;
            let step = (height * R::splat(steps / self.depth)).clamp(0.0, steps - 1e-3);
            // SAFETY: the step is clamped so that the next value is in the profile as well.
            let (a, b) = unsafe { R::gather_pairs(&self.profile, step.floor().to_int()) };
            extinction = extinction * a.lerp(b, step - step.floor());
        }
        CloudSample {
            signed_distance: clear,
            extinction,
            above: above * squeeze,
            below: below * squeeze,
            beside,
            column_share: if SHEET && !self.fibrous { share } else { R::splat(1.0) },
            surface_distance: near,
            body_radius: dome,
            hull_distance: side,
        }
    }

    /// Metres of full extinction between a point of a layer of this thickness, which begins at `lifted`,
    /// and its nearer surface, at depth `inside`; and the farther one. Edges have this width, at least `w`,
    /// `longer` vertically. Cloud beyond the layer's own ends, of which the nearer one is `end` away, does
    /// not exist.
    #[inline(always)]
    fn upright<R: Real>(
        &self,
        thickness: R,
        lifted: R,
        [inside, end]: [R; 2],
        [edge, w, longer]: [R; 3],
    ) -> [R; 2] {
        let zero = R::splat(0.0);
        let high = R::splat(self.edge[0]).max(w) * longer;
        let low = R::splat(self.edge[1]).max(w) * longer;
        let past = within(thickness + lifted - R::splat(self.depth), high) + within(-lifted, low);
        let edge = edge * longer;
        let whole = within(thickness * R::splat(0.5), edge) * R::splat(2.0) - past;
        let nearer = within(inside, edge) - within(inside - end.max(zero), edge);
        [nearer, (whole - nearer).max(zero)]
    }

    /// Lobes and erosion: signed distance to the displaced surface, width of its edge, and outward
    /// displacement, m.
    #[inline(always)]
    fn surface<R: Real, const SHEET: bool>(
        &self,
        x: R,
        y: R,
        z: R,
        w: R,
        [smooth, side]: [R; 2],
        body: R,
    ) -> (R, R, R) {
        let low = (z * R::splat(self.sharpen)).clamp(0.0, 1.0);
        let rise = if SHEET { (z * R::splat(self.rise)).clamp(0.0, 1.0) } else { R::splat(1.0) };
        // Lobes are no larger than their body, or they would float beside it.
        let flank = (body * R::splat(self.flank)).min(R::splat(1.0));
        let edge = R::splat(self.edge[1]).lerp(R::splat(self.edge[0]), low).max(w);
        let hanging = R::splat(self.hanging[0]);
        let swell = if SHEET { hanging.lerp(R::splat(1.0), low) } else { flank };
        let edge = if SHEET { self.spread(edge, swell, rise, w) } else { edge };
        let reach = self.max_displacement;
        let near = (smooth.abs() - edge).lt(R::splat(reach));
        let far = R::select(zero_le(smooth), smooth - R::splat(reach), smooth + R::splat(reach));
        if !near.any() {
            return (far, edge, R::splat(0.0));
        }
        let lumps = WorleyBlock::get();
        // A rotated block hides the grid.
        let seen = self.shown(0, w);
        let coarse = lumps.at(self.turned::<R>(0, x, y, z));
        let lump = (coarse - R::splat(0.5)) * R::splat(2.0 * self.amplitude[0]);
        // Lobes fade away from the body: they swell from it and do not float beside it.
        let rooted = side.min(R::splat(0.0)).mul_add(R::splat(self.rooted), R::splat(1.0)).max(R::splat(0.0));
        let lump = lump * swell * seen;
        let mut d = lump.mul_add(rooted, side);
        // Below the footprint, apply the mean erosion.
        let eaten =
            (R::splat(1.3) - coarse.lerp(R::splat(0.5), R::splat(1.0) - seen)) * R::splat(self.erosion);
        let seen = self.shown(1, w);
        // Small bodies erode less, or only fragments would be left.
        let fit = if SHEET { R::splat(1.0) } else { (body * R::splat(self.fray)).min(R::splat(1.0)) };
        d = d - eaten * R::splat(0.5) * fit * (R::splat(1.0) - seen);
        if R::splat(0.0).lt(seen).any() {
            let fine = lumps.at(self.turned::<R>(1, x, y, z));
            // Crowns swell outward, undersides and fragments erode inward.
            let crown = (fine - R::splat(0.5))
                * R::splat(2.0 * self.amplitude[1])
                * (rise * R::splat(1.4) - R::splat(0.4));
            let bite = (R::splat(1.0) - fine) * eaten;
            d = d + (crown - bite) * fit * seen;
            if !SHEET && self.amplitude[2] > 0.0 {
                let seen = self.shown(2, w);
                if R::splat(0.0).lt(seen).any() {
                    let finest = lumps.at(self.turned::<R>(2, x, y, z)) - R::splat(0.5);
                    d = (finest * R::splat(2.0 * self.amplitude[2])).mul_add(fit * seen, d);
                }
            }
        }
        let out = R::select(near, d - side, R::splat(0.0));
        if !SHEET {
            // Lobes do not move the base, which stays at the condensation level; an underside that is not
            // flat has lobes.
            let under = (z - R::splat(self.hanging[1])) * R::splat(self.squeeze);
            d = d.min(lump.mul_add(hanging, under)).min(z + R::splat(self.edge[1] * 0.25));
        }
        // Independent of the packet's other lanes.
        (R::select(near, d, far), edge, out)
    }

    /// Edge of a stratiform layer, widened by the displacement of lobes below the footprint `w`. The
    /// distribution of lobes is uniform; the slope of a smoothstep has the variance of a twentieth of its
    /// squared width, a uniform one a third of its half's. Without this thin layers, which are hardly more
    /// than their lobes, would fade with them.
    #[inline(always)]
    fn spread<R: Real>(&self, edge: R, swell: R, rise: R, w: R) -> R {
        let [coarse, fine] = [R::splat(1.0) - self.shown(0, w), R::splat(1.0) - self.shown(1, w)];
        let coarse = coarse * swell * R::splat(self.amplitude[0]);
        let crown = (rise * R::splat(1.4) - R::splat(0.4)) * R::splat(self.amplitude[1]);
        // Erosion ranges from 0 to 0.8 of its amplitude at the mean of coarse lobes.
        let fine = fine * (crown + R::splat(0.4 * self.erosion));
        let moved = coarse * coarse + fine * fine;
        moved.mul_add(R::splat(20.0 / 3.0), edge * edge).sqrt()
    }

    /// Share of lobes of a size that a footprint `w` resolves.
    #[inline(always)]
    fn shown<R: Real>(&self, size: usize, w: R) -> R {
        (R::splat(FADE) - w * R::splat(self.fade[size])).clamp(0.0, 1.0)
    }

    /// A point in block sides along the block's axes.
    #[inline(always)]
    fn turned<R: Real>(&self, k: usize, x: R, y: R, z: R) -> [R; 3] {
        let s = R::splat(self.per_block[k]);
        let (x, y, z) = (x * s, y * s, z * s);
        let mut out = [x; 3];
        for (axis, row) in TURN.iter().enumerate() {
            out[axis] = x * R::splat(row[0])
                + y * R::splat(row[1])
                + z * R::splat(row[2])
                + R::splat(self.offset[k][axis]);
        }
        out
    }
}

/// A sample of a form; `SHEET`: all but cumuliform; `COLUMNS`: with the cloud above, below and beside.
pub(super) struct Sample<'a, R: Real, const SHEET: bool, const COLUMNS: bool> {
    pub(super) form: &'a CloudForm,
    pub(super) at: [R; 3],
    pub(super) w: R,
}

impl<R: Real, const SHEET: bool, const COLUMNS: bool> Subkernel<R> for Sample<'_, R, SHEET, COLUMNS> {
    type Output = CloudSample<R>;
    #[inline(always)]
    fn run(self) -> CloudSample<R> {
        let [x, y, z] = self.at;
        let place = self.form.place::<R, SHEET>(x, y, z, self.w);
        if COLUMNS {
            return place;
        }
        let zero = R::splat(0.0);
        CloudSample { above: zero, below: zero, beside: zero, column_share: zero, ..place }
    }
}

#[inline(always)]
fn slope_height<R: Real>(hull: &Hull<R>, reach: R) -> R {
    let uphill = hull.slope.mul_add(reach, hull.value).max(R::splat(0.0)).sqrt();
    // At the rim of a dome of height h and radius r the slope is 2 h h / r, which gives h as h and r are
    // proportional.
    let own = hull.slope.mul_add(R::splat(0.4), hull.value.max(R::splat(0.0)).sqrt());
    uphill.min(own)
}

#[inline(always)]
fn zero_le<R: Real>(v: R) -> R::Mask {
    R::splat(0.0).le(v)
}

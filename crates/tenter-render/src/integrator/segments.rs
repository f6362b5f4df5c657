//! Light of clouds gathered by stretches of the way.
//!
//! What is gathered has no colour yet: the sun's, the sky's and the ground's come on for whole stretches,
//! behind the air in front of them. Clouds that are met together keep their light apart: each has its own
//! drops and surroundings.

use super::in_scatter::{InScatter, LightInScatter};
use super::march_cache::Notes;
use super::{Look, Way};
use crate::scene::probe::Sides;
use crate::scene::slab_correction::{OfSheet, at_thickness};
use crate::scene::{MAX_LIGHTS, Shading, Surroundings};
use crate::simd::{Mask, Real};
use tenter_sky::spectrum::LUMINANCE;

/// Stretches of each ray that are kept before they get their colours.
const KEPT: usize = 4;

/// What clouds send along the rays, and what they let through.
pub struct CloudLight<R: Real> {
    pub light: [R; 3],
    pub through: R,
    /// What sheets have scattered but hardly turned, as a share of what stands behind all clouds.
    pub onward: R,
}

/// Opacities and light of up to [`KEPT`] stretches of each ray.
pub struct Stretches {
    /// The present stretch of each ray.
    present: [usize; 16],
    most: usize,
    /// Opacity as seen from the eye, and the same times distance.
    opacity: [[f32; 16]; KEPT],
    distance: [[f32; 16]; KEPT],
    /// Of as many clouds as a band has at most.
    light: Vec<[[[f32; 16]; InScatter::COUNT]; KEPT]>,
}

/// Phase functions of a packet: exact for the first order, smooth for those that follow it closely, and two
/// for many orders.
#[derive(Clone, Copy)]
pub struct Phases<R: Real> {
    pub single: [R; 3],
    pub forward: R,
    pub wide: R,
    pub back: R,
    pub diffracted: R,
}

/// What gives colours to stretches.
pub struct Colours<'a, R: Real> {
    pub look: &'a Look<'a>,
    pub way: &'a Way<'a, R>,
    /// Of each cloud of the band.
    pub clouds: Vec<Colour<R>>,
}

/// What gives colours to a cloud's light.
pub struct Colour<R: Real> {
    pub phases: [Phases<R>; MAX_LIGHTS],
    /// Of sheets, what is scattered more than once is multiplied by these.
    pub sheet: Option<OfSheet<R>>,
    /// Of heaps, what stands beyond them and what lights their sides.
    pub sides: Option<Sides<R>>,
    pub around: Surroundings,
    pub shading: Shading,
}

impl Stretches {
    #[inline(always)]
    pub fn new(clouds: usize) -> Stretches {
        Stretches {
            present: [0; 16],
            most: 0,
            opacity: [[0.0; 16]; KEPT],
            distance: [[0.0; 16]; KEPT],
            light: vec![[[[0.0; 16]; InScatter::COUNT]; KEPT]; clouds],
        }
    }

    /// The number of a ray's present stretch.
    #[inline(always)]
    pub fn current(&self, ray: usize) -> usize {
        self.present[ray] * 16 + ray
    }

    /// Adds a part of a cloud's light in a stretch.
    #[inline(always)]
    pub fn add(&mut self, cloud: usize, stretch: usize, part: usize, value: f32) {
        self.light[cloud][stretch / 16][part][stretch % 16] += value;
    }

    /// Some rays' present stretches are whole: their opacity, and the same times distance.
    #[inline(always)]
    pub fn end<R: Real>(&mut self, rays: R::Mask, opacity: R, distance: R) {
        let (mut o, mut d) = ([0.0; 16], [0.0; 16]);
        opacity.store(&mut o);
        distance.store(&mut d);
        let mut left = rays.bits();
        while left != 0 {
            let ray = left.trailing_zeros() as usize & 15;
            left &= left - 1;
            let k = self.present[ray];
            (self.opacity[k][ray], self.distance[k][ray]) = (o[ray], d[ray]);
            self.present[ray] = k + 1;
            self.most = self.most.max(k + 1);
        }
    }

    /// Whether a stretch has ended.
    #[inline(always)]
    pub fn any(&self) -> bool {
        self.most > 0
    }

    /// Whether a ray has no room for another stretch.
    #[inline(always)]
    pub fn full(&self) -> bool {
        self.most == KEPT
    }

    /// Adds all stretches that have ended to what is seen along their rays, and forgets them; those that go
    /// on are the first ones then, so that no ray's light hangs on when its neighbours' stretches end.
    #[inline(always)]
    pub fn close<R: Real>(&mut self, colours: &Colours<R>, seen: &mut CloudLight<R>) {
        let zero = R::splat(0.0);
        let mut present = [0.0; 16];
        for ray in 0..R::LANES {
            present[ray] = self.present[ray] as f32;
        }
        let present = R::load(&present);
        for k in 0..self.most {
            let ended = R::splat(k as f32).lt(present);
            let opacity = R::load(&self.opacity[k]);
            let t = R::load(&self.distance[k]) / opacity.max(R::splat(1e-9));
            let front = colours.look.air::<R, true>(colours.way, t);
            let mut onward = zero;
            for cloud in 0..colours.clouds.len() {
                let (values, colour) = (&self.light[cloud][k], &colours.clouds[cloud]);
                let mut sums = [zero; InScatter::COUNT];
                for part in 0..InScatter::COUNT {
                    sums[part] = R::select(ended, R::load(&values[part]), zero);
                }
                let gathered = InScatter::from_array(&sums);
                onward = onward + gathered.forward_transmitted;
                match &colour.sides {
                    Some(sides) => {
                        // The air in front is in it.
                        for c in 0..3 {
                            seen.light[c] =
                                sides.through[c].mul_add(gathered.forward_transmitted, seen.light[c]);
                        }
                    }
                    // What stands behind is seen with the air before it.
                    None => seen.onward = seen.onward + gathered.forward_transmitted,
                }
                let own = colour.of(colours, t, &gathered);
                // What haze turns by a few degrees still comes from the cloud: the air's own light is
                // without it.
                for c in 0..3 {
                    let through =
                        front.transmittance[c] * front.forward_gain * R::splat(colour.shading.scatter[c]);
                    seen.light[c] = own[c].mul_add(through, seen.light[c]);
                }
            }
            for c in 0..3 {
                seen.light[c] = front.radiance[c].mul_add(opacity - onward, seen.light[c]);
            }
            if let Some(notes) = colours.look.courses.notes {
                self.note(
                    k,
                    R::LANES,
                    InScatter::count(colours.look.scene.lights.len()),
                    &mut notes.borrow_mut(),
                );
            }
            (self.opacity[k], self.distance[k]) = ([0.0; 16], [0.0; 16]);
        }
        self.keep_what_goes_on();
        (self.present, self.most) = ([0; 16], 0);
    }

    /// Notes the light of those of the stretches with this number that have ended.
    fn note(&self, k: usize, rays: usize, parts: usize, notes: &mut Notes) {
        if !notes.takes.lit {
            return;
        }
        for ray in (0..rays).filter(|ray| k < self.present[*ray]) {
            for (cloud, light) in self.light.iter().enumerate() {
                // What was looked for has an opacity.
                if light[k][InScatter::OPACITY][ray] != 0.0 {
                    notes.take_light(ray, cloud, light[k][..parts].iter().map(|of_rays| of_rays[ray]));
                }
            }
            notes.end_light(ray, self.opacity[k][ray], self.distance[k][ray]);
        }
    }

    /// Light of stretches that go on is moved to the first place, all other light forgotten.
    fn keep_what_goes_on(&mut self) {
        for light in &mut self.light {
            for ray in 0..16 {
                let k = self.present[ray];
                for part in 0..InScatter::COUNT {
                    let value = if k < KEPT { light[k][part][ray] } else { 0.0 };
                    light[0][part][ray] = value;
                }
            }
            light[1..].fill([[0.0; 16]; InScatter::COUNT]);
        }
    }
}

impl<R: Real> Colour<R> {
    /// The light of a stretch in the colours of what lights it, `t` metres along the way.
    #[inline(always)]
    fn of(&self, Colours { look, way, .. }: &Colours<R>, t: R, gathered: &InScatter<R>) -> [R; 3] {
        let scene = look.scene;
        let p = way.rays.at(t);
        let (a, shading) = (&self.around, &self.shading);
        let beside = gathered.beside;
        // The flow is a part of what comes from above, less what comes from below.
        let (mut above, mut below) = (gathered.above + gathered.flow, gathered.below - gathered.flow);
        let thickness = gathered.log_thickness / gathered.opacity.max(R::splat(1e-9));
        if let Some(sheet) = &self.sheet {
            above = above * at_thickness(&sheet.above, thickness);
            below = below * at_thickness(&sheet.below, thickness);
        }
        let mut own = [R::splat(0.0); 3];
        for c in 0..3 {
            let around = match &self.sides {
                Some(sides) => sides.around(a, c),
                None => R::splat(a.around[c]),
            };
            let sides = around * R::splat(0.5) + R::splat(0.5 * a.beneath[c]);
            own[c] = above * R::splat(a.overhead[c]) + beside * sides + below * R::splat(a.below[c]);
            own[c] = own[c] * R::splat(shading.shade[c] * shading.absorb[c]);
        }
        for (i, source) in scene.lights.iter().enumerate() {
            let LightInScatter { single, low_orders, high_orders, backward, diffracted } = gathered.lights[i];
            let up = p.turn.local(source.direction())[2];
            let sun = source.sunlight.at(p.altitude, up);
            let mut many = high_orders * self.phases[i].wide + backward * self.phases[i].back;
            many = many * R::splat(shading.high_orders);
            let mut few = low_orders * self.phases[i].forward;
            if let Some(sheet) = &self.sheet {
                let correction = at_thickness(&sheet.lights[i], thickness);
                (many, few) = (many * correction, few * correction);
            }
            few = diffracted.mul_add(self.phases[i].diffracted, few);
            let strength = R::splat(source.strength);
            for c in 0..3 {
                let many = many.mul_add(R::splat(shading.absorb[c]), few);
                let mut share = self.phases[i].single[c].mul_add(single, many);
                if let Some(sheet) = &self.sheet {
                    share = self.phases[i].single[c].min(sheet.cut_off).mul_add(backward, share);
                }
                own[c] = share.mul_add(sun[c] * strength, own[c]);
                // Around a light there is no edge that a narrow phase function would show.
                let once = if self.sheet.is_some() { single + backward } else { single };
                let wide = self.phases[i].forward.mul_add(once, many);
                own[c] = wide.mul_add(R::splat(a.sunward[i][c]), own[c]);
            }
        }
        // Fits of what is scattered many times can come out under nothing.
        let bright = own[0] * R::splat(LUMINANCE[0])
            + own[1] * R::splat(LUMINANCE[1])
            + own[2] * R::splat(LUMINANCE[2]);
        let dark = bright.le(R::splat(0.0));
        for c in 0..3 {
            own[c] = R::select(dark, R::splat(0.0), own[c]);
        }
        own
    }
}

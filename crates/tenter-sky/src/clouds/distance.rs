//! How far it is along the ground to the nearest heap, so that rays cross the open in long steps.

/// A square map of hulls: the squares of their heights, negative outside, and how steep that is.
pub struct HullMap<'a> {
    pub side: usize,
    /// Metres.
    pub texel: f32,
    pub values: &'a [f32],
    pub slopes: &'a [f32],
    /// The value where no hull is near enough to tell.
    pub floor: f32,
}

impl HullMap<'_> {
    /// Metres from each texel to the nearest hull, 0 inside. `beyond` tells the distance for texels just outside the
    /// map, by column and row from -1 to `side`.
    ///
    /// Near a hull its own value and slope tell; farther out that is carried on by two passes of the chamfer
    /// transform (Borgefors 1986).
    pub fn distances(&self, beyond: impl Fn(i32, i32) -> f32) -> Vec<f32> {
        let (n, w) = (self.side, self.side + 2);
        let mut cells = vec![0.0f32; w * w];
        for y in 0..w {
            for x in 0..w {
                let inside = (1..=n).contains(&x) && (1..=n).contains(&y);
                cells[y * w + x] =
                    if inside { self.own((y - 1) * n + x - 1) } else { beyond(x as i32 - 1, y as i32 - 1) };
            }
        }
        // Between them no way comes out longer than the straight one (a^2 + (b - a)^2 < 1).
        let (straight, across) = (0.92 * self.texel, 1.30 * self.texel);
        for y in 1..=n {
            for x in 1..=n {
                let i = y * w + x;
                let above =
                    least(least(cells[i - w - 1], cells[i - w + 1]) + across, cells[i - w] + straight);
                cells[i] = least(least(cells[i], above), cells[i - 1] + straight);
            }
        }
        for y in (1..=n).rev() {
            for x in (1..=n).rev() {
                let i = y * w + x;
                let below =
                    least(least(cells[i + w - 1], cells[i + w + 1]) + across, cells[i + w] + straight);
                cells[i] = least(least(cells[i], below), cells[i + 1] + straight);
            }
        }
        let mut inner = Vec::with_capacity(n * n);
        cells.chunks_exact(w).skip(1).take(n).for_each(|row| inner.extend_from_slice(&row[1..=n]));
        inner
    }

    /// What a texel's own value tells.
    fn own(&self, i: usize) -> f32 {
        let (value, slope) = (self.values[i], self.slopes[i]);
        if value >= 0.0 {
            0.0
        } else if value > self.floor && slope > 0.0 {
            -value / slope
        } else {
            f32::MAX
        }
    }
}

/// The smaller of two numbers; unlike `f32::min` one instruction, for it need not care for NaN.
fn least(a: f32, b: f32) -> f32 {
    if a < b { a } else { b }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One dome in the middle: distances grow evenly from its rim, and none is longer than the way.
    #[test]
    fn distances_of_one_dome_are_those_from_its_rim() {
        const SIDE: usize = 96;
        const TEXEL: f32 = 20.0;
        let (height, radius, floor) = (600.0f32, 410.0f32, -40_000.0f32);
        let from_middle = |i: usize| {
            let at = |k: usize| (k as f32 + 0.5 - SIDE as f32 * 0.5) * TEXEL;
            at(i % SIDE).hypot(at(i / SIDE))
        };
        let fall = (height / radius).powi(2);
        let values: Vec<f32> =
            (0..SIDE * SIDE).map(|i| (height * height - fall * from_middle(i).powi(2)).max(floor)).collect();
        let slopes: Vec<f32> = (0..SIDE * SIDE)
            .map(|i| if values[i] > floor { 2.0 * fall * from_middle(i) } else { 0.0 })
            .collect();
        let map = HullMap { side: SIDE, texel: TEXEL, values: &values, slopes: &slopes, floor };
        let open = map.distances(|_, _| f32::MAX);
        let walled = map.distances(|x, _| if x < 0 { 0.0 } else { f32::MAX });
        for i in 0..SIDE * SIDE {
            let way = (from_middle(i) - radius).max(0.0);
            assert!(open[i] <= way + 1.0 && open[i] >= 0.88 * way - TEXEL, "{}: {} of {way}", i, open[i]);
            assert!(walled[i] <= open[i] && walled[i] <= (i % SIDE + 1) as f32 * TEXEL);
        }
    }
}

//! Spans of a ray between two altitudes of a spherical planet.

/// The spans of a ray between `base` and `top` (m above the ground) as distances from its start:
/// descending, and ascending from its lowest point. An empty one ends before it begins. `r`: radius of the
/// start, m; `along`: its component along the ray's direction, m.
///
/// ```
/// use tenter_render::clouds::shell_spans::shell_spans;
/// // Straight up from the ground, through a layer from 1 to 2 km.
/// let [down, up] = shell_spans(6.371e6, 6.371e6, 6.371e6, 1000.0, 2000.0);
/// assert!(down[0] >= down[1]);
/// assert!((up[0] - 1000.0).abs() < 1e-3 && (up[1] - 2000.0).abs() < 1e-3);
/// ```
pub fn shell_spans(planet: f64, r: f64, along: f64, base: f64, top: f64) -> [[f64; 2]; 2] {
    let crossing = |altitude: f64| {
        let edge = planet + altitude;
        let root = along * along - (r - edge) * (r + edge);
        (root >= 0.0).then(|| (-along - root.sqrt(), -along + root.sqrt()))
    };
    let Some((near, far)) = crossing(top) else { return [[0.0; 2]; 2] };
    let (inner_near, inner_far) = crossing(base).unwrap_or((-along, -along));
    [[near.max(0.0), inner_near], [inner_far.max(0.0), far]]
}

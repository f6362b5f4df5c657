/// The cubic from 0 at 0 to 1 at 1 with level ends; `t` is clamped to that range.
///
/// ```
/// use tenter_sky::smoothstep;
/// assert_eq!([-1.0, 0.25, 0.5, 2.0].map(smoothstep), [0.0, 0.15625, 0.5, 1.0]);
/// ```
pub fn smoothstep(t: f64) -> f64 {
    let t = t.clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

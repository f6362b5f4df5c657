//! The six faces of a cube map, as OpenEXR's ENVMAP_CUBE has them (ImfEnvmap.h): +x, -x, +y, -y, +z, -z in
//! map axes (x west, y up, z north), each as it is seen from inside, one below the other.
//!
//! A place on a face is told by `[a, b]`, both from -1 to 1, a to the right and b down.

/// Unit direction (x east, y north, z up) of a place on a face.
pub fn direction(face: usize, [a, b]: [f64; 2], heading: f64) -> [f64; 3] {
    let map = match face {
        0 => [1.0, -b, a],
        1 => [-1.0, -b, -a],
        2 => [a, 1.0, -b],
        3 => [a, -1.0, b],
        4 => [-a, -b, 1.0],
        _ => [a, -b, -1.0],
    };
    let scale = 1.0 / (1.0 + a * a + b * b).sqrt();
    to_world(map.map(|v| v * scale), heading)
}

/// The face a direction falls on.
pub fn face_of(d: [f64; 3], heading: f64) -> usize {
    let m = to_map(d, heading);
    let size = m.map(f64::abs);
    let axis = if size[0] >= size[1] && size[0] >= size[2] {
        0
    } else if size[1] >= size[2] {
        1
    } else {
        2
    };
    2 * axis + usize::from(m[axis] < 0.0)
}

/// Where a direction meets the plane of a face, which may be past its edges; `None` behind it.
pub fn place(face: usize, d: [f64; 3], heading: f64) -> Option<[f64; 2]> {
    let [x, y, z] = to_map(d, heading);
    let (forward, right, down) = match face {
        0 => (x, z, -y),
        1 => (-x, -z, -y),
        2 => (y, x, -z),
        3 => (-y, x, z),
        4 => (z, -x, -y),
        _ => (-z, x, -y),
    };
    (forward > 1e-6).then(|| [right / forward, down / forward])
}

/// Solid angle of a pixel of a face with `width` pixels a side, exactly.
pub fn solid_angle(x: usize, y: usize, width: usize) -> f64 {
    // The solid angle of the rectangle from the middle of the face to a corner (a, b).
    let corner = |x: usize, y: usize| {
        let at = |i: usize| 2.0 * i as f64 / width as f64 - 1.0;
        let (a, b) = (at(x), at(y));
        (a * b).atan2((1.0 + a * a + b * b).sqrt())
    };
    corner(x + 1, y + 1) + corner(x, y) - corner(x + 1, y) - corner(x, y + 1)
}

fn to_world([x, y, z]: [f64; 3], heading: f64) -> [f64; 3] {
    let (s, c) = heading.sin_cos();
    // North, in the map, is the heading; east is -x.
    [z * s - x * c, z * c + x * s, y]
}

fn to_map([east, north, up]: [f64; 3], heading: f64) -> [f64; 3] {
    let (s, c) = heading.sin_cos();
    [north * s - east * c, up, north * c + east * s]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_middles_of_faces_are_the_axes() {
        let axes = [
            [-1.0, 0.0, 0.0],
            [1.0, 0.0, 0.0],
            [0.0, 0.0, 1.0],
            [0.0, 0.0, -1.0],
            [0.0, 1.0, 0.0],
            [0.0, -1.0, 0.0],
        ];
        for (face, axis) in axes.into_iter().enumerate() {
            let d = direction(face, [0.0, 0.0], 0.0);
            assert!(d.iter().zip(axis).all(|(a, b)| (a - b).abs() < 1e-12), "{face}: {d:?}");
            assert_eq!(face_of(d, 0.0), face);
        }
        let east = direction(4, [0.0, 0.0], 90f64.to_radians());
        assert!((east[0] - 1.0).abs() < 1e-12, "a heading of 90 degrees puts east into the +z face");
    }

    #[test]
    fn faces_meet_at_their_edges() {
        // The right edge of the face to the north continues on the one to the east (-x).
        for b in [-0.9, 0.0, 0.7] {
            let (north, east) = (direction(4, [1.0, b], 0.4), direction(1, [-1.0, b], 0.4));
            assert!(north.iter().zip(east).all(|(a, b)| (a - b).abs() < 1e-12), "{north:?} {east:?}");
        }
    }
}

//! Plane slabs, as others have computed them.

/// Reflectance of plane slabs over black ground by discrete ordinates with 48 streams (Stamnes, Tsay,
/// Wiscombe and Jayaweera 1988; computed with the open PythonicDISORT 1.x): Henyey and Greenstein's phase
/// function with g = 0.85, nothing absorbed; by optical thickness, then for cosines of the zenith angle 1,
/// 0.87, 0.5 and 0.2.
pub const REFLECTANCE: [(f64, [f64; 4]); 5] = [
    (0.5, [0.0199, 0.0274, 0.0871, 0.3094]),
    (2.0, [0.0910, 0.1206, 0.2802, 0.5143]),
    (8.0, [0.3584, 0.4070, 0.5581, 0.7015]),
    (16.0, [0.5572, 0.5926, 0.6974, 0.7955]),
    (64.0, [0.8463, 0.8586, 0.8950, 0.9290]),
];

//! One lane: for machines without wide vectors, and the reference of the others.

use super::{Int, Mask, Real, Subkernel};
use std::ops::{Add, BitAnd, BitOr, BitXor, Div, Mul, Neg, Not, Sub};

#[derive(Clone, Copy)]
pub struct Scalar(pub f32);
#[derive(Clone, Copy)]
pub struct ScalarInt(i32);
#[derive(Clone, Copy)]
pub struct ScalarMask(bool);

macro_rules! op {
    ($t:ty, $tr:ident, $f:ident, |$a:ident, $b:ident| $e:expr) => {
        impl $tr for $t {
            type Output = Self;
            #[inline(always)]
            fn $f(self, o: Self) -> Self {
                let ($a, $b) = (self.0, o.0);
                Self($e)
            }
        }
    };
}
op!(Scalar, Add, add, |a, b| a + b);
op!(Scalar, Sub, sub, |a, b| a - b);
op!(Scalar, Mul, mul, |a, b| a * b);
op!(Scalar, Div, div, |a, b| a / b);
op!(ScalarInt, Add, add, |a, b| a.wrapping_add(b));
op!(ScalarInt, Sub, sub, |a, b| a.wrapping_sub(b));
op!(ScalarInt, Mul, mul, |a, b| a.wrapping_mul(b));
op!(ScalarInt, BitAnd, bitand, |a, b| a & b);
op!(ScalarInt, BitOr, bitor, |a, b| a | b);
op!(ScalarInt, BitXor, bitxor, |a, b| a ^ b);
op!(ScalarMask, BitAnd, bitand, |a, b| a & b);
op!(ScalarMask, BitOr, bitor, |a, b| a | b);

impl Neg for Scalar {
    type Output = Self;
    #[inline(always)]
    fn neg(self) -> Self {
        Self(-self.0)
    }
}
impl Not for ScalarMask {
    type Output = Self;
    #[inline(always)]
    fn not(self) -> Self {
        Self(!self.0)
    }
}
impl Mask for ScalarMask {
    #[inline(always)]
    fn any(self) -> bool {
        self.0
    }
    #[inline(always)]
    fn bits(self) -> u32 {
        u32::from(self.0)
    }
}
impl Int for ScalarInt {
    #[inline(always)]
    fn splat(v: i32) -> Self {
        Self(v)
    }
    #[inline(always)]
    fn shl<const B: u32>(self) -> Self {
        Self(self.0 << B)
    }
    #[inline(always)]
    fn shr<const B: u32>(self) -> Self {
        Self(((self.0 as u32) >> B) as i32)
    }
    #[inline(always)]
    fn min(self, o: Self) -> Self {
        Self(self.0.min(o.0))
    }
    #[inline(always)]
    fn max(self, o: Self) -> Self {
        Self(self.0.max(o.0))
    }
}
impl Real for Scalar {
    type Int = ScalarInt;
    type Mask = ScalarMask;
    const LANES: usize = 1;
    #[inline(always)]
    fn splat(v: f32) -> Self {
        Self(v)
    }
    #[inline(always)]
    fn call<K: Subkernel<Self>>(part: K) -> K::Output {
        part.enter_scalar()
    }
    #[inline(always)]
    fn load(v: &[f32]) -> Self {
        Self(v[0])
    }
    #[inline(always)]
    fn store(self, v: &mut [f32]) {
        v[0] = self.0;
    }
    #[inline(always)]
    fn mul_add(self, a: Self, b: Self) -> Self {
        // Not `f32::mul_add`: without the instruction that is a slow library call.
        Self(self.0 * a.0 + b.0)
    }
    #[inline(always)]
    fn min(self, o: Self) -> Self {
        Self(if self.0 < o.0 { self.0 } else { o.0 })
    }
    #[inline(always)]
    fn max(self, o: Self) -> Self {
        Self(if self.0 > o.0 { self.0 } else { o.0 })
    }
    #[inline(always)]
    fn sqrt(self) -> Self {
        Self(self.0.sqrt())
    }
    #[inline(always)]
    fn abs(self) -> Self {
        Self(self.0.abs())
    }
    #[inline(always)]
    fn floor(self) -> Self {
        Self(self.0.floor())
    }
    #[inline(always)]
    fn lt(self, o: Self) -> ScalarMask {
        ScalarMask(self.0 < o.0)
    }
    #[inline(always)]
    fn le(self, o: Self) -> ScalarMask {
        ScalarMask(self.0 <= o.0)
    }
    #[inline(always)]
    fn select(m: ScalarMask, a: Self, b: Self) -> Self {
        if m.0 { a } else { b }
    }
    #[inline(always)]
    fn to_int(self) -> ScalarInt {
        // The vector instructions give i32::MIN out of range; `as` saturates, so say it here.
        ScalarInt(if self.0.abs() < 2147483648.0 { self.0 as i32 } else { i32::MIN })
    }
    #[inline(always)]
    fn from_int(i: ScalarInt) -> Self {
        Self(i.0 as f32)
    }
    #[inline(always)]
    fn from_bits(i: ScalarInt) -> Self {
        Self(f32::from_bits(i.0 as u32))
    }
    #[inline(always)]
    fn to_bits(self) -> ScalarInt {
        ScalarInt(self.0.to_bits() as i32)
    }
    #[inline(always)]
    unsafe fn gather(t: &[f32], i: ScalarInt) -> Self {
        Self(t[i.0 as usize])
    }
    #[inline(always)]
    unsafe fn gather_u32(t: &[u32], i: ScalarInt) -> ScalarInt {
        ScalarInt(t[i.0 as usize] as i32)
    }
    #[inline(always)]
    unsafe fn gather_word_pairs(t: &[u32], i: ScalarInt) -> (ScalarInt, ScalarInt) {
        let i = i.0 as usize;
        (ScalarInt(t[i] as i32), ScalarInt(t[i + 1] as i32))
    }
}

//! SIMD lanes: a small set of types with one interface, chosen at run time.
//!
//! A kernel is written once, generic over [`Real`], and every function of it is `#[inline(always)]`.
//! [`dispatch`] enters it through a function compiled for the widest instruction set the machine has, so
//! that one binary runs everywhere and each call costs one predictable branch.

mod scalar;
#[cfg(target_arch = "x86_64")]
mod x86;

pub use scalar::{Scalar, ScalarInt};
// Private: they are sound only inside kernels that `enter` runs, on machines that have the instructions.
#[cfg(target_arch = "x86_64")]
use x86::{F8, F16};

use std::ops::{Add, BitAnd, BitOr, BitXor, Div, Mul, Neg, Not, Sub};
use std::sync::LazyLock;

/// Truth of each lane.
pub trait Mask: Copy + BitAnd<Output = Self> + BitOr<Output = Self> + Not<Output = Self> {
    fn any(self) -> bool;
    /// One bit for each lane, the first lowest.
    fn bits(self) -> u32;
}

/// 32-bit integers in lanes, wrapping arithmetic.
pub trait Int:
    Copy
    + Add<Output = Self>
    + Sub<Output = Self>
    + Mul<Output = Self>
    + BitAnd<Output = Self>
    + BitOr<Output = Self>
    + BitXor<Output = Self>
{
    fn splat(v: i32) -> Self;
    fn shl<const B: u32>(self) -> Self;
    /// Logical shift to the right.
    fn shr<const B: u32>(self) -> Self;
    fn min(self, o: Self) -> Self;
    fn max(self, o: Self) -> Self;
}

/// 32-bit floats in lanes.
pub trait Real:
    Copy
    + 'static
    + Add<Output = Self>
    + Sub<Output = Self>
    + Mul<Output = Self>
    + Div<Output = Self>
    + Neg<Output = Self>
{
    type Int: Int;
    type Mask: Mask;
    const LANES: usize;

    fn splat(v: f32) -> Self;
    /// Each of some values in all lanes.
    #[inline(always)]
    fn splat_each<const N: usize>(values: [f32; N]) -> [Self; N] {
        let mut all = [Self::splat(0.0); N];
        for i in 0..N {
            all[i] = Self::splat(values[i]);
        }
        all
    }
    /// 0, 1, 2 and so on.
    #[inline(always)]
    fn counts() -> Self {
        Self::load(&[0., 1., 2., 3., 4., 5., 6., 7., 8., 9., 10., 11., 12., 13., 14., 15.])
    }
    /// Reads the first `LANES` values of `v`.
    fn load(v: &[f32]) -> Self;
    /// Writes the first `LANES` values of `v`.
    fn store(self, v: &mut [f32]);
    /// `self * a + b`
    fn mul_add(self, a: Self, b: Self) -> Self;
    fn min(self, o: Self) -> Self;
    fn max(self, o: Self) -> Self;
    /// Of a number that is not negative; relative error under 4e-7, as for division.
    fn sqrt(self) -> Self;
    fn abs(self) -> Self;
    fn floor(self) -> Self;
    fn lt(self, o: Self) -> Self::Mask;
    fn le(self, o: Self) -> Self::Mask;
    /// `a` where the mask holds, else `b`.
    fn select(m: Self::Mask, a: Self, b: Self) -> Self;
    /// Rounds toward zero; out of range gives `i32::MIN`.
    fn to_int(self) -> Self::Int;
    fn from_int(i: Self::Int) -> Self;
    fn from_bits(i: Self::Int) -> Self;
    fn to_bits(self) -> Self::Int;
    /// # Safety
    /// Every index must be inside `t`.
    unsafe fn gather(t: &[f32], i: Self::Int) -> Self;
    /// # Safety
    /// Every index must be inside `t`.
    unsafe fn gather_u32(t: &[u32], i: Self::Int) -> Self::Int;
    /// Each indexed word and the one after it, in one read: half the traffic of two gathers.
    ///
    /// # Safety
    /// Every index and its successor must be inside `t`.
    unsafe fn gather_word_pairs(t: &[u32], i: Self::Int) -> (Self::Int, Self::Int);
    /// Each indexed number and the one after it, in one read.
    ///
    /// # Safety
    /// Every index and its successor must be inside `t`.
    #[inline(always)]
    unsafe fn gather_pairs(t: &[f32], i: Self::Int) -> (Self, Self) {
        // SAFETY: the same memory, read as the bits it holds; the caller promises the indices.
        let (a, b) = unsafe {
            Self::gather_word_pairs(std::slice::from_raw_parts(t.as_ptr().cast::<u32>(), t.len()), i)
        };
        (Self::from_bits(a), Self::from_bits(b))
    }

    /// Calls a part of a kernel that is compiled by itself for these lanes.
    fn call<K: Subkernel<Self>>(part: K) -> K::Output;

    #[inline(always)]
    fn clamp(self, lo: f32, hi: f32) -> Self {
        self.max(Self::splat(lo)).min(Self::splat(hi))
    }
    #[inline(always)]
    fn lerp(self, o: Self, t: Self) -> Self {
        (o - self).mul_add(t, self)
    }
    /// 0 below `a`, 1 above `b`, a cubic between.
    #[inline(always)]
    fn smoothstep(self, a: Self, b: Self) -> Self {
        let t = ((self - a) / (b - a)).clamp(0.0, 1.0);
        t * t * (Self::splat(3.0) - t - t)
    }
    /// Natural logarithm of a positive, normal number, absolute error under 1e-6.
    #[inline(always)]
    fn ln(self) -> Self {
        // self = 2^n m with m in 1..2; ln m = 2 artanh((m - a) / (m + a)) around a = sqrt 2.
        let bits = self.to_bits();
        let n = Self::from_int(bits.shr::<23>() - Self::Int::splat(127));
        let m = Self::from_bits((bits & Self::Int::splat(0x007f_ffff)) | Self::Int::splat(0x3f80_0000));
        let a = Self::splat(std::f32::consts::SQRT_2);
        let s = (m - a) / (m + a);
        let s2 = s * s;
        let mut p = Self::splat(2.0 / 9.0);
        for c in [2.0 / 7.0, 2.0 / 5.0, 2.0 / 3.0, 2.0] {
            p = p.mul_add(s2, Self::splat(c));
        }
        (n + Self::splat(0.5)).mul_add(Self::splat(std::f32::consts::LN_2), p * s)
    }
    /// e to the power of `self`, relative error under 3e-7 from -87 to 88, clamped beyond.
    #[inline(always)]
    fn exp(self) -> Self {
        // 2^(n + f) with f in -0.5..0.5; the polynomial is the Taylor series of 2^f.
        let x = (self * Self::splat(std::f32::consts::LOG2_E)).clamp(-126.0, 126.0);
        let n = (x + Self::splat(0.5)).floor();
        let f = (x - n) * Self::splat(std::f32::consts::LN_2);
        let mut p = Self::splat(1.0 / 720.0);
        for c in [1.0 / 120.0, 1.0 / 24.0, 1.0 / 6.0, 0.5, 1.0, 1.0] {
            p = p.mul_add(f, Self::splat(c));
        }
        let scale = Self::from_bits((n.to_int() + Self::Int::splat(127)).shl::<23>());
        p * scale
    }
}

/// Work that can be done at any lane width.
///
/// The functions that enter it for one instruction set are methods of its own, so that each kernel has a
/// codegen unit of its own: instances of one free function would all be compiled in the same unit.
pub trait Kernel: Sized {
    type Output;
    /// Must be `#[inline(always)]`, and so must everything it calls with lanes, closures included: what is
    /// not inlined is compiled without the kernel's instructions.
    fn run<R: Real>(self) -> Self::Output;

    #[doc(hidden)]
    #[inline(never)]
    fn enter_scalar(self) -> Self::Output {
        self.run::<Scalar>()
    }

    /// # Safety
    /// The machine has AVX2 and FMA.
    #[doc(hidden)]
    #[cfg(target_arch = "x86_64")]
    #[inline(never)]
    #[target_feature(enable = "avx2,fma")]
    unsafe fn enter_avx2(self) -> Self::Output {
        self.run::<F8>()
    }

    /// # Safety
    /// The machine has AVX-512 F and DQ, AVX2 and FMA.
    #[doc(hidden)]
    #[cfg(target_arch = "x86_64")]
    #[inline(never)]
    #[target_feature(enable = "avx512f,avx512dq,avx2,fma")]
    unsafe fn enter_avx512(self) -> Self::Output {
        self.run::<F16>()
    }
}

/// A part of kernels that is compiled once for each instruction set and called, not inlined, by
/// [`Real::call`]: for what is large, or used by several kernels.
pub trait Subkernel<R: Real>: Sized {
    type Output;
    /// Must be `#[inline(always)]`, as [`Kernel::run`].
    fn run(self) -> Self::Output;

    #[doc(hidden)]
    #[inline(never)]
    fn enter_scalar(self) -> Self::Output {
        self.run()
    }

    /// # Safety
    /// The machine has AVX2 and FMA.
    #[doc(hidden)]
    #[cfg(target_arch = "x86_64")]
    #[inline(never)]
    #[target_feature(enable = "avx2,fma")]
    unsafe fn enter_avx2(self) -> Self::Output {
        self.run()
    }

    /// # Safety
    /// The machine has AVX-512 F and DQ, AVX2 and FMA.
    #[doc(hidden)]
    #[cfg(target_arch = "x86_64")]
    #[inline(never)]
    #[target_feature(enable = "avx512f,avx512dq,avx2,fma")]
    unsafe fn enter_avx512(self) -> Self::Output {
        self.run()
    }
}

/// Instruction sets a kernel can be compiled for, widest last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum InstructionSet {
    Scalar,
    Avx2,
    Avx512,
}

impl InstructionSet {
    /// The sets that kernels are compiled for (see `build.rs`) and this machine can run, widest last.
    pub fn available() -> &'static [InstructionSet] {
        static AVAILABLE: LazyLock<Vec<InstructionSet>> = LazyLock::new(|| {
            let compiled = [
                #[cfg(isa = "scalar")]
                InstructionSet::Scalar,
                #[cfg(isa = "avx2")]
                InstructionSet::Avx2,
                #[cfg(isa = "avx512")]
                InstructionSet::Avx512,
            ];
            compiled.into_iter().filter(|set| set.is_detected()).collect()
        });
        &AVAILABLE
    }

    /// Whether this machine can run it.
    fn is_detected(self) -> bool {
        #[cfg(target_arch = "x86_64")]
        {
            let has_avx2 = is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma");
            let has_avx512 = is_x86_feature_detected!("avx512f") && is_x86_feature_detected!("avx512dq");
            match self {
                InstructionSet::Scalar => true,
                InstructionSet::Avx2 => has_avx2,
                InstructionSet::Avx512 => has_avx2 && has_avx512,
            }
        }
        #[cfg(not(target_arch = "x86_64"))]
        {
            self == InstructionSet::Scalar
        }
    }

    /// Lanes of its packets.
    pub fn lanes(self) -> usize {
        match self {
            InstructionSet::Scalar => 1,
            InstructionSet::Avx2 => 8,
            InstructionSet::Avx512 => 16,
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            InstructionSet::Scalar => "scalar",
            InstructionSet::Avx2 => "avx2",
            InstructionSet::Avx512 => "avx512",
        }
    }
}

/// The set that [`dispatch`] uses here.
///
/// # Panics
/// Where the program was compiled for the instruction set of another machine alone.
pub fn best() -> InstructionSet {
    static BEST: LazyLock<InstructionSet> = LazyLock::new(|| match InstructionSet::available().last() {
        Some(set) => *set,
        None => panic!("compiled for another machine's instruction set: build with TENTER_ISA=all"),
    });
    *BEST
}

/// Runs a kernel with the widest lanes of this machine.
pub fn dispatch<K: Kernel>(k: K) -> K::Output {
    enter(best(), k)
}

/// Runs a kernel on a given set, which must be one of [`InstructionSet::available`].
pub fn dispatch_on<K: Kernel>(set: InstructionSet, k: K) -> K::Output {
    assert!(InstructionSet::available().contains(&set), "{} is not available here", set.name());
    enter(set, k)
}

/// Runs a kernel on a set that is available.
fn enter<K: Kernel>(set: InstructionSet, k: K) -> K::Output {
    match set {
        #[cfg(isa = "scalar")]
        InstructionSet::Scalar => k.enter_scalar(),
        // SAFETY: the features were detected.
        #[cfg(isa = "avx2")]
        InstructionSet::Avx2 => unsafe { k.enter_avx2() },
        // SAFETY: the features were detected.
        #[cfg(isa = "avx512")]
        InstructionSet::Avx512 => unsafe { k.enter_avx512() },
        #[cfg(not(isa_all))]
        _ => unreachable!("kernels are not compiled for {}", set.name()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Exercise<'a>(&'a [f32]);
    impl Kernel for Exercise<'_> {
        type Output = Vec<f32>;
        #[inline(always)]
        fn run<R: Real>(self) -> Vec<f32> {
            let table: Vec<f32> = (0..64).map(|i| i as f32 * 0.5).collect();
            let bits: Vec<u32> = (0..65u32).map(|i| i.wrapping_mul(2654435761)).collect();
            let mut out = Vec::new();
            let mut buf = [0.0f32; 16];
            for c in self.0.chunks_exact(16) {
                for part in c.chunks_exact(R::LANES) {
                    let x = R::load(part);
                    let i = (x.abs() * R::splat(3.0)).to_int() & R::Int::splat(63);
                    // SAFETY: masked to 0..64.
                    let (g, u) = unsafe { (R::gather(&table, i), R::gather_u32(&bits, i)) };
                    // SAFETY: there are 65 words.
                    let (first, second) = unsafe { R::gather_word_pairs(&bits, i) };
                    let low = R::from_int(u.shr::<20>() ^ R::Int::splat(5))
                        + R::from_int((first ^ second.shr::<3>()).shr::<16>());
                    let y = R::select(x.lt(R::splat(0.3)), x.exp(), x.floor() + g) + low / x.abs().sqrt();
                    y.min(R::splat(1e6)).store(&mut buf);
                    out.extend_from_slice(&buf[..R::LANES]);
                }
            }
            out
        }
    }

    #[test]
    #[cfg_attr(not(isa_all), ignore = "kernels are compiled for one instruction set: TENTER_ISA=all")]
    fn every_instruction_set_agrees_with_scalar() {
        let x: Vec<f32> = (0..256).map(|i| (i as f32 - 127.3) * 0.13).collect();
        let reference = dispatch_on(InstructionSet::Scalar, Exercise(&x));
        for &set in InstructionSet::available() {
            for (a, b) in dispatch_on(set, Exercise(&x)).iter().zip(&reference) {
                assert!((a - b).abs() <= 1e-5 * b.abs(), "{}: {a} against {b}", set.name());
            }
        }
    }

    #[test]
    fn ln_is_accurate() {
        for i in 1..4000 {
            let x = (i as f32 * 0.01 - 20.0).exp();
            let (a, b) = (Real::ln(Scalar(x)).0 as f64, (x as f64).ln());
            assert!((a - b).abs() < 3e-6, "ln({x}) = {a}, {b}");
        }
    }

    #[test]
    fn exp_is_accurate() {
        for i in -800..800 {
            let x = i as f32 * 0.1;
            let (a, b) = (Real::exp(Scalar(x)).0 as f64, (x as f64).exp());
            assert!(((a - b) / b).abs() < 5e-6, "exp({x}) = {a}, {b}");
        }
    }
}

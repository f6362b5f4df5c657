//! AVX2 (8 lanes) and AVX-512 (16 lanes).

use super::{Int, Mask, Real, Subkernel};
use std::arch::x86_64::*;
use std::ops::{Add, BitAnd, BitOr, BitXor, Div, Mul, Neg, Not, Sub};

// SAFETY of every `unsafe` below: these types are only used inside a kernel entered by `dispatch_on`, which
// checked that the machine has the instructions; gathers pass on their caller's promise.
macro_rules! lanes {
    ($f:ident, $i:ident, $m:ident, $n:expr, $vf:ty, $vi:ty, $vm:ty;
     $setps:ident $loadps:ident $storeps:ident $addps:ident $subps:ident $mulps:ident $rcp:ident $fma:ident
     $minps:ident $maxps:ident $rsqrt:ident
     $seti:ident $addi:ident $subi:ident $muli:ident $mini:ident $maxi:ident $slli:ident $srli:ident
     $andi:ident $ori:ident $xori:ident
     $cvttps:ident $cvti:ident $casti:ident $castf:ident $pairs:ident
     $enter:ident) => {
        #[derive(Clone, Copy)]
        pub struct $f($vf);
        #[derive(Clone, Copy)]
        pub struct $i($vi);
        #[derive(Clone, Copy)]
        pub struct $m($vm);
        lanes!(@op $f Add add $addps);
        lanes!(@op $f Sub sub $subps);
        lanes!(@op $f Mul mul $mulps);
        // Division and square root start from the hardware's estimate and take one Newton step: a third of
        // the time of the exact instructions, with a relative error under 4e-7.
        impl Div for $f {
            type Output = Self;
            #[inline(always)]
            fn div(self, o: Self) -> Self {
                let r = unsafe { Self($rcp(o.0)) };
                let r = r * (Self::splat(2.0) - o * r);
                self * r
            }
        }
        lanes!(@op $i Add add $addi);
        lanes!(@op $i Sub sub $subi);
        lanes!(@op $i Mul mul $muli);
        lanes!(@op $i BitAnd bitand $andi);
        lanes!(@op $i BitOr bitor $ori);
        lanes!(@op $i BitXor bitxor $xori);
        impl Neg for $f {
            type Output = Self;
            #[inline(always)]
            fn neg(self) -> Self {
                Self::splat(0.0) - self
            }
        }
        impl Int for $i {
            #[inline(always)]
            fn splat(v: i32) -> Self {
                unsafe { Self($seti(v)) }
            }
            #[inline(always)]
            fn shl<const B: u32>(self) -> Self {
                unsafe { Self(lanes!(@shift $slli, self.0, B)) }
            }
            #[inline(always)]
            fn shr<const B: u32>(self) -> Self {
                unsafe { Self(lanes!(@shift $srli, self.0, B)) }
            }
            #[inline(always)]
            fn min(self, o: Self) -> Self {
                unsafe { Self($mini(self.0, o.0)) }
            }
            #[inline(always)]
            fn max(self, o: Self) -> Self {
                unsafe { Self($maxi(self.0, o.0)) }
            }
        }
        impl Real for $f {
            type Int = $i;
            type Mask = $m;
            const LANES: usize = $n;
            #[inline(always)]
            fn splat(v: f32) -> Self {
                unsafe { Self($setps(v)) }
            }
            #[inline(always)]
            fn call<K: Subkernel<Self>>(part: K) -> K::Output {
                unsafe { part.$enter() }
            }
            #[inline(always)]
            fn load(v: &[f32]) -> Self {
                assert!(v.len() >= $n);
                unsafe { Self($loadps(v.as_ptr())) }
            }
            #[inline(always)]
            fn store(self, v: &mut [f32]) {
                assert!(v.len() >= $n);
                unsafe { $storeps(v.as_mut_ptr(), self.0) }
            }
            #[inline(always)]
            fn mul_add(self, a: Self, b: Self) -> Self {
                unsafe { Self($fma(self.0, a.0, b.0)) }
            }
            #[inline(always)]
            fn min(self, o: Self) -> Self {
                unsafe { Self($minps(self.0, o.0)) }
            }
            #[inline(always)]
            fn max(self, o: Self) -> Self {
                unsafe { Self($maxps(self.0, o.0)) }
            }
            #[inline(always)]
            fn sqrt(self) -> Self {
                let x = self.max(Self::splat(1e-30));
                let r = unsafe { Self($rsqrt(x.0)) };
                let y = x * r;
                (r * Self::splat(0.5)).mul_add(x - y * y, y)
            }
            #[inline(always)]
            fn abs(self) -> Self {
                self.max(-self)
            }
            #[inline(always)]
            fn floor(self) -> Self {
                Self(lanes!(@floor $f self.0))
            }
            #[inline(always)]
            fn lt(self, o: Self) -> $m {
                $m(lanes!(@cmp $f _CMP_LT_OQ self.0, o.0))
            }
            #[inline(always)]
            fn le(self, o: Self) -> $m {
                $m(lanes!(@cmp $f _CMP_LE_OQ self.0, o.0))
            }
            #[inline(always)]
            fn select(m: $m, a: Self, b: Self) -> Self {
                Self(lanes!(@blend $f m.0, a.0, b.0))
            }
            #[inline(always)]
            fn to_int(self) -> $i {
                unsafe { $i($cvttps(self.0)) }
            }
            #[inline(always)]
            fn from_int(i: $i) -> Self {
                unsafe { Self($cvti(i.0)) }
            }
            #[inline(always)]
            fn from_bits(i: $i) -> Self {
                unsafe { Self($casti(i.0)) }
            }
            #[inline(always)]
            fn to_bits(self) -> $i {
                unsafe { $i($castf(self.0)) }
            }
            #[inline(always)]
            unsafe fn gather(t: &[f32], i: $i) -> Self {
                Self(lanes!(@gatherf $f t, i.0))
            }
            #[inline(always)]
            unsafe fn gather_u32(t: &[u32], i: $i) -> $i {
                $i(lanes!(@gatheri $f t, i.0))
            }
            #[inline(always)]
            unsafe fn gather_word_pairs(t: &[u32], i: $i) -> ($i, $i) {
                let (first, second) = unsafe { $pairs(t.as_ptr(), i.0) };
                ($i(first), $i(second))
            }
        }
    };
    (@op $t:ident $tr:ident $name:ident $ins:ident) => {
        impl $tr for $t {
            type Output = Self;
            #[inline(always)]
            fn $name(self, o: Self) -> Self {
                unsafe { Self($ins(self.0, o.0)) }
            }
        }
    };
    (@shift $ins:ident, $v:expr, $b:expr) => {
        $ins($v, lanes!(@count $ins $b))
    };
    (@count _mm256_sllv_epi32 $b:expr) => { _mm256_set1_epi32($b as i32) };
    (@count _mm256_srlv_epi32 $b:expr) => { _mm256_set1_epi32($b as i32) };
    (@count _mm512_sllv_epi32 $b:expr) => { _mm512_set1_epi32($b as i32) };
    (@count _mm512_srlv_epi32 $b:expr) => { _mm512_set1_epi32($b as i32) };
    (@floor F8 $v:expr) => { unsafe { _mm256_floor_ps($v) } };
    (@floor F16 $v:expr) => {
        unsafe { _mm512_roundscale_ps::<{ _MM_FROUND_TO_NEG_INF | _MM_FROUND_NO_EXC }>($v) }
    };
    (@cmp F8 $op:ident $a:expr, $b:expr) => { unsafe { _mm256_cmp_ps::<$op>($a, $b) } };
    (@cmp F16 $op:ident $a:expr, $b:expr) => { unsafe { _mm512_cmp_ps_mask::<$op>($a, $b) } };
    (@blend F8 $m:expr, $a:expr, $b:expr) => { unsafe { _mm256_blendv_ps($b, $a, $m) } };
    (@blend F16 $m:expr, $a:expr, $b:expr) => { unsafe { _mm512_mask_blend_ps($m, $b, $a) } };
    (@gatherf F8 $t:ident, $i:expr) => { unsafe { _mm256_i32gather_ps::<4>($t.as_ptr(), $i) } };
    (@gatherf F16 $t:ident, $i:expr) => { unsafe { _mm512_i32gather_ps::<4>($i, $t.as_ptr()) } };
    (@gatheri F8 $t:ident, $i:expr) => {
        unsafe { _mm256_i32gather_epi32::<4>($t.as_ptr() as *const i32, $i) }
    };
    (@gatheri F16 $t:ident, $i:expr) => {
        unsafe { _mm512_i32gather_epi32::<4>($i, $t.as_ptr() as *const i32) }
    };
}

lanes!(F8, I8, M8, 8, __m256, __m256i, __m256;
    _mm256_set1_ps _mm256_loadu_ps _mm256_storeu_ps _mm256_add_ps _mm256_sub_ps _mm256_mul_ps _mm256_rcp_ps
    _mm256_fmadd_ps _mm256_min_ps _mm256_max_ps _mm256_rsqrt_ps
    _mm256_set1_epi32 _mm256_add_epi32 _mm256_sub_epi32 _mm256_mullo_epi32 _mm256_min_epi32 _mm256_max_epi32
    _mm256_sllv_epi32 _mm256_srlv_epi32 _mm256_and_si256 _mm256_or_si256 _mm256_xor_si256
    _mm256_cvttps_epi32 _mm256_cvtepi32_ps _mm256_castsi256_ps _mm256_castps_si256 pairs_avx2
    enter_avx2);
lanes!(F16, I16, M16, 16, __m512, __m512i, __mmask16;
    _mm512_set1_ps _mm512_loadu_ps _mm512_storeu_ps _mm512_add_ps _mm512_sub_ps _mm512_mul_ps _mm512_rcp14_ps
    _mm512_fmadd_ps _mm512_min_ps _mm512_max_ps _mm512_rsqrt14_ps
    _mm512_set1_epi32 _mm512_add_epi32 _mm512_sub_epi32 _mm512_mullo_epi32 _mm512_min_epi32 _mm512_max_epi32
    _mm512_sllv_epi32 _mm512_srlv_epi32 _mm512_and_si512 _mm512_or_si512 _mm512_xor_si512
    _mm512_cvttps_epi32 _mm512_cvtepi32_ps _mm512_castsi512_ps _mm512_castps_si512 pairs_avx512
    enter_avx512);

/// Words `i` and `i + 1` as two vectors. Plain 64-bit loads put together take half the time of the gather
/// instructions for the same.
#[inline(always)]
unsafe fn pairs_avx2(t: *const u32, i: __m256i) -> (__m256i, __m256i) {
    let mut at = [0i32; 8];
    unsafe {
        _mm256_storeu_si256(at.as_mut_ptr().cast(), i);
        let low = _mm256_castsi256_ps(four_pairs(t, &at[..4]));
        let high = _mm256_castsi256_ps(four_pairs(t, &at[4..]));
        // Lanes come out as 0 1 4 5 2 3 6 7: the middle quarters change places.
        let first = _mm256_castps_si256(_mm256_shuffle_ps::<0b10_00_10_00>(low, high));
        let second = _mm256_castps_si256(_mm256_shuffle_ps::<0b11_01_11_01>(low, high));
        (_mm256_permute4x64_epi64::<0b11_01_10_00>(first), _mm256_permute4x64_epi64::<0b11_01_10_00>(second))
    }
}

#[inline(always)]
unsafe fn pairs_avx512(t: *const u32, i: __m512i) -> (__m512i, __m512i) {
    let mut at = [0i32; 16];
    unsafe {
        _mm512_storeu_si512(at.as_mut_ptr().cast(), i);
        let low = _mm512_castsi256_si512(four_pairs(t, &at[..4]));
        let low = _mm512_inserti64x4::<1>(low, four_pairs(t, &at[4..8]));
        let high = _mm512_castsi256_si512(four_pairs(t, &at[8..12]));
        let high = _mm512_inserti64x4::<1>(high, four_pairs(t, &at[12..]));
        let even = _mm512_setr_epi32(0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30);
        let odd = _mm512_setr_epi32(1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31);
        (_mm512_permutex2var_epi32(low, even, high), _mm512_permutex2var_epi32(low, odd, high))
    }
}

/// Four pairs of words, one after another.
#[inline(always)]
unsafe fn four_pairs(t: *const u32, at: &[i32]) -> __m256i {
    unsafe {
        let a = t.add(at[0] as u32 as usize).cast::<i64>().read_unaligned();
        let b = t.add(at[1] as u32 as usize).cast::<i64>().read_unaligned();
        let c = t.add(at[2] as u32 as usize).cast::<i64>().read_unaligned();
        let d = t.add(at[3] as u32 as usize).cast::<i64>().read_unaligned();
        let low = _mm_insert_epi64::<1>(_mm_cvtsi64_si128(a), b);
        let high = _mm_insert_epi64::<1>(_mm_cvtsi64_si128(c), d);
        _mm256_inserti128_si256::<1>(_mm256_castsi128_si256(low), high)
    }
}

impl Mask for M8 {
    #[inline(always)]
    fn any(self) -> bool {
        unsafe { _mm256_movemask_ps(self.0) != 0 }
    }
    #[inline(always)]
    fn bits(self) -> u32 {
        unsafe { _mm256_movemask_ps(self.0) as u32 }
    }
}
impl BitAnd for M8 {
    type Output = Self;
    #[inline(always)]
    fn bitand(self, o: Self) -> Self {
        unsafe { Self(_mm256_and_ps(self.0, o.0)) }
    }
}
impl BitOr for M8 {
    type Output = Self;
    #[inline(always)]
    fn bitor(self, o: Self) -> Self {
        unsafe { Self(_mm256_or_ps(self.0, o.0)) }
    }
}
impl Not for M8 {
    type Output = Self;
    #[inline(always)]
    fn not(self) -> Self {
        unsafe { Self(_mm256_xor_ps(self.0, _mm256_castsi256_ps(_mm256_set1_epi32(-1)))) }
    }
}
impl Mask for M16 {
    #[inline(always)]
    fn any(self) -> bool {
        self.0 != 0
    }
    #[inline(always)]
    fn bits(self) -> u32 {
        self.0 as u32
    }
}
impl BitAnd for M16 {
    type Output = Self;
    #[inline(always)]
    fn bitand(self, o: Self) -> Self {
        Self(self.0 & o.0)
    }
}
impl BitOr for M16 {
    type Output = Self;
    #[inline(always)]
    fn bitor(self, o: Self) -> Self {
        Self(self.0 | o.0)
    }
}
impl Not for M16 {
    type Output = Self;
    #[inline(always)]
    fn not(self) -> Self {
        Self(!self.0)
    }
}

//! Random streams: each place in the text that draws has one of its own.
//!
//! Source of the generator: PCG XSH RR 64/32 (O'Neill 2014), by `rand_pcg`; its first state comes from
//! a 64-bit FNV-1a hash of the stream's key, mixed once by SplitMix64.
//!
//! Invariant: the numbers depend on the key alone, never on the order in which streams are made.

use rand_core::{RngCore, SeedableRng};
use rand_pcg::Pcg32;

/// A stream of random numbers.
#[derive(Clone, PartialEq, Debug)]
pub struct Stream {
    rng: Pcg32,
    drawn: u64,
}

/// FNV-1a over `bytes`, from `state`.
pub fn fnv(mut state: u64, bytes: &[u8]) -> u64 {
    for b in bytes {
        state = (state ^ u64::from(*b)).wrapping_mul(0x0000_0100_0000_01b3);
    }
    state
}

/// Where FNV-1a begins.
pub const FNV_START: u64 = 0xcbf2_9ce4_8422_2325;

impl Stream {
    /// The stream of `seed` for the place that `key` names.
    pub fn new(seed: u64, key: &str) -> Self {
        let h = fnv(fnv(FNV_START, &seed.to_le_bytes()), key.as_bytes());
        let mut z = h.wrapping_add(0x9e37_79b9_7f4a_7c15);
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        Self { rng: Pcg32::seed_from_u64(z ^ (z >> 31)), drawn: 0 }
    }

    /// How many draws it gave so far.
    pub fn drawn(&self) -> u64 {
        self.drawn
    }

    /// A number from 0 to below 1, of 53 random bits.
    pub fn unit(&mut self) -> f64 {
        self.drawn += 1;
        (self.rng.next_u64() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// A whole number from 0 to below `n`, each as likely (Lemire's method, without bias); `n` > 0.
    pub fn below(&mut self, n: u64) -> u64 {
        self.drawn += 1;
        loop {
            let wide = u128::from(self.rng.next_u64()) * u128::from(n);
            if (wide as u64) >= n.wrapping_neg() % n {
                return (wide >> 64) as u64;
            }
        }
    }
}

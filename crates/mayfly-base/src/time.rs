//! Durations in microseconds, and the one way in which they become ticks.
//!
//! Invariant: a duration within one microsecond of a whole number of ticks is that number; every other
//! is rounded up (language.md §1).

/// A duration, exact to the microsecond.
pub type Micros = i64;

/// Ticks a second, 1 to 240.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Rate(pub u32);

impl Rate {
    /// The whole ticks that `micros` takes when waited for: rounded up, at least one.
    pub fn ticks(self, micros: Micros) -> u64 {
        self.ticks_from_zero(micros).max(1)
    }

    /// As [`Rate::ticks`], but a duration of nothing is no tick.
    pub fn ticks_from_zero(self, micros: Micros) -> u64 {
        let scaled = i128::from(micros.max(0)) * i128::from(self.0);
        let whole = scaled / 1_000_000;
        let rest = scaled % 1_000_000;
        let slack = i128::from(self.0);
        let ticks = if rest <= slack { whole } else { whole + 1 };
        u64::try_from(ticks).unwrap_or(u64::MAX)
    }

    /// True when a wait of `micros` is not a whole number of ticks, so that it is rounded.
    pub fn rounds(self, micros: Micros) -> bool {
        let rest = (i128::from(micros) * i128::from(self.0)).rem_euclid(1_000_000);
        let slack = i128::from(self.0);
        micros == 0 || rest > slack && 1_000_000 - rest > slack
    }

    /// The length of `ticks` ticks, to the nearest microsecond.
    pub fn micros(self, ticks: u64) -> Micros {
        let r = u128::from(self.0);
        let us = (u128::from(ticks) * 1_000_000 + r / 2) / r;
        Micros::try_from(us).unwrap_or(Micros::MAX)
    }
}

/// A duration as a person writes it: `2.4s`, `1m 30s`, `2h 5m`.
pub fn show(micros: Micros, decimals: Option<usize>) -> String {
    let sign = if micros < 0 { "-" } else { "" };
    // Rounded first, so that 59.6s without decimals is a minute.
    let unit = decimals.map_or(1, |d| 10u64.pow(6u32.saturating_sub(d as u32)));
    let us = (micros.unsigned_abs() + unit / 2) / unit * unit;
    let (h, m) = (us / 3_600_000_000, us / 60_000_000 % 60);
    let s = (us % 60_000_000) as f64 / 1e6;
    let seconds = match decimals {
        Some(d) => format!("{s:.d$}"),
        None => crate::number::show_number(s),
    };
    match (h, m) {
        (0, 0) => format!("{sign}{seconds}s"),
        (0, m) if s == 0.0 => format!("{sign}{m}m"),
        (0, m) => format!("{sign}{m}m {seconds}s"),
        (h, 0) if s == 0.0 => format!("{sign}{h}h"),
        (h, m) if s == 0.0 => format!("{sign}{h}h {m}m"),
        (h, m) => format!("{sign}{h}h {m}m {seconds}s"),
    }
}

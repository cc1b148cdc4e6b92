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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_ticks_stay_and_others_are_rounded_up() {
        for (rate, micros, ticks) in [
            (20, 500_000, 10),
            (20, 510_000, 11),
            (60, 66_667, 4),
            (60, 66_666, 4),
            (60, 66_669, 5),
            (20, 1, 1),
            (20, 0, 1),
            (7, Rate(7).micros(5), 5),
        ] {
            assert_eq!(Rate(rate).ticks(micros), ticks, "{micros} us at {rate}/s");
        }
    }

    #[test]
    fn every_number_of_ticks_survives_the_way_through_microseconds() {
        for rate in 1..=240 {
            for n in 1..200 {
                assert_eq!(Rate(rate).ticks(Rate(rate).micros(n)), n);
            }
        }
    }

    #[test]
    fn durations_read_as_written() {
        assert_eq!(show(2_400_000, None), "2.4s");
        assert_eq!(show(90_000_000, None), "1m 30s");
        assert_eq!(show(7_500_000_000, None), "2h 5m");
        assert_eq!(show(18_333_333, Some(1)), "18.3s");
    }
}

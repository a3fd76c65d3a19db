//! How long the machine takes: the time model.
//!
//! Every move follows a trapezoid speed profile. Through the corner of two moves at the angle θ between them (π straight
//! on) the speed is limited by junction deviation d: v² = a d sin(θ/2) / (1 − sin(θ/2)), the speed at which an arc that
//! cuts the corner by d would need the acceleration a; on an arc of radius r also v² ≤ a r.

use crate::geometry::Segment;

/// How a machine accelerates.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Dynamics {
    /// Acceleration a, mm/s².
    pub acceleration: f64,
    /// Junction deviation d, mm.
    pub junction: f64,
}

/// One thing the machine does.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Act {
    /// A move along a segment at no more than `speed` mm/s.
    Move {
        /// The way.
        path: Segment,
        /// Speed wanted, mm/s.
        speed: f64,
    },
    /// Standing still for this many seconds.
    Wait(f64),
}

/// How one act runs in time.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Timing {
    /// Seconds it takes.
    pub seconds: f64,
    /// Speed at its start, mm/s.
    pub entry: f64,
    /// Highest speed reached, mm/s.
    pub peak: f64,
    /// Speed at its end, mm/s.
    pub exit: f64,
    /// Length, mm.
    pub length: f64,
}

impl Timing {
    /// Length covered after `t` seconds, mm.
    pub fn covered(&self, t: f64, acceleration: f64) -> f64 {
        if t >= self.seconds {
            return self.length;
        }
        let up = (self.peak - self.entry) / acceleration;
        let down = (self.peak - self.exit) / acceleration;
        let flat = self.seconds - up - down;
        if t < up {
            return self.entry * t + acceleration * t * t / 2.0;
        }
        let risen = (self.peak + self.entry) / 2.0 * up;
        if t < up + flat {
            return risen + self.peak * (t - up);
        }
        let left = self.seconds - t;
        self.length - (self.exit * left + acceleration * left * left / 2.0)
    }
}

/// Speed allowed through the corner between two segments, mm/s.
pub fn corner_speed(before: &Segment, after: &Segment, dynamics: Dynamics) -> f64 {
    let cos = before.direction(1.0).dot(after.direction(0.0));
    let sin_half = ((1.0 + cos).max(0.0) / 2.0).sqrt();
    if sin_half > 0.999_999 {
        return f64::INFINITY;
    }
    (dynamics.acceleration * dynamics.junction * sin_half / (1.0 - sin_half)).sqrt()
}

/// Speed allowed on a segment: what is wanted, and on arcs what the acceleration holds.
fn cruise(path: &Segment, speed: f64, dynamics: Dynamics) -> f64 {
    let radius = path.radius();
    if radius.is_finite() { speed.min((dynamics.acceleration * radius).sqrt()) } else { speed }
}

/// Plans all acts from standstill to standstill: a backward pass bounds each entry speed by what can still be braked,
/// a forward pass by what can be reached.
pub fn plan(acts: &[Act], dynamics: Dynamics) -> Vec<Timing> {
    let a = dynamics.acceleration;
    let n = acts.len();
    let mut entry = vec![0.0_f64; n + 1];
    for i in 1..n {
        if let (Act::Move { path: p, speed: u }, Act::Move { path: q, speed: v }) = (&acts[i - 1], &acts[i]) {
            entry[i] = corner_speed(p, q, dynamics).min(cruise(p, *u, dynamics)).min(cruise(q, *v, dynamics));
        }
    }
    let lengths: Vec<f64> = acts.iter().map(|act| if let Act::Move { path, .. } = act { path.length() } else { 0.0 }).collect();
    for i in (0..n).rev() {
        entry[i] = entry[i].min((entry[i + 1].powi(2) + 2.0 * a * lengths[i]).sqrt());
    }
    for i in 0..n {
        entry[i + 1] = entry[i + 1].min((entry[i].powi(2) + 2.0 * a * lengths[i]).sqrt());
    }
    acts.iter()
        .enumerate()
        .map(|(i, act)| match act {
            Act::Wait(seconds) => Timing { seconds: *seconds, ..Timing::default() },
            Act::Move { path, speed } => trapezoid(lengths[i], entry[i], entry[i + 1], cruise(path, *speed, dynamics), a),
        })
        .collect()
}

fn trapezoid(length: f64, entry: f64, exit: f64, cruise: f64, a: f64) -> Timing {
    if length <= 0.0 {
        return Timing { entry, peak: entry, exit, ..Timing::default() };
    }
    let reachable = ((2.0 * a * length + entry * entry + exit * exit) / 2.0).sqrt();
    let peak = cruise.min(reachable).max(entry).max(exit);
    let ramps = (2.0 * peak * peak - entry * entry - exit * exit) / (2.0 * a);
    let flat = (length - ramps).max(0.0);
    let seconds = (peak - entry) / a + (peak - exit) / a + if peak > 0.0 { flat / peak } else { 0.0 };
    Timing { seconds, entry, peak, exit, length }
}

/// Length before an engraved row in which the machine comes up to speed: v² / 2a, mm.
pub fn run_up(speed: f64, acceleration: f64) -> f64 {
    speed * speed / (2.0 * acceleration)
}

/// Seconds as people read them, never like the time of day.
///
/// ```
/// # use boustrophe_core::time::duration;
/// assert_eq!([48.0, 880.0, 3725.0].map(duration), ["48 s", "14 min 40 s", "1 h 2 min 5 s"]);
/// ```
pub fn duration(seconds: f64) -> String {
    let s = seconds.max(0.0).round() as u64;
    match s {
        0..60 => format!("{s} s"),
        60..3600 => format!("{} min {} s", s / 60, s % 60),
        _ => format!("{} h {} min {} s", s / 3600, s / 60 % 60, s % 60),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use proptest::prelude::*;

    const D: Dynamics = Dynamics { acceleration: 1000.0, junction: 0.05 };

    fn go(x0: f64, y0: f64, x1: f64, y1: f64, speed: f64) -> Act {
        Act::Move { path: Segment::line(Point::new(x0, y0), Point::new(x1, y1)), speed }
    }

    #[test]
    fn one_long_move_is_a_trapezoid() {
        // 100 mm/s is reached in 0.1 s over 5 mm; 90 mm at full speed.
        let t = plan(&[go(0.0, 0.0, 100.0, 0.0, 100.0)], D)[0];
        assert!((t.seconds - (0.1 + 0.9 + 0.1)).abs() < 1e-9);
        // Too short to reach the speed: a triangle, 2 √(s/a).
        let t = plan(&[go(0.0, 0.0, 1.0, 0.0, 1000.0)], D)[0];
        assert!((t.seconds - 2.0 * (1.0_f64 / 1000.0).sqrt()).abs() < 1e-9);
    }

    #[test]
    fn straight_on_keeps_its_speed_and_a_turn_back_stops() {
        let on = plan(&[go(0.0, 0.0, 50.0, 0.0, 100.0), go(50.0, 0.0, 100.0, 0.0, 100.0)], D);
        assert!((on[0].exit - 100.0).abs() < 1e-9);
        let back = plan(&[go(0.0, 0.0, 50.0, 0.0, 100.0), go(50.0, 0.0, 0.0, 0.0, 100.0)], D);
        assert!(back[0].exit < 1e-6);
        // A right angle: sin 45° = 0.7071, v² = 1000 · 0.05 · 0.7071 / 0.2929.
        let corner = plan(&[go(0.0, 0.0, 50.0, 0.0, 100.0), go(50.0, 0.0, 50.0, 50.0, 100.0)], D);
        assert!((corner[0].exit - (1000.0_f64 * 0.05 * std::f64::consts::FRAC_1_SQRT_2 / 0.292_893_2).sqrt()).abs() < 1e-3);
    }

    proptest! {
        /// A machine that can do more is never later.
        #[test]
        fn more_is_never_slower(points in prop::collection::vec((0.0..200.0_f64, 0.0..200.0_f64), 2..30), speed in 1.0..400.0_f64, more in 1.0..5.0_f64) {
            let time = |speed: f64, dynamics: Dynamics| -> f64 {
                let acts: Vec<Act> = points.windows(2).map(|w| go(w[0].0, w[0].1, w[1].0, w[1].1, speed)).collect();
                plan(&acts, dynamics).iter().map(|t| t.seconds).sum()
            };
            let plain = time(speed, D);
            prop_assert!(time(speed * more, D) <= plain + 1e-9);
            let (stronger, looser) = (Dynamics { acceleration: D.acceleration * more, ..D }, Dynamics { junction: D.junction * more, ..D });
            prop_assert!(time(speed, stronger) <= plain + 1e-9 && time(speed, looser) <= plain + 1e-9);
            let length: f64 = points.windows(2).map(|w| Point::new(w[0].0, w[0].1).distance(Point::new(w[1].0, w[1].1))).sum();
            prop_assert!(plain >= length / speed);
        }

        #[test]
        fn never_faster_than_wanted_nor_than_it_can_brake(points in prop::collection::vec((0.0..200.0_f64, 0.0..200.0_f64), 2..30), speed in 1.0..400.0_f64) {
            let acts: Vec<Act> = points.windows(2).map(|w| go(w[0].0, w[0].1, w[1].0, w[1].1, speed)).collect();
            let plan = plan(&acts, D);
            for (i, t) in plan.iter().enumerate() {
                prop_assert!(t.peak <= speed + 1e-6);
                prop_assert!((t.exit.powi(2) - t.entry.powi(2)).abs() <= 2.0 * D.acceleration * t.length + 1e-6);
                prop_assert!((t.covered(t.seconds * 0.999_999, D.acceleration) - t.length).abs() < 0.01 + t.length * 1e-3);
                if i + 1 < plan.len() {
                    prop_assert!((t.exit - plan[i + 1].entry).abs() < 1e-6);
                }
            }
            prop_assert!(plan[plan.len() - 1].exit.abs() < 1e-9);
        }
    }
}

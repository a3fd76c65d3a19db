//! How the simulated controller moves: it looks only so many moves ahead, as a controller with a small buffer does, and must be
//! able to stop within what it sees.

use boustrophe_core::geometry::{Point, Segment, hull};
use boustrophe_core::proof::{Action, acts, dynamics};
use boustrophe_core::shop::Machine;
use boustrophe_core::time::{Act, Dynamics, Timing, corner_speed};

/// Moves that it sees ahead.
pub const LOOK_AHEAD: usize = 32;

/// A way in time.
#[derive(Default)]
pub struct Motion {
    acts: Vec<Act>,
    timings: Vec<Timing>,
    /// Seconds at which each act ends.
    ends: Vec<f64>,
    acceleration: f64,
}

impl Motion {
    /// The way of a program.
    pub fn of(actions: &[Action], machine: &Machine) -> Self {
        Self::new(acts(actions, machine), dynamics(machine))
    }

    /// Acts from standstill to standstill.
    pub fn new(acts: Vec<Act>, dynamics: Dynamics) -> Self {
        let timings = ahead(&acts, dynamics);
        let mut clock = 0.0;
        let ends = timings
            .iter()
            .map(|t| {
                clock += t.seconds;
                clock
            })
            .collect();
        Self { acts, timings, ends, acceleration: dynamics.acceleration }
    }

    /// Seconds in all.
    pub fn seconds(&self) -> f64 {
        self.ends.last().copied().unwrap_or(0.0)
    }

    /// The act in hand after so many seconds, and where the head is then; no act at the end.
    pub fn at(&self, clock: f64) -> (Option<usize>, Point) {
        let i = self.ends.partition_point(|e| *e <= clock);
        let end = |act: &Act| if let Act::Move { path, .. } = act { Some(path.end) } else { None };
        let before = || self.acts[..i.min(self.acts.len())].iter().rev().find_map(end).unwrap_or(Point::ZERO);
        match (self.acts.get(i), self.timings.get(i)) {
            (Some(Act::Move { path, .. }), Some(t)) if t.length > 0.0 => {
                (Some(i), path.at(t.covered(clock - (self.ends[i] - t.seconds), self.acceleration) / t.length))
            }
            (Some(_), _) => (Some(i), before()),
            (None, _) => (None, before()),
        }
    }
}

/// Speeds of acts by what can be seen at each: at the end of act `i` no faster than lets the head stand still at the end of
/// act `i + LOOK_AHEAD`, whatever comes behind it.
fn ahead(acts: &[Act], dynamics: Dynamics) -> Vec<Timing> {
    let a = dynamics.acceleration;
    let limit = |act: &Act| match act {
        Act::Wait(_) => 0.0,
        Act::Move { path, speed } => {
            let radius = path.radius();
            if radius.is_finite() { speed.min((a * radius).sqrt()) } else { *speed }
        }
    };
    let length = |act: &Act| if let Act::Move { path, .. } = act { path.length() } else { 0.0 };
    let corner = |i: usize| match (&acts[i], acts.get(i + 1)) {
        (Act::Move { path: p, .. }, Some(Act::Move { path: q, .. })) => {
            corner_speed(p, q, dynamics).min(limit(&acts[i])).min(limit(&acts[i + 1]))
        }
        _ => 0.0,
    };
    let corners: Vec<f64> = (0..acts.len()).map(corner).collect();
    let mut timings = Vec::with_capacity(acts.len());
    let mut speed = 0.0_f64;
    for (i, act) in acts.iter().enumerate() {
        let last = (i + LOOK_AHEAD).min(acts.len() - 1);
        let mut exit = 0.0_f64;
        for j in (i + 1..=last).rev() {
            exit = corners[j - 1].min((exit * exit + 2.0 * a * length(&acts[j])).sqrt());
        }
        let long = length(act);
        let exit = exit.min((speed * speed + 2.0 * a * long).sqrt());
        let timing = match act {
            Act::Wait(seconds) => Timing { seconds: *seconds, ..Timing::default() },
            Act::Move { .. } if long <= 0.0 => Timing { entry: speed, peak: speed, exit: speed, ..Timing::default() },
            Act::Move { .. } => {
                // Up, along and down: the peak is where both ramps meet, or what is allowed.
                let meet = ((2.0 * a * long + speed * speed + exit * exit) / 2.0).sqrt();
                let peak = limit(act).min(meet).max(speed).max(exit);
                let ramps = (peak * peak - speed * speed + peak * peak - exit * exit) / (2.0 * a);
                let along = if peak > 0.0 { (long - ramps).max(0.0) / peak } else { 0.0 };
                Timing { seconds: (2.0 * peak - speed - exit) / a + along, entry: speed, peak, exit, length: long }
            }
        };
        speed = timing.exit;
        timings.push(timing);
    }
    timings
}

/// The way round what a program burns: the hull of its lit moves, from and back to the zero of the bed, as rapid moves.
pub fn round(actions: &[Action], machine: &Machine) -> Motion {
    let mut lit: Vec<Point> = Vec::new();
    for action in actions {
        if let Action::Move { path, power, .. } = action
            && *power > 0.0
        {
            let steps = if path.radius().is_finite() { 8 } else { 1 };
            lit.extend((0..=steps).map(|k| path.at(f64::from(k) / f64::from(steps))));
        }
    }
    let mut way = vec![Point::ZERO];
    let hull = hull(lit);
    way.extend(hull.iter().chain(hull.first()));
    way.push(Point::ZERO);
    let speed = machine.rapid / 60.0;
    let acts =
        way.windows(2).filter(|w| w[0].distance(w[1]) > 1e-6).map(|w| Act::Move { path: Segment::line(w[0], w[1]), speed }).collect();
    Motion::new(acts, dynamics(machine))
}

#[cfg(test)]
mod tests {
    use super::*;
    use boustrophe_core::time::plan;
    use proptest::prelude::*;

    proptest! {
        /// It never goes faster through anything than one that sees the whole way, and can always stop within what it sees.
        #[test]
        fn who_sees_less_is_never_faster(points in prop::collection::vec((0.0..60.0_f64, 0.0..60.0_f64), 3..120), speed in 10.0..400.0_f64) {
            let dynamics = Dynamics { acceleration: 800.0, junction: 0.05 };
            let acts: Vec<Act> = points
                .windows(2)
                .map(|w| Act::Move { path: Segment::line(Point::new(w[0].0, w[0].1), Point::new(w[1].0, w[1].1)), speed })
                .collect();
            let whole: f64 = plan(&acts, dynamics).iter().map(|t| t.seconds).sum();
            let motion = Motion::new(acts.clone(), dynamics);
            prop_assert!(motion.seconds() >= whole - 1e-9 && motion.seconds() < whole * 1.5, "{} for {whole}", motion.seconds());
            for (i, t) in motion.timings.iter().enumerate() {
                let seen: f64 = motion.timings[i + 1..].iter().take(LOOK_AHEAD).map(|t| t.length).sum();
                prop_assert!(t.exit.powi(2) <= 2.0 * dynamics.acceleration * seen + 1e-6);
                prop_assert!((t.exit.powi(2) - t.entry.powi(2)).abs() <= 2.0 * dynamics.acceleration * t.length + 1e-6);
            }
            // Where it is said to be goes on without a jump.
            let mut before = motion.at(0.0).1;
            for k in 1..=200 {
                let at = motion.at(motion.seconds() * f64::from(k) / 200.0).1;
                prop_assert!(at.distance(before) <= speed * motion.seconds() / 200.0 + 1e-6);
                before = at;
            }
            prop_assert!(before.distance(Point::new(points[points.len() - 1].0, points[points.len() - 1].1)) < 1e-6);
        }

        /// The walk goes round all that is burned.
        #[test]
        fn a_hull_has_all_points_on_one_side(points in prop::collection::vec((0.0..60.0_f64, 0.0..60.0_f64), 3..40)) {
            let all: Vec<Point> = points.iter().map(|p| Point::new(p.0, p.1)).collect();
            let hull = hull(all.clone());
            for (i, a) in hull.iter().enumerate() {
                let b = hull[(i + 1) % hull.len()];
                prop_assert!(all.iter().all(|p| (b - *a).cross(*p - *a) >= -1e-6));
            }
        }
    }
}

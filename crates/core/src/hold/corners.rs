//! Sharp corners of closed cuts: loops in the scrap, and stays.
//!
//! Where a part's edge turns outward, the kerf would go round its corner while the head slows down. Instead it may go on straight,
//! round a circle that touches both lines, and come back straight. Where the edge turns inward the scrap is a wedge; the head
//! may stand in its point, or go round a loop within the wedge, so that the corner is burned out.

use super::Track;
use super::leads::Yard;
use crate::decisions::{CornerRule, InnerCorner, OuterCorner};
use crate::geometry::{Point, Segment, Vec2};
use std::f64::consts::TAU;

/// A corner that turns by less than this is none, radians.
const SHARP: f64 = 0.6;
/// Sharper than this there is no room for a loop, radians.
const NEEDLE: f64 = 2.8;
/// Shares of the reach that are tried where there is not enough room.
const SHARES: [f64; 3] = [1.0, 0.6, 0.35];

/// What is known of a cut where its corners are looked at.
pub(super) struct Around<'a> {
    pub(super) yard: &'a Yard,
    pub(super) rule: &'a CornerRule,
    /// The scrap lies to the left of the cut as it goes.
    pub(super) scrap_left: bool,
    pub(super) kerf: f64,
}

/// Lays loops and stays at the corners of a cut's runs.
pub(super) fn lay(line: &mut Track, around: &Around) {
    let CornerRule { inner, outer, .. } = *around.rule;
    if inner == InnerCorner::Plain && outer == OuterCorner::Plain {
        return;
    }
    for (r, run) in line.runs.iter_mut().enumerate() {
        let mut out: Vec<Segment> = Vec::with_capacity(run.len());
        for (i, s) in run.iter().enumerate() {
            let round = i > 0 && i + 1 < run.len() && around.is_round_corner(s);
            match round.then(|| around.outer(s.start, s.direction(0.0), s.end, s.direction(1.0))).flatten() {
                Some(looped) => out.extend(looped),
                None => out.push(*s),
            }
            let Some(next) = run.get(i + 1) else { continue };
            let (at, before, after) = (s.end, s.direction(1.0), next.direction(0.0));
            let turn = around.turn(before, after);
            if turn < -SHARP && outer == OuterCorner::Loop {
                out.extend(around.outer(at, before, at, after).into_iter().flatten());
            } else if turn > SHARP && inner == InnerCorner::Dwell {
                line.dwells.push((r, out.len() - 1));
            } else if turn > SHARP && inner == InnerCorner::Loop {
                out.extend(around.inner(at, before, after).into_iter().flatten());
            }
        }
        *run = out;
    }
    line.dwell = around.rule.seconds;
}

impl Around<'_> {
    /// How far the way turns into the scrap, radians; less than nothing away from it.
    fn turn(&self, before: Vec2, after: Vec2) -> f64 {
        let left = before.cross(after).atan2(before.dot(after));
        if self.scrap_left { left } else { -left }
    }

    /// True for the arc that the kerf makes round a sharp outer corner.
    fn is_round_corner(&self, s: &Segment) -> bool {
        let away = if self.scrap_left { -s.sweep() } else { s.sweep() };
        self.rule.outer == OuterCorner::Loop && !s.is_line() && away > SHARP && s.radius() < self.kerf * 0.75
    }

    fn free(&self, looped: Vec<Segment>) -> Option<Vec<Segment>> {
        self.yard.has_room(&looped, self.kerf).then_some(looped)
    }

    /// On from `a` in the direction `before`, round, and back to `b` in the direction `after`.
    fn outer(&self, a: Point, before: Vec2, b: Point, after: Vec2) -> Option<Vec<Segment>> {
        let turn = -self.turn(before, after);
        if !(SHARP..NEEDLE).contains(&turn) || self.rule.outer != OuterCorner::Loop {
            return None;
        }
        // The circle is gone round against the corner's own turn, the long way.
        let sweep = (TAU - turn) * if self.scrap_left { 1.0 } else { -1.0 };
        SHARES.iter().find_map(|share| {
            let reach = self.rule.reach * share;
            let (on, back) = (a + before * reach, b - after * reach);
            let round = Segment { start: on, end: back, bulge: (sweep / 4.0).tan() };
            self.free(vec![Segment::line(a, on), round, Segment::line(back, b)])
        })
    }

    /// Out of the point of the wedge, round, and back.
    fn inner(&self, at: Point, before: Vec2, after: Vec2) -> Option<Vec<Segment>> {
        let middle = after - before;
        if middle.hypot() < 1e-6 {
            return None;
        }
        let middle = middle / middle.hypot();
        // Half the angle between the loop's sides: a quarter of the wedge's.
        let half = (std::f64::consts::PI - self.turn(before, after)) / 4.0;
        let toward =
            |angle: f64| Vec2::new(middle.x * angle.cos() - middle.y * angle.sin(), middle.x * angle.sin() + middle.y * angle.cos());
        // Out on the side that it came along, back on the side that it goes on.
        let (out, back) = if self.scrap_left { (half, -half) } else { (-half, half) };
        // Round the rest of a circle that touches both sides.
        let sweep = (std::f64::consts::PI + 2.0 * half) * if self.scrap_left { -1.0 } else { 1.0 };
        SHARES.iter().find_map(|share| {
            let side = self.rule.reach * share * 0.6;
            let (from, to) = (at + toward(out) * side, at + toward(back) * side);
            let round = Segment { start: from, end: to, bulge: (sweep / 4.0).tan() };
            self.free(vec![Segment::line(at, from), round, Segment::line(to, at)])
        })
    }
}

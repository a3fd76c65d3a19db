//! Centre lines that came as loose dashes: long and short in turn on one line, as ISO 128 draws what is symmetrical.

use super::{Kind, Plan};
use crate::geometry::{Point, Vec2};

/// Lines of one direction and place lie within this angle, degrees, and this far apart, mm.
const ALIKE: (f64, f64) = (0.3, 0.05);
/// Gaps in a row at least, mm, and at most, in heights of letters.
const GAP: (f64, f64) = (0.05, 1.6);
/// A short dash is no longer than this share of the row's longest.
const SHORT: f64 = 0.5;
/// Long dashes within a row are as long as the longest of them within this share; the first and the last may be cut off.
const EVEN: f64 = 0.7;
/// Short dashes that follow each other at most.
const DOTS: usize = 2;
/// Dashes that tell a line by themselves; three do where they are drawn over the middle of a circle.
const ENOUGH: usize = 5;
/// The middle dash of three lies over a circle's middle within this share of its diameter.
const OVER: f64 = 0.05;

/// A stroke with where it begins and ends along its line.
#[derive(Clone, Copy)]
struct Dash {
    contour: usize,
    angle: f64,
    off: f64,
    from: f64,
    to: f64,
}

impl Dash {
    fn length(&self) -> f64 {
        self.to - self.from
    }
}

impl Plan<'_> {
    /// Takes rows of long and short dashes in turn as centre lines.
    pub(super) fn chain_lines(&mut self) {
        let mut dashes: Vec<Dash> = (0..self.contours.len()).filter_map(|i| self.dash(i)).collect();
        dashes.sort_by(|a, b| a.angle.total_cmp(&b.angle));
        let circles: Vec<(Point, f64)> = (0..self.contours.len())
            .filter(|i| self.is_round(*i))
            .map(|i| (self.contours[i].bounds.center(), self.contours[i].bounds.width()))
            .collect();
        for alike in dashes.chunk_by_mut(|a, b| b.angle - a.angle < ALIKE.0) {
            alike.sort_by(|a, b| a.off.total_cmp(&b.off));
            for line in alike.chunk_by_mut(|a, b| b.off - a.off < ALIKE.1) {
                line.sort_by(|a, b| a.from.total_cmp(&b.from));
                let gap = GAP.0..=GAP.1 * self.letters;
                let rows: Vec<&[Dash]> = line.chunk_by(|a, b| gap.contains(&(b.from - a.to))).filter(|r| in_turn(r)).collect();
                for row in rows {
                    if row.len() >= ENOUGH || self.is_over(row, &circles) {
                        row.iter().for_each(|d| self.take(d.contour, Kind::CentreLine));
                    }
                }
            }
        }
    }

    fn dash(&self, i: usize) -> Option<Dash> {
        let (true, [s]) = (self.is_strokes(i), self.path(i).segments.as_slice()) else { return None };
        let mut angle = (s.end - s.start).atan2().to_degrees().rem_euclid(180.0);
        // What is level is one direction, not two.
        if angle > 180.0 - ALIKE.0 / 2.0 {
            angle -= 180.0;
        }
        let along = Vec2::from_angle(angle.to_radians());
        let (a, b) = (along.dot(s.start.to_vec2()), along.dot(s.end.to_vec2()));
        Some(Dash { contour: i, angle, off: along.cross(s.at(0.5).to_vec2()), from: a.min(b), to: a.max(b) })
    }

    /// Three dashes, the short one over the middle of a circle that they cross.
    fn is_over(&self, row: &[Dash], circles: &[(Point, f64)]) -> bool {
        let [a, b, c] = row else { return false };
        let Some(middle) = self.path(b.contour).segments.first().map(|s| s.at(0.5)) else { return false };
        let crosses = |d: f64| c.to - a.from > 0.5 * d && c.to - a.from < 3.0 * d + 12.0 * self.letters;
        circles.iter().any(|(at, d)| at.distance(middle) <= OVER * d && crosses(*d))
    }
}

/// Long and short in turn, the long ones alike.
fn in_turn(row: &[Dash]) -> bool {
    let longest = row.iter().map(Dash::length).fold(0.0, f64::max);
    let is_short = |d: &Dash| d.length() <= SHORT * longest;
    let inner = row.get(1..row.len().saturating_sub(1)).unwrap_or_default();
    let shorts = inner.iter().filter(|d| is_short(d)).count();
    let even = inner.iter().filter(|d| !is_short(d)).all(|d| d.length() >= EVEN * longest);
    let turns = inner.windows(2).all(|w| is_short(&w[0]) || is_short(&w[1]));
    let dots = inner.windows(DOTS + 1).all(|w| !w.iter().all(is_short));
    shorts > 0 && even && turns && dots
}

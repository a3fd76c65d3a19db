//! Item numbers: a number in a circle, with a line that leads from it to what it is of.

use super::{Kind, Plan, TOUCH};
use crate::geometry::{Bounds, Point};

/// The circle is so many heights of its number wide, at least and at most.
const ROUND: std::ops::RangeInclusive<f64> = 1.2..=8.0;
/// The number's middle is off the circle's by no more than this share of its width.
const OFF: f64 = 0.2;
/// Letters of an item's number at most, and how wide they are in heights where they cannot be read.
const LONGEST: (usize, f64) = (4, 3.0);
/// What ends the line that leads away, a dot, is no wider than so many heights.
const DOT: f64 = 1.0;

impl Plan<'_> {
    pub(super) fn item_numbers(&mut self) {
        for n in 0..self.lines.len() {
            let line = self.lines[n].clone();
            let short = line.says.map_or(line.width <= LONGEST.1 * line.height, |s| (1..=LONGEST.0).contains(&s.trim().chars().count()));
            if !short {
                continue;
            }
            let h = line.height;
            let round: Vec<usize> = self
                .near(Bounds { min: line.middle, max: line.middle })
                .filter(|i| {
                    let b = self.contours[*i].bounds;
                    self.found[*i].is_none()
                        && self.is_round(*i)
                        && ROUND.contains(&(b.width() / h))
                        && b.center().distance(line.middle) <= OFF * b.width()
                })
                .collect();
            for i in round {
                let (at, r) = (self.contours[i].bounds.center(), self.contours[i].bounds.width() / 2.0);
                let leads = self.led_from(i, at, r, h);
                if leads.is_empty() {
                    continue;
                }
                self.take(i, Kind::ItemNumber);
                leads.into_iter().for_each(|k| self.take(k, Kind::ItemNumber));
            }
        }
    }

    /// Lines that go straight out from a circle, with what ends them.
    fn led_from(&self, circle: usize, at: Point, r: f64, h: f64) -> Vec<usize> {
        let mut out = Vec::new();
        for i in self.near(self.contours[circle].bounds.grown(TOUCH * h)) {
            let (true, [first, ..]) = (i != circle && self.is_strokes(i), self.path(i).segments.as_slice()) else { continue };
            let Some(last) = self.path(i).segments.last() else { continue };
            for (from, to) in [(first.start, last.end), (last.end, first.start)] {
                let out_of = (from.distance(at) - r).abs() <= TOUCH * h && to.distance(at) > r + h;
                if out_of {
                    out.push(i);
                    let dots = self.touching(to, TOUCH * h).into_iter().filter(|k| {
                        let b = self.contours[*k].bounds;
                        *k != circle && *k != i && b.width().max(b.height()) <= DOT * h && self.path(*k).closed
                    });
                    out.extend(dots);
                    out.extend(self.ends(i, to, h));
                }
            }
        }
        out
    }

    /// A circle, as arcs or as what was made of them.
    pub(super) fn is_round(&self, i: usize) -> bool {
        let c = &self.contours[i];
        let (w, h) = (c.bounds.width(), c.bounds.height());
        c.path.closed
            && c.path.segments.iter().all(|s| !s.is_line())
            && (w - h).abs() < 1e-3 * w.max(1.0)
            && (c.area.abs() - std::f64::consts::FRAC_PI_4 * w * w).abs() < 1e-2 * w * w
    }
}

//! Centre lines by their dashes and by where they lie, and hatchings.

use super::{Kind, Plan};
use crate::geometry::{Bounds, Point, Segment};
use std::collections::BTreeMap;

/// A cross through a circle is so many of its diameters long.
const CROSS: std::ops::RangeInclusive<f64> = 0.15..=2.2;
/// Lines of a hatching at least, and the widest distance of two of them, mm.
const HATCH: (usize, f64) = (5, 15.0);
/// What ends on an outline is this near to it, mm.
pub(super) const ON: f64 = 0.3;
/// Steps of angle that count as one direction, degrees.
const STEP: f64 = 0.5;

/// What lines of one hatching have in common: their looks, their direction in steps, and the outline that they fill.
type Slant = (usize, i64, Option<usize>);

/// Long and short dashes in turn, by the name of the line type or by its lengths.
pub(super) fn chain_dotted(line_type: &str) -> bool {
    let name = line_type.to_lowercase();
    if ["center", "centre", "dashdot", "chain", "axis", "phantom", "dash-dot", "divide"].iter().any(|w| name.contains(w)) {
        return true;
    }
    let lengths: Option<Vec<f64>> = line_type.split([' ', ',']).filter(|w| !w.is_empty()).map(|w| w.parse().ok()).collect();
    let Some(lengths) = lengths.filter(|l| l.len() >= 4 && l.len().is_multiple_of(2)) else { return false };
    let dashes = lengths.iter().step_by(2).map(|l| l.abs());
    let (long, short) = dashes.fold((0.0_f64, f64::INFINITY), |(a, b), l| (a.max(l), b.min(l)));
    long > 2.5 * short.max(1e-9)
}

impl Plan<'_> {
    pub(super) fn centre_lines(&mut self) {
        let dotted: Vec<usize> =
            (0..self.contours.len()).filter(|i| self.is_strokes(*i) && chain_dotted(&self.contours[*i].style.line_type)).collect();
        dotted.into_iter().for_each(|i| self.take(i, Kind::CentreLine));
        if self.letters == 0.0 {
            return;
        }
        self.chain_lines();
        // Plain crosses: one line through the middle of a circle each way, and of the same length.
        let circles: Vec<usize> = (0..self.contours.len()).filter(|i| self.is_round(*i)).collect();
        for circle in circles {
            let (at, d) = (self.contours[circle].bounds.center(), self.contours[circle].bounds.width());
            let through: Vec<(usize, Segment)> = self
                .near(Bounds { min: at, max: at }.grown(0.01 * d))
                .filter(|i| self.is_strokes(*i) && self.path(*i).segments.len() == 1)
                .map(|i| (i, self.path(i).segments[0]))
                .filter(|(_, s)| s.at(0.5).distance(at) < 0.02 * d && CROSS.contains(&(s.chord() / d)))
                .collect();
            let crossed =
                through.iter().any(|(_, a)| through.iter().any(|(_, b)| (a.end - a.start).dot(b.end - b.start).abs() < 1e-3 * d * d));
            if through.len() >= 2 && crossed {
                through.into_iter().for_each(|(i, _)| self.take(i, Kind::CentreLine));
            }
        }
    }

    /// Slanted lines of one look, all alike, from outline to outline at one distance.
    pub(super) fn hatchings(&mut self) {
        let mut alike: BTreeMap<Slant, Vec<(Segment, usize)>> = BTreeMap::new();
        for i in 0..self.contours.len() {
            let (true, [s]) = (self.is_strokes(i), self.path(i).segments.as_slice()) else { continue };
            let angle = (s.end - s.start).atan2().to_degrees().rem_euclid(180.0);
            let upright = (angle / 90.0 - (angle / 90.0).round()).abs() * 90.0;
            if upright < 3.0 || !self.on_outline(s.start, i) || !self.on_outline(s.end, i) {
                continue;
            }
            let looks = std::sync::Arc::as_ptr(&self.contours[i].style) as usize;
            alike.entry((looks, (angle / STEP).round() as i64, self.filled(s.at(0.5)))).or_default().push((*s, i));
        }
        for lines in alike.into_values().filter(|l| l.len() >= HATCH.0) {
            // Across from the first of them: far from the origin an angle that is a little off would tell as much.
            let first = lines[0].0;
            let unit = (first.end - first.start) / first.chord();
            let mut across: Vec<f64> = lines.iter().map(|(s, _)| unit.cross(s.at(0.5) - first.at(0.5))).collect();
            across.sort_by(f64::total_cmp);
            let steps: Vec<f64> = across.windows(2).map(|w| w[1] - w[0]).filter(|d| *d > 0.05).collect();
            let least = steps.iter().copied().fold(f64::INFINITY, f64::min);
            let even = steps.iter().filter(|d| (*d / least - (*d / least).round()).abs() < 0.1).count();
            if least <= HATCH.1 && even * 10 >= steps.len() * 8 {
                lines.into_iter().for_each(|(_, i)| self.take(i, Kind::Hatching));
            }
        }
    }

    /// The smallest outline round a point: the area that a line there fills.
    fn filled(&self, p: Point) -> Option<usize> {
        let round = self.near(Bounds { min: p, max: p }).filter(|i| self.path(*i).closed && self.path(*i).contains(p));
        round.min_by(|a, b| self.contours[*a].area.abs().total_cmp(&self.contours[*b].area.abs()))
    }

    fn on_outline(&self, p: Point, but: usize) -> bool {
        self.touching(p, ON).into_iter().any(|i| i != but && self.path(i).closed)
    }
}

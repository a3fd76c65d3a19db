//! Lines of writing: those that a file gives as such, and those that its writer turned into filled outlines. The latter cannot
//! be read, but where they stand they tell as well what is a dimension and what a table.

use super::{Kind, Plan};
use crate::drawing::Text;
use crate::geometry::{Bounds, Point, Vec2};
use rustc_hash::FxHashSet;

/// A letter is no larger than this share of the plan.
const LARGEST: f64 = 0.03;
/// Letters of a line are no further apart than this share of the larger one.
const APART: f64 = 0.45;
/// A full stop is so many times smaller than a capital.
const UNLIKE: f64 = 12.0;
/// Neighbours that are looked at before it is given up: what lies in heaps is no writing.
const MOST_LOOKED: usize = 20_000_000;
/// Outlines of a row that are told apart from what lies in them; in longer ones each counts.
const MANY: usize = 400;
/// A letter by itself is as high as most of the others, within these shares.
const ALIKE: std::ops::RangeInclusive<f64> = 0.35..=2.0;
/// A line is told to lean from this many degrees on; below them it is level or upright.
const LEANS: f64 = 8.0;

/// A line of writing on the plan.
#[derive(Clone, Debug)]
pub(super) struct Line<'a> {
    /// Left end of its base line.
    pub at: Point,
    /// About its middle.
    pub middle: Point,
    /// About how wide it is, mm.
    pub width: f64,
    /// Height of its capitals, mm.
    pub height: f64,
    /// Direction of its base line, radians.
    pub angle: f64,
    /// What it says; `None` where it came as outlines.
    pub says: Option<&'a str>,
}

impl<'a> Line<'a> {
    pub(super) fn of(text: &'a Text) -> Self {
        let Text { at, height, angle, .. } = *text;
        Self { at, middle: text.middle(), width: text.width(), height, angle, says: Some(&text.value) }
    }
}

/// How high most of the writing is, mm; 0 without any.
pub(super) fn usual(lines: &[Line]) -> f64 {
    let mut heights: Vec<f64> = lines.iter().map(|l| l.height).collect();
    heights.sort_by(f64::total_cmp);
    heights.get(heights.len() / 2).copied().unwrap_or(0.0)
}

impl Plan<'_> {
    /// Takes letters, and small filled outlines that stand in rows, as writing; true where there are such.
    pub(super) fn writing(&mut self) -> bool {
        let spelled = self.spelled();
        self.outlined() || spelled
    }

    /// Takes the letters of writing that can be read.
    pub(super) fn spelled(&mut self) -> bool {
        let lettered = std::mem::take(&mut self.lettered);
        let of: FxHashSet<u32> = lettered.iter().map(|t| t.compound).collect();
        let letters = (0..self.contours.len()).filter(|i| self.contours[*i].style.text && of.contains(&self.contours[*i].compound));
        letters.collect::<Vec<_>>().into_iter().for_each(|i| self.take(i, Kind::Writing));
        self.lines.extend(lettered.iter().map(|t| Line::of(t)));
        self.letters = usual(&self.lines);
        !lettered.is_empty()
    }

    fn outlined(&mut self) -> bool {
        let Some(rows) = self.rows() else { return false };
        let lines: Vec<Line> = rows.iter().map(|r| self.line(r)).collect();
        // One by itself may be a small part: it is a letter where it is of the size of those that stand in rows.
        let several: Vec<bool> = rows.iter().map(|r| r.len() > MANY || self.outer(r).count() > 1).collect();
        let in_rows: Vec<Line> = lines.iter().zip(&several).filter(|(_, s)| **s).map(|(l, _)| l.clone()).collect();
        let height = usual(&in_rows);
        if height == 0.0 {
            return false;
        }
        for ((row, line), several) in rows.iter().zip(lines).zip(several) {
            if several || ALIKE.contains(&(line.height / height)) {
                row.iter().for_each(|i| self.take(*i, Kind::Writing));
                self.counters(row);
                self.lines.push(line);
            }
        }
        self.letters = usual(&self.lines);
        true
    }

    /// What may be letters, each with its neighbours; `None` where it lies in heaps.
    fn rows(&self) -> Option<Vec<Vec<usize>>> {
        let all = self.contours.iter().fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
        let largest = LARGEST * all.width().max(all.height());
        let size = |i: usize| self.contours[i].bounds.width().max(self.contours[i].bounds.height());
        let neighbours = |i: usize, j: usize| {
            let (a, b) = (size(i), size(j));
            a.max(b) <= UNLIKE * a.min(b) && gap(self.contours[i].bounds, self.contours[j].bounds) <= APART * a.max(b)
        };
        let mut free: Vec<bool> = (0..self.contours.len()).map(|i| self.is_glyph(i) && size(i) <= largest).collect();
        let mut rows = Vec::new();
        let mut looked = 0;
        for first in 0..free.len() {
            if !std::mem::take(&mut free[first]) {
                continue;
            }
            let mut row = vec![first];
            let mut at = 0;
            while let Some(i) = row.get(at).copied() {
                at += 1;
                for j in self.near(self.contours[i].bounds.grown(APART * size(i).max(self.letters))) {
                    looked += 1;
                    if free[j] && neighbours(i, j) {
                        free[j] = false;
                        row.push(j);
                    }
                }
                if looked > MOST_LOOKED {
                    return None;
                }
            }
            rows.push(row);
        }
        Some(rows)
    }

    /// What may be a letter or a part of one: not a triangle, which is an arrow's head.
    fn is_glyph(&self, i: usize) -> bool {
        self.is_filled(i) && self.path(i).segments.len() > 3
    }

    /// Takes what lies in the letters of a row: the triangle in an A.
    fn counters(&mut self, row: &[usize]) {
        for letter in row.iter().map(|i| self.contours[*i].bounds.grown(1e-6)) {
            let inner: Vec<usize> = self.near(letter).filter(|i| self.is_filled(*i) && letter.holds(&self.contours[*i].bounds)).collect();
            inner.into_iter().for_each(|i| self.take(i, Kind::Writing));
        }
    }

    /// A filled outline without a line round it.
    fn is_filled(&self, i: usize) -> bool {
        let c = &self.contours[i];
        let drawn = c.style.fill.is_some() && c.style.stroke.is_none() && !c.style.added && !c.style.text;
        self.found[i].is_none() && drawn && c.path.closed
    }

    /// Outlines of a row that do not lie in another's: letters without their counters.
    fn outer<'b>(&'b self, row: &'b [usize]) -> impl Iterator<Item = Bounds> + 'b {
        let boxes = move |i: usize| self.contours[i].bounds;
        row.iter().filter(move |i| !row.iter().any(|j| j != *i && boxes(*j).grown(-1e-9).holds(&boxes(**i)))).map(move |i| boxes(*i))
    }

    /// Where a row stands as a line, by the middles of its letters.
    fn line(&self, row: &[usize]) -> Line<'static> {
        let boxes: Vec<Bounds> =
            if row.len() > MANY { row.iter().map(|i| self.contours[*i].bounds).collect() } else { self.outer(row).collect() };
        let all = boxes.iter().fold(Bounds::EMPTY, |b, c| b.union(*c));
        let n = boxes.len() as f64;
        let mean = boxes.iter().fold(Vec2::ZERO, |v, b| v + b.center().to_vec2() / n);
        let (mut xx, mut xy, mut yy) = (0.0, 0.0, 0.0);
        for v in boxes.iter().map(|b| b.center().to_vec2() - mean) {
            (xx, xy, yy) = (xx + v.x * v.x, xy + v.x * v.y, yy + v.y * v.y);
        }
        // The axis of the largest moment.
        let lean = if boxes.len() < 2 { 0.0 } else { 0.5 * (2.0 * xy).atan2(xx - yy) };
        let right = std::f64::consts::FRAC_PI_2;
        let square = (lean / right).round() * right;
        // Letters differ in height: few of them do not tell how they lean.
        let angle = if (lean - square).abs() < LEANS.to_radians() || boxes.len() < 4 {
            if all.height() > all.width() && boxes.len() > 1 { right } else { 0.0 }
        } else {
            lean
        };
        let mut heights: Vec<f64> = boxes
            .iter()
            .map(|b| {
                if angle == 0.0 {
                    b.height()
                } else if angle == right {
                    b.width()
                } else {
                    b.width().min(b.height()).max(0.5 * b.width().max(b.height()))
                }
            })
            .collect();
        heights.sort_by(f64::total_cmp);
        let height = heights[(heights.len() * 4 / 5).min(heights.len() - 1)];
        let along = Vec2::from_angle(angle);
        let (low, high) = boxes
            .iter()
            .flat_map(|b| [b.min, b.max])
            .map(|p| along.dot(p.to_vec2() - mean))
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        let middle = all.center();
        let width = high - low;
        Line { at: middle - along * (width / 2.0) - along.turn_90() * (height / 2.0), middle, width, height, angle, says: None }
    }
}

/// How far apart two boxes are, mm; 0 where they meet.
pub(super) fn gap(a: Bounds, b: Bounds) -> f64 {
    let x = (a.min.x - b.max.x).max(b.min.x - a.max.x).max(0.0);
    let y = (a.min.y - b.max.y).max(b.min.y - a.max.y).max(0.0);
    x.max(y)
}

//! Dimensions: a line beside a figure that ends at something on both sides. Arrows: a line with a head.

use super::writing::Line;
use super::{Kind, Plan, SMALL, TOUCH};
use crate::geometry::{Bounds, Point, Segment, Vec2};

/// A figure stands no further from its line than so many of its heights.
const BESIDE: f64 = 2.2;
/// A line that leads from the part to the dimension goes on past it by no more heights of letters than this.
const PAST: f64 = 3.0;
/// Sine of the angle within which lines count as alike or square to each other.
const ALIKE: f64 = 0.09;
/// A figure is no wider than so many of its heights.
const FIGURE: f64 = 9.0;
/// Writing by an arrow is no further off than so many heights.
const BY_ARROW: f64 = 6.0;

/// A dot that ends a line is no wider than so many heights of letters.
const DOT: f64 = 0.6;

/// A line in whose gap a figure stands ends no further from it than so many of its heights.
const GAP: f64 = 2.0;

/// Words that stand with a dimension's figure.
const WITH_FIGURES: [&str; 18] =
    ["mm", "cm", "in", "m", "dia", "rad", "typ", "ref", "max", "min", "thru", "deg", "x", "r", "d", "ø", "⌀", "sq"];

/// True for counts of parts, which look like figures: `x6`, `6x`.
fn is_count(value: &str) -> bool {
    let v = value.trim().to_lowercase();
    let digits = v.strip_prefix(['x', '×']).or_else(|| v.strip_suffix(['x', '×'])).map(str::trim);
    digits.is_some_and(|d| !d.is_empty() && d.chars().all(|c| c.is_ascii_digit()))
}

/// True for `120`, `Ø6`, `R12.5`, `40 mm`, `3 1/2"`, `4x ø6`, `2 x 45°`.
pub(super) fn is_figure(value: &str) -> bool {
    let lower = value.to_lowercase();
    let is_letter = |c: char| c.is_alphabetic() || c == 'ø' || c == '⌀';
    let words = lower.split(|c| !is_letter(c)).filter(|w| !w.is_empty());
    let others = lower.chars().filter(|c| !is_letter(*c) && !c.is_whitespace());
    !is_count(value)
        && lower.chars().count() <= 24
        && lower.chars().any(|c| c.is_ascii_digit())
        && words.into_iter().all(|w| WITH_FIGURES.contains(&w))
        && others.into_iter().all(|c| c.is_ascii_digit() || ".,/°'\"±+-()×*[]≈~=½¼¾⅛⅜⅝⅞′″".contains(c))
}

/// Part of a contour: which, and which of its lines.
pub(super) type Stroke = (usize, Segment);

/// Half of a dimension's line in whose gap a figure stands: its end by the figure, and the other.
struct Half {
    stroke: Stroke,
    inner: Point,
    outer: Point,
}

impl Plan<'_> {
    fn strokes(&self, b: Bounds) -> Vec<Stroke> {
        self.near(b).filter(|i| self.is_strokes(*i)).flat_map(|i| self.path(i).segments.iter().map(move |s| (i, *s))).collect()
    }

    pub(super) fn dimensions(&mut self) {
        for (of, line) in self.measured() {
            self.dimension(line, self.lines[of].height);
        }
    }

    /// Lines that a figure stands by, each with which figure.
    pub(super) fn measured(&self) -> Vec<(usize, Stroke)> {
        let mut out = Vec::new();
        for (of, text) in self.lines.iter().enumerate() {
            // What cannot be read may be a figure where it is as short as one.
            if !text.says.map_or(text.width <= FIGURE * text.height, is_figure) {
                continue;
            }
            let around = Bounds { min: text.middle, max: text.middle }.grown(BESIDE * text.height + text.width);
            let by = self.strokes(around).into_iter().filter(|(_, s)| beside(s, text) && s.chord() > 0.5 * text.height);
            out.extend(by.map(|line| (of, line)));
        }
        out
    }

    /// Takes a line as a dimension's where both its ends say so.
    fn dimension(&mut self, stroke: Stroke, h: f64) {
        self.ended(stroke, h).into_iter().flatten().for_each(|i| self.take(i, Kind::Dimension));
    }

    /// A line with what ends it and what leads to it, where both its ends say that it is a dimension's.
    fn ended(&self, (line, s): Stroke, h: f64) -> Option<Vec<usize>> {
        if self.found[line].is_some() {
            return None;
        }
        let mut taken = vec![line];
        let (mut headed, mut led) = (0, 0);
        for end in [s.start, s.end] {
            let heads = self.ends(line, end, h);
            let leading = self.leading(&(line, s), end, h);
            headed += usize::from(!heads.is_empty());
            led += usize::from(!leading.is_empty());
            taken.extend(heads.into_iter().chain(leading));
        }
        // Without heads the lines that lead to it must lead to nothing else: those of a table do.
        let ended = headed > 0 || led == 2 && taken.iter().all(|i| self.met_by(*i, h) <= 3);
        (ended && self.crossed_by(&(line, s), h) <= 2).then_some(taken)
    }

    /// True where a line has something at either end: it is as long as its figure says.
    pub(super) fn ended_both_ways(&self, stroke: &Stroke, h: f64) -> bool {
        [stroke.1.start, stroke.1.end].iter().all(|end| self.ended_at(stroke, *end, h))
    }

    /// True where a dimension's line has something at this end.
    fn ended_at(&self, stroke: &Stroke, end: Point, h: f64) -> bool {
        let ended = !self.ends(stroke.0, end, h).is_empty() || !self.leading(stroke, end, h).is_empty();
        ended && self.crossed_by(stroke, h) <= 2
    }

    /// How long a dimension's line is in whose gap its figure stands, from the outer end of one half to that of the other, mm;
    /// `None` where there are no such halves, or nothing ends them.
    pub(super) fn halved(&self, text: &Line) -> Option<f64> {
        let (h, at) = (text.height, text.middle);
        let reach = text.width / 2.0 + GAP * h;
        let half = |stroke: Stroke| {
            let s = stroke.1;
            let (inner, outer) = if s.start.distance(at) < s.end.distance(at) { (s.start, s.end) } else { (s.end, s.start) };
            let out = (outer - inner) / s.chord();
            let points_at = inner.distance(at) <= reach && out.cross(at - inner).abs() <= h && out.dot(at - inner) < 0.0;
            (s.chord() > 0.5 * h && points_at).then_some(Half { stroke, inner, outer })
        };
        let halves: Vec<Half> = self.strokes(Bounds { min: at, max: at }.grown(reach)).into_iter().filter_map(half).collect();
        let pairs = halves.iter().enumerate().flat_map(|(k, a)| halves[k + 1..].iter().map(move |b| (a, b)));
        let in_line = |(a, b): &(&Half, &Half)| {
            let along = (b.outer - a.outer) / b.outer.distance(a.outer);
            let off = |p: Point| along.cross(p - a.outer).abs();
            a.stroke.0 != b.stroke.0 && off(a.inner).max(off(b.inner)) < TOUCH * h && along.dot(b.inner - a.inner) > 0.0
        };
        let ended = |half: &Half| self.ended_at(&half.stroke, half.outer, h);
        let (a, b) = pairs.filter(in_line).find(|(a, b)| ended(a) && ended(b))?;
        Some(a.outer.distance(b.outer))
    }

    /// Lines square to a dimension's that lead to its end and little further.
    fn leading(&self, (line, s): &Stroke, end: Point, h: f64) -> Vec<usize> {
        let at = self.touching(end, TOUCH * h);
        let leads =
            |i: &usize| {
                *i == *line && self.path(*i).segments.iter().any(|q| square(q, s) && q.start.distance(end).min(q.end.distance(end)) < 1e-6)
                    || *i != *line
                        && self.is_strokes(*i)
                        && self.path(*i).segments.iter().any(|q| {
                            square(q, s) && q.distance(end) <= TOUCH * h && q.start.distance(end).min(q.end.distance(end)) <= PAST * h
                        })
            };
        at.into_iter().filter(leads).collect()
    }

    /// Other strokes that meet those of a contour.
    fn met_by(&self, i: usize, h: f64) -> usize {
        let around = self.strokes(self.contours[i].bounds.grown(TOUCH * h));
        let meets = |q: &Segment| self.path(i).segments.iter().any(|s| s.bounds().grown(TOUCH * h).meets(&q.bounds()));
        around.iter().filter(|(k, q)| *k != i && meets(q)).count()
    }

    /// Lines that meet a line somewhere in its middle: a scale has many, a dimension has none.
    fn crossed_by(&self, (line, s): &Stroke, h: f64) -> usize {
        let meets = |q: &Segment| {
            [q.start, q.end].iter().any(|p| s.distance(*p) <= TOUCH * h && p.distance(s.start).min(p.distance(s.end)) > 2.0 * TOUCH * h)
        };
        self.strokes(s.bounds().grown(h)).into_iter().filter(|(i, q)| i != line && square(q, s) && meets(q)).count()
    }

    /// Lines that have a head at an end, with writing by them.
    pub(super) fn arrows(&mut self) {
        let h = self.letters;
        let lines: Vec<usize> = (0..self.contours.len()).filter(|i| self.is_strokes(*i) && self.path(*i).segments.len() <= 4).collect();
        for i in lines {
            if self.found[i].is_some() {
                continue;
            }
            let long = self.path(i).segments.iter().copied().max_by(|a, b| a.chord().total_cmp(&b.chord()));
            let Some(long) = long.filter(|s| s.chord() > 1.5 * h) else { continue };
            let mut heads: Vec<usize> = Vec::new();
            let mut barbed = 0;
            for end in [long.start, long.end] {
                let away = if end == long.start { long.end - long.start } else { long.start - long.end };
                // Barbs and heads come back along the line.
                let back = |p: &Point| (*p - end).dot(away) > 0.0 && (*p - end).cross(away).abs() > 1e-9;
                let points = |k: usize| self.path(k).segments.iter().flat_map(|q| [q.start, q.end]).collect::<Vec<_>>();
                let small = self.ends(i, end, h);
                let pointed: Vec<usize> = small
                    .into_iter()
                    .filter(|k| {
                        let p = points(*k);
                        p.iter().any(back)
                            && p.iter().all(|p| p.distance(end) < TOUCH * h || back(p) || (*p - end).cross(away).abs() < 1e-6)
                    })
                    .collect();
                let own =
                    self.path(i).segments.iter().filter(|q| **q != long && q.chord() <= SMALL * h && (q.start == end || q.end == end));
                // A filled head, a chevron, or two strokes.
                let dots = self.dots(end);
                let whole = !dots.is_empty() || pointed.iter().any(|k| self.path(*k).closed || self.path(*k).segments.len() == 2);
                barbed += usize::from(whole || pointed.len() + own.count() > 1);
                heads.extend(pointed.into_iter().chain(dots));
            }
            let by = |t: &Line| self.path(i).nearest(t.middle).distance.min(self.path(i).nearest(t.at).distance) <= BY_ARROW * t.height;
            if barbed > 0 && self.lines.iter().any(by) || self.is_shelf(i) {
                self.take(i, Kind::Arrow);
                heads.into_iter().for_each(|k| self.take(k, Kind::Arrow));
            }
        }
    }
}

impl Plan<'_> {
    /// Dots that a line ends in.
    fn dots(&self, end: Point) -> Vec<usize> {
        let is_dot = |i: &usize| {
            let b = self.contours[*i].bounds;
            self.path(*i).closed && b.width().max(b.height()) <= DOT * self.letters && b.center().distance(end) <= TOUCH * self.letters
        };
        self.near(Bounds { min: end, max: end }).filter(|i| self.found[*i].is_none() && is_dot(i)).collect()
    }

    /// A bent line that ends right before or behind a line of writing, at half its height: a leader, whatever its other end is.
    fn is_shelf(&self, i: usize) -> bool {
        // Only on a plan: elsewhere it may be a line to be scored.
        if !self.found.iter().flatten().any(|k| matches!(k, Kind::Border | Kind::TitleBlock | Kind::Dimension)) {
            return false;
        }
        let path = self.path(i);
        let ([first, .., last], false) = (path.segments.as_slice(), path.closed) else { return false };
        let level = |s: &Segment, t: &Line| (s.end - s.start).cross(Vec2::from_angle(t.angle)).abs() <= ALIKE * s.chord();
        [(first.start, first, last), (last.end, last, first)].into_iter().any(|(end, shelf, other)| {
            self.lines.iter().any(|t| {
                let (along, h) = (Vec2::from_angle(t.angle), t.height);
                let (far, up) = (along.dot(end - t.at), along.cross(end - t.at));
                let before = (-1.5 * h..=0.2 * h).contains(&far) || t.says.is_none() && (far - t.width).abs() <= 1.5 * h;
                before && (-0.4 * h..=1.4 * h).contains(&up) && level(shelf, t) && !level(other, t) && shelf.chord() < 8.0 * h
            })
        })
    }
}

/// A line along the writing or square to it, beside the middle of it.
fn beside(s: &Segment, text: &Line) -> bool {
    let (at, width) = (text.middle, text.width);
    let (along, length) = (s.end - s.start, s.chord());
    if length < 1e-6 {
        return false;
    }
    let unit = along / length;
    let (askew, reach) = (unit.cross(Vec2::from_angle(text.angle)).abs(), width / 2.0 + BESIDE * text.height);
    let (off, far) = (unit.cross(at - s.start).abs(), unit.dot(at - s.start));
    // Writing that stands across a line is as wide as it is long.
    let room = if askew < 0.5 { BESIDE * text.height } else { reach };
    !(ALIKE..=1.0 - ALIKE).contains(&askew) && off <= room && far >= -reach && far <= length + reach
}

fn square(a: &Segment, b: &Segment) -> bool {
    let (u, v) = (a.end - a.start, b.end - b.start);
    u.dot(v).abs() <= ALIKE * u.hypot() * v.hypot() && u.hypot() > 1e-6
}

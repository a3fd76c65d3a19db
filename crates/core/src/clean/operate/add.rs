//! Small exact additions: holes, slots, ring tabs, scales, writing.

use super::{Anchor, Repeat, Spot, Work};
use crate::clean::ContourId;
use crate::drawing::{Nature, Style};
use crate::geometry::{Affine, Bounds, Path, Point, Segment, Vec2};
use crate::lettering::{self, Face, Setting};
use std::sync::Arc;

impl Spot {
    /// The places in a box, and for each whether left and right, and up and down, are turned over.
    fn places(&self, b: Bounds) -> Vec<Point> {
        let (x, y) = (self.x, self.y);
        let c = b.center();
        let first = match self.anchor {
            Anchor::LowerLeft => Point::new(b.min.x + x, b.min.y + y),
            Anchor::LowerRight => Point::new(b.max.x - x, b.min.y + y),
            Anchor::UpperLeft => Point::new(b.min.x + x, b.max.y - y),
            Anchor::UpperRight => Point::new(b.max.x - x, b.max.y - y),
            Anchor::Centre => Point::new(c.x + x, c.y + y),
            Anchor::Left => Point::new(b.min.x + x, c.y + y),
            Anchor::Right => Point::new(b.max.x - x, c.y + y),
            Anchor::Bottom => Point::new(c.x + x, b.min.y + y),
            Anchor::Top => Point::new(c.x + x, b.max.y - y),
        };
        let across = Point::new(2.0 * c.x - first.x, first.y);
        let over = Point::new(first.x, 2.0 * c.y - first.y);
        let both = Point::new(across.x, over.y);
        let mut all = match self.repeat {
            Repeat::Once => vec![first],
            Repeat::Across => vec![first, across],
            Repeat::UpAndDown => vec![first, over],
            Repeat::Corners => vec![first, across, both, over],
        };
        // On an axis of the part, places fall on each other.
        let mut kept: Vec<Point> = Vec::new();
        all.retain(|p| {
            let new = kept.iter().all(|q| q.distance(*p) > 1e-6);
            kept.push(*p);
            new
        });
        all
    }
}

pub(super) fn hole(work: &mut Work, part: ContourId, spot: &Spot, diameter: f64) -> bool {
    each(work, part, spot, |at| Path::circle(at, diameter / 2.0))
}

pub(super) fn slot(work: &mut Work, part: ContourId, spot: &Spot, (length, width): (f64, f64), angle: f64) -> bool {
    let (half, r) = ((length - width) / 2.0, width / 2.0);
    let p = Point::new;
    let shape = if half < 1e-9 {
        Path::circle(Point::ZERO, r)
    } else {
        let arc = |a: Point, b: Point| Segment { start: a, end: b, bulge: 1.0 };
        Path::new(
            vec![
                Segment::line(p(-half, -r), p(half, -r)),
                arc(p(half, -r), p(half, r)),
                Segment::line(p(half, r), p(-half, r)),
                arc(p(-half, r), p(-half, -r)),
            ],
            true,
        )
    };
    each(work, part, spot, |at| shape.transformed(Affine::translate(at.to_vec2()) * crate::decisions::nest::turned(angle)))
}

fn each(work: &mut Work, part: ContourId, spot: &Spot, shape: impl Fn(Point) -> Path) -> bool {
    let Some(i) = work.find(part) else { return false };
    for at in spot.places(work.contours[i].bounds) {
        let style = added(&work.contours[i].style, Nature::Plain);
        work.add_styled(i, shape(at), style);
    }
    true
}

/// A ring welded to the outline, with its hole. The spot is the ring's centre.
pub(super) fn tab(work: &mut Work, part: ContourId, spot: &Spot, outer: f64, hole: f64) -> bool {
    let Some(i) = work.find(part).filter(|i| work.contours[*i].path.closed) else { return false };
    for at in spot.places(work.contours[i].bounds) {
        let ring = Path::circle(at, outer / 2.0);
        let mut welded = work.contours[i].path.welded(&ring).unwrap_or_default();
        welded.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
        let mut welded = welded.into_iter();
        if let Some(outline) = welded.next() {
            work.set(i, outline);
        }
        welded.for_each(|p| work.add(i, p));
        let style = added(&work.contours[i].style, Nature::Plain);
        work.add_styled(i, Path::circle(at, hole / 2.0), style);
    }
    true
}

/// A row of marks.
pub(super) struct Scale {
    pub(super) pitch: f64,
    pub(super) count: u32,
    pub(super) length: f64,
    pub(super) numbered: u32,
    pub(super) angle: f64,
    pub(super) middle: u32,
    pub(super) by: u32,
    pub(super) both: bool,
}

/// Lengths of the longest and of the middle marks, as shares of the others'.
const LONG: f64 = 1.6;
const MIDDLE: f64 = 1.3;

/// A number of a scale takes no more than this share of the way to the next.
const ROOM: f64 = 0.75;

/// Marks across the row's direction, the first at the spot; numbers stand behind the marks.
pub(super) fn marks(work: &mut Work, part: ContourId, spot: &Spot, scale: &Scale) -> bool {
    let Some(i) = work.find(part) else { return false };
    let at = spot.places(work.contours[i].bounds)[0];
    let row = Affine::translate(at.to_vec2()) * crate::decisions::nest::turned(scale.angle);
    // The widest number leaves room to its neighbours'.
    let apart = scale.pitch * f64::from(scale.numbered);
    let last = (scale.count.saturating_sub(1) / scale.numbered.max(1)).saturating_mul(scale.by).to_string();
    let fits = ROOM * apart / lettering::strokes(&last, 1.0).width.max(1e-9);
    for k in 0..scale.count {
        let x = f64::from(k) * scale.pitch;
        let numbered = scale.numbered > 0 && k.is_multiple_of(scale.numbered);
        let middle = scale.middle > 0 && k.is_multiple_of(scale.middle);
        let length = scale.length
            * if numbered {
                LONG
            } else if middle {
                MIDDLE
            } else {
                1.0
            };
        let mark = Path::new(vec![Segment::line(Point::new(x, 0.0), Point::new(x, length))], false);
        let style = added(&work.contours[i].style, Nature::Plain);
        work.add_styled(i, mark.transformed(row), style);
        if numbered {
            let height = (apart * 0.45).clamp(1.2, scale.length.max(2.0) * 1.5).min(fits);
            let style = written(&work.contours[i].style);
            let mut write = |number: u32, place: &dyn Fn(f64) -> Affine| {
                let line = lettering::strokes(&number.to_string(), height);
                for path in line.paths {
                    work.add_styled(i, path.transformed(row * place(line.width)), Arc::clone(&style));
                }
            };
            let above = length + height * 0.4;
            write(k / scale.numbered * scale.by, &|width| Affine::translate(Vec2::new(x - width / 2.0, above)));
            let back = scale.count - 1 - k;
            if scale.both && back.is_multiple_of(scale.numbered) {
                // Turned about, behind the first: its foot is away from the marks.
                let foot = above + height * 2.4;
                write(back / scale.numbered * scale.by, &|width| {
                    Affine::translate(Vec2::new(x + width / 2.0, foot)) * Affine::rotate(std::f64::consts::PI)
                });
            }
        }
    }
    true
}

/// Writing as it is set: capitals `height` mm high, turned by `angle` degrees.
pub(super) struct Writing<'a> {
    pub text: &'a str,
    pub height: f64,
    pub face: Face,
    pub angle: f64,
    pub setting: &'a Setting,
}

/// Writing with its first base line's left end at the spot; about the spot where that is the centre, and where it goes round a circle.
pub(super) fn write(work: &mut Work, part: ContourId, spot: &Spot, writing: &Writing) -> bool {
    let Some(i) = work.find(part) else { return false };
    let Writing { face, angle, setting, .. } = *writing;
    let line = lettering::set(writing.text, writing.height, face, setting);
    let ink = line.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()));
    let several = writing.text.contains(['|', '\n']) || setting.fit.0 > 0.0;
    let home = match spot.anchor {
        _ if setting.round != 0.0 => Vec2::ZERO,
        Anchor::Centre if several => -ink.center().to_vec2(),
        Anchor::Centre => Vec2::new(-line.width / 2.0, -writing.height / 2.0),
        _ => Vec2::ZERO,
    };
    let drawn = &work.contours[i].style;
    let style = if face.is_area() {
        Arc::new(Style { layer: drawn.layer.clone(), fill: Some([0; 3]), text: true, winding: true, added: true, ..Style::default() })
    } else {
        written(drawn)
    };
    for at in spot.places(work.contours[i].bounds) {
        let place = Affine::translate(at.to_vec2()) * crate::decisions::nest::turned(angle) * Affine::translate(home);
        for path in &line.paths {
            work.add_styled(i, path.transformed(place), Arc::clone(&style));
        }
    }
    true
}

/// The looks of what is added beside something drawn.
fn added(drawn: &Style, nature: Nature) -> Arc<Style> {
    Arc::new(Style { nature, fill: None, text: false, added: true, ..drawn.clone() })
}

/// The looks of single-stroke writing beside something drawn.
pub(super) fn written(drawn: &Style) -> Arc<Style> {
    added(drawn, Nature::Writing)
}

//! Leads: the torch pierces in the scrap and runs onto the contour along a tangent.
//!
//! A lead-in is a quarter circle that ends on the contour in its direction. It must not touch a part, another lead or the
//! sheet's edge; where it would, it is tried shorter, then further along the contour, and at last given up.

use crate::assign::Work;
use crate::geometry::{Bounds, Path, Point, Segment, Vec2};
use crate::nest::SheetLayout;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use std::f64::consts::FRAC_PI_2;

/// Lengths tried, as shares of the full lead.
const SHARES: [f64; 4] = [1.0, 0.7, 0.5, 0.35];
/// Places tried along the contour.
const PLACES: usize = 32;
/// Full lead for a thickness: this much a mm, within limits, mm.
const LENGTH_PER_THICKNESS: f64 = 1.2;
const LENGTH_LIMITS: (f64, f64) = (3.0, 12.0);
/// A pierce keeps off the middle of an earlier cut by so many kerfs: half a kerf is the slit, the crater is a kerf.
const KEEP_OFF: f64 = 1.5;
/// A lead comes no nearer to a part than half the kerf less this, mm: the contour's own offset is that near.
const SLACK: f64 = 0.02;

/// Where a contour starts and how the torch gets there.
pub(super) struct Led {
    /// Start along the path that was given, mm.
    pub(super) along: f64,
    pub(super) lead_in: Vec<Segment>,
    pub(super) lead_out: Vec<Segment>,
}

/// What lies on the sheet, and the leads laid so far.
pub(super) struct Yard {
    parts: Vec<Lying>,
    edge: Bounds,
    outline: Vec<Path>,
    clamps: Vec<Bounds>,
    taken: Vec<Vec<Point>>,
    /// What is cut so far.
    burned: RTree<GeomWithData<Rectangle<[f64; 2]>, Segment>>,
}

struct Lying {
    bounds: Bounds,
    outline: Path,
    holes: Vec<(Path, Bounds)>,
}

impl Yard {
    pub(super) fn new(work: &Work, layout: &SheetLayout) -> Self {
        let parts = layout
            .placed
            .iter()
            .filter_map(|p| {
                let part = work.part(p.copy.part)?;
                let affine = p.affine();
                let outline = part.outline.transformed(affine);
                let holes = part
                    .holes
                    .iter()
                    .map(|i| work.items[*i].contour.path.transformed(affine))
                    .map(|h| (h.bounds(), h))
                    .map(|(b, h)| (h, b))
                    .collect();
                Some(Lying { bounds: outline.bounds(), outline, holes })
            })
            .collect();
        let edge = Bounds { min: Point::ZERO, max: Point::new(layout.sheet.width, layout.sheet.height) };
        Self {
            parts,
            edge,
            outline: layout.sheet.outline.clone(),
            clamps: layout.sheet.clamps.clone(),
            taken: Vec::new(),
            burned: RTree::new(),
        }
    }

    /// Finds a place for the leads of a closed cut, the start of `path` first. `outer` says on which side the scrap lies.
    pub(super) fn lead(&mut self, path: &Path, outer: bool, thickness: f64, kerf: f64) -> Option<Led> {
        let total = path.length();
        let full = (LENGTH_PER_THICKNESS * thickness).clamp(LENGTH_LIMITS.0, LENGTH_LIMITS.1);
        // In a small hole the quarter circle must leave room to its far side.
        let room = if outer { f64::INFINITY } else { 0.25 * path.bounds().width().min(path.bounds().height()) };
        let scrap_left = (path.area() > 0.0) != outer;
        for share in SHARES {
            let radius = (full * share / FRAC_PI_2).min(room * share.sqrt());
            for k in 0..PLACES {
                let along = total * k as f64 / PLACES as f64;
                if k > 0 && near_corner(path, along, radius.min(total * 0.05)) {
                    continue;
                }
                let (at, ahead) = path.at(along);
                let lead_in = quarter_in(at, ahead, scrap_left, radius);
                let Some(points) = self.free(&lead_in, kerf) else { continue };
                let out = quarter_in(at, -ahead, !scrap_left, radius * 0.5).reversed();
                let lead_out = if self.free(&out, kerf).is_some() { vec![out] } else { Vec::new() };
                self.taken.push(points);
                return Some(Led { along, lead_in: vec![lead_in], lead_out });
            }
        }
        None
    }

    /// A lead to a place on a contour where the torch is lit again, ahead in the contour's direction there: arc, then line,
    /// shorter and shorter.
    pub(super) fn lead_to(&mut self, at: Point, ahead: Vec2, path: &Path, outer: bool, thickness: f64, kerf: f64) -> Option<Segment> {
        let full = (LENGTH_PER_THICKNESS * thickness).clamp(LENGTH_LIMITS.0, LENGTH_LIMITS.1);
        let scrap_left = (path.area() > 0.0) != outer;
        let side = if scrap_left { ahead.turn_90() } else { -ahead.turn_90() };
        let arcs = SHARES.iter().map(|share| quarter_in(at, ahead, scrap_left, full * share / FRAC_PI_2));
        let lines = SHARES.iter().map(|share| Segment::line(at + (side - ahead * 0.5) * (full * share * 0.8), at));
        for lead in arcs.chain(lines) {
            if let Some(points) = self.free(&lead, kerf) {
                self.taken.push(points);
                return Some(lead);
            }
        }
        None
    }

    /// A lead straight on to the begin of an open line, ahead in its direction there: shorter and shorter.
    pub(super) fn straight_to(&mut self, at: Point, ahead: Vec2, thickness: f64, kerf: f64) -> Option<Segment> {
        let full = (LENGTH_PER_THICKNESS * thickness).clamp(LENGTH_LIMITS.0, LENGTH_LIMITS.1);
        let lines = SHARES.iter().map(|share| Segment::line(at - ahead * (full * share), at));
        let (lead, points) = lines.filter_map(|l| Some((l, self.free(&l, kerf)?))).next()?;
        self.taken.push(points);
        Some(lead)
    }

    /// Notes what is cut: leads that come later keep off it.
    pub(super) fn burn(&mut self, cut: impl Iterator<Item = Segment>) {
        for s in cut {
            let b = s.bounds();
            self.burned.insert(GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), s));
        }
    }

    /// True within a kerf of the slit of what is cut so far: a pierce there blows into the open cut.
    pub(super) fn in_a_cut(&self, p: Point, kerf: f64) -> bool {
        let reach = kerf * KEEP_OFF;
        let near = AABB::from_corners([p.x - reach, p.y - reach], [p.x + reach, p.y + reach]);
        self.burned.locate_in_envelope_intersecting(near).any(|s| s.data.distance(p) < reach)
    }

    /// The lead's points when it touches nothing.
    fn free(&self, lead: &Segment, kerf: f64) -> Option<Vec<Point>> {
        let points: Vec<Point> = (0..=10).map(|i| lead.at(f64::from(i) / 10.0)).collect();
        if self.in_a_cut(points[0], kerf) || points[1..8].iter().any(|p| self.in_a_cut(*p, kerf / KEEP_OFF)) {
            return None;
        }
        let clear = kerf / 2.0 - SLACK;
        let inner = self.edge.grown(-kerf);
        let on_sheet = points.iter().all(|p| inner.has(*p) && !self.clamps.iter().any(|c| c.grown(kerf).has(*p)))
            && self.outline.split_first().is_none_or(|(edge, holes)| {
                points.iter().all(|p| {
                    edge.contains(*p)
                        && edge.nearest(*p).distance > kerf
                        && !holes.iter().any(|h| h.contains(*p) || h.nearest(*p).distance < kerf)
                })
            });
        // The pierce blows a crater: it stays a kerf away from earlier leads.
        let apart = self.taken.iter().flatten().all(|t| points.iter().all(|p| p.distance(*t) > kerf));
        (on_sheet && apart && points.iter().all(|p| self.parts.iter().all(|part| part.leaves_room(*p, clear)))).then_some(points)
    }
}

impl Lying {
    /// True when `p` is at least `clear` mm away from the part's material.
    fn leaves_room(&self, p: Point, clear: f64) -> bool {
        if !self.bounds.grown(clear).has(p) {
            return true;
        }
        if self.outline.nearest(p).distance < clear {
            return false;
        }
        if !self.outline.contains(p) {
            return true;
        }
        self.holes.iter().any(|(hole, bounds)| bounds.has(p) && hole.contains(p) && hole.nearest(p).distance >= clear)
    }
}

/// A quarter circle on the scrap side that arrives at `at` in direction `ahead`.
fn quarter_in(at: Point, ahead: Vec2, scrap_left: bool, radius: f64) -> Segment {
    let side = if scrap_left { ahead.turn_90() } else { -ahead.turn_90() };
    let start = at + side * radius - ahead * radius;
    // Turning about the centre at + side · radius: anticlockwise when the centre lies to the left.
    let bulge = (FRAC_PI_2 / 4.0).tan();
    Segment { start, end: at, bulge: if scrap_left { bulge } else { -bulge } }
}

fn near_corner(path: &Path, along: f64, room: f64) -> bool {
    let total = path.length();
    let (_, here) = path.at(along);
    let (_, before) = path.at((along - room).rem_euclid(total));
    let (_, after) = path.at((along + room).rem_euclid(total));
    here.dot(before) < 0.7 && here.dot(after) < 0.7
}

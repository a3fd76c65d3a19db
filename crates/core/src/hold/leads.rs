//! Leads: the torch pierces in the scrap and runs onto the contour along a tangent.
//!
//! A lead-in is a quarter circle that ends on the contour in its direction, a line, or both. It must not touch a part, another
//! lead or the sheet's edge; where it would, it is tried further along the contour, then shorter, then at every place there
//! is, and at last given up.

use super::bridges::{Bridges, Room};
use crate::assign::Work;
use crate::decisions::{LeadEnd, LeadFrom, LeadRule, LeadShape};
use crate::geometry::{Bounds, Path, Point, Segment, Vec2};
use crate::nest::SheetLayout;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use std::f64::consts::FRAC_PI_2;

/// Lengths tried, as shares of the full lead.
const SHARES: [f64; 4] = [1.0, 0.7, 0.5, 0.35];
/// Places tried along the contour; and, before giving up, one every so many mm, so many at most.
const PLACES: usize = 32;
const EVERY: f64 = 2.0;
const MOST_PLACES: usize = 600;
/// Ways on which a lead comes to an open line, as angles to its direction, rad: the straight one first.
const ASIDE: [f64; 7] = [0.0, 0.4, -0.4, 0.8, -0.8, 1.2, -1.2];
/// Half a kerf off a part runs the part's own cut: such a lead keeps off parts by this share of a kerf, towards its end by so much
/// more than half a kerf for every mm.
const SCRAP_ROOM: f64 = 0.75;
const OPENING: f64 = 0.2;
/// Places looked at on it.
const LOOKS: u32 = 40;
/// Full lead for a thickness: this much a mm, within limits, mm.
const LENGTH_PER_THICKNESS: f64 = 1.2;
const LENGTH_LIMITS: (f64, f64) = (3.0, 12.0);
/// A pierce keeps off the middle of an earlier cut by so many kerfs: half a kerf is the slit, the crater is a kerf.
const KEEP_OFF: f64 = 1.5;
/// A pierce keeps off every part by so many kerfs, where there is room for that.
const CRATER: f64 = 1.25;
/// An arc tighter than this is a corner, mm.
const SHORT_ARC: f64 = 2.0;
/// A corner that turns by more than this is one, radians.
const SHARP: f64 = 0.6;
/// A lead comes no nearer to a part than half the kerf less this, mm: the contour's own offset is that near.
pub(super) const SLACK: f64 = 0.02;

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
    /// The bridges that are to stay.
    pub(super) bridges: Bridges,
    /// What is cut so far.
    burned: RTree<GeomWithData<Rectangle<[f64; 2]>, Segment>>,
}

struct Lying {
    placement: usize,
    bounds: Bounds,
    outline: Path,
    holes: Vec<(Path, Bounds)>,
}

/// A place on a contour where the torch is lit again behind a nick.
pub(super) struct Restart {
    pub(super) at: Point,
    /// The contour's direction there.
    pub(super) ahead: Vec2,
    /// The scrap is on its left.
    pub(super) scrap_left: bool,
    /// mm.
    pub(super) thickness: f64,
    /// mm.
    pub(super) kerf: f64,
}

impl Yard {
    pub(super) fn new(work: &Work, layout: &SheetLayout) -> Self {
        let parts = layout
            .placed
            .iter()
            .enumerate()
            .filter_map(|(placement, p)| {
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
                Some(Lying { placement, bounds: outline.bounds(), outline, holes })
            })
            .collect();
        let edge = Bounds { min: Point::ZERO, max: Point::new(layout.sheet.width, layout.sheet.height) };
        Self {
            parts,
            edge,
            outline: layout.sheet.outline.clone(),
            clamps: layout.sheet.clamps.clone(),
            taken: Vec::new(),
            bridges: Bridges::default(),
            burned: RTree::new(),
        }
    }

    /// Finds a place for the leads of a closed cut, the rule's first. `outer` says on which side the scrap lies.
    pub(super) fn lead(&mut self, path: &Path, outer: bool, rule: &LeadRule, (thickness, kerf): (f64, f64)) -> Option<Led> {
        let total = path.length();
        let full = rule.length.unwrap_or((LENGTH_PER_THICKNESS * thickness).clamp(LENGTH_LIMITS.0, LENGTH_LIMITS.1));
        // In a small hole the quarter circle must leave room to its far side.
        let room = if outer { f64::INFINITY } else { 0.25 * path.bounds().width().min(path.bounds().height()) };
        let scrap_left = (path.area() > 0.0) != outer;
        let first = preferred(path, rule.from, outer);
        let fine = ((total / EVERY) as usize).clamp(PLACES, MOST_PLACES);
        let rounds: Vec<(f64, usize)> = SHARES.iter().map(|share| (*share, PLACES)).chain([(SHARES[SHARES.len() - 1], fine)]).collect();
        // The pierce blows a crater, which keeps off every part where there is room for that.
        let off = [kerf * CRATER, 0.0];
        for ((share, places), crater) in off.into_iter().flat_map(|crater| rounds.iter().map(move |r| (*r, crater))) {
            let radius = (full * share / FRAC_PI_2).min(room * share.sqrt());
            for k in 0..places {
                let along = (first + total * k as f64 / places as f64) % total;
                if k > 0 && near_corner(path, along, radius.min(total * 0.05)) {
                    continue;
                }
                let (at, ahead) = path.at(along);
                let lead_in = shaped(rule.shape, at, ahead, scrap_left, radius);
                let clear = self.parts.iter().all(|part| part.leaves_room(lead_in[0].start, crater));
                let Some(points) = self.all_free(&lead_in, kerf).filter(|_| clear) else { continue };
                // Where the cut ends: over its begin, or short of it.
                let (at, ahead) = path.at((along + rule.overlap).rem_euclid(total));
                let out = quarter_in(at, -ahead, !scrap_left, radius * 0.5).reversed();
                let lead_out = if rule.end == LeadEnd::Out && self.free(&out, kerf).is_some() { vec![out] } else { Vec::new() };
                self.taken.push(points);
                return Some(Led { along, lead_in, lead_out });
            }
        }
        None
    }

    /// The lead from where a hand put the pierce to its place on the path: tangential where an arc can be, else straight.
    pub(super) fn lead_from(&mut self, path: &Path, place: Point, pierce: Point, kerf: f64) -> Option<Led> {
        let along = path.nearest(place).along;
        let (at, ahead) = path.at(along);
        let lead_in = vec![tangential(pierce, at, ahead)];
        let points = self.all_free(&lead_in, kerf)?;
        self.taken.push(points);
        Some(Led { along, lead_in, lead_out: Vec::new() })
    }

    /// The points of a lead of several pieces where it touches nothing.
    fn all_free(&self, lead: &[Segment], kerf: f64) -> Option<Vec<Point>> {
        let mut all = Vec::new();
        for (i, piece) in lead.iter().enumerate() {
            // Only the last piece may come to the cut itself.
            all.extend(if i + 1 == lead.len() { self.free(piece, kerf)? } else { self.clear(piece, kerf)? });
        }
        Some(all)
    }

    /// A lead to a place on a contour where the torch is lit again behind a nick, ahead in the contour's direction there: a line
    /// from the side, or from ahead, for what came from behind would burn through the nick; shorter and shorter.
    pub(super) fn lead_to(&mut self, to: &Restart, room: &Room) -> Option<Segment> {
        let Restart { at, ahead, scrap_left, thickness, kerf } = *to;
        let full = (LENGTH_PER_THICKNESS * thickness).clamp(LENGTH_LIMITS.0, LENGTH_LIMITS.1);
        let side = if scrap_left { ahead.turn_90() } else { -ahead.turn_90() };
        let ways = [side, side + ahead * 0.5, side + ahead];
        let line = |way: Vec2, share: f64| Segment::line(at + way * (full * share * 0.8 / way.hypot()), at);
        for lead in SHARES.iter().flat_map(|share| ways.map(|way| line(way, *share))) {
            if let Some(points) = self.free(&lead, kerf).filter(|points| room.is_kept(points)) {
                self.taken.push(points);
                return Some(lead);
            }
        }
        None
    }

    /// A lead on to the begin of an open line, ahead in its direction there: straight on, or from aside where another line goes on
    /// in line with it; shorter and shorter. But for its last bit it lies in the scrap and on no line that is still to be cut.
    pub(super) fn straight_to(&mut self, at: Point, ahead: Vec2, thickness: f64, kerf: f64) -> Option<Segment> {
        let full = (LENGTH_PER_THICKNESS * thickness).clamp(LENGTH_LIMITS.0, LENGTH_LIMITS.1);
        let line = |share: f64, aside: f64| Segment::line(at - Vec2::from_angle(ahead.angle() + aside) * (full * share), at);
        let lines = SHARES.iter().flat_map(|share| ASIDE.map(|aside| line(*share, aside)));
        let in_scrap = |l: &Segment| {
            let room = |at: f64| (kerf / 2.0 + (1.0 - at) * l.length() * OPENING).min(kerf * SCRAP_ROOM) - SLACK;
            (0..=LOOKS).map(|i| f64::from(i) / f64::from(LOOKS)).all(|at| self.clear_of_parts(l.at(at), room(at)))
        };
        let (lead, points) = lines.filter(in_scrap).find_map(|l| Some((l, self.free(&l, kerf)?)))?;
        self.taken.push(points);
        Some(lead)
    }

    /// Places on the leads laid so far that come into a box.
    pub(super) fn leads_near(&self, within: &Bounds) -> Vec<Point> {
        self.taken.iter().flatten().filter(|p| within.has(**p)).copied().collect()
    }

    /// Outlines of copies that come into a box, but for some of them.
    pub(super) fn outlines_near(&self, within: &Bounds, but: &[usize]) -> Vec<(Bounds, Path)> {
        let near = self.parts.iter().filter(|l| l.bounds.meets(within) && !but.contains(&l.placement));
        near.map(|l| (l.bounds, l.outline.clone())).collect()
    }

    fn clear_of_parts(&self, p: Point, clear: f64) -> bool {
        self.parts.iter().all(|part| part.leaves_room(p, clear))
    }

    /// True where all of a loop that begins and ends on its cut touches no part, no lead and no edge.
    pub(super) fn has_room(&self, looped: &[Segment], kerf: f64) -> bool {
        looped.iter().all(|s| self.clear_points(s, kerf).is_some())
    }

    /// True where a straight way through the scrap meets no part, no clamp, no edge and no cut but at its ends.
    pub(super) fn has_way(&self, way: &Segment, kerf: f64) -> bool {
        let steps = (way.length() / kerf.max(0.1)).ceil().clamp(4.0, 400.0) as usize;
        let points: Vec<Point> = (0..=steps).map(|i| way.at(i as f64 / steps as f64)).collect();
        let near_end = |p: &Point| p.distance(way.start).min(p.distance(way.end)) < kerf * KEEP_OFF;
        self.on_sheet(&points, kerf)
            && !points.iter().any(|p| self.bridges.are_burned_at(*p))
            && points.iter().all(|p| self.parts.iter().all(|part| part.leaves_room(*p, kerf / 2.0 - SLACK)))
            && points.iter().filter(|p| !near_end(p)).all(|p| !self.in_a_cut(*p, kerf / KEEP_OFF))
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

    /// The points of a lead that ends on its cut, when it touches nothing.
    fn free(&self, lead: &Segment, kerf: f64) -> Option<Vec<Point>> {
        self.reach(lead, kerf, 8)
    }

    /// The points of a piece of a lead that ends in the scrap, when it touches nothing.
    fn clear(&self, piece: &Segment, kerf: f64) -> Option<Vec<Point>> {
        self.reach(piece, kerf, 11)
    }

    /// The points of a piece when it touches nothing; the first `off` of ten keep off what is cut.
    fn reach(&self, lead: &Segment, kerf: f64, off: usize) -> Option<Vec<Point>> {
        let points: Vec<Point> = (0..=10).map(|i| lead.at(f64::from(i) / 10.0)).collect();
        if self.in_a_cut(points[0], kerf) || points[1..off].iter().any(|p| self.in_a_cut(*p, kerf / KEEP_OFF)) {
            return None;
        }
        self.clear_points(lead, kerf)
    }

    /// Points of a piece where it leaves every part, every earlier lead and the edge of the sheet alone.
    fn clear_points(&self, piece: &Segment, kerf: f64) -> Option<Vec<Point>> {
        let points: Vec<Point> = (0..=10).map(|i| piece.at(f64::from(i) / 10.0)).collect();
        let clear = kerf / 2.0 - SLACK;
        // The pierce blows a crater: it stays a kerf away from earlier leads.
        let apart = self.taken.iter().flatten().all(|t| points.iter().all(|p| p.distance(*t) > kerf));
        let whole = !points.iter().any(|p| self.bridges.are_burned_at(*p));
        (self.on_sheet(&points, kerf) && apart && whole && points.iter().all(|p| self.clear_of_parts(*p, clear))).then_some(points)
    }

    /// True where points lie within the sheet's outline and beside its clamps, a kerf at least.
    fn on_sheet(&self, points: &[Point], kerf: f64) -> bool {
        let inner = self.edge.grown(-kerf);
        points.iter().all(|p| inner.has(*p) && !self.clamps.iter().any(|c| c.grown(kerf).has(*p)))
            && self.outline.split_first().is_none_or(|(edge, holes)| {
                points.iter().all(|p| {
                    edge.contains(*p)
                        && edge.nearest(*p).distance > kerf
                        && !holes.iter().any(|h| h.contains(*p) || h.nearest(*p).distance < kerf)
                })
            })
    }
}

/// Where a rule wants the lead, mm along the path.
fn preferred(path: &Path, from: LeadFrom, outer: bool) -> f64 {
    let begins: Vec<f64> = path.segments.iter().scan(0.0, |at, s| Some(std::mem::replace(at, *at + s.length()))).collect();
    match from {
        LeadFrom::Start => 0.0,
        LeadFrom::LongSide => {
            // The path begins somewhere on a side: its first and last piece may be one.
            let (first, last) = (path.segments.first(), path.segments.last());
            let goes_on = |a: &Segment, b: &Segment| a.is_line() && b.is_line() && a.direction(1.0).dot(b.direction(0.0)) > 0.999_999;
            let before = last.zip(first).filter(|(a, b)| goes_on(a, b)).map_or(0.0, |(a, _)| a.length());
            let long = |i: usize| path.segments[i].length() + if i == 0 { before } else { 0.0 };
            let longest = (0..path.segments.len()).max_by(|a, b| long(*a).total_cmp(&long(*b)));
            let middle = |i: usize| begins[i] - if i == 0 { before } else { 0.0 } + long(i) / 2.0;
            longest.map_or(0.0, |i| middle(i).rem_euclid(path.length().max(1e-9)))
        }
        LeadFrom::Corner => {
            // What points into the scrap turns with the outline of a part, against that of a hole.
            let sense = if (path.area() > 0.0) == outer { 1.0 } else { -1.0 };
            let n = path.segments.len();
            let turn = |i: usize| {
                let (a, b) = (path.segments[(i + n - 1) % n].direction(1.0), path.segments[i].direction(0.0));
                a.cross(b).atan2(a.dot(b)) * sense
            };
            // Half a kerf off, a corner is a short arc.
            let short = |s: &Segment| !s.is_line() && s.radius() < SHORT_ARC;
            let arcs = (0..n).filter(|i| short(&path.segments[*i])).map(|i| {
                let s = &path.segments[i];
                (s.sweep() * sense, begins[i] + s.length() / 2.0)
            });
            let corners = (0..n).map(|i| (turn(i), begins[i])).chain(arcs).filter(|c| c.0 > SHARP);
            corners.max_by(|a, b| a.0.total_cmp(&b.0)).map_or(0.0, |c| c.1)
        }
    }
}

/// A lead-in of a shape that ends at `at` in the direction `ahead`, or across it where it is a line.
fn shaped(shape: LeadShape, at: Point, ahead: Vec2, scrap_left: bool, radius: f64) -> Vec<Segment> {
    let side = if scrap_left { ahead.turn_90() } else { -ahead.turn_90() };
    match shape {
        LeadShape::Arc => vec![quarter_in(at, ahead, scrap_left, radius)],
        LeadShape::Line => vec![Segment::line(at + (side - ahead) * (radius * FRAC_PI_2 / std::f64::consts::SQRT_2), at)],
        LeadShape::LineArc => {
            let arc = quarter_in(at, ahead, scrap_left, radius * 0.5);
            vec![Segment::line(arc.start + side * (radius * 0.5 * FRAC_PI_2), arc.start), arc]
        }
    }
}

/// The arc from a pierce that arrives at `at` in the direction `ahead`; a line where that would be more than half a circle, or is
/// straight.
fn tangential(pierce: Point, at: Point, ahead: Vec2) -> Segment {
    let way = at - pierce;
    // Between chord and tangent lies half the sweep.
    let half = way.cross(ahead).atan2(way.dot(ahead));
    if half.abs() < 1e-3 || half.abs() > FRAC_PI_2 {
        return Segment::line(pierce, at);
    }
    Segment { start: pierce, end: at, bulge: (half / 2.0).tan() }
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

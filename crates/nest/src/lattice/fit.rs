//! How many of a lattice's places a sheet has room for: in every turn, at many phases, touching the left and the lower side.

use super::{Lattice, SLACK};
use crate::geometry::{Bounds, Point, Vec2};
use crate::layout::turned;
use crate::nofit::{NoFit, Oriented, motion};
use crate::problem::Problem;

/// Degrees between the turns of a shape that may lie at any angle.
const STEP: f64 = 2.0;
/// Its longest sides that are laid along the sheet's.
const SIDES: usize = 10;

/// A lattice in a turn on a room: its vectors, and for each part of its motif where it is and within which box it may be.
pub(super) struct Turned {
    first: Vec2,
    second: Vec2,
    motif: Vec<(Vec2, Bounds)>,
    /// Turn against the lattice's own, degrees.
    pub(super) by: f64,
}

/// What a phase holds: how many, and how far all may go to the left and down.
#[derive(Clone, Copy)]
struct Held {
    count: usize,
    free: Vec2,
}

impl Turned {
    /// `None` where some part of the motif does not fit the room.
    pub(super) fn new(lattice: &Lattice, by: f64, around: &[Point], room: Bounds) -> Option<Self> {
        let turn = turned(by);
        let place = |(pose, at): &((f64, bool), Vec2)| {
            let body = Bounds::of(around.iter().map(|p| motion(pose.0 + by, pose.1) * *p));
            let within = Bounds { min: room.min - body.min.to_vec2(), max: room.max - body.max.to_vec2() };
            let fits = within.width() > -SLACK && within.height() > -SLACK;
            fits.then_some(((turn * at.to_point()).to_vec2(), within.grown(SLACK)))
        };
        let motif = lattice.motif.iter().map(place).collect::<Option<Vec<_>>>()?;
        let way = |v: Vec2| (turn * v.to_point()).to_vec2();
        Some(Self { first: way(lattice.first), second: way(lattice.second), motif, by })
    }

    /// Rows of places: which of the motif, the place of the row's first, and how many there are in it.
    fn rows(&self, phase: Vec2, mut each: impl FnMut(usize, Vec2, usize)) {
        let (a, b) = (self.first, self.second);
        let area = a.cross(b);
        for (n, (at, room)) in self.motif.iter().enumerate() {
            let from = phase + *at;
            let corners = [room.min, Point::new(room.max.x, room.min.y), room.max, Point::new(room.min.x, room.max.y)];
            let across = corners.map(|c| a.cross(c.to_vec2() - from) / area);
            let first = across.iter().copied().fold(f64::INFINITY, f64::min).ceil() as i64;
            let last = across.iter().copied().fold(f64::NEG_INFINITY, f64::max).floor() as i64;
            for j in first..=last {
                let begin = from + b * j as f64;
                let (x0, x1) = within(begin.x, a.x, (room.min.x, room.max.x));
                let (y0, y1) = within(begin.y, a.y, (room.min.y, room.max.y));
                let (i0, i1) = (x0.max(y0).ceil(), x1.min(y1).floor());
                if i1 >= i0 {
                    each(n, begin + a * i0, (i1 - i0) as usize + 1);
                }
            }
        }
    }

    fn held(&self, phase: Vec2) -> Held {
        let mut held = Held { count: 0, free: Vec2::new(f64::INFINITY, f64::INFINITY) };
        self.rows(phase, |n, from, count| {
            let room = &self.motif[n].1;
            let end = from + self.first * (count - 1) as f64;
            held.count += count;
            held.free.x = held.free.x.min(from.x.min(end.x) - room.min.x);
            held.free.y = held.free.y.min(from.y.min(end.y) - room.min.y);
        });
        held
    }

    /// The phase that holds most of so many by so many, each moved until it touches the left and the lower side.
    pub(super) fn best(&self, phases: usize) -> (usize, Vec2) {
        let corner = self.motif[0].1.min.to_vec2() - self.motif[0].0;
        let mut best = (0, corner);
        let corners = self.motif.iter().map(|(at, room)| room.min.to_vec2() - *at);
        for phase in corners.chain(self.phases(corner, phases)) {
            let held = self.held(phase);
            if held.count == 0 {
                continue;
            }
            // Where it touches both sides it may hold one more at the others, which touches again.
            let close = phase - held.free + Vec2::new(SLACK, SLACK);
            let more = self.held(close).count;
            let found = if more >= held.count { (more, close) } else { (held.count, phase) };
            if found.0 > best.0 {
                best = found;
            }
        }
        best
    }

    pub(super) fn phases(&self, corner: Vec2, many: usize) -> impl Iterator<Item = Vec2> + '_ {
        let share = move |k: usize| k as f64 / many as f64;
        (0..many * many).map(move |k| corner + self.first * share(k % many) + self.second * share(k / many))
    }

    /// All places at a phase: which of the motif, and where.
    pub(super) fn places(&self, phase: Vec2) -> Vec<(usize, Vec2)> {
        let mut out = Vec::new();
        self.rows(phase, |n, from, count| out.extend((0..count).map(|i| (n, from + self.first * i as f64))));
        out
    }

    /// The phase that holds most where something stands in the way of single places.
    pub(super) fn best_between(&self, phases: usize, free: impl Fn(usize, Vec2) -> bool) -> (usize, Vec2) {
        let corner = self.motif[0].1.min.to_vec2() - self.motif[0].0;
        let count = |phase: Vec2| self.places(phase).iter().filter(|p| free(p.0, p.1)).count();
        let mut best = (0, corner);
        for phase in std::iter::once(corner).chain(self.phases(corner, phases)) {
            for phase in [phase, phase - self.held(phase).free + Vec2::new(SLACK, SLACK)] {
                let found = if phase.is_finite() { count(phase) } else { 0 };
                if found > best.0 {
                    best = (found, phase);
                }
            }
        }
        best
    }
}

/// From where to where `from + i · step` lies within a range; nothing, or everything, where there is no step.
fn within(from: f64, step: f64, (min, max): (f64, f64)) -> (f64, f64) {
    if step.abs() < 1e-12 {
        return if from >= min && from <= max { (f64::NEG_INFINITY, f64::INFINITY) } else { (0.0, -1.0) };
    }
    let (a, b) = ((min - from) / step, (max - from) / step);
    if a < b { (a, b) } else { (b, a) }
}

/// What stands on a kind of sheet in the way of a part in a turn; seen from where the drawing's origin comes to lie.
pub(super) struct InTheWay {
    regions: Vec<NoFit>,
    shift: Vec2,
}

impl InTheWay {
    pub(super) fn new(problem: &Problem, kind: usize, oriented: &Oriented) -> Self {
        Self { regions: problem.blocked[kind].iter().map(|b| NoFit::new(b, oriented)).collect(), shift: oriented.shift }
    }

    pub(super) fn lets(&self, at: Vec2) -> bool {
        self.regions.iter().all(|r| !r.forbids((at - self.shift).to_point(), SLACK))
    }
}

/// Turns of a lattice of a shape against its own, degrees: those that are allowed; where that is any, those that lay a vector or a side
/// along the sheet's sides, and even steps.
pub(super) fn turns(problem: &Problem, shape: usize, lattice: &Lattice, most: usize) -> Vec<f64> {
    let s = &problem.shapes[shape];
    let (angle, mirrored) = lattice.motif[0].0;
    if !s.free {
        let whole = |by: &f64| lattice.motif.iter().all(|(pose, _)| s.turns.number((pose.0 + by, pose.1)).is_some());
        return s.turns.iter().filter(|t| t.mirrored == mirrored).map(|t| t.angle - angle).filter(whole).collect();
    }
    let lean = |v: Vec2| -v.atan2().to_degrees();
    let (a, b) = (lattice.first, lattice.second);
    let mut all: Vec<f64> = [a, b, a + b, a - b].into_iter().flat_map(|v| [lean(v), lean(v) + 90.0]).collect();
    let ring = &s.polygon.outer;
    let mut sides: Vec<Vec2> = (0..ring.len()).map(|i| ring[(i + 1) % ring.len()] - ring[i]).collect();
    sides.sort_by(|x, y| y.hypot().total_cmp(&x.hypot()));
    all.extend(sides.into_iter().take(SIDES).flat_map(|v| [lean(v), lean(v) + 90.0]).map(|l| l - angle));
    all.extend([0.0, 90.0]);
    all.extend((0..(180.0 / STEP) as usize).map(|k| k as f64 * STEP));
    // To turn the sheet by half changes nothing.
    let mut apart: Vec<f64> = Vec::new();
    for by in all.into_iter().map(|l| l.rem_euclid(180.0)) {
        if apart.len() < most && apart.iter().all(|a| (a - by).abs() > 1e-6) {
            apart.push(by);
        }
    }
    apart
}

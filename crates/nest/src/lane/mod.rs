//! One lane of the separation: parts that may lie over each other, and are moved apart one by one.
//!
//! Guided local search over the depth of overlaps, after Egeblad, Nielsen and Odgaard, "Fast neighborhood search for two- and
//! three-dimensional nesting problems" (EJOR 2007), and Umetani et al., "Solving the irregular strip packing problem via guided
//! local search for overlap minimization" (2009): the overlap of a pair counts times the pair's weight, and pairs that stay
//! overlapped weigh more from round to round. A part is moved to the best of few places sampled in the rooms and near by, refined
//! by the exact ways out: to the edge of what it lies in, and to where two such edges cross.

mod apart;
mod moves;
mod plans;
mod pool;

use crate::fences::Fences;
use crate::geometry::{Bounds, Point, Vec2};
use pool::Pool;
use rand::rngs::SmallRng;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};

/// Depths that are rounding, mm.
const EXACT: f64 = 1e-5;
/// Depths below this share of the middling size of the parts are let be until all is pushed apart at the end.
const LET_BE: f64 = 2e-4;
/// Rounds without a lesser overlap after which a lane is stuck.
const STALE: usize = 200;

/// A part in its place for now.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Piece {
    pub(super) demand: usize,
    pub(super) turn: usize,
    pub(super) room: usize,
    pub(super) at: Point,
}

/// A sheet as far as parts may lie on it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Room {
    pub(super) kind: usize,
    /// Its right and upper end, mm; not the sheet's where it is to be done with less.
    pub(super) end: Point,
}

/// What came of some work.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Came {
    /// Nothing lies over anything.
    Apart,
    /// It goes on.
    Working,
    /// Long nothing has come of it.
    Stuck,
}

/// Parts in rooms, and the weights of their overlaps.
pub(super) struct Lane<'p> {
    fences: &'p Fences<'p>,
    pub(super) rooms: Vec<Room>,
    pub(super) pieces: Vec<Piece>,
    turned: Vec<usize>,
    /// Box of each as it lies: left, lower, right, upper, mm. What is asked most lies closest together.
    boxes: Vec<[f32; 4]>,
    by_room: Vec<Vec<u32>>,
    weights: Vec<f32>,
    walls: Vec<f32>,
    let_be: f64,
    rng: SmallRng,
    least: f64,
    stale: usize,
    /// The pieces where they overlapped least.
    kept: Vec<Piece>,
    /// Near misses of this goal.
    pool: Pool,
    /// Places priced so far.
    pub(super) priced: u64,
    /// False where some part has room nowhere.
    possible: bool,
    /// Only so many of a part's turns are tried.
    pub(super) turns: usize,
}

impl<'p> Lane<'p> {
    pub(super) fn new(fences: &'p Fences<'p>, rooms: Vec<Room>, pieces: Vec<Piece>, seed: u64) -> Self {
        let n = pieces.len();
        let p = fences.problem;
        let middling = pieces.iter().map(|i| p.shapes[p.demands[i.demand].shape].area.sqrt()).sum::<f64>() / n.max(1) as f64;
        let mut lane = Self {
            fences,
            rooms,
            pieces,
            turned: vec![0; n],
            boxes: vec![[0.0; 4]; n],
            by_room: Vec::new(),
            weights: vec![1.0; n * n],
            walls: vec![1.0; n],
            let_be: LET_BE * middling,
            rng: SmallRng::seed_from_u64(seed),
            least: f64::INFINITY,
            stale: 0,
            kept: Vec::new(),
            pool: Pool::default(),
            priced: 0,
            possible: true,
            turns: usize::MAX,
        };
        lane.begin();
        lane
    }

    /// Takes other rooms and places, and begins anew with them. Near misses with other parts are none of these.
    pub(super) fn set(&mut self, rooms: Vec<Room>, pieces: Option<Vec<Piece>>) {
        self.rooms = rooms;
        if let Some(pieces) = pieces {
            let n = pieces.len();
            if n != self.pieces.len() || pieces.iter().zip(&self.pieces).any(|(a, b)| a.demand != b.demand) {
                self.pool.clear();
            }
            self.pieces = pieces;
            self.turned.resize(n, 0);
            self.boxes.resize(n, [0.0; 4]);
            self.weights.resize(n * n, 1.0);
            self.walls.resize(n, 1.0);
        }
        self.begin();
    }

    fn begin(&mut self) {
        self.weights.fill(1.0);
        self.walls.fill(1.0);
        (self.least, self.stale, self.possible) = (f64::INFINITY, 0, true);
        for i in 0..self.pieces.len() {
            let p = self.pieces[i];
            let room = p.room.min(self.rooms.len() - 1);
            // As it lies, or as it can lie there at all.
            let shape = self.shape(i);
            let turns = std::iter::once(p.turn).chain(0..self.fences.problem.shapes[shape].turns.len());
            let rooms = std::iter::once(room).chain(0..self.rooms.len());
            let fit = rooms
                .flat_map(|r| turns.clone().map(move |t| (r, t)))
                .find_map(|(r, t)| Some((r, t, self.inner(r, self.fences.number(shape, t))?)));
            if let Some((room, turn, inner)) = fit {
                self.pieces[i] = Piece { room, turn, at: clamped(p.at, inner), ..p };
                self.turned[i] = self.fences.number(shape, turn);
                self.lies(i);
            } else {
                self.possible = false;
            }
        }
        self.by_room = vec![Vec::new(); self.rooms.len()];
        for (i, p) in self.pieces.iter().enumerate() {
            self.by_room[p.room].push(i as u32);
        }
        self.kept.clone_from(&self.pieces);
    }

    /// Throws everything about the rooms.
    pub(super) fn scatter(&mut self) {
        for i in 0..self.pieces.len() {
            if let Some((room, turn, at)) = self.anywhere(i, None) {
                self.pieces[i] = Piece { room, turn, at, ..self.pieces[i] };
            }
        }
        self.begin();
    }

    /// The rooms are smaller, or larger; parts stay where they are as far as they have room, and what overlaps weighs as it did.
    pub(super) fn narrow(&mut self, rooms: Vec<Room>) {
        self.rooms = rooms;
        for i in 0..self.pieces.len() {
            if let Some(inner) = self.inner(self.pieces[i].room, self.turned[i]) {
                self.pieces[i].at = clamped(self.pieces[i].at, inner);
                self.lies(i);
            } else {
                self.possible = false;
            }
        }
        (self.least, self.stale) = (f64::INFINITY, 0);
    }

    /// What was found is found: near misses of it are none of the next goal.
    pub(super) fn forget(&mut self) {
        self.pool.clear();
    }

    /// The attempt has failed: it is kept as a near miss, and another begins from one of the nearest, with one or two pairs of large
    /// parts of different shape in each other's place.
    pub(super) fn again(&mut self) {
        self.pool.keep(self.least, &self.kept);
        if let Some(near) = self.pool.one_of_the_nearest(&mut self.rng) {
            self.pieces.clone_from(near);
        }
        let area = |i: usize| self.fences.problem.shapes[self.shape(i)].area;
        let mut large: Vec<usize> = (0..self.pieces.len()).collect();
        large.sort_by(|a, b| area(*b).total_cmp(&area(*a)));
        large.truncate((self.pieces.len() / 2).max(2));
        for _ in 0..self.rng.random_range(1..=2) {
            let (a, b) = (large[self.rng.random_range(0..large.len())], large[self.rng.random_range(0..large.len())]);
            if self.shape(a) == self.shape(b) {
                continue;
            }
            let (p, q) = (self.pieces[a], self.pieces[b]);
            let middle = |i: usize, p: &Piece| p.at + self.size(i, p.turn) / 2.0;
            let (ma, mb) = (middle(a, &p), middle(b, &q));
            self.pieces[a] = Piece { room: q.room, at: mb - self.size(a, p.turn) / 2.0, ..p };
            self.pieces[b] = Piece { room: p.room, at: ma - self.size(b, q.turn) / 2.0, ..q };
        }
        self.begin();
    }

    /// Moves parts until nothing overlaps, so many places are priced, or it is told to stop.
    pub(super) fn work(&mut self, places: u64, go_on: &dyn Fn() -> bool) -> Came {
        let until = self.priced + places;
        if !self.possible {
            return Came::Stuck;
        }
        loop {
            let (pairs, total) = self.overlaps();
            if pairs.is_empty() {
                if self.pushed_apart() {
                    return Came::Apart;
                }
                // What was let be could not be pushed apart: it goes on from there.
                self.let_be = (self.let_be / 2.0).max(EXACT);
            }
            if total < self.least * 0.999 {
                (self.least, self.stale) = (total, 0);
                self.kept.clone_from(&self.pieces);
            } else {
                self.stale += 1;
                if self.stale > STALE {
                    return Came::Stuck;
                }
            }
            self.weigh(&pairs);
            let mut over: Vec<usize> = pairs.iter().flat_map(|p| [p.0, p.1]).filter(|i| *i < self.pieces.len()).collect();
            over.sort_unstable();
            over.dedup();
            over.shuffle(&mut self.rng);
            for i in over {
                self.shift(i);
                if self.priced > until || !go_on() {
                    return Came::Working;
                }
            }
            self.priced += 1;
            if self.priced > until || !go_on() {
                return Came::Working;
            }
        }
    }

    /// Notes the box of a part that lies elsewhere now.
    fn lies(&mut self, i: usize) {
        let (at, size) = (self.pieces[i].at, self.fences.size(self.turned[i]));
        self.boxes[i] = [at.x as f32, at.y as f32, (at.x + size.x) as f32, (at.y + size.y) as f32];
    }

    fn shape(&self, i: usize) -> usize {
        self.fences.problem.demands[self.pieces[i].demand].shape
    }

    fn size(&self, i: usize, turn: usize) -> Vec2 {
        self.fences.problem.shapes[self.shape(i)].turns[turn].size
    }

    /// Where the lower left of a shape in its turn may be in a room.
    fn inner(&self, room: usize, turned: usize) -> Option<Bounds> {
        let r = &self.rooms[room];
        let size = self.fences.size(turned);
        let m = self.fences.problem.distances.margin;
        let max = Point::new(r.end.x - size.x, r.end.y - size.y);
        (max.x > m - EXACT && max.y > m - EXACT).then(|| Bounds { min: Point::new(m, m), max: Point::new(max.x.max(m), max.y.max(m)) })
    }
}

fn clamped(p: Point, inner: Bounds) -> Point {
    Point::new(p.x.clamp(inner.min.x, inner.max.x), p.y.clamp(inner.min.y, inner.max.y))
}

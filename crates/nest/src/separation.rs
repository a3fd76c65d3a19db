//! The separation engine: what is laid is to do with one sheet less, or with less of the last; the overlaps that this makes
//! are resolved by lanes that work apart and share what one of them has found.

use crate::cost::Cost;
use crate::engine::{Engine, LANES};
use crate::fences::Fences;
use crate::geometry::Point;
use crate::greedy::Greedy;
use crate::lane::{Came, Lane, Piece, Room};
use crate::plan::Plan;
use crate::problem::Problem;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use rayon::prelude::*;

/// Places that each lane prices between two times that what was found is shared.
const EPOCH: u64 = 250_000;
/// Shares of the used room that are taken away at once: at first, at most and at least; times the one after a success, times the other
/// after a failure.
const SHRINK: (f64, f64, f64) = (0.02, 0.04, 0.002);
const BOLDER: f64 = 1.2;
const TIMID: f64 = 0.7;
/// After so many failures for one goal a lane scatters all and begins anew, for so much less than the best.
const FAILURES: usize = 40;
const ANEW: f64 = 0.03;
/// A lane that begins from nothing scatters its parts over so many times their own area.
const LOOSE: f64 = 1.25;
/// More parts than this are laid by the other engines.
const MOST: usize = 1500;
/// Sheets are never filled beyond this share of their area, but where they are cut along shared edges.
const FULL: f64 = 0.999;
/// Lanes go for fewer sheets until they were stuck so often; half of them go on with it then.
const HOPE: usize = 4;
/// How often a lane leaves out another part than the best plan does, from the first.
const CHANGES: f64 = 0.3;
/// Every so often a lane that has failed exchanges what waits for a place.
const EXCHANGE: usize = 8;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Aim {
    /// A sheet less, or a place for what has none.
    Fewer,
    /// Less of the last sheet.
    Tighter,
}

struct Runner<'p> {
    lane: Lane<'p>,
    aim: Aim,
    share: f64,
    stuck: usize,
    /// Failures for its goal.
    failures: usize,
    /// What the best plan cost when it was given its goal.
    aimed_at: Cost,
    rng: SmallRng,
    /// Turns that its lane may try, most first: fewer are sooner done with, and more freedom shall never end worse.
    freedoms: Vec<usize>,
    /// Demands that its goal leaves without a place.
    without: Vec<usize>,
}

/// The engine with its lanes.
pub(crate) struct Separation<'p> {
    problem: &'p Problem<'p>,
    runners: Vec<Runner<'p>>,
    best: Plan,
    cost: Cost,
}

impl Engine for Separation<'_> {
    fn improve(&mut self, best: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan> {
        if cost < self.cost {
            // Another engine has found it.
            (self.best, self.cost) = (best.clone(), cost);
            (0..LANES).for_each(|n| self.aim(n, n % 2 == 0));
        }
        let came: Vec<Came> = self.runners.par_iter_mut().map(|r| r.lane.work(EPOCH, go_on)).collect();
        let mut found = None;
        for (n, _) in came.iter().enumerate().filter(|(_, c)| **c == Came::Apart) {
            let r = &mut self.runners[n];
            r.lane.settle(20);
            r.lane.forget();
            let plan = Plan::of(&r.lane, self.problem, r.without.clone());
            // What has no place may have one in the gaps.
            let filled = if plan.unplaced.is_empty() { None } else { Greedy::filled_up(self.problem, &plan, go_on) };
            // What only fills gaps opens no sheet.
            let better = |f: &Plan| f.sheets.len() == plan.sheets.len() && f.cost(self.problem) < plan.cost(self.problem);
            let plan = filled.filter(better).unwrap_or(plan);
            let cost = plan.cost(self.problem);
            if cost < self.cost {
                (self.best, self.cost, found) = (plan, cost, Some(n));
            }
        }
        for (n, came) in came.into_iter().enumerate() {
            match came {
                Came::Apart => {
                    self.runners[n].share = (self.runners[n].share * BOLDER).min(SHRINK.1);
                    self.runners[n].failures = 0;
                    self.aim(n, found == Some(n) || found.is_none());
                }
                Came::Stuck => self.stuck(n),
                Came::Working => {}
            }
        }
        let finder = found?;
        // Everybody's goal is beyond what was found; what they have learned they keep.
        (0..LANES).filter(|n| *n != finder).for_each(|n| self.beyond(n));
        Some(self.best.clone())
    }
}

/// Places that separation prices in so many tries, from the first layout on: for whoever measures how many that is a second.
pub fn places_priced(problem: &Problem, tries: usize) -> u64 {
    let (first, fences) = (Greedy::hulls(problem, &|| true).unwrap_or_default(), Fences::new(problem));
    let Some(mut engine) = fences.as_ref().and_then(|f| Separation::new(f, &first, 1)) else { return 0 };
    for _ in 0..tries {
        let (best, cost) = (engine.best.clone(), engine.cost);
        engine.improve(&best, cost, &|| true);
    }
    engine.runners.iter().map(|r| r.lane.priced).sum()
}

impl<'p> Separation<'p> {
    /// Begins with a plan; `None` where there is nothing to separate, or too much.
    pub(crate) fn new(fences: &'p Fences<'p>, best: &Plan, seed: u64) -> Option<Self> {
        let problem = fences.problem;
        let (rooms, pieces) = best.rooms(problem);
        if rooms.is_empty() || pieces.len() + best.unplaced.len() > MOST {
            return None;
        }
        let most = problem.shapes.iter().map(|s| s.turns.len()).max().unwrap_or(1);
        let freedoms: Vec<usize> = [most, 4, 2, 1].into_iter().filter(|f| *f <= most).collect();
        let runner = |n: usize| Runner {
            freedoms: freedoms.clone(),
            lane: Lane::new(fences, rooms.clone(), pieces.clone(), seed.wrapping_mul(31).wrapping_add(n as u64)),
            aim: Aim::Fewer,
            share: SHRINK.0,
            stuck: 0,
            failures: 0,
            aimed_at: best.cost(problem),
            rng: SmallRng::seed_from_u64(seed ^ (n as u64 + 1) << 32),
            without: Vec::new(),
        };
        let mut engine = Self { problem, runners: (0..LANES).map(runner).collect(), cost: best.cost(problem), best: best.clone() };
        for n in 0..LANES {
            engine.runners[n].lane.turns = freedoms[n % freedoms.len()];
            engine.aim(n, true);
            if n % 2 == 1 {
                engine.begin_scattered(n);
            }
        }
        Some(engine)
    }

    /// A lane begins from nothing: its parts are scattered over a room that is a little larger than they are, where that is less than
    /// what the best plan uses.
    fn begin_scattered(&mut self, n: usize) {
        let area = self.area();
        let r = &mut self.runners[n];
        if let ([room], Aim::Tighter) = (r.lane.rooms.as_slice(), r.aim) {
            let m = self.problem.distances.margin;
            let long = m + LOOSE * area / (room.end.y - m).max(1.0);
            let rooms = vec![Room { end: Point::new(room.end.x.min(long), room.end.y), ..*room }];
            r.lane.set(rooms, None);
        }
        r.lane.scatter();
    }

    /// A lane that came to nothing asks for less and begins from a near miss; after many failures from nothing.
    fn stuck(&mut self, n: usize) {
        let r = &mut self.runners[n];
        r.stuck += 1;
        r.failures += 1;
        if r.failures < FAILURES {
            r.share = (r.share * TIMID).max(SHRINK.2);
            let exchanges = !self.best.unplaced.is_empty() && r.failures.is_multiple_of(EXCHANGE);
            if r.aim == Aim::Fewer && (exchanges || r.stuck == HOPE) {
                self.aim(n, false);
            } else {
                self.beyond(n);
            }
            self.runners[n].lane.again();
        } else {
            (r.failures, r.share) = (0, ANEW);
            r.lane.turns = r.freedoms[r.rng.random_range(0..r.freedoms.len())];
            r.lane.forget();
            self.aim(n, false);
            self.runners[n].lane.scatter();
        }
    }

    /// Sets a lane's goal beyond the best plan, where it is not, and leaves its parts where they are.
    fn beyond(&mut self, n: usize) {
        if self.runners[n].aim == Aim::Fewer {
            // The parts or the rooms are others when something better was found.
            if self.cost != self.runners[n].aimed_at {
                self.aim(n, n.is_multiple_of(2));
            }
            return;
        }
        let (mut rooms, _) = self.best.rooms(self.problem);
        let r = &mut self.runners[n];
        shrink(self.problem, &self.best, &mut rooms, r.share);
        if rooms.len() != r.lane.rooms.len() || r.without != self.best.unplaced {
            self.aim(n, false);
        } else {
            r.aimed_at = self.cost;
            r.lane.narrow(rooms);
        }
    }

    /// Gives a lane its next goal; from the best plan, or from where its parts lie.
    fn aim(&mut self, n: usize, from_best: bool) {
        let hope = self.fewer_may_do();
        let r = &mut self.runners[n];
        r.aim = if hope && (r.stuck < HOPE || n.is_multiple_of(2)) { Aim::Fewer } else { Aim::Tighter };
        let (mut rooms, mut pieces) = self.best.rooms(self.problem);
        r.without.clear();
        if r.aim == Aim::Fewer {
            if self.best.unplaced.is_empty() {
                // The emptiest of those on which nothing is held.
                let area = |room: &usize| {
                    self.best.sheets[*room]
                        .put
                        .iter()
                        .map(|p| self.problem.demands[p.demand].shape)
                        .map(|s| self.problem.shapes[s].area)
                        .sum::<f64>()
                };
                let free = (0..rooms.len()).filter(|i| self.problem.held[rooms[*i].kind].is_empty());
                let least = free.min_by(|a, b| area(a).total_cmp(&area(b))).unwrap_or(0);
                rooms.remove(least);
                for p in &mut pieces {
                    if p.room == least {
                        p.room = r.rng.random_range(0..rooms.len());
                    } else if p.room > least {
                        p.room -= 1;
                    }
                }
            } else {
                // All of them at once, or one more than there are: partial success counts.
                let (problem, all_at_once) = (self.problem, n == 0 && r.failures < EXCHANGE);
                let shape = |d: usize| &problem.shapes[problem.demands[d].shape];
                let mut waiting = self.best.unplaced.clone();
                waiting.sort_by(|a, b| shape(*a).net.total_cmp(&shape(*b).net));
                let more = if all_at_once { waiting.len() } else { 1 };
                r.without = waiting.split_off(more.min(waiting.len()));
                pieces.extend(waiting.iter().map(|d| Piece {
                    demand: *d,
                    turn: 0,
                    room: r.rng.random_range(0..rooms.len()),
                    at: rooms[0].end,
                }));
                // Now and then another part waits instead, so that the one that does not fit has its turn.
                let exchange = r.failures >= EXCHANGE || r.rng.random_bool(CHANGES);
                if exchange && !r.without.is_empty() {
                    let out = r.rng.random_range(0..pieces.len());
                    let back = r.rng.random_range(0..r.without.len());
                    // What goes first is not left out for what does not, nor anything for what only fills gaps.
                    let rank = |d: usize| (problem.demands[d].first, !problem.demands[d].filler);
                    if rank(r.without[back]) >= rank(pieces[out].demand) {
                        pieces[out].demand = std::mem::replace(&mut r.without[back], pieces[out].demand);
                        pieces[out].turn = 0;
                    }
                }
            }
        } else {
            r.without.clone_from(&self.best.unplaced);
            shrink(self.problem, &self.best, &mut rooms, r.share);
        }
        r.aimed_at = self.cost;
        // A lane's own places do only where it has the same parts.
        let same = pieces.len() == r.lane.pieces.len() && pieces.iter().zip(&r.lane.pieces).all(|(a, b)| a.demand == b.demand);
        r.lane.set(rooms, (from_best || !same).then_some(pieces));
    }

    /// True where what is laid might do with a sheet less, or there is something without a place.
    fn fewer_may_do(&self) -> bool {
        let sheets = &self.best.sheets;
        if !self.best.unplaced.is_empty() {
            // As long as the area is there.
            let free: f64 = sheets.iter().map(|s| self.room(s.kind)).sum::<f64>() * FULL - self.area();
            let smallest =
                self.best.unplaced.iter().map(|d| self.problem.shapes[self.problem.demands[*d].shape].net).fold(f64::INFINITY, f64::min);
            return free > smallest;
        }
        if sheets.len() < 2 || sheets.iter().all(|s| !self.problem.held[s.kind].is_empty()) {
            return false;
        }
        let rooms: Vec<f64> = sheets.iter().map(|s| self.room(s.kind)).collect();
        let least = rooms.iter().copied().fold(f64::INFINITY, f64::min);
        self.area() <= (rooms.iter().sum::<f64>() - least) * FULL
    }

    fn area(&self) -> f64 {
        let put = self.best.sheets.iter().flat_map(|s| &s.put).map(|p| p.demand);
        put.map(|d| self.problem.shapes[self.problem.demands[d].shape].net).sum()
    }

    /// Area within the margin of a kind of sheet, mm².
    fn room(&self, kind: usize) -> f64 {
        let (s, m) = (&self.problem.sheets[kind], 2.0 * self.problem.distances.margin);
        ((s.width - m) * (s.height - m)).min(s.area())
    }
}

/// Takes a share away of what the last sheet's parts use, along the side that leaves the larger strip free.
fn shrink(problem: &Problem, best: &Plan, rooms: &mut [Room], share: f64) {
    let (Some(last), Some(room)) = (best.sheets.last(), rooms.last_mut()) else { return };
    let (sheet, used, m) = (&problem.sheets[last.kind], last.used(problem), problem.distances.margin);
    if used.x * sheet.height <= used.y * sheet.width {
        room.end.x = room.end.x.min(m + (used.x - m) * (1.0 - share));
    } else {
        room.end.y = room.end.y.min(m + (used.y - m) * (1.0 - share));
    }
}

//! Copies that share edges: nicks on what they share, and how the torch gets to it.
//!
//! Every copy of a block hangs by two nicks on its shared edges, where it has so many that are long enough; a nick counts for
//! the copies on both sides. The block itself is held by the nicks of its rim.

use super::{Bench, Doing, Op, Track, Troubles, Yard, nicks};
use crate::cuts::{Cut, Line, SheetCuts};
use crate::decisions::HoldDecisions;
use crate::geometry::{Path, Point};
use crate::order::Step;
use rustc_hash::FxHashMap;

/// Nicks by which a copy hangs on its shared edges.
const WANTED: usize = 2;
/// A shared stretch has room for a nick where it is so many times as long as the nick's gap.
const ROOM: f64 = 3.0;

/// A place where a nick could stand: which cut, how far along it, where that is, and the copies that it would hold.
struct Site {
    cut: usize,
    along: f64,
    at: Point,
    holds: [usize; 2],
}

/// Middles of the nicks on shared edges, by cut, as lengths along it.
pub(super) fn places(sheet: &SheetCuts, gap: f64) -> FxHashMap<usize, Vec<f64>> {
    let mut sites: Vec<Site> = Vec::new();
    for (i, cut) in sheet.cuts.iter().enumerate().filter(|(_, c)| c.line == Line::Shared) {
        let mut begin = 0.0;
        for piece in &cut.pieces {
            if let [Some(a), Some(b)] = piece.sides
                && piece.end - begin > ROOM * gap
            {
                let along = (begin + piece.end) / 2.0;
                sites.push(Site { cut: i, along, at: cut.path.at(along).0, holds: [a.placement, b.placement] });
            }
            begin = piece.end;
        }
    }
    let mut copies: Vec<usize> = sites.iter().flat_map(|s| s.holds).collect();
    copies.sort_unstable();
    copies.dedup();
    let mut hung: FxHashMap<usize, Vec<Point>> = FxHashMap::default();
    let mut of_copy: FxHashMap<usize, Vec<usize>> = FxHashMap::default();
    sites.iter().enumerate().for_each(|(k, s)| s.holds.iter().for_each(|c| of_copy.entry(*c).or_default().push(k)));
    let mut taken = vec![false; sites.len()];
    let mut out: FxHashMap<usize, Vec<f64>> = FxHashMap::default();
    for copy in copies {
        while hung.get(&copy).map_or(0, Vec::len) < WANTED {
            let worth = |k: &usize| {
                let site = &sites[*k];
                let other = if site.holds[0] == copy { site.holds[1] } else { site.holds[0] };
                let wants = hung.get(&other).map_or(0, Vec::len) < WANTED;
                let apart = hung.get(&copy).into_iter().flatten().map(|p| p.distance(site.at)).fold(f64::INFINITY, f64::min);
                (apart, wants)
            };
            let free = of_copy[&copy].iter().copied().filter(|k| !taken[*k]);
            // Far from the first, so that it cannot hinge; then where the neighbour is held too.
            let Some(best) = free.max_by(|a, b| {
                let (a, b) = (worth(a), worth(b));
                a.0.total_cmp(&b.0).then(a.1.cmp(&b.1))
            }) else {
                break;
            };
            taken[best] = true;
            sites[best].holds.iter().for_each(|c| hung.entry(*c).or_default().push(sites[best].at));
            out.entry(sites[best].cut).or_default().push(sites[best].along);
        }
    }
    out.values_mut().for_each(|all| all.sort_by(f64::total_cmp));
    out
}

/// Puts the nicks that a hand set on shared edges in the place of the rule's.
pub(super) fn by_hand(sheet: &SheetCuts, decisions: &HoldDecisions, places: &mut FxHashMap<usize, Vec<f64>>) {
    for (i, name) in sheet.names().into_iter().enumerate().filter(|(i, _)| sheet.cuts[*i].line == Line::Shared) {
        if let Some(set) = decisions.common_nicks.get(&name) {
            let mut along: Vec<f64> = set.iter().map(|p| p.along(&sheet.cuts[i].path)).collect();
            along.sort_by(f64::total_cmp);
            places.insert(i, along);
        }
    }
}

impl Bench<'_> {
    /// A line between copies, on the middle of the gap, with its nicks; or one round a block from one such line to the next. From the
    /// outside in where the torch needs a lead.
    pub(super) fn block_cut(&self, step: &Step, cut: &Cut, mut op: Op, yard: &mut Yard, troubles: &mut Troubles) -> Op {
        let backwards = step.start > 0.5 && !cut.path.closed;
        let mut ways = vec![(cut.path.clone(), false), (cut.path.reversed(), true)];
        if backwards {
            ways.reverse();
        }
        if cut.line != Line::Shared {
            // The bevel of a torch belongs to the scrap: what runs round a block has one direction.
            ways.retain(|w| !w.1);
        }
        let lead = |(path, _): &(Path, bool), yard: &mut Yard| {
            let first = path.segments.first()?;
            yard.straight_to(first.start, first.direction(0.0), self.given.thickness, op.kerf)
        };
        let (mut chosen, mut line) = (0, Track::default());
        if self.holding.leads {
            match (0..ways.len()).find_map(|k| Some((k, lead(&ways[k], yard)?))) {
                Some((k, found)) => {
                    chosen = k;
                    line.lead_in = vec![found];
                }
                None => troubles.no_lead.push((op.contour, cut.path.segments[0].start)),
            }
        }
        let (path, reversed) = &ways[chosen];
        let gap = self.holding.nick_width + op.kerf;
        let total = path.length();
        let mut places: Vec<f64> = self.block_nicks.get(&step.cut).cloned().unwrap_or_default();
        if *reversed {
            places = places.iter().rev().map(|p| total - p).collect();
        }
        line.nicks = places.iter().map(|at| path.at(*at)).map(|(p, d)| (p, d.turn_90())).collect();
        line.runs = nicks::split(path, &places, gap);
        if self.holding.leads {
            // Between two copies there is no scrap to light the torch in.
            if line.runs.len() > 1 {
                troubles.on_shared_edges.extend(self.cuts.names().get(step.cut));
            }
            troubles.on_the_edge.extend(line.runs.iter().skip(1).map(|r| (op.contour, r[0].start)));
            line.restarts = vec![Vec::new(); line.runs.len() - 1];
        }
        op.doing = Doing::Line(line);
        yard.burn(op.line().runs.iter().flatten().chain(op.leads()).copied());
        yard.bridges.keep(op.line().nicks.iter().map(|n| n.0), gap / 2.0 + op.kerf / 2.0);
        op
    }
}

//! Strategies that go over the sheet in some order of their own: part by part, along rows, from a corner, what is fragile last.
//! Each gives every cut a phase; phases follow each other, within each the way is as short as it can be made.

use super::pins::Pins;
use super::tour::{self, Ends, Entry, Metric, Stop, Tour};
use crate::assign::Work;
use crate::cuts::{Cut, SheetCuts};
use crate::decisions::{SheetCorner, Strategy};
use crate::geometry::{Bounds, Point};
use crate::nest::SheetLayout;
use rustc_hash::FxHashMap;

/// What is this many times as long round as a square of its area would be is fragile: a comb, a ring, a strip.
const SLENDER: f64 = 2.0;

/// A sheet's cuts of one kind, as they are ordered.
pub(super) struct Group<'a> {
    pub(super) work: &'a Work,
    pub(super) layout: &'a SheetLayout,
    pub(super) sheet: &'a SheetCuts,
    /// Indices into the sheet's cuts.
    pub(super) cuts: &'a [usize],
    pub(super) stops: &'a [Stop],
}

impl Group<'_> {
    /// The tour of a strategy.
    pub(super) fn tour(&self, strategy: Strategy, ends: Ends, pins: &Pins) -> Tour {
        let (metric, none) = (Metric::default(), Pins::default());
        let phases = match strategy {
            Strategy::Least => return tour::find(self.stops, ends, pins, metric),
            Strategy::Spread { least } => return tour::find(self.stops, ends, pins, Metric { least }),
            Strategy::Parts => self.by_copy(&self.copies_by_tour(ends)),
            Strategy::Rows => self.by_copy(&self.copies_by_rows()),
            Strategy::Corner { corner } => self.by_copy(&self.copies_from(corner)),
            Strategy::Fragile => self.cuts.iter().map(|i| usize::from(self.is_fragile(&self.sheet.cuts[*i]))).collect(),
        };
        let mut order = Vec::with_capacity(self.stops.len());
        let mut at = ends.from;
        let members = self.members(phases);
        for (k, phase) in members.iter().enumerate() {
            let own = Ends { from: at, to: ends.to.filter(|_| k + 1 == members.len()) };
            let part = tour::find(&self.within(phase), own, &none, metric);
            at = part.order.last().map_or(at, |(s, e)| self.stops[phase[*s]].entries[*e].leave);
            order.extend(part.order.into_iter().map(|(s, e)| (phase[s], e)));
        }
        Tour::of(self.stops, pins.merged(self.stops, order), ends, metric)
    }

    /// The stops of each phase. A phase is put off until all is done that has to come before what is in it.
    fn members(&self, mut phase: Vec<usize>) -> Vec<Vec<usize>> {
        let mut waits = vec![0_usize; self.stops.len()];
        self.stops.iter().flat_map(|s| &s.after).for_each(|a| waits[*a] += 1);
        let mut ready: Vec<usize> = (0..self.stops.len()).filter(|i| waits[*i] == 0).collect();
        while let Some(i) = ready.pop() {
            for a in &self.stops[i].after {
                phase[*a] = phase[*a].max(phase[i]);
                waits[*a] -= 1;
                if waits[*a] == 0 {
                    ready.push(*a);
                }
            }
        }
        let mut members = vec![Vec::new(); phase.iter().max().map_or(0, |m| m + 1)];
        phase.iter().enumerate().for_each(|(i, p)| members[*p].push(i));
        members.retain(|m| !m.is_empty());
        members
    }

    /// Some of the stops by themselves.
    fn within(&self, some: &[usize]) -> Vec<Stop> {
        let place: FxHashMap<usize, usize> = some.iter().enumerate().map(|(k, i)| (*i, k)).collect();
        let one = |i: &usize| Stop {
            entries: self.stops[*i].entries.clone(),
            after: self.stops[*i].after.iter().filter_map(|a| place.get(a).copied()).collect(),
        };
        some.iter().map(one).collect()
    }

    /// The phase of each cut is the rank of its copy.
    fn by_copy(&self, ranked: &[usize]) -> Vec<usize> {
        let mut rank = vec![0; self.layout.placed.len()];
        ranked.iter().enumerate().for_each(|(k, copy)| rank[*copy] = k);
        self.cuts.iter().map(|i| rank[self.sheet.cuts[*i].placement]).collect()
    }

    fn bounds(&self) -> Vec<Bounds> {
        let of = |p: &crate::nest::Placement| {
            self.work.part(p.copy.part).map_or(Bounds::EMPTY, |part| part.outline.transformed(p.affine()).bounds())
        };
        self.layout.placed.iter().map(of).collect()
    }

    /// Copies by the shortest way from middle to middle.
    fn copies_by_tour(&self, ends: Ends) -> Vec<usize> {
        let middle = |b: &Bounds| {
            let p = b.center();
            Stop { entries: vec![Entry { arrive: p, leave: p, share: 0.0 }], after: Vec::new() }
        };
        let stops: Vec<Stop> = self.bounds().iter().map(middle).collect();
        tour::find(&stops, ends, &Pins::default(), Metric::default()).order.into_iter().map(|o| o.0).collect()
    }

    /// Copies in rows along x, from the lowest up, there and back.
    fn copies_by_rows(&self) -> Vec<usize> {
        let bounds = self.bounds();
        let mut order: Vec<usize> = (0..bounds.len()).collect();
        order.sort_by(|a, b| bounds[*a].center().y.total_cmp(&bounds[*b].center().y));
        let mut rows: Vec<Vec<usize>> = Vec::new();
        for i in order {
            let (middle, of) = (bounds[i].center().y, rows.last().map(|row| bounds[row[0]]));
            match rows.last_mut().filter(|_| of.is_some_and(|b| middle <= b.max.y)) {
                Some(row) => row.push(i),
                None => rows.push(vec![i]),
            }
        }
        for (k, row) in rows.iter_mut().enumerate() {
            row.sort_by(|a, b| bounds[*a].center().x.total_cmp(&bounds[*b].center().x));
            if k % 2 == 1 {
                row.reverse();
            }
        }
        rows.concat()
    }

    /// Copies by how far they lie from a corner of the sheet.
    fn copies_from(&self, corner: SheetCorner) -> Vec<usize> {
        let (w, h) = (self.layout.sheet.width, self.layout.sheet.height);
        let from = match corner {
            SheetCorner::LowerLeft => Point::ZERO,
            SheetCorner::LowerRight => Point::new(w, 0.0),
            SheetCorner::UpperLeft => Point::new(0.0, h),
            SheetCorner::UpperRight => Point::new(w, h),
        };
        let bounds = self.bounds();
        let mut order: Vec<usize> = (0..bounds.len()).collect();
        order.sort_by(|a, b| bounds[*a].center().distance(from).total_cmp(&bounds[*b].center().distance(from)));
        order
    }

    /// True for the cuts of a part that is slender, as a comb, a ring or a strip is.
    fn is_fragile(&self, cut: &Cut) -> bool {
        let part = self.layout.placed.get(cut.placement).and_then(|p| self.work.part(p.copy.part));
        part.is_some_and(|p| {
            let round = p.outline.length() + p.holes.iter().map(|i| self.work.items[*i].contour.length).sum::<f64>();
            round > SLENDER * 4.0 * p.area.max(0.0).sqrt()
        })
    }
}

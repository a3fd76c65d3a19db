//! Which areas are swept together, and which way: the plan of engraving.
//!
//! Rows that several areas share cost their run-up and turn-round once when the areas are swept together, but the head
//! then also passes the gaps between them. So areas are gathered greedily, always the two that gain most by it (as in
//! Ward, "Hierarchical grouping to optimize an objective function", 1963); then single areas are moved to another group,
//! or out, as long as that gains. Every group goes in the direction that suits it best. Time is the time model's: a row
//! costs its width at speed, coming up to speed and braking, the turn, and the way to the next. Where the next row begins
//! elsewhere, the shorter of the two is lengthened in the dark if that takes less time than going there from standstill.

use std::collections::BTreeMap;

/// Burned stretches of one row, ascending and apart, mm along the row.
pub(super) type Spans = Vec<(f64, f64)>;
/// Stretches by row number: row k lies at (k + ½) pitch across the rows.
pub(super) type Rows = BTreeMap<i64, Spans>;

/// How the machine sweeps.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Pace {
    /// Speed along a row, mm/s.
    pub(super) speed: f64,
    /// mm/s².
    pub(super) acceleration: f64,
    /// Speed between rows, mm/s.
    pub(super) rapid: f64,
    /// Wait at each turn, s.
    pub(super) turn: f64,
    /// Distance of rows, mm.
    pub(super) pitch: f64,
    /// Rows go there and back; else all one way.
    pub(super) both_ways: bool,
    /// Long gaps within a row may be crossed at travel speed.
    pub(super) fast_gaps: bool,
}

/// A row as far as its time goes: its number, and from where to where along it something burns, mm.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Extent {
    pub(super) row: i64,
    pub(super) from: f64,
    pub(super) to: f64,
    /// What crossing its gaps at travel speed saves, s.
    saved: f64,
    /// What burns, where gaps count.
    spans: Spans,
}

impl Extent {
    /// A row that burns from here to there.
    pub(super) fn new(row: i64, from: f64, to: f64) -> Self {
        Self { row, from, to, saved: 0.0, spans: Vec::new() }
    }
}

/// With more areas than this the plan does not look at the gaps within rows.
const MOST_WITH_GAPS: usize = 120;

/// What saves less than this is crossed at feed, s.
const WORTH: f64 = 0.01;

impl Pace {
    /// What is saved by crossing a gap in a row at travel speed, s; 0 where it is crossed at feed. The head comes up from the feed to
    /// the speed of travel and back down to the feed before it burns again.
    pub(super) fn saved(&self, gap: f64) -> f64 {
        let (v, top, a) = (self.speed, self.rapid, self.acceleration);
        if !self.fast_gaps || top <= v {
            return 0.0;
        }
        let full = (top * top - v * v) / a;
        let seconds = if gap < full { 2.0 * ((v * v + a * gap).sqrt() - v) / a } else { 2.0 * (top - v) / a + (gap - full) / top };
        let saved = gap / v - seconds;
        if saved < WORTH { 0.0 } else { saved }
    }

    /// The shortest gap that is crossed at travel speed, mm; 0 where none is.
    pub(super) fn fast_gap(&self) -> f64 {
        let (mut slow, mut fast) = (0.0, 20_000.0);
        if self.saved(fast) == 0.0 {
            return 0.0;
        }
        // What is saved grows with the gap.
        while fast - slow > 0.01 {
            let middle = f64::midpoint(slow, fast);
            *(if self.saved(middle) > 0.0 { &mut fast } else { &mut slow }) = middle;
        }
        fast
    }

    fn saved_within(&self, spans: &Spans) -> f64 {
        spans.windows(2).map(|w| self.saved(w[1].0 - w[0].1)).sum()
    }

    /// Length before a row in which the head comes up to speed: v² / 2a.
    pub(super) fn run_up(&self) -> f64 {
        crate::time::run_up(self.speed, self.acceleration)
    }

    /// From standstill to standstill over `distance` mm without beam, s.
    fn hop(&self, distance: f64) -> f64 {
        let (a, v) = (self.acceleration, self.rapid);
        if distance * a < v * v { 2.0 * (distance / a).sqrt() } else { distance / v + v / a }
    }

    /// From the end of a row to the begin of the next, `along` the rows and `across` them, mm: seconds, and whether the
    /// shorter row is lengthened at speed until the way is straight across.
    fn passage(&self, along: f64, across: f64) -> (f64, bool) {
        let bent = self.hop(along.hypot(across));
        let straight = along.abs() / self.speed + self.hop(across);
        if self.both_ways && straight < bent { (straight, true) } else { (bent, false) }
    }

    /// The passage from row `i` of these to the next.
    fn passage_after(&self, rows: &[Extent], i: usize) -> (f64, bool) {
        let (a, b) = (&rows[i], &rows[i + 1]);
        let along = match (self.both_ways, i.is_multiple_of(2)) {
            (true, true) => b.to - a.to,
            (true, false) => b.from - a.from,
            (false, _) => b.from - a.to - 2.0 * self.run_up(),
        };
        self.passage(along, (b.row - a.row) as f64 * self.pitch)
    }

    /// Seconds for rows in this order.
    fn sweep(&self, rows: &[Extent]) -> f64 {
        let each: f64 =
            rows.iter().map(|r| (r.to - r.from) / self.speed - r.saved + 2.0 * self.speed / self.acceleration + self.turn).sum();
        each + (1..rows.len()).map(|i| self.passage_after(rows, i - 1).0).sum::<f64>()
    }

    /// From where to where the head goes at speed on each of these rows, the first one forward: what burns, and as much
    /// more as makes the passages straight that are to be.
    pub(super) fn reaches(&self, rows: &[Extent]) -> Vec<(f64, f64)> {
        let mut out: Vec<(f64, f64)> = rows.iter().map(|r| (r.from, r.to)).collect();
        for i in 1..rows.len() {
            if !self.passage_after(rows, i - 1).1 {
                continue;
            }
            if i % 2 == 1 {
                let far = rows[i - 1].to.max(rows[i].to);
                (out[i - 1].1, out[i].1) = (far, far);
            } else {
                let far = rows[i - 1].from.min(rows[i].from);
                (out[i - 1].0, out[i].0) = (far, far);
            }
        }
        out
    }
}

/// An area to be swept, with its rows in each direction that is allowed.
#[derive(Clone, Debug)]
pub(super) struct Area {
    /// Rows by direction.
    pub(super) rows: Vec<Rows>,
}

impl Area {
    fn extents(&self, direction: usize, pace: &Pace) -> Vec<Extent> {
        let ends = |(k, spans): (&i64, &Spans)| {
            let (from, to) = (spans.first()?.0, spans.last()?.1);
            let spans = if pace.fast_gaps { spans.clone() } else { Vec::new() };
            Some(Extent { row: *k, from, to, saved: pace.saved_within(&spans), spans })
        };
        self.rows[direction].iter().filter_map(ends).collect()
    }
}

/// Areas that are swept together.
#[derive(Clone, Debug)]
pub(super) struct Group {
    /// Indices of the areas.
    pub(super) members: Vec<usize>,
    /// Which direction.
    pub(super) direction: usize,
    /// Its rows as extents, by direction.
    extents: Vec<Vec<Extent>>,
    /// Seconds in its direction.
    pub(super) seconds: f64,
}

impl Group {
    fn new(members: Vec<usize>, extents: Vec<Vec<Extent>>, pace: &Pace) -> Self {
        let times: Vec<f64> = extents.iter().map(|e| pace.sweep(e)).collect();
        let direction = (0..times.len()).min_by(|a, b| times[*a].total_cmp(&times[*b])).unwrap_or(0);
        Self { members, direction, seconds: times[direction], extents }
    }

    fn of(areas: &[Area], members: Vec<usize>, pace: &Pace) -> Self {
        let directions = areas[members[0]].rows.len();
        let extents = (0..directions)
            .map(|d| members.iter().map(|m| areas[*m].extents(d, pace)).fold(Vec::new(), |a, b| joined(&a, &b, pace)))
            .collect();
        Self::new(members, extents, pace)
    }

    fn with(&self, other: &Self, pace: &Pace) -> Self {
        let members = self.members.iter().chain(&other.members).copied().collect();
        let extents = self.extents.iter().zip(&other.extents).map(|(a, b)| joined(a, b, pace)).collect();
        Self::new(members, extents, pace)
    }
}

/// Rows of both, those that both have as one.
fn joined(a: &[Extent], b: &[Extent], pace: &Pace) -> Vec<Extent> {
    let mut out = Vec::with_capacity(a.len() + b.len());
    let (mut i, mut j) = (0, 0);
    while i < a.len() || j < b.len() {
        match (a.get(i), b.get(j)) {
            (Some(x), Some(y)) if x.row == y.row => {
                let spans = if pace.fast_gaps { united([&x.spans[..], &y.spans[..]].concat()) } else { Vec::new() };
                let saved = pace.saved_within(&spans);
                out.push(Extent { row: x.row, from: x.from.min(y.from), to: x.to.max(y.to), saved, spans });
                (i, j) = (i + 1, j + 1);
            }
            (Some(x), Some(y)) if x.row < y.row => {
                out.push(x.clone());
                i += 1;
            }
            (_, Some(y)) => {
                out.push(y.clone());
                j += 1;
            }
            (Some(x), None) => {
                out.push(x.clone());
                i += 1;
            }
            (None, None) => break,
        }
    }
    out
}

/// Areas that are gathered pair by pair; more of them are first joined with their neighbours.
const MOST_AREAS: usize = 260;
/// Rounds in which single areas are moved.
const ROUNDS: usize = 6;
/// Going from one group to the next costs a hop of about this length, mm.
const BETWEEN: f64 = 20.0;

/// The plan for these areas: groups in no order.
pub(super) fn plan(areas: &[Area], pace: &Pace) -> Vec<Group> {
    if areas.is_empty() {
        return Vec::new();
    }
    let pace = &Pace { fast_gaps: pace.fast_gaps && areas.len() <= MOST_WITH_GAPS, ..*pace };
    let apart = begin(areas, pace);
    let together = vec![Group::of(areas, (0..areas.len()).collect(), pace)];
    let gathered = gathered(apart.clone(), pace);
    let plans = [apart, together, gathered].into_iter().map(|p| improved(p, areas, pace));
    plans.min_by(|a, b| total(a, pace).total_cmp(&total(b, pace))).unwrap_or_default()
}

/// Seconds of a plan, with a hop from group to group.
pub(super) fn total(groups: &[Group], pace: &Pace) -> f64 {
    groups.iter().map(|g| g.seconds).sum::<f64>() + groups.len().saturating_sub(1) as f64 * pace.hop(BETWEEN)
}

/// Seconds if every row went over the whole width of all areas, and over every height between the lowest and the highest.
pub(super) fn full_width(areas: &[Area], pace: &Pace) -> f64 {
    let directions = areas.first().map_or(0, |a| a.rows.len());
    let one = |d: usize| {
        let all: Vec<Extent> = areas.iter().flat_map(|a| a.extents(d, pace)).collect();
        let (from, to) = all.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(f, t), e| (e.from.min(f), e.to.max(t)));
        let (low, high) = all.iter().fold((i64::MAX, i64::MIN), |(l, h), e| (e.row.min(l), e.row.max(h)));
        let rows: Vec<Extent> = (low..=high).map(|row| Extent::new(row, from, to)).collect();
        pace.sweep(&rows)
    };
    (0..directions).map(one).fold(f64::INFINITY, f64::min)
}

/// One group an area; where there are too many, neighbours in height share one.
fn begin(areas: &[Area], pace: &Pace) -> Vec<Group> {
    let mut order: Vec<usize> = (0..areas.len()).collect();
    if areas.len() > MOST_AREAS {
        let middle = |i: usize| {
            let rows = &areas[i].rows[0];
            rows.keys().next().copied().unwrap_or(0) + rows.keys().next_back().copied().unwrap_or(0)
        };
        order.sort_by_key(|i| middle(*i));
    }
    let each = areas.len().div_ceil(MOST_AREAS);
    order.chunks(each).map(|c| Group::of(areas, c.to_vec(), pace)).collect()
}

/// Gathers the two groups that gain most, until none gain.
fn gathered(mut groups: Vec<Group>, pace: &Pace) -> Vec<Group> {
    let saved = pace.hop(BETWEEN);
    let gain = |a: &Group, b: &Group| {
        let both = a.with(b, pace);
        (a.seconds + b.seconds + saved - both.seconds, both)
    };
    // The best partner of each, looked up anew only where it changed.
    let best = |i: usize, groups: &[Group]| {
        let others = groups.iter().enumerate().filter(|(j, _)| *j != i).map(|(j, g)| (gain(&groups[i], g).0, j));
        others.max_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or((f64::NEG_INFINITY, i))
    };
    let mut partner: Vec<(f64, usize)> = (0..groups.len()).map(|i| best(i, &groups)).collect();
    while groups.len() > 1 {
        let Some(i) = (0..groups.len()).max_by(|a, b| partner[*a].0.total_cmp(&partner[*b].0)) else { break };
        let (gained, j) = partner[i];
        if gained <= 1e-9 {
            break;
        }
        let both = groups[i].with(&groups[j], pace);
        let (low, high) = (i.min(j), i.max(j));
        groups[low] = both;
        groups.swap_remove(high);
        partner.swap_remove(high);
        let last = groups.len();
        partner[low] = best(low, &groups);
        for k in (0..groups.len()).filter(|k| *k != low) {
            let was = partner[k].1;
            if was == low || was == high || was == last {
                partner[k] = best(k, &groups);
            } else {
                let with_new = gain(&groups[k], &groups[low]).0;
                if with_new > partner[k].0 {
                    partner[k] = (with_new, low);
                }
            }
        }
    }
    groups
}

/// Moves single areas to the group, or out into one of their own, where that gains.
fn improved(mut groups: Vec<Group>, areas: &[Area], pace: &Pace) -> Vec<Group> {
    if areas.len() > MOST_AREAS {
        return groups;
    }
    for _ in 0..ROUNDS {
        let mut better = false;
        for area in 0..areas.len() {
            let Some(from) = groups.iter().position(|g| g.members.contains(&area)) else { continue };
            let rest: Vec<usize> = groups[from].members.iter().copied().filter(|m| *m != area).collect();
            let alone = Group::of(areas, vec![area], pace);
            let without = (!rest.is_empty()).then(|| Group::of(areas, rest, pace));
            let now = groups[from].seconds;
            let left = without.as_ref().map_or(0.0, |w| w.seconds);
            let hop = pace.hop(BETWEEN);
            // To another group; the one it leaves may vanish.
            let vanishing = if without.is_none() { hop } else { 0.0 };
            let to_other = (0..groups.len()).filter(|g| *g != from).map(|g| {
                let both = groups[g].with(&alone, pace);
                (now + groups[g].seconds - left - both.seconds + vanishing, g)
            });
            let best = to_other.max_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or((f64::NEG_INFINITY, from));
            let out = if without.is_some() { now - left - alone.seconds - hop } else { f64::NEG_INFINITY };
            if best.0.max(out) <= 1e-9 {
                continue;
            }
            better = true;
            if best.0 >= out {
                groups[best.1] = groups[best.1].with(&alone, pace);
                match without {
                    Some(w) => groups[from] = w,
                    None => drop(groups.swap_remove(from)),
                }
            } else if let Some(w) = without {
                groups[from] = w;
                groups.push(alone);
            }
        }
        if !better {
            break;
        }
    }
    groups
}

/// Stretches of either, where they touch or overlap as one.
pub(super) fn united(mut spans: Spans) -> Spans {
    spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut out: Spans = Vec::with_capacity(spans.len());
    for s in spans {
        match out.last_mut().filter(|l| s.0 <= l.1) {
            Some(last) => last.1 = last.1.max(s.1),
            None => out.push(s),
        }
    }
    out
}

#[cfg(test)]
mod tests;

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
}

/// A row as far as its time goes: its number, and from where to where along it something burns, mm.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Extent {
    pub(super) row: i64,
    pub(super) from: f64,
    pub(super) to: f64,
}

impl Pace {
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
        let (a, b) = (rows[i], rows[i + 1]);
        let along = match (self.both_ways, i.is_multiple_of(2)) {
            (true, true) => b.to - a.to,
            (true, false) => b.from - a.from,
            (false, _) => b.from - a.to - 2.0 * self.run_up(),
        };
        self.passage(along, (b.row - a.row) as f64 * self.pitch)
    }

    /// Seconds for rows in this order.
    fn sweep(&self, rows: &[Extent]) -> f64 {
        let each: f64 = rows.iter().map(|r| (r.to - r.from) / self.speed + 2.0 * self.speed / self.acceleration + self.turn).sum();
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
    fn extents(&self, direction: usize) -> Vec<Extent> {
        let ends = |(k, spans): (&i64, &Spans)| Some(Extent { row: *k, from: spans.first()?.0, to: spans.last()?.1 });
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
        let extents =
            (0..directions).map(|d| members.iter().map(|m| areas[*m].extents(d)).fold(Vec::new(), |a, b| joined(&a, &b))).collect();
        Self::new(members, extents, pace)
    }

    fn with(&self, other: &Self, pace: &Pace) -> Self {
        let members = self.members.iter().chain(&other.members).copied().collect();
        let extents = self.extents.iter().zip(&other.extents).map(|(a, b)| joined(a, b)).collect();
        Self::new(members, extents, pace)
    }
}

/// Rows of both, those that both have as one.
fn joined(a: &[Extent], b: &[Extent]) -> Vec<Extent> {
    let mut out = Vec::with_capacity(a.len() + b.len());
    let (mut i, mut j) = (0, 0);
    while i < a.len() || j < b.len() {
        match (a.get(i), b.get(j)) {
            (Some(x), Some(y)) if x.row == y.row => {
                out.push(Extent { row: x.row, from: x.from.min(y.from), to: x.to.max(y.to) });
                (i, j) = (i + 1, j + 1);
            }
            (Some(x), Some(y)) if x.row < y.row => {
                out.push(*x);
                i += 1;
            }
            (_, Some(y)) => {
                out.push(*y);
                j += 1;
            }
            (Some(x), None) => {
                out.push(*x);
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
        let all: Vec<Extent> = areas.iter().flat_map(|a| a.extents(d)).collect();
        let (from, to) = all.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(f, t), e| (e.from.min(f), e.to.max(t)));
        let (low, high) = all.iter().fold((i64::MAX, i64::MIN), |(l, h), e| (e.row.min(l), e.row.max(h)));
        let rows: Vec<Extent> = (low..=high).map(|row| Extent { row, from, to }).collect();
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
mod tests {
    use super::*;
    use proptest::prelude::*;

    const PACE: Pace = Pace { speed: 300.0, acceleration: 3000.0, rapid: 500.0, turn: 0.01, pitch: 1.0, both_ways: true };

    /// A rectangle's rows in x and in y.
    fn rectangle(x: i64, y: i64, w: i64, h: i64) -> Area {
        let rows =
            |low: i64, n: i64, from: i64, width: i64| (low..low + n).map(|k| (k, vec![(from as f64, (from + width) as f64)])).collect();
        Area { rows: vec![rows(y, h, x, w), rows(-x - w, w, y, h)] }
    }

    #[test]
    fn a_row_costs_what_the_time_model_says() {
        // 60 mm at 300 mm/s, up to speed and down again 0.1 s each, one turn; half a step of a row up.
        let one = PACE.sweep(&[Extent { row: 0, from: 0.0, to: 60.0 }]);
        assert!((one - (0.2 + 0.2 + 0.01)).abs() < 1e-9);
        let two = PACE.sweep(&[Extent { row: 0, from: 0.0, to: 60.0 }, Extent { row: 1, from: 0.0, to: 60.0 }]);
        assert!((two - 2.0 * one - 2.0 * (1.0_f64 / 3000.0).sqrt()).abs() < 1e-9);
        let back = Pace { both_ways: false, ..PACE };
        assert!(back.sweep(&[Extent { row: 0, from: 0.0, to: 60.0 }; 2]) > two, "one way goes back empty");
    }

    #[test]
    fn neighbours_in_line_are_swept_together_and_far_ones_apart() {
        let near = plan(&[rectangle(0, 0, 30, 10), rectangle(35, 0, 30, 10)], &PACE);
        assert_eq!(near.len(), 1);
        let far = plan(&[rectangle(0, 0, 30, 10), rectangle(800, 0, 30, 10)], &PACE);
        assert_eq!(far.len(), 2, "the gap would cost more than run-up and turn");
        let tall = plan(&[rectangle(0, 0, 3, 200)], &PACE);
        assert_eq!(tall[0].direction, 1, "a tall strip goes along its length");
    }

    /// All ways to put n things into groups.
    fn partitions(n: usize) -> Vec<Vec<Vec<usize>>> {
        (0..n).fold(vec![Vec::new()], |all: Vec<Vec<Vec<usize>>>, i| {
            all.into_iter()
                .flat_map(|p| {
                    (0..=p.len()).map(move |g| {
                        let mut q = p.clone();
                        if g == q.len() {
                            q.push(vec![i])
                        } else {
                            q[g].push(i)
                        }
                        q
                    })
                })
                .collect()
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        /// Never worse than full width, and within 5 % of the best of all groupings.
        #[test]
        fn the_plan_is_near_the_best_there_is(boxes in prop::collection::vec((0..600_i64, 0..300_i64, 2..120_i64, 2..60_i64), 1..6)) {
            let areas: Vec<Area> = boxes.iter().map(|(x, y, w, h)| rectangle(*x, *y, *w, *h)).collect();
            let groups = plan(&areas, &PACE);
            let mut members: Vec<usize> = groups.iter().flat_map(|g| g.members.iter().copied()).collect();
            members.sort_unstable();
            prop_assert_eq!(members, (0..areas.len()).collect::<Vec<_>>(), "each once");
            let planned = total(&groups, &PACE);
            let best = partitions(areas.len())
                .into_iter()
                .map(|p| total(&p.into_iter().map(|m| Group::of(&areas, m, &PACE)).collect::<Vec<_>>(), &PACE))
                .fold(f64::INFINITY, f64::min);
            prop_assert!(planned <= best * 1.05, "{planned} for {best}");
            prop_assert!(planned <= full_width(&areas, &PACE) + 1e-9);
        }

        /// Lengthened rows burn no less, end where the next begins wherever they were lengthened, and take no longer.
        #[test]
        fn lengthened_rows_meet_and_gain(ends in prop::collection::vec((0.0..80.0_f64, 1.0..120.0_f64, 1..4_i64), 1..30)) {
            let mut row = 0;
            let rows: Vec<Extent> = ends.iter().map(|(from, width, up)| { row += up; Extent { row, from: *from, to: from + width } }).collect();
            let reaches = PACE.reaches(&rows);
            let long: Vec<Extent> = rows.iter().zip(&reaches).map(|(r, (from, to))| Extent { from: *from, to: *to, ..*r }).collect();
            for (i, (r, l)) in rows.iter().zip(&long).enumerate() {
                prop_assert!(l.from <= r.from && l.to >= r.to);
                let meets = |side: fn(&Extent) -> f64, other: Option<&Extent>| side(r) == side(l) || other.is_some_and(|o| side(o) == side(l));
                let (right, left) = if i % 2 == 0 { (long.get(i + 1), i.checked_sub(1)) } else { (long.get(i - 1), Some(i + 1)) };
                prop_assert!(meets(|e| e.to, right) && meets(|e| e.from, left.and_then(|k| long.get(k))));
            }
            // What was lengthened is no longer worth lengthening; and all hops from standstill would take longer.
            prop_assert!((PACE.sweep(&long) - PACE.sweep(&rows)).abs() < 1e-9);
            let hops = Pace { both_ways: true, ..PACE };
            let bent: f64 = rows.windows(2).enumerate().map(|(i, w)| {
                let along = if i % 2 == 0 { w[1].to - w[0].to } else { w[1].from - w[0].from };
                hops.hop(along.hypot((w[1].row - w[0].row) as f64 * hops.pitch))
            }).sum();
            let each: f64 = rows.iter().map(|r| PACE.sweep(&[*r])).sum();
            prop_assert!(PACE.sweep(&rows) <= each + bent + 1e-9);
        }

        #[test]
        fn united_stretches_cover_the_same_and_lie_apart(spans in prop::collection::vec((0.0..100.0_f64, 0.1..20.0_f64), 0..20)) {
            let spans: Spans = spans.into_iter().map(|(a, l)| (a, a + l)).collect();
            let out = united(spans.clone());
            prop_assert!(out.windows(2).all(|w| w[0].1 < w[1].0));
            for i in 0..240 {
                let x = f64::from(i) * 0.5 + 0.123;
                let within = |s: &Spans| s.iter().any(|(a, b)| *a <= x && x <= *b);
                prop_assert_eq!(within(&spans), within(&out));
            }
        }
    }
}

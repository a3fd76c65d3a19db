//! Closed cuts: on which side of the contour, from where, with which leads and nicks; by rule and by hand.

use super::leads::Restart;
use super::op::{Op, Track};
use super::{Bench, Doing, Troubles, Yard, bridges, corners, kerf, nicks};
use crate::assign::Part;
use crate::cuts::{Cut, Line};
use crate::decisions::Way;
use crate::geometry::{Path, Segment};
use crate::order::Step;
use crate::shop::MachineKind;

/// Nicks keep off what is engraved by this much, mm.
const OFF_ENGRAVING: f64 = 1.5;
/// A hole narrower than so many thicknesses has no lead-out.
const NO_LEAD_OUT: f64 = 2.0;

/// A closed cut that is to be led, held and started.
pub(super) struct Closed<'a> {
    pub(super) step: &'a Step,
    pub(super) part: &'a Part,
    /// Its line, moved aside by half the kerf.
    pub(super) moved: Path,
}

impl Bench<'_> {
    /// Width of a hole in thicknesses.
    pub(super) fn narrowness(&self, cut: &Cut) -> f64 {
        let b = cut.path.bounds();
        b.width().min(b.height()) / self.given.thickness.max(1e-9)
    }

    /// True where the good side of a closed cut lies within it.
    pub(super) fn is_outer(cut: &Cut, part: &Part, step: &Step) -> bool {
        match cut.line {
            Line::Rim { inner } => !inner,
            Line::Drawn | Line::Shared => part.outer == Some(step.item),
        }
    }

    /// A closed cut moved aside by half the kerf, where that is not made up for yet.
    pub(super) fn moved(&self, cut: &Cut, part: &Part, step: &Step, op: &Op, troubles: &mut Troubles) -> Option<Path> {
        let path = &cut.path;
        if cut.line != Line::Drawn {
            return Some(path.clone());
        }
        let outer = Self::is_outer(cut, part, step);
        let mark = (op.contour, path.bounds().center());
        let side = if outer { kerf::Side::Outside } else { kerf::Side::Inside };
        let moved = match kerf::offset(path, op.kerf / 2.0, side) {
            kerf::Offset::Whole(p) => p,
            kerf::Offset::Largest(p) => {
                troubles.narrow.push(mark);
                p
            }
            kerf::Offset::Nothing => {
                troubles.vanished.push(mark);
                return None;
            }
        };
        if !outer
            && self.given.machine.kind == MachineKind::Plasma
            && path.bounds().width().min(path.bounds().height()) < self.given.thickness
        {
            troubles.small_holes.push(mark);
            troubles.drawn_in.insert((op.contour, self.work.items[step.item].contour.drawing));
        }
        Some(moved)
    }

    /// A closed cut as the head goes: started in its place, with leads or nicks.
    pub(super) fn closed_cut(&self, closed: Closed, mut op: Op, yard: &mut Yard, troubles: &mut Troubles) -> Op {
        let Closed { step, part, mut moved } = closed;
        let cut = &self.cuts.cuts[step.cut];
        let outer = Self::is_outer(cut, part, step);
        // Outers run clockwise where the good side of the torch is the right one; holes the other way; unless a hand has said.
        let clockwise = match step.way {
            None => outer == self.given.machine.clockwise,
            Some(way) => (cut.path.area() < 0.0) == (way == Way::Drawn),
        };
        if (moved.area() < 0.0) != clockwise {
            moved = moved.reversed();
        }
        let wanted = cut.path.at(step.start * cut.path.length()).0;
        moved = moved.started_at(moved.nearest(wanted).along);
        let gap = self.holding.nick_width + op.kerf;
        // Where a hand set nicks no lead comes near them.
        let by_hand = self.nicks_by_hand(cut);
        let set = by_hand.iter().flatten().map(|p| moved.at(moved.nearest(*p).along).0).collect::<Vec<_>>();
        let set_by_hand = set.len();
        yard.bridges.keep(set.into_iter(), gap / 2.0 + op.kerf / 2.0);
        let mut line = Track::default();
        if self.holding.leads {
            let led = match self.pierce_by_hand(cut) {
                Some((place, pierce)) => {
                    let led = yard.lead_from(&moved, place, pierce, op.kerf);
                    if led.is_none() {
                        troubles.hand_lead.push((op.contour, pierce));
                    }
                    led
                }
                None => None,
            };
            let led = led.or_else(|| yard.lead(&moved, outer, &self.given.decisions.lead, (self.given.thickness, op.kerf)));
            match led {
                Some(led) => {
                    moved = moved.started_at(led.along);
                    // In a hole hardly wider than the plate is thick the way back into the scrap would blow out its edge.
                    let out = outer || self.narrowness(cut) >= NO_LEAD_OUT;
                    (line.lead_in, line.lead_out) = (led.lead_in, if out { led.lead_out } else { Vec::new() });
                }
                None => {
                    let at = moved.at(0.0).0;
                    let list = if yard.in_a_cut(at, op.kerf) { &mut troubles.in_a_cut } else { &mut troubles.no_lead };
                    list.push((op.contour, at));
                }
            }
        }
        yard.bridges.let_go(set_by_hand);
        let places = match by_hand {
            Some(at) => {
                let places = nicks::at(&moved, &at, gap);
                // Where a nick stands there is nothing to start on: the cut begins behind it.
                if let Some(on_start) = places.iter().find(|p| **p < gap / 2.0 || **p > moved.length() - gap / 2.0) {
                    moved = moved.started_at((on_start + gap / 2.0 + 1e-6) % moved.length());
                }
                nicks::at(&moved, &at, gap)
            }
            None if self.holding.nicks && self.wants_nicks(part, outer) => {
                let rule = nicks::Rule { pitch: self.holding.nick_pitch, count: self.holding.nick_count, gap };
                let places = nicks::places(&moved, &rule, &self.beside_nicks((step, part), &line, gap, yard));
                if places.is_empty() && rule.count.1 > 0 && outer {
                    troubles.unheld.push((op.contour, moved.bounds().center()));
                }
                places
            }
            None => Vec::new(),
        };
        let overlap = if self.holding.leads { self.given.decisions.lead.overlap } else { 0.0 };
        line.nicks = places.iter().map(|at| moved.at(*at)).map(|(p, d)| (p, d.turn_90())).collect();
        line.runs = nicks::split(&moved, &places, gap);
        self.end_by(overlap, &mut line);
        let scrap_left = (moved.area() > 0.0) != outer;
        corners::lay(&mut line, &corners::Around { yard, rule: &self.given.decisions.corners, scrap_left, kerf: op.kerf });
        if self.holding.leads {
            // Behind every nick the torch is lit again: in the scrap there too, not on the finished edge, nor so near to a bridge that
            // less than its width is left.
            for k in 1..line.runs.len() {
                let first = line.runs[k][0];
                let at = first.start;
                let others: Vec<Segment> = (0..line.runs.len()).filter(|r| *r != k).flat_map(|r| line.runs[r].iter().copied()).collect();
                let room = bridges::Room { others: &others, gap };
                let (ahead, thickness) = (first.direction(0.0), self.given.thickness);
                match yard.lead_to(&Restart { at, ahead, scrap_left, thickness, kerf: op.kerf }, &room) {
                    Some(lead) => line.restarts.push(vec![lead]),
                    None => {
                        line.restarts.push(Vec::new());
                        troubles.on_the_edge.push((op.contour, at));
                    }
                }
            }
        }
        op.doing = Doing::Line(line);
        yard.burn(op.line().runs.iter().flatten().chain(op.leads()).copied());
        yard.bridges.keep(op.line().nicks.iter().map(|n| n.0), gap / 2.0 + op.kerf / 2.0);
        op
    }

    /// What the nicks of a cut keep off.
    fn beside_nicks(&self, (step, part): (&Step, &Part), line: &Track, gap: f64, yard: &Yard) -> nicks::Beside {
        let start = line.lead_in.last().map(|s| s.end);
        let reach = |lead: &[Segment]| {
            let points = lead.iter().flat_map(|s| [s.start, s.at(0.5), s.end]);
            points.filter_map(|p| Some(p.distance(start?))).fold(0.0, f64::max)
        };
        let affine = self.layout.placed[step.placement].affine();
        let swept = part.items().filter(|i| self.work.items[*i].process.is_swept());
        let engraved = swept.map(|i| self.work.items[i].contour.path.transformed(affine)).collect();
        let ends = match self.cuts.cuts[step.cut].line {
            Line::Drawn => Vec::new(),
            Line::Rim { .. } | Line::Shared => {
                let open = self.cuts.cuts.iter().filter(|c| c.line == Line::Shared && !c.path.closed);
                open.flat_map(|c| [c.path.segments[0].start, c.path.segments[c.path.segments.len() - 1].end]).collect()
            }
        };
        let mut own: Vec<usize> = self.cuts.cuts[step.cut].edges().map(|e| e.placement).collect();
        own.push(step.placement);
        let apart = gap / 2.0 + (gap - self.holding.nick_width);
        let around = self.cuts.cuts[step.cut].path.bounds().grown(gap + 2.0 * apart);
        let mut others = yard.outlines_near(&around, &own);
        // What is cut within the part, where only a thin web is left towards it.
        let within = part.items().filter(|i| *i != step.item && self.work.items[*i].process.frees());
        // Of these the lines alone: a hole lies within its outline.
        let lines = within.map(|i| Path { closed: false, ..self.work.items[i].contour.path.transformed(affine) });
        others.extend(lines.map(|p| (p.bounds(), p)));
        let lit = yard.leads_near(&around);
        let folded = self.cuts.cuts[step.cut].line != Line::Drawn;
        nicks::Beside {
            ends,
            others,
            lit,
            apart,
            folded,
            leads: (reach(&line.lead_out), reach(&line.lead_in)),
            engraved,
            off: gap / 2.0 + OFF_ENGRAVING,
        }
    }

    /// Has a cut go on over its begin by so much, mm, or end so much before it.
    fn end_by(&self, overlap: f64, line: &mut Track) {
        // Over a nick that it begins behind nothing goes on.
        let ends = line.runs.first().and_then(|r| r.first()).zip(line.runs.last().and_then(|r| r.last()));
        let meets = ends.is_some_and(|(first, last)| first.start.distance(last.end) < 1e-6);
        if overlap > 0.0 && !meets {
            return;
        }
        if overlap > 0.0 {
            let Some(first) = line.runs.first_mut() else { return };
            let run = Path::new(std::mem::take(first), false);
            let to = overlap.min(run.length());
            line.again = run.piece(0.0, to);
            *first = [line.again.clone(), run.piece(to, run.length())].concat();
        } else if overlap < 0.0 {
            let Some(last) = line.runs.last_mut() else { return };
            let run = Path::new(std::mem::take(last), false);
            // A cut that would be left out is not shortened.
            let to = run.length() + overlap;
            *last = if to > 0.5 * run.length() { run.piece(0.0, to) } else { run.segments };
        }
    }
}

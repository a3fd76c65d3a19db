//! Closed cuts: on which side of the contour, from where, with which leads and nicks; by rule and by hand.

use super::op::{Op, Track};
use super::{Bench, Doing, Troubles, Yard, corners, kerf, nicks};
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
    pub(super) fn closed_cut(&self, step: &Step, part: &Part, mut moved: Path, mut op: Op, yard: &mut Yard, troubles: &mut Troubles) -> Op {
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
        let gap = self.holding.nick_width + op.kerf;
        let places = match self.nicks_by_hand(cut) {
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
                nicks::places(&moved, &rule, &self.beside_nicks(step, part, &line, gap))
            }
            None => Vec::new(),
        };
        let overlap = if self.holding.leads { self.given.decisions.lead.overlap } else { 0.0 };
        line.nicks = places.iter().map(|at| moved.at(*at)).map(|(p, d)| (p, d.turn_90())).collect();
        line.runs = nicks::split(&moved, &places, gap);
        self.end_by(overlap, &mut line);
        corners::lay(
            &mut line,
            &corners::Around { yard, rule: &self.given.decisions.corners, scrap_left: (moved.area() > 0.0) != outer, kerf: op.kerf },
        );
        if self.holding.leads {
            // Behind every nick the torch is lit again: in the scrap there too, not on the finished edge.
            let begins: Vec<Segment> = line.runs.iter().skip(1).map(|r| r[0]).collect();
            for first in begins {
                let at = first.start;
                match yard.lead_to(at, first.direction(0.0), &moved, outer, self.given.thickness, op.kerf) {
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
        op
    }

    /// What the nicks of a cut keep off.
    fn beside_nicks(&self, step: &Step, part: &Part, line: &Track, gap: f64) -> nicks::Beside {
        let start = line.lead_in.last().map(|s| s.end);
        let reach = |lead: &[Segment]| {
            let points = lead.iter().flat_map(|s| [s.start, s.at(0.5), s.end]);
            points.filter_map(|p| Some(p.distance(start?))).fold(0.0, f64::max)
        };
        let affine = self.layout.placed[step.placement].affine();
        let swept = part.items().filter(|i| self.work.items[*i].process.is_swept());
        let engraved = swept.map(|i| self.work.items[i].contour.path.transformed(affine)).collect();
        nicks::Beside { leads: (reach(&line.lead_out), reach(&line.lead_in)), engraved, off: gap / 2.0 + OFF_ENGRAVING }
    }

    /// Has a cut go on over its begin by so much, mm, or end so much before it.
    fn end_by(&self, overlap: f64, line: &mut Track) {
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

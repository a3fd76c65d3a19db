//! The whole route: every station in turn, each only when what it depends on has changed.
//!
//! Up to Assign a job is one; from Nest on every batch goes its own way. The key of what a station makes is made of what the
//! station before it came to, of its own decisions and of what it sees of the shop's book: what comes out the same makes
//! nobody work again.

mod again;
mod gone;
mod line;
mod mends;

pub use mends::{Mended, mended, safe_now};

use crate::assign::{self, Customs, Wanted, Work};
use crate::cache::{Cache, Kept};
use crate::clean::{self, Cleaned};
use crate::cuts::CutPlan;
use crate::decisions::{Decisions, DrawingDecisions, Pose, Stock};
use crate::drawing::Drawing;
use crate::finding::{Code, Finding, Severity, Station};
use crate::geometry::{Path, Tolerance};
use crate::hold::Toolpath;
use crate::ids::{BatchId, ContourId};
use crate::intake::{self, Intake};
use crate::ledger::Ledger;
use crate::nest::{Layout, Nested};
use crate::order::Sequence;
use crate::print::Print;
use crate::process::Process;
use crate::proof::{Meant, SheetProof};
use crate::release::{self, Program, ProgramOrder, Writer};
use crate::shop::{Machine, Shop};
use line::Line;
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};
use std::sync::Arc;

/// A drawing on its way.
#[derive(Clone, Debug)]
pub struct DrawingState {
    /// Number within the job.
    pub id: u32,
    /// As read.
    pub drawing: Arc<Drawing>,
    /// Its size.
    pub intake: Arc<Intake>,
    /// Its contours.
    pub cleaned: Arc<Cleaned>,
}

/// Everything that was computed for one revision.
#[derive(Clone)]
pub struct Route {
    /// The drawings.
    pub drawings: Vec<DrawingState>,
    /// Processes and parts, of all batches.
    pub work: Arc<Work>,
    /// What was computed for each batch; the first is always there.
    pub batches: BTreeMap<BatchId, BatchRoute>,
    /// All findings in the order of the route; accepted ones are notes.
    pub findings: Vec<Finding>,
    /// The figures of all batches together.
    pub ledger: Ledger,
    /// Which stations have been worked out: Intake to here.
    pub reached: Station,
}

/// Everything that was computed for one batch, from Nest on.
#[derive(Clone)]
pub struct BatchRoute {
    /// What it is made on and of.
    pub stock: Stock,
    /// Its lines and parts.
    pub work: Arc<Work>,
    /// The layout.
    pub nested: Arc<Nested>,
    /// What is cut.
    pub plan: Arc<CutPlan>,
    /// The order.
    pub sequence: Arc<Sequence>,
    /// What the head does.
    pub toolpath: Arc<Toolpath>,
    /// One program a sheet.
    pub programs: Arc<Vec<Program>>,
    /// One proof a sheet.
    pub proofs: Arc<Vec<SheetProof>>,
    /// How each sheet lies on the bed.
    pub poses: Vec<Pose>,
    /// Its figures.
    pub ledger: Ledger,
    /// Sheets are numbered through: so many are before its first.
    pub before: usize,
    /// Sheets of all batches.
    pub of: usize,
}

impl BatchRoute {
    /// Writes the program of its sheet `i`, from 0; nothing where there is none. Fails only where `to` fails.
    pub fn write_program(&self, i: usize, shop: &Shop, to: &mut dyn Write) -> io::Result<()> {
        match (self.programs.get(i), self.toolpath.sheets.get(i)) {
            (Some(Program::Kept(text)), _) => to.write_all(text.as_bytes()),
            (Some(Program::Streamed), Some(path)) => {
                let machine = &*shop.machine_or_stand_in(&self.stock.machine);
                release::write(
                    &ProgramOrder { path, machine, sheet: (self.before + i + 1, self.of), stock: &self.stock, pose: self.pose(i) },
                    to,
                )
            }
            _ => Ok(()),
        }
    }

    /// How sheet `i`, from 0, lies on the bed.
    pub fn pose(&self, i: usize) -> Pose {
        self.poses.get(i).copied().unwrap_or_default()
    }

    /// What was meant for sheet `i`, from 0, of this batch: what a program is proved against. `None` where it was not worked out, or
    /// the shop has no such machine.
    pub fn meant<'a>(&'a self, i: usize, shop: &'a Shop) -> Option<Meant<'a>> {
        let (path, cuts, layout) = (self.toolpath.sheets.get(i)?, self.plan.sheets.get(i)?, self.nested.layout.sheets.get(i)?);
        Some(Meant { sheet: i, path, cuts, layout, work: &self.work, machine: shop.machine(&self.stock.machine)?, pose: self.pose(i) })
    }
}

impl Route {
    /// Findings of a station.
    pub fn findings_of(&self, station: Station) -> impl Iterator<Item = &Finding> {
        self.findings.iter().filter(move |f| f.station == station)
    }
    /// What was computed for a batch; for the first where there is no such batch.
    pub fn batch(&self, id: BatchId) -> &BatchRoute {
        self.batches.get(&id).unwrap_or_else(|| self.first())
    }
    /// What was computed for the first batch.
    pub fn first(&self) -> &BatchRoute {
        // There is always one.
        &self.batches[&BatchId::FIRST]
    }
    /// The batch and the number in it, from 0, of a sheet as they are numbered through, from 0.
    pub fn sheet(&self, number: usize) -> Option<(BatchId, usize)> {
        self.batches.iter().find_map(|(id, b)| {
            let at = number.checked_sub(b.before)?;
            (at < b.nested.layout.sheets.len()).then_some((*id, at))
        })
    }
    /// True when programs may be released.
    pub fn released(&self) -> bool {
        self.batches.values().any(|b| !b.programs.is_empty())
            && self.batches.values().all(|b| b.nested.current || b.work.parts.iter().all(|p| p.quantity == 0))
            && self.findings.iter().all(|f| f.severity == Severity::Note)
    }
}

/// Closed outlines of a drawing as Clean leaves them, at the size that is decided, and what Intake says of that size: what an
/// offcut is made from.
pub fn outlines(drawing: &Drawing, decided: &DrawingDecisions, machine: &Machine, tolerance: &Tolerance) -> (Vec<Path>, Vec<Finding>) {
    let (taken, found) = intake::run(drawing, decided, &machine.bed());
    let (cleaned, _) = clean::run(drawing, &taken, decided, tolerance);
    (cleaned.contours.iter().filter(|c| c.path.closed).map(|c| c.path.clone()).collect(), found)
}

/// The lines and parts of a batch, and nothing beyond Assign: what is asked while a copy is carried.
pub fn work_of(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop, cache: &Cache, batch: BatchId) -> Arc<Work> {
    let (states, key) = cleaned(drawings, decisions, shop, cache, &mut Vec::new());
    let work = assigned(&states, key, decisions, shop, cache);
    cache.of_batch.get(Print::of(&[work.print, Print::of(&batch)]), || (work.output.of_batch(batch), Vec::new())).output
}

/// Runs the route as far as it goes. `drawings` are the read files of `decisions.drawings`, in the same order.
/// `watch` is told of each station when it is done.
pub fn run(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop, cache: &Cache, watch: &mut dyn FnMut(Station)) -> Route {
    run_written_by(&release::write, drawings, decisions, shop, cache, watch)
}

/// The same with programs from another writer: for tests of what Proof finds.
pub fn run_written_by(
    write: &Writer,
    drawings: &[Arc<Drawing>],
    decisions: &Decisions,
    shop: &Shop,
    cache: &Cache,
    watch: &mut dyn FnMut(Station),
) -> Route {
    let mut findings: Vec<Finding> = Vec::new();
    for (id, batch) in &decisions.batches {
        findings.extend(gone::told(&batch.stock, shop).into_iter().map(|f| f.of_batch(*id)));
    }
    findings.extend(again::told(drawings, decisions, shop));
    let (states, cleaned_key) = cleaned(drawings, decisions, shop, cache, &mut findings);
    watch(Station::Clean);

    let work = assigned(&states, cleaned_key, decisions, shop, cache);
    findings.extend(work.findings.iter().cloned());
    findings.extend(assign::bereft(&work.output, decisions));
    let mut lines: Vec<Line> = decisions.batches.keys().map(|id| Line::new(*id, &work, decisions, shop, cache)).collect();
    lines.iter().for_each(|l| findings.extend(l.charted(shop)));
    watch(Station::Assign);

    lines.iter_mut().for_each(|l| findings.extend(l.nest(cache)));
    let counts: Vec<usize> = lines.iter().map(Line::sheets).collect();
    lines.iter_mut().enumerate().for_each(|(i, l)| l.number(counts[..i].iter().sum(), counts.iter().sum()));
    watch(Station::Nest);
    lines.iter_mut().for_each(|l| findings.extend(l.order(cache)));
    watch(Station::Order);
    lines.iter_mut().for_each(|l| findings.extend(l.hold(cache, shop)));
    watch(Station::Hold);
    lines.iter_mut().for_each(|l| findings.extend(l.prove(cache, write)));
    watch(Station::Proof);

    for f in findings.iter_mut().filter(|f| f.severity == Severity::Look) {
        f.placed();
        if !decisions.accepted.is_empty() && decisions.accepts(f.code.as_str(), &f.places()) {
            f.severity = Severity::Note;
        }
    }
    paper_first(&mut findings);
    let batches: BTreeMap<BatchId, BatchRoute> = lines.into_iter().map(|l| l.done(shop)).collect();
    let ledger = Ledger::sum(batches.values().map(|b| (&b.ledger, placed_area(&b.work, &b.nested.layout), &b.nested.layout)));
    let reached = reached(&states, &work.output, &batches, &findings);
    Route { drawings: states, work: work.output, batches, findings, ledger, reached }
}

/// Paper is told before what is to be mended: gaps and dashes of what is left out are none.
fn paper_first(findings: &mut Vec<Finding>) {
    let paper: Vec<Finding> = findings.extract_if(.., |f| f.code == Code::PaperBorder).collect();
    let at = findings.iter().position(|f| f.station >= Station::Clean).unwrap_or(findings.len());
    findings.splice(at..at, paper);
}

/// Intake and Clean, each drawing by itself; and what all of them come to.
fn cleaned(
    drawings: &[Arc<Drawing>],
    decisions: &Decisions,
    shop: &Shop,
    cache: &Cache,
    findings: &mut Vec<Finding>,
) -> (Vec<DrawingState>, Print) {
    let bed = |d: &DrawingDecisions| shop.machine_or_stand_in(&decisions.batch(d.batch).stock.machine).bed();
    let aside: Vec<BTreeSet<ContourId>> =
        drawings.iter().zip(&decisions.drawings).map(|(drawing, d)| left_out(drawing, d, decisions, shop, cache)).collect();
    let keyed: Vec<Print> =
        decisions.drawings.iter().zip(&aside).map(|(d, aside)| Print::of(&(clean_part(d), &shop.tolerance, bed(d), aside))).collect();
    let clean = |(k, aside): (&Print, &BTreeSet<ContourId>), drawing: &Drawing, d: &DrawingDecisions| {
        cache.cleaned.get(*k, || {
            let (intake, mut found) = intake::run(drawing, d, &bed(d));
            let (cleaned, more) = clean::run_beside(drawing, &intake, d, &shop.tolerance, aside);
            found.extend(more);
            found.extend(clean::scale_said(&cleaned, &intake, d));
            ((intake, Arc::new(cleaned)), found)
        })
    };
    // What is there already is fetched without waiting for the threads that work for others.
    let together = keyed.iter().filter(|k| !cache.cleaned.has(**k)).count() > 1;
    let made: Vec<Kept<(Intake, Arc<Cleaned>)>> = if together {
        drawings
            .par_iter()
            .zip(&decisions.drawings)
            .zip(keyed.par_iter().zip(&aside))
            .map(|((drawing, d), k)| clean(k, drawing, d))
            .collect()
    } else {
        drawings.iter().zip(&decisions.drawings).zip(keyed.iter().zip(&aside)).map(|((drawing, d), k)| clean(k, drawing, d)).collect()
    };
    let prints: Vec<Print> = made.iter().map(|m| m.print).collect();
    let mut states = Vec::new();
    for ((drawing, d), made) in drawings.iter().zip(&decisions.drawings).zip(made) {
        findings.extend(made.findings.iter().cloned());
        states.push(DrawingState {
            id: d.id,
            drawing: Arc::clone(drawing),
            intake: Arc::new(made.output.0.clone()),
            cleaned: Arc::clone(&made.output.1),
        });
    }
    findings.sort_by_key(|f| f.station);
    (states, Print::of(&prints))
}

/// What of a drawing is left out as reference, by the names that its contours have before anything is mended.
fn left_out(drawing: &Drawing, d: &DrawingDecisions, decisions: &Decisions, shop: &Shop, cache: &Cache) -> BTreeSet<ContourId> {
    let out = decisions.assign.contours.iter().filter(|(_, p)| **p == Process::Reference).map(|(id, _)| *id);
    let mut out = out.peekable();
    if out.peek().is_none() {
        return BTreeSet::new();
    }
    let bed = shop.machine_or_stand_in(&decisions.batch(d.batch).stock.machine).bed();
    let names = cache.names.get(Print::of(&(unmended(d), &shop.tolerance, &bed)), || {
        (clean::plain_names(drawing, &intake::run(drawing, d, &bed).0, d, &shop.tolerance), Vec::new())
    });
    out.filter(|id| names.output.contains(id)).collect()
}

/// What of a drawing's decisions bears on its contours before anything is mended.
fn unmended(d: &DrawingDecisions) -> DrawingDecisions {
    DrawingDecisions { mends: Default::default(), gap: None, refit: None, operations: Vec::new(), table: None, ..clean_part(d) }
}

/// What of a drawing's decisions bears on its contours.
fn clean_part(d: &DrawingDecisions) -> DrawingDecisions {
    DrawingDecisions { quantity: 0, batch: BatchId::FIRST, again: None, ..d.clone() }
}

fn assigned(states: &[DrawingState], cleaned_key: Print, decisions: &Decisions, shop: &Shop, cache: &Cache) -> Kept<Work> {
    let (wanted, customs) = (Wanted::of(decisions), Customs::of(decisions, shop));
    let given = assign::Given { decisions: assign::Decided::of(&decisions.assign), wanted: &wanted, customs: &customs };
    cache.work.get(Print::of(&(cleaned_key, &given)), || {
        let all: Vec<Arc<Cleaned>> = states.iter().map(|s| Arc::clone(&s.cleaned)).collect();
        assign::run(&all, &given)
    })
}

/// Net area of everything placed, mm².
pub fn placed_area(work: &Work, layout: &Layout) -> f64 {
    layout.sheets.iter().flat_map(|s| &s.placed).filter_map(|p| work.part(p.copy.part)).map(|p| p.area).sum()
}

/// The last station with something to show: where something is to be settled or looked at, that one.
fn reached(states: &[DrawingState], work: &Work, batches: &BTreeMap<BatchId, BatchRoute>, findings: &[Finding]) -> Station {
    if states.is_empty() {
        return Station::Intake;
    }
    let held = findings.iter().filter(|f| f.severity != Severity::Note).map(|f| f.station).min();
    let open = if work.parts.is_empty() {
        Station::Assign
    } else if batches.values().all(|b| b.nested.layout.sheets.is_empty()) {
        Station::Nest
    } else {
        Station::Release
    };
    held.map_or(open, |h| h.min(open))
}

//! The whole route: every station in turn, each only when what it depends on has changed.

use crate::assign::{self, Work};
use crate::cache::{Cache, Proved, joined, key};
use crate::clean::{self, Cleaned};
use crate::decisions::{Batch, Decisions, DrawingDecisions};
use crate::drawing::Drawing;
use crate::edit::Edit;
use crate::finding::{Finding, Severity, Station};
use crate::hold::{self, SheetPath, Toolpath};
use crate::intake::{self, Intake};
use crate::ledger::Ledger;
use crate::nest::{self, Layout, Nested, SheetLayout};
use crate::order::{self, Sequence};
use crate::proof::{self, Reader, SheetProof};
use crate::shop::{Machine, Shop};
use rayon::prelude::*;
use std::io::{self, Write};
use std::sync::Arc;

/// What a program writer gets to know.
pub struct ProgramOrder<'a> {
    /// What to write.
    pub path: &'a SheetPath,
    /// For which machine.
    pub machine: &'a Machine,
    /// Sheet number from 1, and how many there are.
    pub sheet: (usize, usize),
    /// Material and thickness.
    pub batch: &'a Batch,
}

/// Writes a program; a function, so that no format lives in here. It fails only where what it writes to fails.
pub type Writer = dyn Fn(&ProgramOrder, &mut dyn Write) -> io::Result<()> + Sync;

/// The program of a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Program {
    /// Its text.
    Kept(Arc<str>),
    /// With pictures it is long: it was read as it was written, and is written anew for whoever wants it.
    Streamed,
}

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
    /// Processes and parts.
    pub work: Arc<Work>,
    /// The layout.
    pub nested: Arc<Nested>,
    /// The order.
    pub sequence: Arc<Sequence>,
    /// What the head does.
    pub toolpath: Arc<Toolpath>,
    /// One program a sheet.
    pub programs: Arc<Vec<Program>>,
    /// One proof a sheet.
    pub proofs: Arc<Vec<SheetProof>>,
    /// All findings in the order of the route; accepted ones are notes.
    pub findings: Vec<Finding>,
    /// The figures.
    pub ledger: Ledger,
    /// Which stations have been worked out: Intake to here.
    pub reached: Station,
}

impl Route {
    /// Findings of a station.
    pub fn findings_of(&self, station: Station) -> impl Iterator<Item = &Finding> {
        self.findings.iter().filter(move |f| f.station == station)
    }
    /// Writes the program of sheet `i`, from 0; nothing where there is none. Fails only where `to` fails.
    pub fn write_program(&self, i: usize, decisions: &Decisions, shop: &Shop, write: &Writer, to: &mut dyn Write) -> io::Result<()> {
        match (self.programs.get(i), self.toolpath.sheets.get(i)) {
            (Some(Program::Kept(text)), _) => to.write_all(text.as_bytes()),
            (Some(Program::Streamed), Some(path)) => {
                let machine = &*shop.machine_or_stand_in(&decisions.batch.machine);
                write(&ProgramOrder { path, machine, sheet: (i + 1, self.toolpath.sheets.len()), batch: &decisions.batch }, to)
            }
            _ => Ok(()),
        }
    }
    /// True when programs may be released.
    pub fn released(&self) -> bool {
        !self.programs.is_empty() && self.nested.current && self.findings.iter().all(|f| f.severity == Severity::Note)
    }
}

/// Remedies offered where a machine or material is gone.
const MOST_OFFERED: usize = 6;

/// Runs the route as far as it goes. `drawings` are the read files of `decisions.drawings`, in the same order.
/// `watch` is told of each station when it is done.
pub fn run(
    drawings: &[Arc<Drawing>],
    decisions: &Decisions,
    shop: &Shop,
    cache: &Cache,
    write: &Writer,
    watch: &mut dyn FnMut(Station),
) -> Route {
    let mut findings: Vec<Finding> = Vec::new();
    let machine = &*shop.machine_or_stand_in(&decisions.batch.machine);
    findings.extend(gone(decisions, shop));
    let shop_key = key(shop);

    let mut states = Vec::new();
    let mut cleaned_keys = vec![shop_key, key(&decisions.batch)];
    let machine_key = key(&machine.id);
    let keyed: Vec<u64> = decisions.drawings.iter().map(|d| joined(&[key(&clean_part(d)), shop_key, machine_key])).collect();
    let clean = |k: u64, drawing: &Drawing, d: &DrawingDecisions| {
        cache.cleaned.get(k, || {
            let (intake, mut found) = intake::run(drawing, d, machine);
            let (cleaned, more) = clean::run(drawing, &intake, d, &shop.tolerance);
            found.extend(more);
            ((intake, Arc::new(cleaned)), found)
        })
    };
    // What is there already is fetched without waiting for the threads that work for others.
    let together = keyed.iter().filter(|k| !cache.cleaned.has(**k)).count() > 1;
    let made: Vec<_> = if together {
        drawings.par_iter().zip(&decisions.drawings).zip(&keyed).map(|((drawing, d), k)| clean(*k, drawing, d)).collect()
    } else {
        drawings.iter().zip(&decisions.drawings).zip(&keyed).map(|((drawing, d), k)| clean(*k, drawing, d)).collect()
    };
    let kept = keyed.into_iter().zip(drawings).zip(&decisions.drawings).zip(made).map(|(((k, drawing), d), made)| (k, drawing, d, made));
    for (k, drawing, d, (made, found)) in kept {
        cleaned_keys.push(k);
        cleaned_keys.push(u64::from(d.quantity));
        findings.extend(found.iter().cloned());
        states.push(DrawingState {
            id: d.id,
            drawing: Arc::clone(drawing),
            intake: Arc::new(made.0.clone()),
            cleaned: Arc::clone(&made.1),
        });
    }
    findings.sort_by_key(|f| f.station);
    watch(Station::Clean);

    let assign_key = joined(&[
        joined(&cleaned_keys),
        key(&decisions.keys),
        key(&decisions.contours),
        key(&decisions.parts),
        key(&decisions.settings),
        key(&decisions.key_settings),
        key(&decisions.contour_settings),
        key(&decisions.rows),
        key(&decisions.numbers),
    ]);
    let cleaned: Vec<Arc<Cleaned>> = states.iter().map(|s| Arc::clone(&s.cleaned)).collect();
    let (work, found) = cache.work.get(assign_key, || assign::run(&cleaned, decisions, shop));
    findings.extend(found.iter().cloned());
    watch(Station::Assign);

    let nest_key = joined(&[assign_key, key(&decisions.nest)]);
    let (nested, found) = cache.nested.get(nest_key, || nest::run(&work, decisions, machine, shop));
    findings.extend(found.iter().cloned());
    watch(Station::Nest);

    let order_key = joined(&[nest_key, key(&decisions.starts)]);
    let (sequence, found) = cache.sequence.get(order_key, || order::run(&work, &nested.layout, decisions));
    findings.extend(found.iter().cloned());
    watch(Station::Order);

    let hold_key = joined(&[order_key, key(&decisions.hold), key(&decisions.pictures)]);
    let (toolpath, found) = cache.toolpath.get(hold_key, || hold::run(&work, &nested.layout, &sequence, decisions, machine, shop));
    findings.extend(found.iter().cloned());
    watch(Station::Hold);

    let (proved, found) = cache.proofs.get(hold_key, || prove(&work, &nested.layout, &toolpath, decisions, machine, write));
    findings.extend(found.iter().cloned());
    watch(Station::Proof);

    for f in findings.iter_mut().filter(|f| f.severity == Severity::Look) {
        f.placed();
        if !decisions.accepted.is_empty() && decisions.accepts(&f.code, &f.places()) {
            f.severity = Severity::Note;
        }
    }
    let ledger = Ledger::of(&nested.layout, placed_area(&work, &nested.layout), &proved.1, &decisions.batch, shop);
    let reached = reached(&states, &work, &nested, &findings);
    Route {
        drawings: states,
        work,
        nested,
        sequence,
        toolpath,
        programs: Arc::clone(&proved.0),
        proofs: Arc::clone(&proved.1),
        findings,
        ledger,
        reached,
    }
}

/// A machine or material that the shop has no longer: nothing can be released for it; what there is instead is offered.
fn gone(decisions: &Decisions, shop: &Shop) -> Vec<Finding> {
    let b = &decisions.batch;
    let mut found = Vec::new();
    let offered = |mut finding: Finding, rows: &mut dyn Iterator<Item = &crate::shop::ChartRow>| {
        let mut seen: Vec<(&str, &str, f64)> = Vec::new();
        for r in rows {
            let known = (r.machine.as_str(), r.material.as_str(), r.thickness);
            if seen.contains(&known) || seen.len() >= MOST_OFFERED {
                continue;
            }
            seen.push(known);
            if let (Some(machine), Some(material)) = (shop.machine(&r.machine), shop.material(&r.material)) {
                let edit = Edit::SetBatch { machine: machine.id.clone(), material: material.id.clone(), thickness: r.thickness };
                finding = finding.choice(format!("{}, {} {} mm", machine.name, material.name, r.thickness), edit);
            }
        }
        finding
    };
    // What is nearest comes first: the same material, then the same machine.
    if shop.machine(&b.machine).is_none() {
        let text = format!("The machine “{}” is no longer in the shop's book. Choose another, or write it down again.", b.machine);
        let finding = Finding::new(Station::Assign, Severity::Stop, "machine-gone", 1, text);
        let (same, other): (Vec<_>, Vec<_>) = shop.chart.iter().partition(|r| r.material == b.material);
        found.push(offered(finding, &mut same.into_iter().chain(other)));
    }
    if shop.material(&b.material).is_none() {
        let text = format!("The material “{}” is no longer in the shop's book. Choose another, or write it down again.", b.material);
        let finding = Finding::new(Station::Assign, Severity::Stop, "material-gone", 1, text);
        let (same, other): (Vec<_>, Vec<_>) = shop.chart.iter().partition(|r| r.machine == b.machine);
        found.push(offered(finding, &mut same.into_iter().chain(other)));
    }
    found
}

/// What of a drawing's decisions bears on its contours.
fn clean_part(d: &DrawingDecisions) -> DrawingDecisions {
    DrawingDecisions { quantity: 0, ..d.clone() }
}

fn prove(
    work: &Work,
    layout: &Layout,
    toolpath: &Toolpath,
    decisions: &Decisions,
    machine: &Machine,
    write: &Writer,
) -> (Proved, Vec<Finding>) {
    let total = toolpath.sheets.len();
    let done: Vec<(Program, SheetProof, Vec<Finding>)> = toolpath
        .sheets
        .par_iter()
        .zip(&layout.sheets)
        .enumerate()
        .map(|(i, (path, lying)): (usize, (&SheetPath, &SheetLayout))| {
            let order = ProgramOrder { path, machine, sheet: (i + 1, total), batch: &decisions.batch };
            if path.ops.iter().any(|o| o.raster.is_some()) {
                let mut reader = Reader::new(path, machine);
                // The reader takes everything; a fault of the text is told when it is asked.
                let _ = write(&order, &mut reader);
                let (proof, findings) = proof::run_read(reader, i, path, lying, work, machine);
                return (Program::Streamed, proof, proof::offered(findings, path, lying, work, decisions, machine));
            }
            let mut text = Vec::new();
            let _ = write(&order, &mut text);
            let text = String::from_utf8_lossy(&text);
            let (proof, findings) = proof::run(&text, i, path, lying, work, machine);
            (Program::Kept(Arc::from(text.as_ref())), proof, proof::offered(findings, path, lying, work, decisions, machine))
        })
        .collect();
    let mut findings = Vec::new();
    let (mut programs, mut proofs) = (Vec::new(), Vec::new());
    for (program, proof, found) in done {
        programs.push(program);
        proofs.push(proof);
        findings.extend(found);
    }
    ((Arc::new(programs), Arc::new(proofs)), findings)
}

/// Net area of everything placed, mm².
pub fn placed_area(work: &Work, layout: &Layout) -> f64 {
    layout.sheets.iter().flat_map(|s| &s.placed).filter_map(|p| work.part(p.part)).map(|p| p.area).sum()
}

/// The last station with something to show: where something is to be settled or looked at, that one.
fn reached(states: &[DrawingState], work: &Work, nested: &Nested, findings: &[Finding]) -> Station {
    if states.is_empty() {
        return Station::Intake;
    }
    let held = findings.iter().filter(|f| f.severity != Severity::Note).map(|f| f.station).min();
    let open = if work.parts.is_empty() {
        Station::Assign
    } else if nested.layout.sheets.is_empty() {
        Station::Nest
    } else {
        Station::Release
    };
    held.map_or(open, |h| h.min(open))
}

//! The whole route: every station in turn, each only when what it depends on has changed.

use crate::assign::{self, Work};
use crate::clean::{self, Cleaned};
use crate::decisions::{Batch, Decisions, DrawingDecisions};
use crate::drawing::Drawing;
use crate::finding::{Finding, Severity, Station};
use crate::hold::{self, SheetPath, Toolpath};
use crate::intake::{self, Intake};
use crate::ledger::Ledger;
use crate::nest::{self, Layout, Nested, SheetLayout};
use crate::order::{self, Sequence};
use crate::proof::{self, Reader, SheetProof};
use crate::shop::{Machine, Shop};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHasher};
use serde::Serialize;
use std::hash::{Hash, Hasher};
use std::io::{self, Write};
use std::sync::{Arc, Mutex};

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
                let machine = shop.machine(&decisions.batch.machine).unwrap_or(&shop.machines[0]);
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

/// Outputs kept by what they were made from.
#[derive(Default)]
pub struct Cache {
    cleaned: Shelf<(Intake, Arc<Cleaned>)>,
    work: Shelf<Work>,
    nested: Shelf<Nested>,
    sequence: Shelf<Sequence>,
    toolpath: Shelf<Toolpath>,
    proofs: Shelf<Proved>,
}

/// The programs and their proofs, one a sheet.
type Proved = (Arc<Vec<Program>>, Arc<Vec<SheetProof>>);

/// Results of one station with their findings, by key; the oldest go when it is full.
struct Shelf<T> {
    kept: Mutex<FxHashMap<u64, Kept<T>>>,
}

/// A result with its findings, shared by all who ask for it.
type Kept<T> = (Arc<T>, Arc<Vec<Finding>>);

impl<T> Default for Shelf<T> {
    fn default() -> Self {
        Self { kept: Mutex::new(FxHashMap::default()) }
    }
}

/// Results a shelf holds.
const SHELF: usize = 48;

impl<T> Shelf<T> {
    fn get(&self, key: u64, make: impl FnOnce() -> (T, Vec<Finding>)) -> Kept<T> {
        if let Some(found) = self.kept.lock().ok().and_then(|k| k.get(&key).cloned()) {
            return found;
        }
        let (made, findings) = make();
        let entry = (Arc::new(made), Arc::new(findings));
        if let Ok(mut kept) = self.kept.lock() {
            if kept.len() >= SHELF {
                kept.clear();
            }
            kept.insert(key, entry.clone());
        }
        entry
    }
}

/// Key of anything that can be written down.
fn key(of: &impl Serialize) -> u64 {
    let mut h = FxHasher::default();
    match serde_json::to_vec(of) {
        Ok(bytes) => h.write(&bytes),
        Err(_) => h.write_u8(0),
    }
    h.finish()
}

fn joined(keys: &[u64]) -> u64 {
    let mut h = FxHasher::default();
    keys.hash(&mut h);
    h.finish()
}

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
    let machine = shop.machine(&decisions.batch.machine).unwrap_or(&shop.machines[0]);
    let shop_key = key(shop);

    let mut states = Vec::new();
    let mut cleaned_keys = vec![shop_key, key(&decisions.batch)];
    let kept: Vec<_> = drawings
        .par_iter()
        .zip(&decisions.drawings)
        .map(|(drawing, d)| {
            let k = joined(&[key(&clean_part(d)), shop_key, key(&machine.id)]);
            let made = cache.cleaned.get(k, || {
                let (intake, mut found) = intake::run(drawing, d, machine);
                let (cleaned, more) = clean::run(drawing, &intake, d, &shop.tolerance);
                found.extend(more);
                ((intake, Arc::new(cleaned)), found)
            });
            (k, drawing, d, made)
        })
        .collect();
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

    for f in findings.iter_mut().filter(|f| f.severity == Severity::Look && decisions.accepted.contains(&f.code)) {
        f.severity = Severity::Note;
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
                return (Program::Streamed, proof, findings);
            }
            let mut text = Vec::new();
            let _ = write(&order, &mut text);
            let text = String::from_utf8_lossy(&text);
            let (proof, findings) = proof::run(&text, i, path, lying, work, machine);
            (Program::Kept(Arc::from(text.as_ref())), proof, findings)
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

//! Runs that go on from another: behind where it broke off, or with what it did not cut through.

use super::{NewRun, lines_of, pieces, queue};
use crate::error::AppError;
use crate::shop::App;
use boustrophe_core::decisions::Pose;
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::Point;
use boustrophe_core::hold::{Op, SheetPath};
use boustrophe_core::ids::CopyId;
use boustrophe_core::nest::Placement;
use boustrophe_core::proof::{self, Meant, Stopped};
use boustrophe_core::release::{Dialect, GoOn, ProgramOrder, only, rest, write};
use boustrophe_core::route::{BatchRoute, Route};
use boustrophe_core::shop::{Machine, Shop};
use boustrophe_machine::checksum;
use boustrophe_store::Run;
use std::sync::Arc;

/// The sheet of a run: its route, and where in it.
pub struct SheetOf {
    route: Route,
    pub shop: Arc<Shop>,
    batch: boustrophe_core::ids::BatchId,
    /// Number within its batch, from 0.
    pub at: usize,
}

impl SheetOf {
    /// The sheet of a run as it was when the run was sent.
    pub fn run(app: &App, run: &Run) -> Result<Self, AppError> {
        let decisions = app.store.revision(run.job_id, run.revision)?.decisions;
        let shop = app.shop();
        let route = app.route(&decisions, &shop)?;
        let sheet = usize::try_from(run.sheet - 1).unwrap_or(0);
        let (batch, at) = route.sheet(sheet).ok_or_else(|| AppError::Sentence("the job's sheet cannot be worked out any more.".into()))?;
        Ok(Self { route, shop, batch, at })
    }
    /// Its batch.
    pub fn here(&self) -> &BatchRoute {
        self.route.batch(self.batch)
    }
    /// The machine that it is cut on.
    fn machine(&self) -> Result<&Machine, AppError> {
        self.shop.machine(&self.here().stock.machine).ok_or_else(machine_gone)
    }
    /// How it lies on the bed as Release has it now: a sheet that was put back may have been aligned since.
    fn lies_now(&self, app: &App, run: &Run) -> Result<Pose, AppError> {
        let head = app.store.job(run.job_id)?.head.unwrap_or(run.revision);
        let decisions = app.store.revision(run.job_id, head)?.decisions;
        let lying = self.here().nested.layout.sheets.get(self.at);
        let batch = decisions.batches.get(&self.batch);
        Ok(lying.zip(batch).map_or_else(|| run.pose(), |(l, b)| b.release.pose(self.at, &l.sheet)))
    }
    fn path(&self) -> Result<&SheetPath, AppError> {
        let gone = || AppError::Sentence("what the machine did cannot be worked out any more.".into());
        self.here().toolpath.sheets.get(self.at).ok_or_else(gone)
    }
    /// Copies on the sheet, in the order of its placements.
    pub fn copies(&self) -> &[Placement] {
        self.here().nested.layout.sheets.get(self.at).map_or(&[], |s| &s.placed)
    }
}

fn machine_gone() -> AppError {
    AppError::Sentence("the machine is not in the shop's book any more.".into())
}

/// True where a run broke off and something of it is left.
pub fn broke_off(run: &Run) -> bool {
    run.ended_at.is_some()
        && matches!(run.state.as_str(), "stopped" | "fault" | "lost")
        && run.cuts > 0
        && run.cuts_done < run.cuts
        // Of one that the machine no longer knows of, nobody can say that it had not begun.
        && (run.seconds > 0.0 || run.state == "lost")
}

/// What a run's own work was: that of the sheet, or, where it went on from another, the pieces that its own program burns, each
/// from its begin.
fn work_of(app: &App, run: &Run, sheet: &SheetOf) -> Result<SheetPath, AppError> {
    let path = sheet.path()?.clone();
    if run.goes_on.is_none() {
        return Ok(path);
    }
    let unknown = || AppError::Sentence(format!("what {} was to do cannot be told any more; send the sheet anew.", run.file_name));
    let meant = sheet.here().meant(sheet.at, &sheet.shop).ok_or_else(unknown)?;
    let pieces = proof::run(&app.store.program(run.id)?, &meant).0.pieces();
    let ops: Vec<Op> = pieces.iter().filter_map(|i| path.ops.get(*i).cloned()).collect();
    // Numbers of pieces are counted along its program: as many as it has, or nothing can be said of where it stopped.
    if usize::try_from(run.cuts).is_ok_and(|n| n == ops.len()) { Ok(SheetPath { ops, ..path }) } else { Err(unknown()) }
}

/// The sheet of a run, and its own work on it, piece by piece as its program numbers them.
pub fn own_work(app: &App, run: &Run) -> Result<(SheetOf, SheetPath), AppError> {
    let sheet = SheetOf::run(app, run)?;
    let path = work_of(app, run, &sheet)?;
    Ok((sheet, path))
}

/// Where a run that broke off goes on.
#[derive(Clone, Copy)]
pub enum Onward {
    /// See [`GoOn::Again`].
    Again,
    /// See [`GoOn::Here`].
    Here,
    /// See [`GoOn::Next`].
    Next,
}

/// The ways on, as they are posted.
pub const WAYS: [(&str, Onward); 3] = [("again", Onward::Again), ("here", Onward::Here), ("next", Onward::Next)];

/// Where a run's own program goes on.
fn goes_on(app: &App, run: &Run, sheet: &SheetOf, onward: Onward) -> Result<GoOn, AppError> {
    Ok(match onward {
        Onward::Again => GoOn::Again,
        Onward::Next => GoOn::Next,
        Onward::Here => {
            let program = app.store.program(run.id)?;
            let dialect = Dialect::of(sheet.machine()?);
            let lines = lines_of(&program, usize::try_from(run.cuts_done).unwrap_or(0));
            let stopped = Stopped { line: usize::try_from(run.line).unwrap_or(0), at: Point::new(run.x, run.y) };
            GoOn::Here(proof::still(&program, dialect, lines, stopped, run.pose()))
        }
    })
}

/// What is left of a run that broke off, each way: for showing it before it starts.
pub fn left(app: &App, run: &Run, onward: Onward) -> Result<SheetPath, AppError> {
    let sheet = SheetOf::run(app, run)?;
    let from = goes_on(app, run, &sheet, onward)?;
    Ok(rest(&work_of(app, run, &sheet)?, usize::try_from(run.cuts_done).unwrap_or(0), from))
}

/// Sends what is left of a run that broke off; gives the new run's number.
pub fn go_on(app: &Arc<App>, run: &Run, onward: Onward) -> Result<i32, AppError> {
    if !broke_off(run) {
        return Err(AppError::Sentence(format!("{} has nothing left that could be gone on with.", run.file_name)));
    }
    if let Some(later) = app.store.runs_of(run.job_id)?.iter().find(|r| r.goes_on == Some(run.id) && r.state != "withdrawn") {
        return Err(AppError::Sentence(format!("run {} goes on from it already.", later.id)));
    }
    let path = left(app, run, onward)?;
    if path.ops.is_empty() {
        return Err(AppError::Sentence("there is no next piece of work: that was the last.".into()));
    }
    send(app, run, &path, &format!("from-{}", run.cuts_done + 1))
}

/// Sends the cuts of copies that were not cut through.
pub fn cut_again(app: &Arc<App>, run: &Run, failed: &[CopyId]) -> Result<i32, AppError> {
    let sheet = SheetOf::run(app, run)?;
    let placements: Vec<usize> = (0..sheet.copies().len()).filter(|i| failed.contains(&sheet.copies()[*i].copy)).collect();
    let path = only(sheet.path()?, &placements);
    if path.ops.is_empty() {
        return Err(AppError::Sentence("none of what was chosen lies on this sheet; load the page again.".into()));
    }
    let id = send(app, run, &path, "again")?;
    // The sheet was taken off the rack by the run before.
    app.store.set_racked(id)?;
    Ok(id)
}

fn send(app: &Arc<App>, run: &Run, path: &SheetPath, how: &str) -> Result<i32, AppError> {
    let sheet = SheetOf::run(app, run)?;
    let here = sheet.here();
    let machine = sheet.machine()?;
    let pose = sheet.lies_now(app, run)?;
    let mut text = Vec::new();
    let order = ProgramOrder { path, machine, sheet: (here.before + sheet.at + 1, here.of), stock: &here.stock, pose };
    write(&order, &mut text).map_err(|e| AppError::Sentence(e.to_string()))?;
    let program = String::from_utf8(text).map_err(|e| AppError::Sentence(e.to_string()))?;
    let whole = here.meant(sheet.at, &sheet.shop).ok_or_else(machine_gone)?;
    let (proof, findings) = proof::run(&program, &Meant { path, pose, ..whole });
    if let Some(f) = findings.iter().find(|f| f.severity == Severity::Stop) {
        return Err(AppError::Sentence(format!("what is left cannot be proved: {}", f.text)));
    }
    let stem = run.file_name.strip_suffix(".nc").unwrap_or(&run.file_name);
    let new = NewRun {
        job: run.job_id,
        revision: run.revision,
        sheet: run.sheet,
        machine: &run.machine,
        file_name: &format!("{stem}-{how}.nc"),
        program: &program,
        sum: &checksum(&program),
        cuts: i32::try_from(pieces(&program).len()).unwrap_or(i32::MAX),
        total: proof.seconds,
        goes_on: Some(run.id),
        pose,
    };
    queue(app, &new)
}

/// Where the first piece of work begins, mm.
pub fn begin(path: &SheetPath) -> Option<(f64, f64)> {
    path.ops.first().and_then(Op::start).map(|p| (p.x, p.y))
}

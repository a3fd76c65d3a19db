//! Runs that go on from another: behind where it broke off, or with what it did not cut through. What there is to do comes from the
//! release that the run is of.

use crate::app::App;
use crate::error::ShopError;
use crate::packed::{OwnWork, packed, unpacked};
pub use crate::sheets::SheetOf;
use boustrophe_core::decisions::Pose;
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::Point;
use boustrophe_core::hold::{Op, SheetPath};
use boustrophe_core::ids::CopyId;
use boustrophe_core::proof::{self, Meant, Stopped};
use boustrophe_core::release::{Dialect, GoOn, Joint, Lines, Relit, only, rest, write_lines};
use boustrophe_core::run::Answer;
use boustrophe_core::shop::MachineKind;
use boustrophe_machine::checksum;
use boustrophe_store::{NewRun, Run, StoreError, Then};
use std::sync::Arc;

/// Sizes of the lead, as shares of a piece's own, that are tried where a torch goes on in the scrap.
const LEADS: [f64; 3] = [1.0, 0.6, 0.35];
/// So far before it in the open kerf a torch is lit where the scrap has no room, mm.
const IN_THE_KERF: f64 = 4.0;
/// Furthest back that somebody may have it go on, mm.
pub const FURTHEST_BACK: f64 = 200.0;

/// True where a run broke off, something of it is left, and nobody has said yet what becomes of its sheet.
pub fn broke_off(run: &Run) -> bool {
    run.asks() && run.state.broke_off() && run.cuts > 0 && run.cuts_done < run.cuts && run.release_id.is_some()
}

/// A run's own work, piece by piece as its program numbers them, and where in its program each stands.
fn work_of(app: &App, run: &Run, sheet: &SheetOf) -> Result<OwnWork, ShopError> {
    match app.store.own_work(run.id)? {
        Some(own) => unpacked(&own),
        None => sheet.sheet().map(|s| OwnWork { path: s.path.clone(), lines: s.lines.clone() }),
    }
}

/// The sheet of a run, and its own work on it, piece by piece as its program numbers them.
pub fn own_work(app: &App, run: &Run) -> Result<(SheetOf, SheetPath), ShopError> {
    let sheet = SheetOf::run(app, run)?;
    let path = work_of(app, run, &sheet)?.path;
    Ok((sheet, path))
}

/// Where in a run's program its pieces of work stand; nothing is known of runs of an earlier version.
pub(super) fn lines_of(app: &App, run: &Run) -> Result<Lines, ShopError> {
    if run.release_id.is_none() {
        return Ok(Lines { begins: Vec::new(), home: usize::MAX });
    }
    let sheet = SheetOf::run(app, run)?;
    match app.store.own_work(run.id)? {
        Some(own) => Ok(unpacked::<OwnWork>(&own)?.lines),
        None => sheet.sheet().map(|s| s.lines.clone()),
    }
}

/// Where a run that broke off goes on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::Display, strum::EnumString, strum::EnumIter)]
#[strum(serialize_all = "lowercase")]
pub enum Onward {
    /// See [`GoOn::Again`].
    Again,
    /// See [`GoOn::Here`].
    Here,
    /// See [`GoOn::Next`].
    Next,
}

/// How somebody wants it to go on.
#[derive(Clone, Copy, Debug)]
pub struct Wanted {
    /// From where.
    pub onward: Onward,
    /// So much of what was burned is burned once more, mm; none for as the machine is used to.
    pub back: Option<f64>,
    /// The sheet was put back, and lies as Release has it now.
    pub moved: bool,
}

impl Wanted {
    /// That way, everything else as usual.
    pub fn plain(onward: Onward) -> Self {
        Self { onward, back: None, moved: false }
    }
}

/// What is left of a run that broke off, in the ways in which it can be joined to what was burned, the best first.
fn left(app: &App, run: &Run, sheet: &SheetOf, wanted: Wanted) -> Result<Vec<SheetPath>, ShopError> {
    let work = work_of(app, run, sheet)?;
    let finished = usize::try_from(run.cuts_done).unwrap_or(0);
    let machine = sheet.machine();
    let from = match wanted.onward {
        Onward::Again => GoOn::Again,
        Onward::Next => GoOn::Next,
        Onward::Here => {
            let stopped = Stopped { line: usize::try_from(run.line).unwrap_or(0), at: Point::new(run.x, run.y) };
            let program = app.store.program(run.id)?;
            GoOn::Here(proof::still(&program, Dialect::of(machine), work.lines.of_piece(finished), stopped, run.pose))
        }
    };
    let overlap = wanted.back.unwrap_or(machine.overlap()).clamp(0.0, FURTHEST_BACK);
    let lit: Vec<Relit> = match machine.kind {
        MachineKind::Laser => vec![Relit::OnTheLine],
        // Never on the finished edge: in the scrap, or where that has no room in the open kerf.
        MachineKind::Plasma => LEADS.map(Relit::InTheScrap).into_iter().chain([Relit::InTheKerf(IN_THE_KERF)]).collect(),
    };
    Ok(lit.into_iter().map(|lit| rest(&work.path, finished, from, Joint { overlap, lit })).collect())
}

/// Where the first piece of what is left begins on the sheet, mm: for showing it before it starts.
pub fn begins(app: &App, run: &Run, onward: Onward) -> Option<(f64, f64)> {
    let sheet = SheetOf::run(app, run).ok()?;
    let left = left(app, run, &sheet, Wanted::plain(onward)).ok()?;
    left.first()?.ops.first().and_then(Op::start).map(|p| (p.x, p.y))
}

/// Sends what is left of a run that broke off; it comes next. Gives the new run's number.
pub fn go_on(app: &Arc<App>, run: &Run, wanted: Wanted, by: &str) -> Result<i32, ShopError> {
    if !broke_off(run) {
        return Err(if run.asks() || run.answer == Answer::None {
            ShopError::Sentence(format!("{} has nothing left that could be gone on with.", run.file_name))
        } else {
            StoreError::Answered { run: run.id }.into()
        });
    }
    let sheet = SheetOf::run(app, run)?;
    let pose = if wanted.moved { sheet.lies_now(app, run)? } else { run.pose };
    let mut refused = ShopError::Sentence("there is no next piece of work: that was the last.".into());
    for path in left(app, run, &sheet, wanted)? {
        if path.ops.is_empty() {
            break;
        }
        match proved(run, &sheet, &path, pose) {
            Ok(proved) => return follow(app, run, proved, (&format!("from-{}", run.cuts_done + 1), Answer::On), by),
            Err(why) => refused = why,
        }
    }
    Err(refused)
}

/// Sends the cuts of copies that were not cut through; it comes next.
pub fn cut_again(app: &Arc<App>, run: &Run, failed: &[CopyId], by: &str) -> Result<i32, ShopError> {
    let sheet = SheetOf::run(app, run)?;
    let placements: Vec<usize> = (0..sheet.copies().len()).filter(|i| failed.contains(&sheet.copies()[*i].copy)).collect();
    let kept = sheet.sheet()?;
    let path = only(&kept.path, &kept.cuts, &placements);
    if path.ops.is_empty() {
        return Err(ShopError::Sentence("none of what was chosen lies on this sheet; load the page again.".into()));
    }
    let proved = proved(run, &sheet, &path, run.pose)?;
    follow(app, run, proved, ("again", Answer::Again), by)
}

/// A program that was proved.
struct Proved {
    program: String,
    own: OwnWork,
    seconds: f64,
    pose: Pose,
}

/// Writes the program for some of a sheet's work and proves it.
fn proved(run: &Run, sheet: &SheetOf, path: &SheetPath, pose: Pose) -> Result<Proved, ShopError> {
    let failed = |e: &dyn std::fmt::Display| ShopError::Sentence(e.to_string());
    let mut text = Vec::new();
    let lines = write_lines(&sheet.batch.order(sheet.at, path, pose), &mut text).map_err(|e| failed(&e))?;
    let program = String::from_utf8(text).map_err(|e| failed(&e))?;
    let gone = || ShopError::Sentence(format!("what {} was to do is not in its release; send the sheet again.", run.file_name));
    let whole = sheet.batch.meant(sheet.at).ok_or_else(gone)?;
    let (proof, findings) = proof::run(&program, &Meant { path, pose, ..whole });
    if let Some(f) = findings.iter().find(|f| f.severity == Severity::Stop) {
        return Err(ShopError::Sentence(format!("what is left cannot be proved: {}", f.text)));
    }
    Ok(Proved { program, own: OwnWork { path: path.clone(), lines }, seconds: proof.seconds, pose })
}

/// Puts a program behind a run whose sheet is still on the bed, as the answer to what becomes of that.
fn follow(app: &Arc<App>, run: &Run, proved: Proved, (how, answer): (&str, Answer), by: &str) -> Result<i32, ShopError> {
    let stem = run.file_name.strip_suffix(".nc").unwrap_or(&run.file_name);
    let new = NewRun {
        job: run.job_id,
        revision: run.revision,
        sheet: run.sheet,
        machine: &run.machine,
        file_name: &format!("{stem}-{how}.nc"),
        program: &proved.program,
        sum: &checksum(&proved.program),
        cuts: i32::try_from(proved.own.lines.begins.len()).unwrap_or(i32::MAX),
        total: proved.seconds,
        goes_on: Some(run.id),
        pose: proved.pose,
        release: run.release_id.unwrap_or(0),
        person: by,
        stock: run.stock_id.filter(|_| answer == Answer::On).map(|id| (id, 1)),
        // What is cut again was taken off the rack when it came to its end.
        booked: answer == Answer::Again,
        work: Some(packed(&proved.own)?),
    };
    let desk = app.desks.desk(&run.machine)?;
    let id = app.store.answer(run.id, answer, by, Then::Run(&new))?.unwrap_or(run.id);
    tracing::info!(run = id, after = run.id, machine = run.machine, by, "sent");
    desk.look_again();
    Ok(id)
}

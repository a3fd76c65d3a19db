//! The dockets of Order, Proof and Release: figures by sheet.

use crate::error::AppError;
use crate::view::metres;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::cuts::Line;
use boustrophe_core::decisions::{Pose, Zero};
use boustrophe_core::finding::{Severity, Station, counted};
use boustrophe_core::hold::Op;
use boustrophe_core::ids::BatchId;
use boustrophe_core::proof::SheetProof;
use boustrophe_core::time::clock;
use boustrophe_shop::app::{App, Loaded};
use boustrophe_shop::since::{self, Since};
use boustrophe_store::Run;

struct OrderRow {
    sheet: usize,
    steps: usize,
    travel: String,
    drawn: String,
    saved: String,
}

/// A cut in the list.
struct CutRow {
    n: usize,
    name: String,
    /// Cuts of one kind are ordered together.
    kind: String,
    what: String,
    length: String,
    /// A hand gave it its place.
    held: bool,
}

/// Cuts listed: more than that are found on the stage.
const MOST_LISTED: usize = 400;

#[derive(Template)]
#[template(path = "order/docket.html")]
pub(super) struct Order {
    revision: i32,
    job: i32,
    batch: BatchId,
    rows: Vec<OrderRow>,
    strategy: String,
    /// What a hand has said, and in words.
    by_hand: usize,
    told: String,
    cuts: Vec<CutRow>,
    more: usize,
}

/// The cuts of a sheet as they are listed.
fn listed(loaded: &Loaded, sheet: usize) -> Vec<CutRow> {
    let here = loaded.here();
    let (Some(plan), Some(path)) = (here.plan.sheets.get(sheet), here.toolpath.sheets.get(sheet)) else { return Vec::new() };
    let names = plan.names();
    let several = here.toolpath.sheets.len() > 1;
    let row = |(n, op): (usize, &Op)| {
        let (cut, name) = (&plan.cuts[op.cut], names[op.cut]);
        let part = here.work.part(name.copy.part);
        let outline = part.is_some_and(|p| p.outer == Some(op.item));
        let what = match op.process {
            Process::Cut if cut.line == Line::Shared => "shared edge",
            Process::Cut if outline => "outline",
            Process::Cut => "hole",
            other => other.slug(),
        };
        let on = if several { format!(", sheet {}", here.before + sheet + 1) } else { String::new() };
        CutRow {
            n: n + 1,
            name: name.to_string(),
            kind: format!("{sheet} {}", op.process.slug()),
            what: format!("{} {}, {what}{on}", part.map_or("", |p| p.name.as_str()), name.copy.number),
            length: format!("{:.0}", op.length()),
            held: loaded.decided().order.places.contains_key(&name),
        }
    };
    path.ops.iter().enumerate().filter(|(_, o)| !o.is_swept()).map(row).collect()
}

pub(super) fn order_body(loaded: &Loaded) -> Order {
    // Travel is one figure: that of the program, as the ledger has it.
    let travelled = |i: usize, planned: f64| loaded.here().proofs.get(i).map_or(planned, |p| p.travel);
    let rows = loaded.here().sequence.sheets.iter().enumerate().map(|(i, s)| OrderRow {
        sheet: loaded.here().before + i + 1,
        steps: s.steps.len(),
        travel: metres(travelled(i, s.travel)),
        drawn: metres(s.travel_as_drawn),
        saved: if s.travel_as_drawn > 0.0 { format!("{:.0} %", (1.0 - s.travel / s.travel_as_drawn) * 100.0) } else { "0 %".into() },
    });
    let order = &loaded.decided().order;
    let (starts, ways, places) = (order.moved(), order.turned(), order.places.len());
    let told = [(starts, "start", "starts"), (ways, "direction", "directions"), (places, "place", "places")];
    let told: Vec<String> = told.into_iter().filter(|t| t.0 > 0).map(|(n, one, many)| counted(n, one, many)).collect();
    let mut cuts: Vec<CutRow> = (0..loaded.here().toolpath.sheets.len()).flat_map(|i| listed(loaded, i)).collect();
    let more = cuts.len().saturating_sub(MOST_LISTED);
    cuts.truncate(MOST_LISTED);
    Order {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        rows: rows.collect(),
        strategy: order.strategy.name(),
        by_hand: starts + ways + places,
        told: format!("By hand: {}.", told.join(", ")),
        cuts,
        more,
    }
}

struct SheetTime {
    sheet: usize,
    total: String,
    split: Vec<(&'static str, String)>,
}

#[derive(Template)]
#[template(path = "proof/docket.html")]
pub(super) struct Proof {
    job: i32,
    sheets: Vec<SheetTime>,
    /// What takes longest, by part and by cut: name and time.
    parts: Vec<Taking>,
    longest: Vec<Taking>,
    passed: bool,
    open: usize,
    /// How many times as long it takes as runs have shown; nothing where it takes what is reckoned.
    factor: Option<f64>,
}

pub(super) fn proof_body(loaded: &Loaded) -> Proof {
    let (route, here) = (&loaded.route, loaded.here());
    let sheets = here.proofs.iter().enumerate().map(|(i, p)| SheetTime {
        sheet: here.before + i + 1,
        total: clock(p.seconds),
        split: p.by_process.iter().map(|(process, s)| (process.map_or("travel", Process::slug), clock(*s))).collect(),
    });
    let faults = route.findings_of(Station::Proof).filter(|f| f.severity == Severity::Stop).count();
    let open = route.findings.iter().filter(|f| f.severity != Severity::Note && f.station != Station::Proof).count();
    let (parts, longest) = longest(loaded);
    Proof {
        factor: Some(loaded.shop.time_factor(&here.stock)).filter(|f| (f - 1.0).abs() > 1e-9),
        job: loaded.job.id,
        parts,
        longest,
        sheets: sheets.collect(),
        passed: faults == 0 && !here.proofs.is_empty() && here.nested.current,
        open,
    }
}

/// What takes its time, and how long.
type Taking = (String, String);

/// Lines of the lists of what takes longest.
const LONGEST: usize = 8;

/// Time by part, and by piece of work, the longest first.
fn longest(loaded: &Loaded) -> (Vec<Taking>, Vec<Taking>) {
    let here = loaded.here();
    let mut parts: std::collections::BTreeMap<String, f64> = std::collections::BTreeMap::new();
    let mut cuts: Vec<(String, f64)> = Vec::new();
    for (i, (proof, path)) in here.proofs.iter().zip(&here.toolpath.sheets).enumerate() {
        for (n, (op, s)) in path.ops.iter().zip(proof.by_piece(path.ops.len())).enumerate() {
            let placed = here.nested.layout.sheets.get(i).and_then(|l| l.placed.get(op.placement));
            let part = placed.and_then(|p| here.work.part(p.copy.part)).map_or("", |p| p.name.as_str());
            *parts.entry(part.to_owned()).or_insert(0.0) += s;
            cuts.push((format!("sheet {}, {} {} {part}", here.before + i + 1, op.process.slug(), n + 1), s));
        }
    }
    let told = |mut all: Vec<(String, f64)>| {
        all.retain(|a| a.1 > 0.0);
        all.sort_by(|a, b| b.1.total_cmp(&a.1));
        all.into_iter().take(LONGEST).map(|(name, s)| (name, clock(s))).collect()
    };
    (told(parts.into_iter().collect()), told(cuts))
}

struct ReleaseRow {
    sheet: usize,
    name: String,
    time: String,
    /// The program that was released.
    sum: String,
}

/// The release in force, as it is shown.
struct InForce {
    id: i32,
    by: String,
    at: String,
    /// What has moved on since, and figures that would be others now.
    since: Option<Since>,
}

#[derive(Template)]
#[template(path = "release/docket.html")]
pub(super) struct Release {
    job: i32,
    revision: i32,
    batch: BatchId,
    /// The programs are proved: they may be released.
    proved: bool,
    /// Programs that would be released.
    programs: usize,
    release: Option<InForce>,
    holding: Vec<(&'static str, &'static str, usize)>,
    rows: Vec<ReleaseRow>,
    runs: Vec<Run>,
    initials: String,
    machine: String,
    /// Zeros to choose from: word, words, whether it is the one; and in words what it is now where it is none of these.
    zeros: Vec<(&'static str, &'static str, bool)>,
    zero: String,
    /// Where each sheet lies: its number in the batch and as numbered through, and x, y, degrees as they are typed.
    laid: Vec<(usize, usize, String)>,
    /// Some sheet lies elsewhere than at the bed's corner.
    moved: bool,
    /// The machine, and whether there is a picture of its bed.
    bed: (String, bool),
}

/// The sheets of a release of a batch, or where there is none those that would be released.
fn release_rows(app: &App, loaded: &Loaded, release: Option<&boustrophe_store::Release>) -> Result<Vec<ReleaseRow>, AppError> {
    let here = loaded.here();
    let Some(release) = release else {
        let row = |(i, p): (usize, &SheetProof)| ReleaseRow {
            sheet: here.before + i + 1,
            name: boustrophe_shop::names::stem(&loaded.job, loaded.decided(), here.before + i, &loaded.machine()),
            time: clock(p.seconds * loaded.shop.time_factor(&here.stock)),
            sum: String::new(),
        };
        return Ok(here.proofs.iter().enumerate().map(row).collect());
    };
    let mine = app.store.release_sheets(release.id)?.into_iter().filter(|r| u32::try_from(r.batch) == Ok(loaded.batch.0));
    let row = |r: boustrophe_store::SheetRow| {
        let factor = app.released(release.id, r.batch)?.time_factor;
        Ok(ReleaseRow {
            sheet: usize::try_from(r.sheet).unwrap_or(0),
            name: r.file_name.trim_end_matches(".nc").to_owned(),
            time: clock(r.seconds * factor),
            sum: r.sum.chars().take(8).collect(),
        })
    };
    mine.map(row).collect()
}

pub(super) fn release_body(app: &App, loaded: &Loaded) -> Result<Release, AppError> {
    let (route, here) = (&loaded.route, loaded.here());
    let holding = Station::ALL
        .into_iter()
        .map(|s| (s.slug(), s.name(), route.findings_of(s).filter(|f| f.severity != Severity::Note).count()))
        .filter(|h| h.2 > 0)
        .collect();
    let last = app.store.last_release(loaded.job.id)?;
    let rows = release_rows(app, loaded, last.as_ref())?;
    let shown = |r: boustrophe_store::Release| {
        let since = since::since(app, &r, loaded)?;
        Ok::<_, AppError>(InForce { id: r.id, by: r.person, at: told_at(&r.at), since })
    };
    let zero = loaded.decided().release.zero;
    let typed = |(i, pose): (usize, &Pose)| {
        let r = |v: f64| (v * 100.0).round() / 100.0;
        let turn = if pose.is_turned() { format!(", {}", r(pose.turn.to_degrees())) } else { String::new() };
        (i + 1, here.before + i + 1, format!("{}, {}{turn}", r(pose.at.x), r(pose.at.y)))
    };
    Ok(Release {
        zeros: Zero::NAMED.map(|(z, word, words)| (word, words, z == zero)).to_vec(),
        zero: if let Zero::At(_) = zero { zero.words() } else { String::new() },
        laid: here.poses.iter().enumerate().map(typed).collect(),
        moved: here.poses.iter().any(|p| p.is_moved()),
        bed: (here.stock.machine.clone(), crate::pages::bed::pictured(app, &here.stock.machine).is_some()),
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        proved: route.released(),
        programs: route.batches.values().map(|b| b.programs.len()).sum(),
        release: last.map(shown).transpose()?,
        holding,
        rows,
        runs: app.store.runs_of(loaded.job.id)?,
        initials: loaded.decided().release.initials.clone(),
        machine: loaded.machine().name.clone(),
    })
}

/// A time of the record, as it is read.
fn told_at(at: &str) -> String {
    at.get(..16).unwrap_or(at).replace('T', " ")
}

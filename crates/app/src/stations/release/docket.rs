//! What Release shows: programs, who released what, where sheets lie.

use crate::error::AppError;
use askama::Template;
use boustrophe_core::decisions::{Pose, Zero};
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::time::duration;
use boustrophe_shop::alike;
use boustrophe_shop::app::{App, Loaded};
use boustrophe_shop::rack;
use boustrophe_shop::since::{self, Since};
use boustrophe_store::Run;

/// A sheet, or several whose programs do the same.
struct ReleaseRow {
    /// As they are numbered through, each with its file's name and its program's checksum.
    sheets: Vec<ReleaseSheet>,
    /// Their numbers as they are read.
    numbers: String,
    time: String,
    /// Its sheet is on the rack, and comes off it when it is run.
    booked: bool,
}

struct ReleaseSheet {
    sheet: usize,
    name: String,
    /// Empty where nothing is released.
    sum: String,
}

impl ReleaseRow {
    fn of(sheets: Vec<ReleaseSheet>, time: String, booked: bool) -> Self {
        let numbers = alike::numbers(&sheets.iter().map(|s| s.sheet).collect::<Vec<_>>());
        Self { sheets, numbers, time, booked }
    }

    /// Its sheets as they are sent: `3,5`.
    fn listed(&self) -> String {
        let numbers: Vec<String> = self.sheets.iter().map(|s| s.sheet.to_string()).collect();
        numbers.join(",")
    }
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
#[template(path = "stations/release/docket.html")]
pub struct Release {
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
    /// All sheets as they are sent.
    all: String,
    /// Several, and none of them on the rack: that is said once.
    none_booked: bool,
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

/// The sheets of a release of a batch, or where there is none those that would be released; those whose programs do the same once.
fn release_rows(app: &App, loaded: &Loaded, release: Option<&boustrophe_store::Release>) -> Result<Vec<ReleaseRow>, AppError> {
    let here = loaded.here();
    let Some(release) = release else {
        let row = |group: Vec<usize>| {
            let sheet = here.nested.layout.sheets.get(group[0]).map(|s| &s.sheet);
            let booked = match sheet {
                Some(s) => rack::number(s).is_some() || rack::like(app, &here.stock, s)?.is_some(),
                None => false,
            };
            let time = duration(here.proofs[group[0]].seconds * loaded.shop.time_factor(&here.stock));
            let name = |i: usize| boustrophe_shop::names::stem(&loaded.job, loaded.decided(), here.before + i, &loaded.machine());
            let sheets = group.into_iter().map(|i| ReleaseSheet { sheet: here.before + i + 1, name: name(i), sum: String::new() });
            Ok(ReleaseRow::of(sheets.collect(), time, booked))
        };
        return alike::of_batch(loaded)?.into_iter().map(row).collect();
    };
    let mine = app.store.release_sheets(release.id)?.into_iter().filter(|r| u32::try_from(r.batch) == Ok(loaded.batch.0));
    let mine: Vec<boustrophe_store::SheetRow> = mine.collect();
    let row = |group: Vec<usize>| {
        let first = &mine[group[0]];
        let time = duration(first.seconds * app.released(release.id, first.batch)?.time_factor);
        let sheets = group.iter().map(|i| ReleaseSheet {
            sheet: usize::try_from(mine[*i].sheet).unwrap_or(0),
            name: mine[*i].file_name.trim_end_matches(".nc").to_owned(),
            sum: mine[*i].sum.chars().take(8).collect(),
        });
        Ok(ReleaseRow::of(sheets.collect(), time, first.stock_id.is_some()))
    };
    alike::of_release(app, &mine)?.into_iter().map(row).collect()
}

pub fn body(app: &App, loaded: &Loaded) -> Result<Release, AppError> {
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
        bed: (here.stock.machine.clone(), crate::things::machines::bed::pictured(app, &here.stock.machine).is_some()),
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        proved: route.released(),
        programs: route.batches.values().map(|b| b.programs.len()).sum(),
        release: last.map(shown).transpose()?,
        holding,
        none_booked: rows.len() > 1 && rows.iter().all(|r| !r.booked),
        all: rows.iter().map(ReleaseRow::listed).collect::<Vec<_>>().join(","),
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

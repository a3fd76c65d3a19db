//! Releasing: what a job's programs, papers and figures are is written down once, by somebody, and everything behind it goes by that.
//! What has moved on since is a value that every page can show.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::kept::{JOB, Kept};
use crate::names;
use crate::packed::packed;
use crate::papers;
use crate::since::since;
use boustrophe_core::cache::Cache;
use boustrophe_core::finding::counted;
use boustrophe_core::ids::BatchId;
use boustrophe_core::release::{Lines, ProgramOrder, write_lines};
use boustrophe_core::released::{ReleasedBatch, ReleasedSheet};
use boustrophe_core::route::{BatchRoute, Route};
use boustrophe_core::shop::Shop;
use boustrophe_formats::sheet::{kerf_dxf, kerf_svg, write_dxf, write_svg};
use boustrophe_machine::checksum;
use boustrophe_store::{NewRelease, Release, SheetRow, StoreError};

#[cfg(test)]
mod tests;

/// Everything of a job that is released.
pub const REPORT: &str = "report.json";

/// Releases a job's revision, which has to be in force and proved. All of it is worked out once more with nothing kept, and has to
/// come out the same, byte for byte. Gives the release, and how many runs of earlier ones were withdrawn.
pub fn release(app: &App, job: i32, revision: i32, by: &str) -> Result<(Release, usize), ShopError> {
    let loaded = app.load(job)?;
    if loaded.revision.id != revision {
        return Err(StoreError::Moved { head: loaded.revision.id }.into());
    }
    if !loaded.route.released() {
        return Err(ShopError::Sentence("the programs are not proved: settle the open findings first.".into()));
    }
    let afresh = app.route_afresh(&loaded.revision.decisions, &loaded.shop)?;
    let mut new =
        NewRelease { job, revision, person: by, ledger: &loaded.route.ledger, batches: Vec::new(), sheets: Vec::new(), papers: Vec::new() };
    for (id, batch) in &loaded.route.batches {
        let loaded = About { loaded: &loaded, id: *id, batch };
        let mut sheets = Vec::new();
        for at in 0..batch.toolpath.sheets.len() {
            let (program, lines) = loaded.program(at, &afresh)?;
            let sheet = ReleasedSheet::of(batch, at, lines).ok_or_else(|| unproved(at))?;
            new.papers.extend(loaded.papers(at, &checksum(&program))?);
            new.sheets.push((loaded.row(app, at, &program, &sheet)?, program));
            sheets.push(sheet);
        }
        let kept = ReleasedBatch::of(*id, batch, &loaded.loaded.revision.decisions, &loaded.loaded.shop, sheets);
        let kept = kept.ok_or_else(|| ShopError::Sentence("the machine is not in the shop's book any more.".into()))?;
        new.batches.push((*id, packed(&kept)?));
    }
    new.papers.push((REPORT.into(), crate::report::of(&loaded)?));
    new.papers.push((JOB.into(), Kept::of_job(app, &loaded)?.written()?));
    let (id, withdrawn) = app.store.add_release(&new)?;
    tracing::info!(job, release = id, by, "released");
    app.forget_card(job);
    app.keep_figures(&loaded)?;
    Ok((app.store.release(id)?, withdrawn))
}

fn unproved(at: usize) -> ShopError {
    ShopError::Sentence(format!("sheet {} was not worked out; load the page again.", at + 1))
}

/// A batch of a job that is being released.
struct About<'a> {
    loaded: &'a Loaded,
    id: BatchId,
    batch: &'a BatchRoute,
}

impl About<'_> {
    /// The program of its sheet `at`, from 0, as it was proved, and where its pieces of work stand.
    fn program(&self, at: usize, afresh: &Route) -> Result<(String, Lines), ShopError> {
        let failed = |e: std::io::Error| ShopError::Sentence(e.to_string());
        let mut proved = Vec::new();
        self.batch.write_program(at, &self.loaded.shop, &mut proved).map_err(failed)?;
        let again = afresh.batch(self.id);
        let (program, lines) = written(again, at, &self.loaded.shop)?;
        if program.as_bytes() != proved {
            tracing::error!(job = self.loaded.job.id, sheet = again.before + at + 1, "worked out afresh a program is another");
            return Err(ShopError::Sentence(format!(
                "sheet {} came out otherwise when it was worked out once more, and was not released; shut the shop, open it again, and release it then.",
                again.before + at + 1
            )));
        }
        Ok((program, lines))
    }

    fn stem(&self, at: usize) -> String {
        let machine = self.loaded.shop.machine_or_stand_in(&self.batch.stock.machine);
        let decided = self.loaded.revision.decisions.batch(self.id);
        names::stem(&self.loaded.job, decided, self.batch.before + at, &machine)
    }

    fn row(&self, app: &App, at: usize, program: &str, sheet: &ReleasedSheet) -> Result<SheetRow, ShopError> {
        let whole = |n: usize| i32::try_from(n).unwrap_or(i32::MAX);
        let lying = &sheet.layout;
        let stock_id = match crate::rack::number(&lying.sheet) {
            None => crate::rack::like(app, &self.batch.stock, &lying.sheet)?,
            chosen => chosen,
        };
        Ok(SheetRow {
            release_id: 0,
            sheet: whole(self.batch.before + at + 1),
            batch: whole(self.id.0 as usize),
            place: whole(at),
            machine: self.batch.stock.machine.clone(),
            file_name: format!("{}.nc", self.stem(at)),
            sum: checksum(program),
            pieces: whole(sheet.lines.begins.len()),
            seconds: sheet.seconds,
            stock_id,
            pieces_of_stock: if lying.sheet.tray.is_some() { whole(lying.placed.len()) } else { 1 },
            lay: crate::rack::lay(app, &self.loaded.shop, &self.batch.stock, &lying.sheet),
            miniature: crate::miniature::of(self.batch, &self.loaded.shop, at),
        })
    }

    /// Its papers, by the names under which they are fetched: `1.svg`, `1.setup.pdf`.
    fn papers(&self, at: usize, sum: &str) -> Result<Vec<(String, Vec<u8>)>, ShopError> {
        let n = self.batch.before + at + 1;
        let named = |kind: &str, bytes: Vec<u8>| (format!("{n}.{kind}"), bytes);
        let (layout, path) = (&self.batch.nested.layout.sheets[at], &self.batch.toolpath.sheets[at]);
        let file = format!("{}.nc", self.stem(at));
        let setup = papers::setup(self.batch, &self.loaded.shop, at, (&self.loaded.job.name, &file, sum)).ok_or_else(|| unproved(at))?;
        Ok(vec![
            named("svg", write_svg(&self.batch.work, layout).into_bytes()),
            named("dxf", write_dxf(&self.batch.work, layout).into_bytes()),
            named("kerf.svg", kerf_svg(path).into_bytes()),
            named("kerf.dxf", kerf_dxf(path).into_bytes()),
            named("setup.pdf", setup),
        ])
    }
}

/// The program of a batch's sheet `at`, from 0, written anew, and where its pieces of work stand.
fn written(batch: &BatchRoute, at: usize, shop: &Shop) -> Result<(String, Lines), ShopError> {
    let failed = |e: &dyn std::fmt::Display| ShopError::Sentence(e.to_string());
    let path = batch.toolpath.sheets.get(at).ok_or_else(|| unproved(at))?;
    let machine = &*shop.machine_or_stand_in(&batch.stock.machine);
    let order = ProgramOrder { path, machine, sheet: (batch.before + at + 1, batch.of), stock: &batch.stock, pose: batch.pose(at) };
    let mut text = Vec::new();
    let lines = write_lines(&order, &mut text).map_err(|e| failed(&e))?;
    Ok((String::from_utf8(text).map_err(|e| failed(&e))?, lines))
}

impl App {
    /// The route for some decisions with nothing taken from what is kept.
    fn route_afresh(&self, decisions: &boustrophe_core::decisions::Decisions, shop: &Shop) -> Result<Route, ShopError> {
        Ok(boustrophe_core::route::run(&self.drawings(decisions)?, decisions, shop, &Cache::default(), &mut |_| {}))
    }
}

/// What a page showed of a job: its release, and its revision, where it showed them.
#[derive(Clone, Copy, Debug, Default)]
pub struct Shown {
    /// The release.
    pub release: Option<i32>,
    /// The revision.
    pub revision: Option<i32>,
}

/// The release from which a sheet of a job is sent: the last one; where there is none, or the page showed none, one of the revision
/// that it showed is made. Refused where the page showed another, or where there is no such sheet.
pub fn to_send(app: &App, (job, sheet): (i32, i32), shown: Shown, by: &str) -> Result<Release, ShopError> {
    let last = app.store.last_release(job)?;
    match (last, shown.release) {
        (Some(last), Some(shown)) if last.id == shown => Ok(last),
        (Some(_), Some(shown)) => Err(StoreError::Replaced { release: shown }.into()),
        (_, missing) => {
            if let Some(release) = missing {
                return Err(StoreError::Replaced { release }.into());
            }
            let head = app.store.job(job)?.head.unwrap_or(0);
            let loaded = app.load(job)?;
            let sheets: usize = loaded.route.batches.values().map(|b| b.toolpath.sheets.len()).sum();
            if !usize::try_from(sheet).is_ok_and(|n| (1..=sheets).contains(&n)) {
                let told = counted(sheets, "sheet", "sheets");
                return Err(ShopError::Sentence(format!(
                    "there is no sheet {sheet}: {} has {told}; load the page again.",
                    loaded.job.name
                )));
            }
            // Nothing has moved on: it is the same release.
            if let Some(last) = app.store.last_release(job)?
                && since(app, &last, &loaded)?.is_none()
            {
                return Ok(last);
            }
            Ok(release(app, job, shown.revision.unwrap_or(head), by)?.0)
        }
    }
}

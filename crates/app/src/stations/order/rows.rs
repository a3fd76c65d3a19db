//! The cuts in turn as Order lists them: so many at once, as far as they are looked at.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::window::Window;
use askama::Template;
use axum::extract::{Path, Query};
use axum::response::Html;
use boustrophe_core::assign::Process;
use boustrophe_core::cuts::Line;
use boustrophe_core::hold::Op;
use boustrophe_core::ids::BatchId;
use boustrophe_shop::app::Loaded;

/// Cuts that are listed at once; the next follow when the list is looked through to there.
const AT_ONCE: usize = 60;

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

/// Some of the cuts.
#[derive(Template)]
#[template(path = "stations/order/rows.html")]
pub struct Rows {
    job: i32,
    batch: BatchId,
    cuts: Vec<CutRow>,
    /// How many there are in all.
    pub of: usize,
    /// Where the list goes on, and for what word it is sieved.
    next: Option<usize>,
    find: String,
}

/// The cuts of a window of the list.
pub fn rows(loaded: &Loaded, window: &Window) -> Rows {
    let sheets = &loaded.here().toolpath.sheets;
    let (cuts, next) = window.of((0..sheets.len()).flat_map(|sheet| listed(loaded, sheet)), |c| &c.what, AT_ONCE);
    let of = sheets.iter().flat_map(|s| &s.ops).filter(|o| !o.is_swept()).count();
    Rows { job: loaded.job.id, batch: loaded.batch, cuts, of, next, find: window.find.clone() }
}

/// The cuts of a sheet as they are listed: all but what is swept.
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

/// The next cuts of the list, or those with a word in what they are called.
pub async fn window(app: Shared, Path(job): Path<i32>, Query(window): Query<Window>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| html(&rows(&app.load(job)?.about(window.batch), &window))).await
}

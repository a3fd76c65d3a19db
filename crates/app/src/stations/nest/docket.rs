//! Nest's docket: parts, sheets, distances, the search, and another nest to compare with.

use super::compare::{Compared, compared};
use crate::error::AppError;
use crate::stations::assign::docket::Choice;
use crate::stations::nest::rows::{Rows, rows};
use crate::stations::window::Window;
use crate::things::rack::drawn;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{Lie, Tray};
use boustrophe_core::finding::counted;
use boustrophe_core::geometry::Bounds;
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Aim, Grain, Layout, Merits, Prices, Sheet, Terms, Turn, is_better};
use boustrophe_core::route::placed_area;
use boustrophe_core::time::duration;
use boustrophe_shop::app::{App, Loaded};
use boustrophe_shop::rack;
use boustrophe_store::Stocked;

/// A sheet or an offcut on the rack.
struct RackRow {
    id: i32,
    name: String,
    /// Its outline, in a box of its own size.
    shape: String,
    width: f64,
    height: f64,
    /// How many this job could have.
    free: u32,
    place: String,
    chosen: bool,
    /// Whose it is, where none is left.
    taken: String,
}

/// The tray of blanks, as its form has it.
struct BlanksView {
    /// What is worked on, where it is blanks.
    on: Option<String>,
    /// What there is on the rack: number and name.
    kinds: Vec<Choice>,
    size: String,
    columns: u32,
    rows: u32,
    gap: f64,
    border: f64,
    play: f64,
    lie: &'static str,
    x: f64,
    y: f64,
    work: String,
    blank: String,
    /// The job that cuts its jig.
    jig: Option<i32>,
    /// Where it lies on the bed.
    lies: String,
}

fn blanks(app: &App, loaded: &Loaded) -> Result<BlanksView, AppError> {
    let tray = loaded.decided().nest.tray.as_deref();
    let kinds =
        app.store.stock(None)?.into_iter().filter(|s| s.stock.count > 0 || tray.is_some_and(|t| t.rack == u32::try_from(s.id).ok()));
    let kinds = kinds.map(|s| Choice {
        chosen: tray.is_some_and(|t| t.rack == u32::try_from(s.id).ok()),
        name: format!("{}, {} there", rack::name(&s), s.stock.count),
        slug: s.id.to_string(),
    });
    let pair = |p: [boustrophe_core::geometry::Point; 2]| format!("{},{} {},{}", p[0].x, p[0].y, p[1].x, p[1].y);
    let (lie, (x, y), (work, blank)) = match tray.map(|t| t.lie) {
        None | Some(Lie::Centred) => ("centred", (0.0, 0.0), (String::new(), String::new())),
        Some(Lie::Corner { x, y }) => ("corner", (x, y), (String::new(), String::new())),
        Some(Lie::Points { work, blank }) => ("points", (0.0, 0.0), (pair(work), pair(blank))),
    };
    let b = tray.map_or(Bounds::EMPTY, Tray::blank);
    let size = if tray.is_some_and(|t| t.rack.is_none()) { format!("{}x{}", b.width(), b.height()) } else { String::new() };
    Ok(BlanksView {
        on: tray.map(|t| format!("{}, {} × {} in a tray of {:.1} × {:.1} mm", t.name, t.columns, t.rows, t.size().0, t.size().1)),
        kinds: kinds.collect(),
        size,
        columns: tray.map_or(3, |t| t.columns),
        rows: tray.map_or(5, |t| t.rows),
        gap: tray.map_or(6.0, |t| t.gap),
        border: tray.map_or(10.0, |t| t.border),
        play: tray.map_or(0.3, |t| t.play),
        lie,
        x,
        y,
        work,
        blank,
        jig: tray.and_then(|t| t.jig).filter(|j| app.store.job(*j).is_ok()),
        lies: tray.and_then(|t| t.on_bed).map_or_else(String::new, |p| format!("{:.1}, {:.1}", p.x, p.y)),
    })
}

#[derive(Template)]
#[template(path = "stations/nest/docket.html")]
pub struct Nest {
    /// The machine, and whether there is a picture of its bed.
    bed: (String, bool),
    job: i32,
    revision: i32,
    batch: BatchId,
    /// The parts that the list begins with.
    rows: Rows,
    /// How many there are.
    parts: usize,
    /// The first of them, and how many of it are wanted.
    first: String,
    first_quantity: u32,
    copies: u32,
    spacing: String,
    margin: String,
    clamps: String,
    sheets: String,
    rack: Vec<RackRow>,
    turns: Vec<Choice>,
    grains: Vec<Choice>,
    mirror: bool,
    common: bool,
    /// What is aimed at, and what this nest has of each.
    aims: Vec<(Choice, String)>,
    /// What common edges save.
    saved: String,
    searching: bool,
    in_vain: bool,
    was_searching: bool,
    /// What that search had found.
    found: String,
    has_layout: bool,
    held: usize,
    /// The tray of blanks that is worked in, or what one would begin with.
    blanks: BlanksView,
    /// The other nest beside this one.
    aside: Option<Compared>,
}

/// A clamp as it is typed.
fn clamp_words(c: &Bounds) -> String {
    format!("{},{} {}x{}", c.min.x, c.min.y, c.width(), c.height())
}

/// What a search had found when the shop was shut, in words.
fn found(app: &App, loaded: &Loaded, terms: &Terms) -> Result<String, AppError> {
    let here = loaded.here();
    let better = |b: &Layout| !here.nested.current || is_better(b, &here.nested.layout, &here.work, terms);
    let best = app.store.search_best(loaded.job.id)?.filter(better);
    let words = |best: Layout| {
        let area: f64 = best.sheets.iter().map(|s| s.sheet.area()).sum();
        let used = placed_area(&loaded.here().work, &best) / area.max(1.0);
        format!("{}, yield {:.1} %", counted(best.sheets.len(), "sheet", "sheets"), used * 100.0)
    };
    Ok(best.map_or_else(String::new, words))
}

/// What the rack has for a batch, and what it had that the batch is nested on.
fn rack_rows(app: &App, loaded: &Loaded) -> Result<Vec<RackRow>, AppError> {
    let stock = &loaded.here().stock;
    let chosen: Vec<u32> = loaded.decided().nest.sheets.iter().filter_map(|s| s.rack).collect();
    let row = |s: Stocked| {
        let free = s.free_for(loaded.job.id);
        let others = || s.reserved.iter().map(|r| format!("“{}”", r.1)).collect::<Vec<_>>().join(", ");
        RackRow {
            id: s.id,
            name: rack::name(&s),
            shape: drawn(&s.stock.sheet),
            width: s.stock.sheet.width,
            height: s.stock.sheet.height,
            free,
            chosen: u32::try_from(s.id).is_ok_and(|id| chosen.contains(&id)),
            taken: if free == 0 { format!("reserved for {}", others()) } else { String::new() },
            place: rack::place_words(&loaded.shop, &s.stock.place),
        }
    };
    Ok(app.store.stock(Some((&stock.material, stock.thickness)))?.into_iter().map(row).collect())
}

/// What common edges save: each is cut once instead of twice.
fn saved(loaded: &Loaded) -> String {
    let here = loaded.here();
    let shared = here.plan.shared();
    let rows = loaded.shop.rows_for(&loaded.revision.decisions.assign, &here.stock);
    let Some(row) = rows.get(Process::Cut, None).filter(|_| shared > 0.0) else { return String::new() };
    format!("saves {:.2} m of cut, {}", shared / 1000.0, duration(shared * f64::from(row.passes.max(1)) / (row.feed / 60.0)))
}

/// What can be aimed at, each with what this nest has of it and what that is worth in the shop's prices.
fn aims(loaded: &Loaded, terms: &Terms) -> Vec<(Choice, String)> {
    let (here, shop) = (loaded.here(), &loaded.shop);
    let merits = Merits::of(&here.nested.layout, &here.work, terms);
    let machine = shop.machine_or_stand_in(&here.stock.machine);
    let rows = shop.rows_for(&loaded.revision.decisions.assign, &here.stock);
    let engraved = rows.get(Process::Engrave, None).filter(|r| r.pitch > 0.0);
    let cut = rows.get(Process::Cut, None).filter(|r| r.feed > 0.0);
    let prices = Prices {
        area: terms.rate,
        second: machine.hourly / 3600.0,
        pitch: engraved.map_or(0.0, |r| r.pitch),
        row: engraved.map_or(0.0, |r| machine.row_turn + 2.0 * r.feed / 60.0 / machine.acceleration),
        cut: cut.map_or(0.0, |r| f64::from(r.passes.max(1)) / (r.feed / 60.0)),
    };
    let fewer = merits.fewer_rows(&prices);
    let worth = |aim: Aim| shop.house.currency.told(merits.price(aim, &prices));
    let told = |aim: Aim| match aim {
        Aim::Rest => format!("{:.2} m² free in one piece, worth {}", merits.rest_area / 1e6, worth(aim)),
        Aim::Rows if fewer > 0.5 => format!("{fewer:.0} rows fewer, worth {}", worth(aim)),
        Aim::Rows => "no rows in common".into(),
        Aim::Cuts if merits.shared > 0.0 => format!("{:.2} m cut once, worth {}", merits.shared / 1000.0, worth(aim)),
        Aim::Cuts if terms.common.is_none() => "with common edges".into(),
        Aim::Cuts => "nothing in common".into(),
    };
    let laid = !here.nested.layout.sheets.is_empty();
    let choice = |a: Aim| Choice { slug: a.slug().into(), name: a.name().into(), chosen: a == terms.aim };
    Aim::ALL.map(|a| (choice(a), if laid { told(a) } else { String::new() })).into()
}

pub fn body(app: &App, loaded: &Loaded) -> Result<Nest, AppError> {
    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
    let here = loaded.here();
    let parts = &here.work.parts;
    let sheet = |s: &Sheet| {
        let size = format!("{}x{}", s.width, s.height);
        s.count.map_or(size.clone(), |n| format!("{n}@{size}"))
    };
    // What comes from the rack is ticked there, and not typed.
    let typed = terms.sheets.iter().filter(|s| s.rack.is_none());
    let searching = app.searches.progress(loaded.job.id).is_some_and(|p| p.batch == loaded.batch);
    let grains = [("", "any way"), ("along", "along"), ("across", "across")];
    let grain = terms.grain.map_or("", Grain::name);
    Ok(Nest {
        bed: (loaded.here().stock.machine.clone(), crate::things::machines::bed::pictured(app, &loaded.here().stock.machine).is_some()),
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        rows: rows(app, loaded, &Window::default())?,
        parts: parts.len(),
        first: parts.first().map_or_else(String::new, |p| p.id.to_string()),
        first_quantity: parts.first().map_or(0, |p| p.quantity),
        copies: parts.iter().map(|p| p.quantity).sum(),
        spacing: format!("{}", terms.spacing),
        margin: format!("{}", terms.margin),
        clamps: loaded.decided().nest.clamps.iter().map(clamp_words).collect::<Vec<_>>().join("; "),
        sheets: typed.map(sheet).collect::<Vec<_>>().join(", "),
        rack: rack_rows(app, loaded)?,
        turns: Turn::ALL
            .iter()
            .map(|t| Choice { slug: t.name().trim_end_matches('°').into(), name: t.name().into(), chosen: terms.turn == *t })
            .collect(),
        grains: grains.map(|(slug, name)| Choice { slug: slug.into(), name: name.into(), chosen: slug == grain }).into(),
        mirror: terms.mirror,
        common: loaded.decided().nest.common_edges,
        aims: aims(loaded, &terms),
        saved: saved(loaded),
        searching,
        in_vain: app.searches.was_in_vain(loaded.job.id),
        was_searching: !searching && app.store.was_searching(loaded.job.id)? == Some(loaded.batch),
        found: found(app, loaded, &terms)?,
        has_layout: !here.nested.layout.sheets.is_empty(),
        held: loaded.decided().nest.held.len(),
        blanks: blanks(app, loaded)?,
        aside: compared(app, loaded)?,
    })
}

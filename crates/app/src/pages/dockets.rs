//! What each station asks in its docket.

use super::assign::Choice;
use crate::error::AppError;
use crate::shop::{App, Loaded};
use crate::view::metres;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::finding::{Severity, Station, counted};
use boustrophe_core::nest::{Setting as NestSetting, Turn};
use boustrophe_core::shop::MachineKind;
use boustrophe_core::time::clock;
use boustrophe_core::{hold, intake};
use boustrophe_store::Run;

/// The station's own part of the docket.
pub fn body(app: &App, loaded: &Loaded, station: Station) -> Result<String, AppError> {
    let made = match station {
        Station::Intake => intake_body(app, loaded).render(),
        Station::Clean => clean_body(loaded).render(),
        Station::Assign => super::assign::docket(loaded).render(),
        Station::Nest => nest_body(app, loaded)?.render(),
        Station::Order => order_body(loaded).render(),
        Station::Hold => hold_body(loaded).render(),
        Station::Proof => proof_body(loaded).render(),
        Station::Release => release_body(app, loaded)?.render(),
    };
    made.map_err(|e| AppError::Sentence(format!("the page could not be made: {e}")))
}

struct DrawingRow {
    id: u32,
    name: String,
    units: String,
    sure: bool,
    mm: String,
    inch: String,
    account: String,
    scale: String,
    texts: usize,
    regions: usize,
    pages: usize,
    /// The edits that take one page alone.
    page_edits: Vec<String>,
    picture: Option<PictureView>,
    compared: Option<(usize, usize, usize)>,
}

#[derive(Template)]
#[template(path = "intake/docket.html")]
struct Intake {
    job: i32,
    revision: i32,
    drawings: Vec<DrawingRow>,
}

struct PictureView {
    pixels: String,
    /// Its density, and what it means for the rows.
    judged: String,
    width: String,
    engraved: bool,
    threshold: u8,
    found: bool,
    speck: u32,
    smooth: f64,
    light: bool,
}

fn picture(
    loaded: &Loaded,
    d: &boustrophe_core::route::DrawingState,
    decided: &boustrophe_core::decisions::DrawingDecisions,
) -> Option<PictureView> {
    let p = d.drawing.bitmap.as_ref()?;
    let t = &decided.trace;
    let mm = d.intake.transform.determinant().abs().sqrt();
    let pitch = loaded.shop.row_for(&loaded.revision.decisions, Process::Picture, None).map_or(0.1, |r| r.pitch);
    Some(PictureView {
        pixels: format!("{} × {}", p.width, p.height),
        judged: super::intake::judged(1.0 / mm, pitch),
        width: format!("{:.1}", p.width as f64 * mm),
        engraved: decided.engraved,
        threshold: t.threshold.unwrap_or_else(|| boustrophe_core::clean::trace::parting(p)),
        found: t.threshold.is_none(),
        speck: t.speck,
        smooth: t.smooth,
        light: t.invert,
    })
}

fn sizes((w, h): (f64, f64)) -> (String, String) {
    (format!("{w:.1} × {h:.1} mm"), format!("{:.2} × {:.2} in", w / 25.4, h / 25.4))
}

/// Pages offered one by one.
const MOST_PAGES: usize = 24;

fn page_edits(d: &boustrophe_core::route::DrawingState) -> Vec<String> {
    let pages = &d.drawing.pages;
    let one = |page: &boustrophe_core::geometry::Bounds| boustrophe_core::edit::Edit::SetRegions { drawing: d.id, regions: vec![*page] };
    let offered = if pages.len() > 1 { pages.iter().take(MOST_PAGES) } else { pages.iter().take(0) };
    offered.filter_map(|p| serde_json::to_string(&one(p)).ok()).collect()
}

fn intake_body(app: &App, loaded: &Loaded) -> Intake {
    let decisions = &loaded.revision.decisions;
    let drawings = loaded
        .route
        .drawings
        .iter()
        .filter_map(|d| Some((d, decisions.drawing(d.id)?)))
        .map(|(d, decided)| {
            let b = super::intake::extent(d);
            let (mm, inch) = sizes((b.width(), b.height()));
            DrawingRow {
                id: d.id,
                name: decided.name.clone(),
                units: d.intake.units.trim_end_matches('?').to_owned(),
                sure: d.intake.sure,
                mm,
                inch,
                account: intake::account(&d.drawing),
                scale: format!("{}", (decided.scale * 1e6).round() / 1e6),
                texts: d.cleaned.texts.len(),
                regions: decided.regions.len(),
                pages: d.drawing.pages.len(),
                page_edits: page_edits(d),
                picture: picture(loaded, d, decided),
                compared: super::intake::compared(app, loaded, d).map(|c| (c.kept, c.fresh.len(), c.gone.len())),
            }
        })
        .collect();
    Intake { job: loaded.job.id, revision: loaded.revision.id, drawings }
}

struct CleanRow {
    id: u32,
    name: String,
    closed: usize,
    open: usize,
    segments: usize,
    gap: String,
    /// Sentences of what was done, in order.
    operations: Vec<String>,
    /// Gaps by width: how many, and the height of a bar in a box 100 wide and 24 high.
    gaps: Vec<GapBar>,
    /// Where the tolerance lies on the same scale.
    gap_at: f64,
    refit: Option<f64>,
    /// Slots and tabs as wide as the sheet is meant to be thick, by the contour they are in.
    slots: Vec<SlotView>,
}

struct SlotView {
    contour: String,
    words: String,
}

fn slot_views(d: &boustrophe_core::route::DrawingState, nominal: f64) -> Vec<SlotView> {
    use boustrophe_core::clean::operate::slots::{Kind, find};
    let found = find(&d.cleaned.contours, nominal);
    let mut out: Vec<SlotView> = Vec::new();
    for c in &d.cleaned.contours {
        let n = |kind| found.iter().filter(|f| f.contour == c.id && f.kind == kind).count();
        let (slots, tabs) = (n(Kind::Slot), n(Kind::Tab));
        if slots + tabs == 0 || out.len() >= MOST_PARTS {
            continue;
        }
        let mut words = Vec::new();
        if slots > 0 {
            words.push(counted(slots, "slot end", "slot ends"));
        }
        if tabs > 0 {
            words.push(counted(tabs, "tab", "tabs"));
        }
        let b = c.bounds;
        out.push(SlotView {
            contour: c.id.to_string(),
            words: format!("{} in {:.1} × {:.1} at {:.0}, {:.0}", words.join(", "), b.width(), b.height(), b.min.x, b.min.y),
        });
    }
    out
}

struct GapBar {
    x: f64,
    height: f64,
    count: usize,
    upto: String,
}

#[derive(Template)]
#[template(path = "clean/docket.html")]
struct Clean {
    job: i32,
    revision: i32,
    drawings: Vec<CleanRow>,
    thickness: f64,
    verbs: &'static [(&'static str, &'static str)],
}

/// Bins of the gap histogram: from a micrometre to a millimetre, three a decade.
const GAP_BINS: usize = 9;

/// Place of a width on the histogram's scale, 0 to 100.
fn gap_scale(width: f64) -> f64 {
    ((width.max(0.001).log10() + 3.0) / 3.0 * 100.0).clamp(0.0, 100.0)
}

fn gap_bars(gaps: &[f64]) -> Vec<GapBar> {
    let mut counts = [0_usize; GAP_BINS];
    for g in gaps {
        counts[((gap_scale(*g) / 100.0 * GAP_BINS as f64) as usize).min(GAP_BINS - 1)] += 1;
    }
    let most = counts.iter().copied().max().unwrap_or(0).max(1) as f64;
    let bar = |(i, n): (usize, &usize)| GapBar {
        x: i as f64 * 100.0 / GAP_BINS as f64,
        height: (*n as f64 / most * 22.0).max(if *n > 0 { 2.0 } else { 0.0 }),
        count: *n,
        upto: format!("{:.3}", 10_f64.powf((i + 1) as f64 / 3.0 - 3.0)),
    };
    counts.iter().enumerate().map(bar).collect()
}

fn clean_body(loaded: &Loaded) -> Clean {
    let decisions = &loaded.revision.decisions;
    let row = |d: &boustrophe_core::route::DrawingState| {
        let (closed, open) = d.cleaned.counts();
        let decided = decisions.drawing(d.id);
        let gap = decided.and_then(|d| d.gap).unwrap_or(loaded.shop.tolerance.gap);
        CleanRow {
            id: d.id,
            name: d.cleaned.name.clone(),
            closed,
            open,
            segments: d.cleaned.contours.iter().map(|c| c.path.segments.len()).sum(),
            gap: format!("{gap}"),
            operations: decided.map_or_else(Vec::new, |d| d.operations.iter().map(boustrophe_core::clean::Operation::sentence).collect()),
            gaps: if d.cleaned.gaps.is_empty() { Vec::new() } else { gap_bars(&d.cleaned.gaps) },
            gap_at: gap_scale(gap),
            refit: decided.and_then(|d| d.refit),
            slots: slot_views(d, decisions.batch.thickness),
        }
    };
    Clean {
        job: loaded.job.id,
        revision: loaded.revision.id,
        drawings: loaded.route.drawings.iter().map(row).collect(),
        thickness: decisions.batch.thickness,
        verbs: boustrophe_core::clean::operate::words::VERBS,
    }
}

struct PartRow {
    id: String,
    name: String,
    size: String,
    quantity: u32,
}

#[derive(Template)]
#[template(path = "nest/docket.html")]
struct Nest {
    job: i32,
    revision: i32,
    parts: Vec<PartRow>,
    more: usize,
    copies: u32,
    spacing: String,
    margin: String,
    sheets: String,
    turns: Vec<Choice>,
    searching: bool,
    was_searching: bool,
    has_layout: bool,
}

/// Parts listed in the docket; more are told by number.
const MOST_PARTS: usize = 60;

fn nest_body(app: &App, loaded: &Loaded) -> Result<Nest, AppError> {
    let decisions = &loaded.revision.decisions;
    let machine = loaded.shop.machine(&decisions.batch.machine).unwrap_or(&loaded.shop.machines[0]);
    let setting = NestSetting::of(decisions, machine, &loaded.shop);
    let parts = &loaded.route.work.parts;
    let sheet = |s: &boustrophe_core::nest::Sheet| {
        let size = format!("{}x{}", s.width, s.height);
        s.count.map_or(size.clone(), |n| format!("{n}@{size}"))
    };
    let searching = app.searches.progress(loaded.job.id).is_some();
    Ok(Nest {
        job: loaded.job.id,
        revision: loaded.revision.id,
        parts: parts
            .iter()
            .take(MOST_PARTS)
            .map(|p| PartRow {
                id: p.id.to_string(),
                name: p.name.clone(),
                size: format!("{:.1} × {:.1}", p.bounds.width(), p.bounds.height()),
                quantity: p.quantity,
            })
            .collect(),
        more: parts.len().saturating_sub(MOST_PARTS),
        copies: parts.iter().map(|p| p.quantity).sum(),
        spacing: format!("{}", setting.spacing),
        margin: format!("{}", setting.margin),
        sheets: setting.sheets.iter().map(sheet).collect::<Vec<_>>().join(", "),
        turns: Turn::ALL
            .iter()
            .map(|t| Choice { slug: t.name().trim_end_matches('°').into(), name: t.name().into(), chosen: setting.turn == *t })
            .collect(),
        searching,
        was_searching: !searching && app.store.was_searching(loaded.job.id)?,
        has_layout: !loaded.route.nested.layout.sheets.is_empty(),
    })
}

struct OrderRow {
    sheet: usize,
    steps: usize,
    travel: String,
    drawn: String,
    saved: String,
}

#[derive(Template)]
#[template(path = "order/docket.html")]
struct Order {
    revision: i32,
    job: i32,
    rows: Vec<OrderRow>,
    moved: usize,
}

fn order_body(loaded: &Loaded) -> Order {
    let rows = loaded.route.sequence.sheets.iter().enumerate().map(|(i, s)| OrderRow {
        sheet: i + 1,
        steps: s.steps.len(),
        travel: metres(s.travel),
        drawn: metres(s.travel_as_drawn),
        saved: if s.travel_as_drawn > 0.0 { format!("{:.0} %", (1.0 - s.travel / s.travel_as_drawn) * 100.0) } else { "0 %".into() },
    });
    Order { job: loaded.job.id, revision: loaded.revision.id, rows: rows.collect(), moved: loaded.revision.decisions.starts.len() }
}

#[derive(Template)]
#[template(path = "hold/docket.html")]
struct Hold {
    job: i32,
    revision: i32,
    nicks: bool,
    width: String,
    pitch: String,
    leads: bool,
    kerf: String,
    nick_count: usize,
    lead_count: usize,
    plasma: bool,
    sweep: Option<SweepView>,
}

struct SweepView {
    /// `auto`, `x`, `y` or `angle`.
    rows: &'static str,
    angle: String,
    one_way: bool,
    planned: String,
    full: String,
    saved: String,
    groups: usize,
}

/// How what is engraved is swept, and what planning it gains; nothing where nothing is engraved.
fn sweep_view(loaded: &Loaded) -> Option<SweepView> {
    let sheets = &loaded.route.toolpath.sheets;
    let (planned, full) = sheets.iter().fold((0.0, 0.0), |s, p| (s.0 + p.swept.planned, s.1 + p.swept.full));
    let s = loaded.revision.decisions.hold.sweep;
    let rows = match s.angle {
        None => "auto",
        Some(0.0) => "x",
        Some(90.0) => "y",
        Some(_) => "angle",
    };
    (full > 0.0).then(|| SweepView {
        rows,
        angle: s.angle.map_or_else(String::new, |a| format!("{a}")),
        one_way: s.one_way,
        planned: clock(planned),
        full: clock(full),
        saved: clock(full - planned),
        groups: sheets.iter().flat_map(|p| &p.ops).filter(|o| o.process == Process::Engrave).count(),
    })
}

fn hold_body(loaded: &Loaded) -> Hold {
    let decisions = &loaded.revision.decisions;
    let b = &decisions.batch;
    let machine = loaded.shop.machine(&b.machine).unwrap_or(&loaded.shop.machines[0]);
    let setting = hold::Setting::of(decisions, machine, &loaded.shop);
    let ops = || loaded.route.toolpath.sheets.iter().flat_map(|s| &s.ops);
    Hold {
        job: loaded.job.id,
        revision: loaded.revision.id,
        nicks: setting.nicks,
        width: format!("{}", setting.nick_width),
        pitch: format!("{}", setting.nick_pitch),
        leads: setting.leads,
        kerf: loaded.shop.row_for(decisions, Process::Cut, None).map_or("—".into(), |r| format!("{} mm", r.kerf)),
        nick_count: ops().map(|o| o.nicks.len()).sum(),
        lead_count: ops().filter(|o| !o.lead_in.is_empty()).count(),
        plasma: machine.kind == MachineKind::Plasma,
        sweep: sweep_view(loaded),
    }
}

struct SheetTime {
    sheet: usize,
    total: String,
    split: Vec<(&'static str, String)>,
}

#[derive(Template)]
#[template(path = "proof/docket.html")]
struct Proof {
    sheets: Vec<SheetTime>,
    passed: bool,
    open: usize,
}

fn proof_body(loaded: &Loaded) -> Proof {
    let route = &loaded.route;
    let sheets = route.proofs.iter().enumerate().map(|(i, p)| SheetTime {
        sheet: i + 1,
        total: clock(p.seconds),
        split: p.by_process.iter().map(|(process, s)| (process.map_or("travel", Process::slug), clock(*s))).collect(),
    });
    let faults = route.findings_of(Station::Proof).filter(|f| f.severity == Severity::Stop).count();
    let open = route.findings.iter().filter(|f| f.severity != Severity::Note && f.station != Station::Proof).count();
    Proof { sheets: sheets.collect(), passed: faults == 0 && !route.proofs.is_empty() && route.nested.current, open }
}

struct ReleaseRow {
    sheet: usize,
    name: String,
    time: String,
}

#[derive(Template)]
#[template(path = "release/docket.html")]
struct Release {
    job: i32,
    revision: i32,
    released: bool,
    holding: Vec<(&'static str, &'static str, usize)>,
    rows: Vec<ReleaseRow>,
    runs: Vec<Run>,
    initials: String,
    machine: String,
}

fn release_body(app: &App, loaded: &Loaded) -> Result<Release, AppError> {
    let route = &loaded.route;
    let decisions = &loaded.revision.decisions;
    let holding = Station::ALL
        .into_iter()
        .map(|s| (s.slug(), s.name(), route.findings_of(s).filter(|f| f.severity != Severity::Note).count()))
        .filter(|h| h.2 > 0)
        .collect();
    let rows = route.proofs.iter().enumerate().map(|(i, p)| ReleaseRow {
        sheet: i + 1,
        name: crate::names::stem(&loaded.job, decisions, i),
        time: clock(p.seconds),
    });
    Ok(Release {
        job: loaded.job.id,
        revision: loaded.revision.id,
        released: route.released(),
        holding,
        rows: rows.collect(),
        runs: app.store.runs_of(loaded.job.id)?,
        initials: decisions.initials.clone(),
        machine: loaded.shop.machine(&decisions.batch.machine).map_or_else(|| decisions.batch.machine.clone(), |m| m.name.clone()),
    })
}

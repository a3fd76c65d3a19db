//! Intake's docket: drawings with their sizes, pictures, pages, revisions.

use crate::stations::assign::docket::{Choice, batches};
use crate::stations::intake::boxes::figures;
use crate::stations::intake::forms::{compared, extent, judged};
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::clean::trace::parting;
use boustrophe_core::decisions::{DrawingDecisions, Edit, IntakeEdit, Joints};
use boustrophe_core::geometry::Bounds;
use boustrophe_core::intake;
use boustrophe_core::lettering::Face;
use boustrophe_core::nest;
use boustrophe_core::panels::{BoxSpec, Form, Top};
use boustrophe_core::plate::{Hung, NamePlate};
use boustrophe_core::route::DrawingState;
use boustrophe_shop::app::{App, Loaded};

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
    /// The figures of a box.
    figures: Option<BoxSpec>,
    /// The solid that it is of.
    solid: Option<SolidView>,
    /// The table that fills it.
    table: Option<TableView>,
}

/// A solid's sizes, and how its faces are joined.
struct SolidView {
    /// Name of an axis and the size along it, mm.
    sizes: Vec<(&'static str, String)>,
    joints: &'static str,
    pitch: f64,
    inset: f64,
    diameter: f64,
    thickness: f64,
    apart: bool,
    whole: bool,
    /// The largest panel against sheet and bed.
    largest: String,
}

fn solid(loaded: &Loaded, d: &DrawingState, decided: &DrawingDecisions) -> Option<SolidView> {
    let s = d.drawing.solid.as_ref()?;
    let mm = d.intake.mm();
    let size = s.size().map(|v| v * mm);
    let (w, h) = s.largest(&decided.solid);
    let (w, h) = (w * mm, h * mm);
    let machine = loaded.machine();
    let sheet =
        nest::terms(&loaded.revision.decisions, decided.batch, &loaded.shop).sheets.first().map_or((0.0, 0.0), |s| (s.width, s.height));
    let fits = |(a, b): (f64, f64)| if w.max(h) <= a.max(b) && w.min(h) <= a.min(b) { "" } else { ", too small for it" };
    let bed = (machine.bed_width, machine.bed_height);
    let stock = loaded.decided().stock.thickness;
    let (mut joints, mut ties, mut thickness) = ("bare", (12.0, 4.0, 2.0), stock);
    match decided.solid.joints {
        Joints::Bare => {}
        Joints::Ties { pitch, inset, diameter } => (joints, ties) = ("ties", (pitch, inset, diameter)),
        Joints::Shortened { thickness: t } => (joints, thickness) = ("shortened", t),
    }
    Some(SolidView {
        sizes: ["x", "y", "z"].into_iter().zip(size.map(|v| format!("{v:.1}"))).collect(),
        joints,
        pitch: ties.0,
        inset: ties.1,
        diameter: ties.2,
        thickness,
        apart: decided.solid.apart,
        whole: decided.solid.whole,
        largest: format!(
            "Largest panel {w:.0} × {h:.0} mm; sheet {:.0} × {:.0}{}; bed {:.0} × {:.0}{}",
            sheet.0,
            sheet.1,
            fits(sheet),
            bed.0,
            bed.1,
            fits(bed)
        ),
    })
}

/// How a drawing is filled from a table.
struct TableView {
    name: String,
    rows: usize,
    left_out: usize,
    narrowest: String,
    two_lines: bool,
    /// Name of the face that its words are set in.
    face: String,
}

#[derive(Template)]
#[template(path = "stations/intake/docket.html")]
pub struct Intake {
    job: i32,
    revision: i32,
    drawings: Vec<DrawingRow>,
    /// What a new box begins with.
    fresh: BoxSpec,
    /// What a new name plate begins with, and what its backing may be made of.
    plate: NamePlate,
    stocks: Vec<Choice>,
    /// Faces: name, what they are called in a list, and whether they are areas.
    faces: Vec<(String, String, bool)>,
}

/// The faces that there are, as a list offers them.
fn faces() -> Vec<(String, String, bool)> {
    let called = |f: Face| match f {
        Face::Outline => "plain".to_owned(),
        Face::Stroke => "strokes, scored".to_owned(),
        other => other.name(),
    };
    Face::all().into_iter().map(|f| (f.name(), called(f), f.is_area())).collect()
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

fn picture(loaded: &Loaded, d: &DrawingState, decided: &DrawingDecisions) -> Option<PictureView> {
    let p = d.drawing.bitmap.as_ref()?;
    let t = &decided.trace;
    let mm = d.intake.mm();
    let pitch = loaded.rows().get(Process::Picture, None).map_or(0.1, |r| r.pitch);
    Some(PictureView {
        pixels: format!("{} × {}", p.width, p.height),
        judged: judged(1.0 / mm, pitch),
        width: format!("{:.1}", p.width as f64 * mm),
        engraved: decided.engraved,
        threshold: t.threshold.unwrap_or_else(|| parting(p)),
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

fn page_edits(d: &DrawingState) -> Vec<String> {
    let pages = &d.drawing.pages;
    let one = |page: &Bounds| Edit::Intake(IntakeEdit::SetRegions { drawing: d.id, regions: vec![*page] });
    let offered = if pages.len() > 1 { pages.iter().take(MOST_PAGES) } else { pages.iter().take(0) };
    offered.filter_map(|p| serde_json::to_string(&one(p)).ok()).collect()
}

pub fn body(app: &App, loaded: &Loaded) -> Intake {
    let decisions = &loaded.revision.decisions;
    let drawings = loaded
        .route
        .drawings
        .iter()
        .filter_map(|d| Some((d, decisions.drawing(d.id)?)))
        .map(|(d, decided)| {
            // Of a drawing that a table fills the size of one copy.
            let of_one =
                || d.cleaned.contours.iter().filter(|c| c.row == d.cleaned.contours[0].row).fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
            let b = if d.cleaned.rows.is_empty() { extent(d) } else { of_one() };
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
                texts: d.cleaned.reference().count(),
                regions: decided.regions.len(),
                pages: d.drawing.pages.len(),
                page_edits: page_edits(d),
                picture: picture(loaded, d, decided),
                solid: solid(loaded, d, decided),
                table: decided.table.as_ref().map(|t| TableView {
                    name: t.name.clone(),
                    rows: t.rows.len(),
                    left_out: t.left_out.len(),
                    narrowest: format!("{:.0}", t.narrowest * 100.0),
                    two_lines: t.two_lines,
                    face: t.face.name(),
                }),
                figures: figures(app, &decided.file, &decided.name),
                compared: compared(app, loaded, d).map(|c| (c.kept, c.fresh.len(), c.gone.len())),
            }
        })
        .collect();
    let t = loaded.decided().stock.thickness;
    let room = loaded.material().and_then(|m| m.clearance);
    let fresh = BoxSpec { thickness: (t, t, t), clearance: room.unwrap_or(BoxSpec::default().clearance), ..BoxSpec::default() };
    let stocks = batches(loaded, &loaded.decided().stock);
    Intake { job: loaded.job.id, revision: loaded.revision.id, drawings, fresh, plate: NamePlate::default(), stocks, faces: faces() }
}

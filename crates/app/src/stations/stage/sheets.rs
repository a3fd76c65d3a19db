//! The sheets of a batch as the stage gets them: every part once, its copies with their poses, and what is cut.

use super::moves::{rows, travel};
use super::*;
use boustrophe_core::assign::Part;
use boustrophe_core::cuts::Line;
use boustrophe_core::decisions::Pose;
use boustrophe_core::geometry::{Path, Segment};
use boustrophe_core::hold::{Fate, Op, Piece};
use boustrophe_core::ids::CutId;
use boustrophe_core::nest::{Placement, SheetLayout};
use std::collections::BTreeMap;

/// A part as drawn, in its own drawing's mm.
#[derive(Serialize)]
pub(super) struct PartScene {
    id: String,
    name: String,
    /// The job that it is of, where not of this one.
    slip: String,
    outline: Flat,
    holes: Vec<Flat>,
    /// Its lines before there is a toolpath: process, whether filled as wound, contour, closed, line.
    lines: Vec<(&'static str, bool, String, bool, Flat)>,
    /// Contours with pictures, and the matrix from each.
    pictures: Vec<(String, [f64; 6])>,
}

/// A copy of a part and where it lies: the matrix from its drawing to the sheet.
#[derive(Serialize)]
pub(super) struct CopyScene {
    pub(super) id: String,
    /// Number of its part among those of the scene.
    pub(super) part: usize,
    pub(super) pose: [f64; 6],
    pub(super) held: bool,
}

#[derive(Serialize)]
pub(super) struct Stroke {
    id: String,
    /// Name of the cut.
    cut: String,
    /// It goes against the way in which the contour is drawn.
    turned: bool,
    /// Number of its copy among those of the sheet.
    copy: usize,
    p: &'static str,
    kerf: f64,
    runs: Vec<Flat>,
    leads: Vec<Flat>,
    /// x, y, and the direction across.
    nicks: Vec<[f64; 4]>,
    /// The number in the order, where it starts and which way.
    n: usize,
    start: [f64; 4],
    /// The contour as drawn, for picking and for moving its start.
    drawn: Flat,
}

#[derive(Serialize)]
pub(super) struct Sheet {
    /// Number as sheets are numbered through, from 1.
    n: usize,
    pub(super) x: f64,
    pub(super) y: f64,
    w: f64,
    h: f64,
    outline: Vec<Flat>,
    /// It is a tray of blanks: nothing is cut free of it.
    tray: bool,
    pub(super) copies: Vec<CopyScene>,
    strokes: Vec<Stroke>,
    /// x, y of the begin and the end of each stretch.
    pub(super) rows: Vec<Flat>,
    pub(super) pitch: f64,
    travel: Vec<[f64; 4]>,
    /// x, y and what becomes of it, of pieces that fall or tip once they are free.
    fates: Vec<(f64, f64, &'static str)>,
    /// Edges that copies share, as they are cut.
    shared: Vec<Flat>,
    /// x, y, width and height of boxes that nothing may lie on.
    clamps: Vec<[f64; 4]>,
    /// Where the program's zero is on it.
    zero: [f64; 2],
    /// The bed under it: the picture's address, and the matrix from a unit square with y down.
    bed: Option<(String, [f64; 6])>,
}

/// The parts that lie on the sheets of a layout, and the sheets beside each other.
pub(super) fn scene(app: &App, loaded: &Loaded, layout: &Layout, station: Station, kept: bool) -> (Vec<PartScene>, Vec<Sheet>) {
    let here = loaded.here();
    let columns = (layout.sheets.len() as f64).sqrt().ceil().max(1.0) as usize;
    let widest = layout.sheets.iter().map(|s| s.sheet.width).fold(0.0, f64::max);
    let highest = layout.sheets.iter().map(|s| s.sheet.height).fold(0.0, f64::max);
    let cut = kept && station > Station::Nest;
    let machine = loaded.machine();
    let pictured = crate::things::machines::bed::pictured(app, &machine.id).filter(|_| matches!(station, Station::Nest | Station::Release));
    let under = pictured.map(|made| (format!("/bed/{}/flat.png?{made}", machine.id), (machine.bed_width, machine.bed_height)));
    let (parts, index) = parts(loaded, layout, !cut);
    let sheets = layout.sheets.iter().enumerate().map(|(i, s)| {
        let (column, row) = (i % columns, i / columns);
        let pose = loaded.decided().release.pose(i, &s.sheet);
        let mut sheet = Sheet {
            n: here.before + i + 1,
            x: column as f64 * (widest + APART),
            y: -(row as f64) * (highest + APART),
            w: s.sheet.width,
            h: s.sheet.height,
            outline: if s.sheet.tray.is_some() { s.sheet.edges() } else { s.sheet.outline.clone() }
                .iter()
                .map(|p| flat(&p.segments))
                .collect(),
            tray: s.sheet.tray.is_some(),
            copies: copies(loaded, s, &index),
            strokes: Vec::new(),
            rows: Vec::new(),
            pitch: 0.1,
            travel: Vec::new(),
            fates: Vec::new(),
            shared: Vec::new(),
            zero: [r(pose.zero.x), r(pose.zero.y)],
            bed: under.as_ref().map(|(address, size)| (address.clone(), bed_under(pose, *size))),
            clamps: s.sheet.clamps.iter().map(|c| [r(c.min.x), r(c.min.y), r(c.width()), r(c.height())]).collect(),
        };
        if let Some(plan) = here.plan.sheets.get(i).filter(|_| kept) {
            sheet.shared = plan.cuts.iter().filter(|c| c.line == Line::Shared).map(|c| flat(&c.path.segments)).collect();
        }
        if let Some(path) = here.toolpath.sheets.get(i).filter(|_| cut) {
            let names = here.plan.sheets.get(i).map_or_else(Vec::new, boustrophe_core::cuts::SheetCuts::names);
            let lines = path.ops.iter().enumerate().filter(|(_, o)| !o.is_swept());
            sheet.strokes = lines.map(|(n, o)| stroke(loaded, (i, s), (n, names.get(o.cut)), o)).collect();
            sheet.travel = travel(&path.ops);
            sheet.fates = path.pieces.iter().filter_map(fate).collect();
            rows(&path.ops, &mut sheet);
        }
        sheet
    });
    (parts, sheets.collect())
}

/// The bed's picture as it lies under a sheet: from a unit square with y down.
fn bed_under(pose: Pose, (w, h): (f64, f64)) -> [f64; 6] {
    let upright = Affine::new([w, 0.0, 0.0, -h, 0.0, h]);
    (pose.to_bed().inverse() * upright).as_coeffs().map(|v| (v * 1e6).round() / 1e6)
}

/// A piece that does not stay where it lies.
fn fate(piece: &Piece) -> Option<(f64, f64, &'static str)> {
    let what = match piece.fate {
        // That slugs fall is as it should be.
        Fate::Falls if piece.slug => return None,
        Fate::Falls => "falls",
        Fate::Tips => "tips",
        Fate::Stays | Fate::Held => return None,
    };
    Some((r(piece.at.x), r(piece.at.y), what))
}

/// Copies of a sheet that have a part, with the numbers of their parts.
pub(super) fn copies(loaded: &Loaded, s: &SheetLayout, index: &BTreeMap<String, usize>) -> Vec<CopyScene> {
    let held = &loaded.decided().nest.held;
    let copy = |p: &Placement| {
        let part = *index.get(&p.copy.part.to_string())?;
        Some(CopyScene {
            id: p.copy.to_string(),
            part,
            pose: p.affine().as_coeffs().map(|v| (v * 1e6).round() / 1e6),
            held: held.contains(&p.copy),
        })
    };
    s.placed.iter().filter_map(copy).collect()
}

/// Numbers of the parts that lie on a layout's sheets, in the order of the work.
pub(super) fn index(loaded: &Loaded, layout: &Layout) -> BTreeMap<String, usize> {
    let lying: std::collections::BTreeSet<_> = layout.copies().map(|p| p.copy.part).collect();
    let parts = loaded.here().work.parts.iter().filter(|p| lying.contains(&p.id));
    parts.enumerate().map(|(i, p)| (p.id.to_string(), i)).collect()
}

fn parts(loaded: &Loaded, layout: &Layout, lines: bool) -> (Vec<PartScene>, BTreeMap<String, usize>) {
    let index = index(loaded, layout);
    let parts = loaded.here().work.parts.iter().filter(|p| index.contains_key(&p.id.to_string()));
    (parts.map(|p| part(loaded, p, lines)).collect(), index)
}

/// The kit that a part belongs to, as it is called; empty for none.
fn kit(loaded: &Loaded, part: &Part) -> String {
    let said = &loaded.revision.decisions.batch(loaded.batch).nest.parts;
    said.get(&part.id).and_then(|s| s.kit).map_or_else(String::new, |k| format!("kit {}", k.name()))
}

fn part(loaded: &Loaded, part: &Part, lines: bool) -> PartScene {
    let work = &loaded.here().work;
    let items = || part.items().map(|i| &work.items[i]);
    let line = |i: &Item| {
        let c = &i.contour;
        (i.process.slug(), c.style.winding, c.id.to_string(), c.path.closed, flat(&c.path.segments))
    };
    PartScene {
        id: part.id.to_string(),
        name: part.name.clone(),
        slip: boustrophe_shop::guests::owner(&loaded.revision.decisions, work, part).map_or_else(|| kit(loaded, part), |g| g.name.clone()),
        outline: flat(&part.outline.segments),
        holes: part.holes.iter().map(|i| flat(&work.items[*i].contour.path.segments)).collect(),
        // Once there is a toolpath only what is filled is drawn from the part.
        lines: items().filter(|i| lines || i.process == Process::Engrave).map(line).collect(),
        pictures: items().filter_map(|i| Some((i.contour.id.to_string(), shown(i)?.as_coeffs()))).collect(),
    }
}

/// True where what is burned goes against the way in which a line is drawn.
fn is_against(runs: &[Vec<Segment>], drawn: &Path) -> bool {
    let Some(first) = runs.first().and_then(|r| r.first()) else { return false };
    if drawn.closed {
        return (Path::new(runs.concat(), true).area() < 0.0) != (drawn.area() < 0.0);
    }
    let end = |s: Option<&Segment>| s.map_or(f64::INFINITY, |s| s.end.distance(first.start));
    end(drawn.segments.last()) < drawn.segments.first().map_or(0.0, |s| s.start.distance(first.start))
}

fn stroke(loaded: &Loaded, (sheet, s): (usize, &SheetLayout), (n, name): (usize, Option<&CutId>), o: &Op) -> Stroke {
    let line = o.line();
    let first = line.lead_in.first().or_else(|| line.runs.first().and_then(|run| run.first()));
    let start = first.map_or([0.0; 4], |f| {
        let way = f.direction(0.0);
        [r(f.start.x), r(f.start.y), r(way.x), r(way.y)]
    });
    let path = &loaded.here().work.items[o.item].contour.path;
    // What several copies share is no contour of one of them.
    let between = loaded.here().plan.sheets.get(sheet).and_then(|p| p.cuts.get(o.cut)).filter(|c| c.line != Line::Drawn);
    let lies = || s.placed.get(o.placement).map_or_else(Vec::new, |p| flat(&path.transformed(p.affine()).segments));
    let cut = loaded.here().plan.sheets.get(sheet).and_then(|p| p.cuts.get(o.cut));
    Stroke {
        id: o.contour.to_string(),
        cut: name.map_or_else(String::new, ToString::to_string),
        turned: cut.is_some_and(|c| is_against(&line.runs, &c.path)),
        copy: o.placement,
        p: o.process.slug(),
        kerf: o.kerf,
        runs: line.runs.iter().map(|run| flat(run)).collect(),
        leads: [&line.bridge, &line.lead_in]
            .into_iter()
            .chain(&line.restarts)
            .chain([&line.lead_out])
            .filter(|l| !l.is_empty())
            .map(|l| flat(l))
            .collect(),
        nicks: line.nicks.iter().map(|(p, d)| [r(p.x), r(p.y), r(d.x), r(d.y)]).collect(),
        n: n + 1,
        start,
        drawn: between.map_or_else(lies, |c| flat(&c.path.segments)),
    }
}

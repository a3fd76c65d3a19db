//! A nested sheet as a drawing: what is cut, scored and engraved, at true size and before kerf.

use crate::{dxf, svg};
use boustrophe_core::assign::{Process, Work};
use boustrophe_core::geometry::Path;
use boustrophe_core::hold::{Op, SheetPath};
use boustrophe_core::nest::SheetLayout;

/// Colours by process: SVG stroke, DXF index.
const LOOKS: [(Process, &str, &str, u8); 4] = [
    (Process::Engrave, "engrave", "#8a5a2b", 34),
    (Process::Mark, "mark", "#1f6f6b", 132),
    (Process::Score, "score", "#7b3b63", 214),
    (Process::Cut, "cut", "#22292b", 7),
];

fn paths(work: &Work, sheet: &SheetLayout, process: Process) -> Vec<Path> {
    let placed = sheet.placed.iter().filter_map(|p| Some((p, work.part(p.copy.part)?)));
    placed
        .flat_map(|(p, part)| part.items().map(move |i| (p, &work.items[i])))
        .filter(|(_, item)| item.process == process)
        .map(|(p, item)| item.contour.path.transformed(p.affine()))
        .collect()
}

/// The sheet as SVG.
pub fn write_svg(work: &Work, sheet: &SheetLayout) -> String {
    let groups: Vec<svg::WriteGroup> = LOOKS
        .iter()
        .map(|(process, name, stroke, _)| svg::WriteGroup {
            name,
            stroke,
            filled: *process == Process::Engrave,
            paths: paths(work, sheet, *process),
        })
        .collect();
    svg::write(sheet.sheet.width, sheet.sheet.height, &groups)
}

/// The sheet as DXF.
pub fn write_dxf(work: &Work, sheet: &SheetLayout) -> String {
    let layers: Vec<dxf::WriteLayer> = LOOKS
        .iter()
        .map(|(process, name, _, colour)| dxf::WriteLayer { name, colour: *colour, paths: paths(work, sheet, *process) })
        .collect();
    dxf::write(&layers)
}

/// What the head really follows: kerf made up for, nicks left out, leads with it, by process.
fn followed(path: &SheetPath, process: Process) -> Vec<Path> {
    let line = |o: &Op| -> Vec<Path> {
        let l = o.line();
        let mut out = Vec::new();
        for (i, run) in l.runs.iter().enumerate() {
            let last = i + 1 == l.runs.len();
            let mut all = o.lead_before(i).to_vec();
            let whole = all.is_empty() && l.runs.len() == 1 && l.lead_out.is_empty();
            all.extend(run);
            if last {
                all.extend(l.again.iter().chain(&l.lead_out));
            }
            let closed = whole && all.first().zip(all.last()).is_some_and(|(a, b)| a.start.distance(b.end) < 1e-6);
            out.push(Path::new(all, closed));
        }
        out
    };
    path.ops.iter().filter(|o| o.process == process && !o.is_swept()).flat_map(line).collect()
}

/// What the head follows on a sheet as SVG: with kerf.
pub fn kerf_svg(path: &SheetPath) -> String {
    let looks = LOOKS.iter().filter(|l| l.0 != Process::Engrave);
    let groups: Vec<svg::WriteGroup> =
        looks.map(|(process, name, stroke, _)| svg::WriteGroup { name, stroke, filled: false, paths: followed(path, *process) }).collect();
    svg::write(path.width, path.height, &groups)
}

/// The same as DXF.
pub fn kerf_dxf(path: &SheetPath) -> String {
    let looks = LOOKS.iter().filter(|l| l.0 != Process::Engrave);
    let layers: Vec<dxf::WriteLayer> =
        looks.map(|(process, name, _, colour)| dxf::WriteLayer { name, colour: *colour, paths: followed(path, *process) }).collect();
    dxf::write(&layers)
}

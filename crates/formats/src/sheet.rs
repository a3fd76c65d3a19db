//! A nested sheet as a drawing: what is cut, scored and engraved, at true size and before kerf.

use crate::{dxf, svg};
use boustrophe_core::assign::{Process, Work};
use boustrophe_core::geometry::Path;
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

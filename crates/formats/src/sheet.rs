//! A nested sheet as a drawing: what is cut, scored and engraved, at true size and before kerf.

use crate::{dxf, svg};
use boustrophe_core::assign::{Part, Process, Work};
use boustrophe_core::geometry::{Affine, Path};
use boustrophe_core::hold::{Op, SheetPath};
use boustrophe_core::ids::PartId;
use boustrophe_core::nest::SheetLayout;
use boustrophe_core::process::Looks;
use std::collections::BTreeMap;

/// What is drawn by lines, in the order in which it is done.
fn drawn() -> impl Iterator<Item = (Process, Looks)> {
    Process::in_order().into_iter().filter_map(|p| Some((p, p.looks()?)))
}

/// A part's lines for a process, as they are drawn or, with a place, as they lie.
fn paths(work: &Work, part: &Part, process: Process, place: Option<Affine>) -> Vec<Path> {
    let items = part.items().map(|i| &work.items[i]).filter(|item| item.process == process);
    items.map(|item| place.map_or_else(|| item.contour.path.clone(), |a| item.contour.path.transformed(a))).collect()
}

/// Its pictures that are engraved: PNG, and from the unit square to where they lie.
fn pictures(work: &Work, part: &Part, place: Affine) -> Vec<(Vec<u8>, Affine)> {
    let items = part.items().map(|i| &work.items[i]).filter(|item| item.process == Process::Picture);
    items
        .filter_map(|item| {
            let bitmap = item.contour.picture.as_ref()?;
            let rgba = bitmap.grey.iter().flat_map(|g| [*g, *g, *g, 255]).collect();
            Some((crate::bitmap::write_png(bitmap.width, bitmap.height, rgba)?, place * item.contour.picture_place()?))
        })
        .collect()
}

/// The sheet as SVG: a group for every copy, in it one for every process, and its pictures.
pub fn write_svg(work: &Work, sheet: &SheetLayout) -> String {
    let placed = sheet.placed.iter().filter_map(|p| Some((p, work.part(p.copy.part)?)));
    let copies: Vec<svg::WriteCopy> = placed
        .map(|(p, part)| svg::WriteCopy {
            name: format!("{} {}", part.name, p.copy.number),
            layers: drawn()
                .map(|(process, looks)| svg::WriteGroup {
                    name: process.slug(),
                    stroke: looks.colour,
                    filled: process.is_swept(),
                    paths: paths(work, part, process, Some(p.affine())),
                })
                .collect(),
            pictures: pictures(work, part, p.affine()),
        })
        .collect();
    svg::write_copies(sheet.sheet.width, sheet.sheet.height, &copies)
}

/// The sheet as DXF: a block for every part, a reference for every copy, a layer for every process. DXF has no pictures in the file
/// itself: they are left out.
pub fn write_dxf(work: &Work, sheet: &SheetLayout) -> String {
    let layers = |part: Option<&Part>| -> Vec<dxf::WriteLayer> {
        drawn()
            .map(|(process, looks)| dxf::WriteLayer {
                name: process.slug(),
                colour: looks.index,
                paths: part.map_or_else(Vec::new, |part| paths(work, part, process, None)),
            })
            .collect()
    };
    let mut parts: BTreeMap<PartId, dxf::WriteBlock> = BTreeMap::new();
    for p in &sheet.placed {
        let Some(part) = work.part(p.copy.part) else { continue };
        let block = parts.entry(part.id).or_insert_with(|| dxf::WriteBlock {
            name: part.name.clone(),
            layers: layers(Some(part)),
            copies: Vec::new(),
        });
        block.copies.push((p.x, p.y, p.angle, p.mirrored));
    }
    let parts: Vec<dxf::WriteBlock> = parts.into_values().collect();
    dxf::write_with(&layers(None), &parts)
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
    let group = |(process, looks): (Process, Looks)| svg::WriteGroup {
        name: process.slug(),
        stroke: looks.colour,
        filled: false,
        paths: followed(path, process),
    };
    let groups: Vec<svg::WriteGroup> = drawn().filter(|d| !d.0.is_swept()).map(group).collect();
    svg::write(path.width, path.height, &groups)
}

/// The same as DXF.
pub fn kerf_dxf(path: &SheetPath) -> String {
    let layer =
        |(process, looks): (Process, Looks)| dxf::WriteLayer { name: process.slug(), colour: looks.index, paths: followed(path, process) };
    let layers: Vec<dxf::WriteLayer> = drawn().filter(|d| !d.0.is_swept()).map(layer).collect();
    dxf::write(&layers)
}

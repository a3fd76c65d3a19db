//! Work laid on blanks: part after part in the order of the work, blank after blank in reading order, tray after tray.

use crate::geometry::{Affine, Bounds, Vec2};
use crate::ids::CopyId;
use crate::layout::{Layout, Placement, Sheet, SheetLayout, turned};
use crate::parts::Parts;
use crate::tray::{Lie, Tray};
use std::sync::Arc;

/// A tray as the sheet that it is for the machine.
fn as_sheet(tray: &Arc<Tray>) -> Sheet {
    let (w, h) = tray.size();
    Sheet { tray: Some(Arc::clone(tray)), on_bed: tray.on_bed, ..Sheet::rectangle(w, h) }
}

/// Every copy on a blank of its own.
pub(crate) fn laid(work: &dyn Parts, tray: &Arc<Tray>) -> Layout {
    let copies = work.parts().into_iter().flat_map(|p| (1..=p.quantity).map(move |number| CopyId { part: p.id, number }));
    let mut layout = Layout::default();
    for (k, copy) in copies.enumerate() {
        if k % tray.count() == 0 {
            layout.sheets.push(SheetLayout { sheet: as_sheet(tray), placed: Vec::new() });
        }
        let on_blank = lie(tray, work.frame(copy.part));
        if let Some(sheet) = layout.sheets.last_mut() {
            sheet.placed.push(Placement::of(copy, tray.place(k) * on_blank));
        }
    }
    layout
}

/// From the drawing to the blank.
fn lie(tray: &Tray, frame: Bounds) -> Affine {
    let blank = tray.blank();
    match tray.lie {
        Lie::Centred => Affine::translate(blank.center() - frame.center()),
        Lie::Corner { x, y } => Affine::translate(Vec2::new(x, y) - frame.min.to_vec2()),
        Lie::Points { work, blank } => {
            let turn = (blank[1] - blank[0]).atan2() - (work[1] - work[0]).atan2();
            let turn = turned(turn.to_degrees());
            Affine::translate(blank[0].to_vec2()) * turn * Affine::translate(-work[0].to_vec2() - frame.min.to_vec2())
        }
    }
}

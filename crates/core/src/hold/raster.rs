//! Pictures on the sheet: each swept by itself, row by row.

use super::plough::Extent;
use super::{Doing, Given, Op, PictureSweep, Row, blank, sweep};
use crate::assign::{Item, Process, Work};
use crate::decisions::Sweep;
use crate::geometry::Clip;
use crate::nest::SheetLayout;
use crate::order::Step;
use crate::picture::{self, Raster};
use crate::shop::ChartRow;
use std::sync::Arc;

/// The sweep of one picture; `None` where it frames nothing or would be too large.
pub(super) fn op(work: &Work, layout: &SheetLayout, step: &Step, row: &ChartRow, given: &Given) -> Option<Op> {
    let item = &work.items[step.item];
    let raster = Arc::new(of(work, layout, step, row, given)?);
    let pace = sweep::pace(row, given.machine, &Sweep::default());
    let burned = raster.burn.iter().filter(|b| **b > 0).count();
    let area = burned as f64 * pace.pitch * pace.pitch;
    let least_power = row.least_power.min(row.power);
    let picture = |reaches| {
        let (pitch, run_up) = (pace.pitch, pace.run_up());
        Doing::Picture(PictureSweep {
            raster: Arc::clone(&raster),
            pitch,
            run_up,
            area,
            least_power,
            reaches,
            fast_gap: pace.fast_gap(),
            done: 0,
        })
    };
    let mut op = Op { process: Process::Picture, doing: picture(Vec::new()), ..blank(step, item.contour.id, row) };
    let extent = |(k, row): (usize, Row)| Extent::new(k as i64, row.spans[0].0, row.spans[0].1);
    let extents: Vec<Extent> = op.numbered_picture_rows().map(extent).collect();
    op.doing = picture(pace.reaches(&extents));
    Some(op)
}

fn of(work: &Work, layout: &SheetLayout, step: &Step, row: &ChartRow, given: &Given) -> Option<Raster> {
    let item: &Item = &work.items[step.item];
    let affine = layout.placed[step.placement].affine();
    let place = affine * item.contour.picture_place()?;
    let bitmap = item.contour.picture.as_ref()?;
    let tone = given.pictures.get(&item.contour.id).copied().unwrap_or_default();
    let crop = tone.crop.and_then(|id| work.items.iter().find(|i| i.contour.id == id));
    let clip = crop.map(|i| Clip::new([i.contour.path.transformed(affine)]));
    picture::raster(bitmap, place, &tone, clip.as_ref(), row.pitch.max(0.02))
}

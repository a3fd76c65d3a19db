//! What outputs come to: one number each. Two that are equal have the same, so that a station whose input has come out the
//! same again does not work again.

use super::Proved;
use crate::assign::Work;
use crate::clean::{Cleaned, Contour};
use crate::cuts::CutPlan;
use crate::drawing::Style;
use crate::geometry::{Path, Point, Segment};
use crate::hold::{Op, Toolpath};
use crate::intake::Intake;
use crate::nest::Nested;
use crate::order::Sequence;
use rustc_hash::{FxHashMap, FxHasher};
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// Something that comes to a number.
pub(crate) trait Printed {
    /// Equal outputs have equal prints.
    fn print(&self) -> u64;
}

fn printed(write: impl FnOnce(&mut FxHasher)) -> u64 {
    let mut h = FxHasher::default();
    write(&mut h);
    h.finish()
}

fn number(h: &mut FxHasher, v: f64) {
    h.write_u64(v.to_bits());
}
fn point(h: &mut FxHasher, p: Point) {
    number(h, p.x);
    number(h, p.y);
}
fn segments<'a>(h: &mut FxHasher, all: impl IntoIterator<Item = &'a Segment>) {
    for s in all {
        point(h, s.start);
        point(h, s.end);
        number(h, s.bulge);
    }
}
fn path(h: &mut FxHasher, p: &Path) {
    h.write_u8(u8::from(p.closed));
    segments(h, &p.segments);
}
fn contour(h: &mut FxHasher, c: &Contour) {
    c.id.hash(h);
    h.write_u32(c.compound);
    h.write_u32(c.row);
    c.source.hash(h);
    path(h, &c.path);
}

impl Printed for (Intake, Arc<Cleaned>) {
    fn print(&self) -> u64 {
        printed(|h| {
            let c = &self.1;
            (c.drawing, &c.name, &c.rows).hash(h);
            // Contours of one drawing share their styles.
            let mut styles: FxHashMap<*const Style, u64> = FxHashMap::default();
            for one in &c.contours {
                contour(h, one);
                let style = styles.entry(Arc::as_ptr(&one.style)).or_insert_with(|| super::key(&*one.style));
                h.write_u64(*style);
                h.write_u8(u8::from(one.picture.is_some()));
            }
            c.texts.iter().for_each(|t| (point(h, t.at), (&t.value, t.compound, t.anchor.share().to_bits()).hash(h)).1);
            c.pages.iter().for_each(|p| (point(h, p.min), point(h, p.max)).1);
        })
    }
}

impl Printed for Work {
    fn print(&self) -> u64 {
        printed(|h| {
            for i in self.items.iter() {
                contour(h, &i.contour);
                (i.process, i.setting).hash(h);
            }
            for p in &self.parts {
                (p.id, p.drawing, p.outer, &p.holes, &p.inside, p.quantity, &p.wanted, &p.name).hash(h);
                path(h, &p.outline);
            }
        })
    }
}

impl Printed for Nested {
    fn print(&self) -> u64 {
        printed(|h| {
            h.write_u8(u8::from(self.current));
            for s in &self.layout.sheets {
                number(h, s.sheet.width);
                number(h, s.sheet.height);
                s.sheet.outline.iter().chain(s.sheet.tray.iter().flat_map(|t| &t.outline)).for_each(|p| path(h, p));
                for p in &s.placed {
                    (p.copy, p.mirrored).hash(h);
                    [p.x, p.y, p.angle].into_iter().for_each(|v| number(h, v));
                }
            }
            self.layout.unplaced.hash(h);
        })
    }
}

impl Printed for CutPlan {
    fn print(&self) -> u64 {
        printed(|h| {
            for s in &self.sheets {
                for c in &s.cuts {
                    path(h, &c.path);
                    (c.process, c.setting, c.placement, c.item, c.line).hash(h);
                    c.edges().for_each(|e| (e.copy, e.contour).hash(h));
                }
                s.before.hash(h);
            }
        })
    }
}

impl Printed for Sequence {
    fn print(&self) -> u64 {
        printed(|h| {
            for s in &self.sheets {
                for step in &s.steps {
                    (step.cut, step.placement, step.item, step.process, step.way).hash(h);
                    number(h, step.start);
                }
                h.write_u8(0xff);
            }
        })
    }
}

fn op(h: &mut FxHasher, o: &Op) {
    (o.contours(), o.cut, o.placement, o.item, o.process, o.tool, o.passes, o.air).hash(h);
    [o.feed, o.power, o.pierce, o.kerf, o.pitch(), o.run_up(), o.area()].into_iter().for_each(|v| number(h, v));
    segments(h, o.leads());
    h.write_u8(u8::from(o.line().approach.lifted));
    o.line().approach.by.iter().for_each(|p| (number(h, p.x), number(h, p.y)).1);
    o.line().runs.iter().for_each(|r| (h.write_usize(r.len()), segments(h, r)).1);
    for row in o.rows() {
        number(h, row.at);
        number(h, row.way.x);
        h.write_u8(u8::from(row.backward));
        row.fast.hash(h);
        row.spans.iter().chain([&row.reach]).for_each(|(a, b)| (number(h, *a), number(h, *b)).1);
    }
    if let Some(p) = o.picture() {
        number(h, p.least_power);
        p.reaches.iter().for_each(|(a, b)| (number(h, *a), number(h, *b)).1);
        (p.raster.width, p.raster.height, p.raster.column, p.raster.row).hash(h);
        h.write(&p.raster.burn);
    }
}

impl Printed for Toolpath {
    fn print(&self) -> u64 {
        printed(|h| {
            for s in &self.sheets {
                number(h, s.width);
                number(h, s.height);
                s.ops.iter().for_each(|o| op(h, o));
            }
        })
    }
}

impl Printed for Proved {
    /// Nothing is made of a proof.
    fn print(&self) -> u64 {
        0
    }
}

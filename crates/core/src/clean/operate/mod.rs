//! What a person does with contours at Clean: delete, weld, offset, round corners, add holes and writing, copy, move,
//! fit slots. Operations are decisions: they are kept in order, listed, taken back one by one, and replayed when the
//! drawing is read again.

mod add;
mod areas;
mod corners;
mod mend;
mod place;
pub mod slots;
#[cfg(test)]
mod tests;
pub mod words;

use super::identity::mixed;
use super::{Contour, ContourId};
use crate::drawing::Style;
use crate::geometry::{Affine, Bounds, Corners, Path};
use crate::lettering::Face;
use rustc_hash::FxHasher;
use serde::{Deserialize, Serialize};
use std::hash::Hasher;
use std::sync::Arc;

/// Where an addition is measured from: x and y run inward from a corner or edge, to the right and up from the centre.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Anchor {
    /// Lower left corner of the box.
    #[default]
    LowerLeft,
    /// Lower right corner.
    LowerRight,
    /// Upper left corner.
    UpperLeft,
    /// Upper right corner.
    UpperRight,
    /// Middle of the box.
    Centre,
    /// Middle of the left edge; x inward, y up.
    Left,
    /// Middle of the right edge.
    Right,
    /// Middle of the lower edge.
    Bottom,
    /// Middle of the upper edge.
    Top,
}

/// Where else an addition is made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Repeat {
    /// Nowhere else.
    #[default]
    Once,
    /// In the other three corners.
    Corners,
    /// On the other side, left and right.
    Across,
    /// On the other side, up and down.
    UpAndDown,
}

/// Place of an addition in a part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Spot {
    /// Measured from here.
    pub anchor: Anchor,
    /// Along x, mm.
    pub x: f64,
    /// Along y, mm.
    pub y: f64,
    /// Where else.
    pub repeat: Repeat,
}

/// Round or cut.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum CornerShape {
    /// By an arc of the size as radius.
    Round,
    /// By a straight cut, the size off both edges.
    Chamfer,
}

/// What contours are lined up by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Edge {
    /// Left edges.
    Left,
    /// Right edges.
    Right,
    /// Lower edges.
    Bottom,
    /// Upper edges.
    Top,
    /// Centres, in both directions.
    Centre,
    /// Centres above each other.
    CentreX,
    /// Centres beside each other.
    CentreY,
}

/// One thing that a person does. Contours are given by name; lengths in mm, angles in degrees.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "op", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Operation {
    Delete {
        contours: Vec<ContourId>,
    },
    /// At every corner sharper than 20°.
    TakeApart {
        contours: Vec<ContourId>,
    },
    /// Open lines to one, each joined to the nearest end by a line.
    Combine {
        contours: Vec<ContourId>,
    },
    Weld {
        contours: Vec<ContourId>,
    },
    Subtract {
        from: ContourId,
        contours: Vec<ContourId>,
    },
    Intersect {
        contours: Vec<ContourId>,
    },
    /// Outward where `by` is positive; `rings` of them, each `by` further; the original stays where `keep` is true.
    Offset {
        contours: Vec<ContourId>,
        by: f64,
        corners: Corners,
        rings: u32,
        keep: bool,
    },
    Corner {
        contours: Vec<ContourId>,
        size: f64,
        shape: CornerShape,
    },
    Hole {
        part: ContourId,
        spot: Spot,
        diameter: f64,
    },
    /// A slot with round ends, `length` over all.
    Slot {
        part: ContourId,
        spot: Spot,
        length: f64,
        width: f64,
        angle: f64,
    },
    /// A ring of `outer` diameter with a `hole`, welded to the outline.
    Tab {
        part: ContourId,
        spot: Spot,
        outer: f64,
        hole: f64,
    },
    /// A scale: `count` marks at a `pitch`, `length` long, every `numbered`-th with its number (0 for none).
    Marks {
        part: ContourId,
        spot: Spot,
        pitch: f64,
        count: u32,
        length: f64,
        numbered: u32,
        angle: f64,
    },
    Write {
        part: ContourId,
        spot: Spot,
        text: String,
        height: f64,
        face: Face,
        angle: f64,
    },
    Move {
        contours: Vec<ContourId>,
        dx: f64,
        dy: f64,
    },
    Turn {
        contours: Vec<ContourId>,
        degrees: f64,
    },
    /// Left to right about the middle of all, or up and down; a mirrored copy where `keep` is true.
    Mirror {
        contours: Vec<ContourId>,
        upright: bool,
        keep: bool,
    },
    Array {
        contours: Vec<ContourId>,
        columns: u32,
        rows: u32,
        dx: f64,
        dy: f64,
    },
    /// To the first of them.
    Align {
        contours: Vec<ContourId>,
        edge: Edge,
    },
    /// Open lines become areas `width` mm wide.
    Widen {
        contours: Vec<ContourId>,
        width: f64,
    },
    /// Open lines get a straight edge from end to start.
    Close {
        contours: Vec<ContourId>,
    },
    /// Chosen glyphs give way to new text of the same size on the same base line.
    Reletter {
        contours: Vec<ContourId>,
        text: String,
        face: Face,
    },
    /// Slots and tabs as wide as `nominal` become `measured` + `clearance` wide, those on `leave` excepted.
    SlotFit {
        nominal: f64,
        measured: f64,
        clearance: f64,
        leave: Vec<ContourId>,
    },
}

/// Copies that one operation may make.
pub const MOST_COPIES: u32 = 2000;

impl Operation {
    /// Refuses figures that make no sense, with what would do.
    pub fn checked(&self) -> Result<(), String> {
        let length = |what: &str, v: f64, least: f64| {
            if v.is_finite() && v >= least && v <= 10_000.0 {
                Ok(())
            } else {
                Err(format!("{v} will not do as {what}; use {least} to 10000 mm"))
            }
        };
        let any =
            |what: &str, v: f64| if v.is_finite() && v.abs() <= 100_000.0 { Ok(()) } else { Err(format!("{v} will not do as {what}")) };
        let spot = |s: &Spot| any("a distance", s.x).and(any("a distance", s.y));
        let some = |c: &[ContourId], least: usize| {
            if c.len() >= least {
                Ok(())
            } else {
                Err(format!("choose {} on the stage first", if least == 1 { "a contour" } else { "two contours or more" }))
            }
        };
        match self {
            Self::Delete { contours } | Self::TakeApart { contours } => some(contours, 1),
            Self::Combine { contours } | Self::Weld { contours } | Self::Intersect { contours } | Self::Align { contours, .. } => {
                some(contours, 2)
            }
            Self::Subtract { contours, .. } => some(contours, 1),
            Self::Offset { contours, by, rings, .. } => {
                some(contours, 1)?;
                any("an offset", *by)?;
                if by.abs() < 0.001 || !(1..=200).contains(rings) {
                    Err("an offset needs a distance other than 0, and 1 to 200 rings".into())
                } else {
                    Ok(())
                }
            }
            Self::Corner { contours, size, .. } => some(contours, 1).and(length("a corner", *size, 0.01)),
            Self::Hole { spot: s, diameter, .. } => spot(s).and(length("a diameter", *diameter, 0.01)),
            Self::Slot { spot: s, length: l, width, angle, .. } => {
                spot(s)?;
                length("a width", *width, 0.01)?;
                any("an angle", *angle)?;
                if l >= width {
                    length("a length", *l, 0.01)
                } else {
                    Err(format!("a slot {l} mm long cannot be {width} mm wide; the length is over all"))
                }
            }
            Self::Tab { spot: s, outer, hole, .. } => {
                spot(s)?;
                length("a hole", *hole, 0.01)?;
                if outer > hole {
                    length("a ring", *outer, 0.02)
                } else {
                    Err(format!("a ring of {outer} mm has no room for a hole of {hole} mm"))
                }
            }
            Self::Marks { spot: s, pitch, count, length: l, angle, .. } => {
                spot(s)?;
                any("an angle", *angle)?;
                length("a pitch", *pitch, 0.05)?;
                length("a mark", *l, 0.05)?;
                if (1..=MOST_COPIES).contains(count) { Ok(()) } else { Err(format!("{count} marks will not do; use 1 to {MOST_COPIES}")) }
            }
            Self::Write { spot: s, text, height, angle, .. } => {
                spot(s)?;
                any("an angle", *angle)?;
                length("a height", *height, 0.3)?;
                if text.trim().is_empty() || text.chars().count() > 200 { Err("type 1 to 200 letters".into()) } else { Ok(()) }
            }
            Self::Move { contours, dx, dy } => some(contours, 1).and(any("a way", *dx)).and(any("a way", *dy)),
            Self::Turn { contours, degrees } => some(contours, 1).and(any("an angle", *degrees)),
            Self::Mirror { contours, .. } => some(contours, 1),
            Self::Array { contours, columns, rows, dx, dy } => {
                some(contours, 1).and(any("a way", *dx)).and(any("a way", *dy))?;
                let n = columns.saturating_mul(*rows).saturating_mul(contours.len() as u32);
                if *columns >= 1 && *rows >= 1 && n <= MOST_COPIES {
                    Ok(())
                } else {
                    Err(format!("{columns} × {rows} will not do; all copies together may be {MOST_COPIES}"))
                }
            }
            Self::Widen { contours, width } => some(contours, 1).and(length("a width", *width, 0.01)),
            Self::Close { contours } => some(contours, 1),
            Self::Reletter { contours, text, .. } => {
                some(contours, 1)?;
                if text.trim().is_empty() || text.chars().count() > 200 { Err("type 1 to 200 letters".into()) } else { Ok(()) }
            }
            Self::SlotFit { nominal, measured, clearance, .. } => {
                length("a nominal thickness", *nominal, 0.1)?;
                length("a measured thickness", *measured, 0.1)?;
                any("a clearance", *clearance)?;
                if (measured + clearance - nominal).abs() < *nominal {
                    Ok(())
                } else {
                    Err(format!("slots of {nominal} mm cannot become {} mm wide", measured + clearance))
                }
            }
        }
    }

    /// What it is, for the list and the history.
    pub fn sentence(&self) -> String {
        let on = |c: &[ContourId]| crate::finding::counted(c.len(), "contour", "contours");
        match self {
            Self::Delete { contours } => format!("Deleted {}", on(contours)),
            Self::TakeApart { contours } => format!("Took {} apart", on(contours)),
            Self::Combine { contours } => format!("Combined {}", on(contours)),
            Self::Weld { contours } => format!("Welded {}", on(contours)),
            Self::Subtract { contours, .. } => format!("Took {} out of another", on(contours)),
            Self::Intersect { contours } => format!("What {} share", on(contours)),
            Self::Offset { contours, by, rings, .. } => {
                let rings = if *rings > 1 { format!(", {rings} rings") } else { String::new() };
                format!("Offset {} by {by} mm{rings}", on(contours))
            }
            Self::Corner { contours, size, shape: CornerShape::Round } => format!("Corners of {} rounded {size} mm", on(contours)),
            Self::Corner { contours, size, shape: CornerShape::Chamfer } => format!("Corners of {} cut {size} mm", on(contours)),
            Self::Hole { diameter, spot, .. } => format!("Hole {diameter} mm at {}, {}", spot.x, spot.y),
            Self::Slot { length, width, .. } => format!("Slot {length} × {width} mm"),
            Self::Tab { outer, hole, .. } => format!("Ring tab {outer} mm with a hole of {hole} mm"),
            Self::Marks { count, pitch, .. } => format!("{count} marks every {pitch} mm"),
            Self::Write { text, height, .. } => format!("“{}” {height} mm high", text.chars().take(24).collect::<String>()),
            Self::Move { contours, dx, dy } => format!("Moved {} by {dx}, {dy}", on(contours)),
            Self::Turn { contours, degrees } => format!("Turned {} by {degrees}°", on(contours)),
            Self::Mirror { contours, .. } => format!("Mirrored {}", on(contours)),
            Self::Array { columns, rows, .. } => format!("{columns} columns × {rows} rows"),
            Self::Align { contours, .. } => format!("Lined up {}", on(contours)),
            Self::Widen { contours, width } => format!("{} made {width} mm wide", on(contours)),
            Self::Close { contours } => format!("Closed {}", on(contours)),
            Self::Reletter { text, .. } => format!("Letters set anew: “{}”", text.chars().take(24).collect::<String>()),
            Self::SlotFit { nominal, measured, clearance, .. } => format!("Slots of {nominal} mm fitted to {measured} + {clearance} mm"),
        }
    }
}

/// Contours being worked on.
pub(super) struct Work {
    pub(super) contours: Vec<Arc<Contour>>,
    /// Seed for the names of what the operation at hand makes.
    seed: u64,
    made: u64,
}

impl Work {
    fn find(&self, id: ContourId) -> Option<usize> {
        self.contours.iter().position(|c| c.id == id)
    }
    /// Places of the contours that are still there, in the order given.
    fn all(&self, ids: &[ContourId]) -> Vec<usize> {
        ids.iter().filter_map(|id| self.find(*id)).collect()
    }
    fn paths(&self, at: &[usize]) -> Vec<Path> {
        at.iter().map(|i| self.contours[*i].path.clone()).collect()
    }
    /// Another path for a contour, which keeps its name.
    fn set(&mut self, at: usize, path: Path) {
        self.contours[at] = Arc::new(self.contours[at].with(path));
    }
    fn transform(&mut self, at: &[usize], by: Affine) {
        for i in at {
            let path = self.contours[*i].path.transformed(by);
            self.set(*i, path);
        }
    }
    /// A new contour with the looks of `like`.
    fn add(&mut self, like: usize, path: Path) {
        let style = Arc::clone(&self.contours[like].style);
        self.add_styled(like, path, style);
    }
    fn add_styled(&mut self, like: usize, path: Path, style: Arc<Style>) {
        self.made += 1;
        let id = ContourId(mixed(self.seed ^ mixed(self.made)));
        self.contours.push(Arc::new(Contour { id, style, ..self.contours[like].with(path) }));
    }
    /// A new contour like one that was made already.
    fn add_made(&mut self, made: Contour) {
        self.made += 1;
        self.contours.push(Arc::new(Contour { id: ContourId(mixed(self.seed ^ mixed(self.made))), ..made }));
    }
    /// Replaces contours by paths: the first keeps the first contour's name and looks.
    fn replace(&mut self, at: &[usize], paths: Vec<Path>) {
        let Some(first) = at.first().copied() else { return };
        let mut paths = paths.into_iter();
        if let Some(path) = paths.next() {
            self.set(first, path);
            for path in paths {
                self.add(first, path);
            }
            self.remove(&at[1..]);
        } else {
            self.remove(at);
        }
    }
    fn remove(&mut self, at: &[usize]) {
        let gone: Vec<ContourId> = at.iter().map(|i| self.contours[*i].id).collect();
        self.contours.retain(|c| !gone.contains(&c.id));
    }
    fn bounds(&self, at: &[usize]) -> Bounds {
        at.iter().fold(Bounds::EMPTY, |b, i| b.union(self.contours[*i].bounds))
    }
}

/// An operation that could not be done as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Lost {
    /// Place in the list.
    pub(super) at: usize,
    /// What it is.
    pub(super) sentence: String,
}

/// Does all operations in order. Those whose contours are all gone are told.
pub(super) fn run(contours: Vec<Arc<Contour>>, operations: &[Operation]) -> (Vec<Arc<Contour>>, Vec<Lost>) {
    let mut work = Work { contours, seed: 0, made: 0 };
    let mut lost = Vec::new();
    let mut before: Vec<u64> = Vec::new();
    for (at, operation) in operations.iter().enumerate() {
        // Named after what is done, so that taking back another operation renames nothing.
        let own = hash(operation);
        let again = before.iter().filter(|h| **h == own).count() as u64;
        before.push(own);
        (work.seed, work.made) = (mixed(own.wrapping_add(again)), 0);
        if !apply(&mut work, operation) {
            lost.push(Lost { at, sentence: operation.sentence() });
        }
    }
    (work.contours, lost)
}

fn hash(operation: &Operation) -> u64 {
    let mut h = FxHasher::default();
    h.write(&serde_json::to_vec(operation).unwrap_or_default());
    h.finish()
}

/// Does one operation; false when there is nothing left to do it to.
fn apply(work: &mut Work, operation: &Operation) -> bool {
    match operation {
        Operation::Delete { contours } => {
            let at = work.all(contours);
            work.remove(&at);
            !at.is_empty()
        }
        Operation::TakeApart { contours } => areas::take_apart(work, contours),
        Operation::Combine { contours } => areas::combine(work, contours),
        Operation::Weld { contours } => areas::weld(work, contours),
        Operation::Subtract { from, contours } => areas::subtract(work, *from, contours),
        Operation::Intersect { contours } => areas::intersect(work, contours),
        Operation::Offset { contours, by, corners, rings, keep } => areas::offset(work, contours, *by, *corners, *rings, *keep),
        Operation::Corner { contours, size, shape } => corners::shape(work, contours, *size, *shape),
        Operation::Hole { part, spot, diameter } => add::hole(work, *part, spot, *diameter),
        Operation::Slot { part, spot, length, width, angle } => add::slot(work, *part, spot, (*length, *width), *angle),
        Operation::Tab { part, spot, outer, hole } => add::tab(work, *part, spot, *outer, *hole),
        Operation::Marks { part, spot, pitch, count, length, numbered, angle } => {
            add::marks(work, *part, spot, &add::Scale { pitch: *pitch, count: *count, length: *length, numbered: *numbered, angle: *angle })
        }
        Operation::Write { part, spot, text, height, face, angle } => add::write(work, *part, spot, text, *height, *face, *angle),
        Operation::Move { contours, dx, dy } => place::shift(work, contours, *dx, *dy),
        Operation::Turn { contours, degrees } => place::turn(work, contours, *degrees),
        Operation::Mirror { contours, upright, keep } => place::mirror(work, contours, *upright, *keep),
        Operation::Array { contours, columns, rows, dx, dy } => place::array(work, contours, (*columns, *rows), (*dx, *dy)),
        Operation::Align { contours, edge } => place::align(work, contours, *edge),
        Operation::Widen { contours, width } => mend::widen(work, contours, *width),
        Operation::Close { contours } => mend::close(work, contours),
        Operation::Reletter { contours, text, face } => mend::reletter(work, contours, text, *face),
        Operation::SlotFit { nominal, measured, clearance, leave } => slots::fit(work, *nominal, measured + clearance, leave),
    }
}

//! Parts on sheets: where every copy lies.

use crate::geometry::{Affine, Bounds, Path, Point, Segment, Vec2, meetings};
use crate::ids::{CopyId, PartId};
use crate::tray::Tray;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// A kind of sheet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sheet {
    /// Width, mm.
    pub width: f64,
    /// Height, mm.
    pub height: f64,
    /// How many there are; `None` for as many as needed.
    pub count: Option<u32>,
    /// The true outline of an offcut and its holes, within width × height; empty for a full rectangle.
    #[serde(default)]
    pub outline: Vec<Path>,
    /// Boxes of it that nothing may be laid on, mm: clamps, pins, what is bent.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub clamps: Vec<Bounds>,
    /// Its number on the stock rack; `None` where its size was typed or drawn.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rack: Option<u32>,
    /// What one costs; `None` for as its material says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub price: Option<f64>,
    /// Where the lower left corner of its box lies on the machine's bed, mm, where it lies there already.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_bed: Option<Point>,
    /// The blanks that lie on it, where it is no sheet but a tray of them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tray: Option<Arc<Tray>>,
}

impl Sheet {
    /// A full sheet, as many as needed.
    pub fn rectangle(width: f64, height: f64) -> Self {
        Self { width, height, count: None, outline: Vec::new(), clamps: Vec::new(), rack: None, price: None, on_bed: None, tray: None }
    }
    /// An offcut from closed outlines: the largest is its edge, the others are holes. Moved so that its box starts at 0, 0.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// # use boustrophe_geometry::{Path, Point};
    /// let (edge, burned) = (Path::rectangle(70.0, 40.0, 300.0, 200.0), Path::circle(Point::new(200.0, 140.0), 30.0));
    /// let offcut = Sheet::offcut(vec![edge, burned])?;
    /// assert_eq!((offcut.width, offcut.height, offcut.count), (300.0, 200.0, Some(1)));
    /// assert!((offcut.area() - (60_000.0 - 900.0 * std::f64::consts::PI)).abs() < 1e-6);
    /// # Ok::<(), String>(())
    /// ```
    pub fn offcut(mut outlines: Vec<Path>) -> Result<Self, String> {
        outlines.retain(|p| p.closed && p.area().abs() > 1.0);
        outlines.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
        let Some(edge) = outlines.first() else {
            return Err("it holds no closed outline; draw the offcut's edge as one closed line".into());
        };
        let bounds = edge.bounds();
        let home = Affine::translate(-bounds.min.to_vec2());
        let outline = outlines.iter().map(|p| p.transformed(home)).collect();
        if let Some(p) = crossing(&outlines) {
            return Err(format!(
                "its edge crosses itself or a hole's at {:.1}, {:.1} mm; draw each as one line that crosses none",
                p.x, p.y
            ));
        }
        let sheet = Self { count: Some(1), outline, ..Self::rectangle(bounds.width(), bounds.height()) };
        sheet.checked()?;
        Ok(sheet)
    }
    /// Refuses sheets without size and sheets beyond any machine.
    pub fn checked(&self) -> Result<(), String> {
        let sane = |v: f64| v.is_finite() && (1.0..=20_000.0).contains(&v);
        if sane(self.width) && sane(self.height) {
            Ok(())
        } else {
            Err(format!("a sheet of {} × {} mm cannot be; each side must be 1 to 20000 mm", self.width, self.height))
        }
    }
    /// Its edge and its holes, closed: the outline of an offcut, the rectangle of a full sheet; of a tray the edges of its blanks.
    pub fn edges(&self) -> Vec<Path> {
        if let Some(tray) = &self.tray {
            return tray.edges();
        }
        if self.outline.is_empty() { vec![Path::rectangle(0.0, 0.0, self.width, self.height)] } else { self.outline.clone() }
    }
    /// What a piece of it is worth where it costs `price`: as much as its share of the area, in hundredths.
    pub fn worth_of(&self, piece: &Self, price: f64) -> f64 {
        (price * piece.area() / self.area() * 100.0).round() / 100.0
    }
    /// Area, mm².
    pub fn area(&self) -> f64 {
        match self.outline.split_first() {
            None => self.width * self.height,
            Some((edge, holes)) => edge.area().abs() - holes.iter().map(|h| h.area().abs()).sum::<f64>(),
        }
    }
}

/// Where closed outlines cross themselves or each other, on the drawing.
fn crossing(outlines: &[Path]) -> Option<Point> {
    /// Ends of an outline's lines touch by so much, mm.
    const TOUCH: f64 = 1e-3;
    let all: Vec<(usize, usize, &Segment)> =
        outlines.iter().enumerate().flat_map(|(o, p)| p.segments.iter().enumerate().map(move |(i, s)| (o, i, s))).collect();
    let boxes: Vec<_> = all.iter().map(|(_, _, s)| s.bounds()).collect();
    let mut by_x: Vec<usize> = (0..all.len()).collect();
    by_x.sort_by(|a, b| boxes[*a].min.x.total_cmp(&boxes[*b].min.x));
    for (k, a) in by_x.iter().enumerate() {
        let near = by_x[k + 1..].iter().take_while(|b| boxes[**b].min.x <= boxes[*a].max.x).filter(|b| boxes[**b].meets(&boxes[*a]));
        for b in near {
            let ((o, i, s), (p, j, u)) = (all[*a], all[*b]);
            let n = outlines[o].segments.len();
            let next = o == p && ((i + 1) % n == j || (j + 1) % n == i);
            let ends = [s.start, s.end, u.start, u.end];
            let found =
                meetings(s, u, 1e-9).into_iter().map(|m| s.at(m.on_first)).find(|at| !next || ends.iter().all(|e| e.distance(*at) > TOUCH));
            if found.is_some() {
                return found;
            }
        }
    }
    None
}

/// One copy of a part on a sheet: mirror in x if `mirrored`, turn about the drawing's origin, then move.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Placement {
    /// Which copy of which part.
    pub copy: CopyId,
    /// Move in x after the turn, mm.
    pub x: f64,
    /// Move in y after the turn, mm.
    pub y: f64,
    /// Turn, degrees anticlockwise.
    pub angle: f64,
    /// Mirrored in x first.
    pub mirrored: bool,
}

impl Placement {
    /// The placement of a rigid motion, mirrored or not. Quarter turns are exact.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// # use boustrophe_geometry::{Affine, ids::CopyId};
    /// let quarter = Affine::translate((120.0, 40.0)) * turned(90.0);
    /// let placed = Placement::of(CopyId::default(), quarter);
    /// assert_eq!((placed.angle, placed.mirrored, placed.affine()), (90.0, false, quarter));
    /// ```
    pub fn of(copy: CopyId, motion: Affine) -> Self {
        let [a, b, _, _, x, y] = motion.as_coeffs();
        let mirrored = motion.determinant() < 0.0;
        let angle = if mirrored { (-b).atan2(-a) } else { b.atan2(a) }.to_degrees().rem_euclid(360.0);
        let quarter = (angle / 90.0).round() * 90.0;
        let angle = if (angle - quarter).abs() < 1e-9 { quarter.rem_euclid(360.0) } else { angle };
        Self { copy, x, y, angle, mirrored }
    }

    /// From the drawing's mm to the sheet's. Quarter turns are exact.
    pub fn affine(&self) -> Affine {
        let mirror = if self.mirrored { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
        Affine::translate(Vec2::new(self.x, self.y)) * turned(self.angle) * mirror
    }
}

/// A turn by `degrees`, exact for quarter turns.
///
/// ```
/// # use boustrophe_nest::*;
/// # use boustrophe_geometry::Point;
/// assert_eq!(turned(270.0) * Point::new(3.0, 1.0), Point::new(1.0, -3.0));
/// ```
pub fn turned(degrees: f64) -> Affine {
    let (s, c) = match degrees.rem_euclid(360.0) {
        0.0 => (0.0, 1.0),
        90.0 => (1.0, 0.0),
        180.0 => (0.0, -1.0),
        270.0 => (-1.0, 0.0),
        d => d.to_radians().sin_cos(),
    };
    Affine::new([c, s, -s, c, 0.0, 0.0])
}

/// A sheet with what lies on it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SheetLayout {
    /// The sheet.
    pub sheet: Sheet,
    /// The copies on it.
    pub placed: Vec<Placement>,
}

/// Parts on sheets.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Layout {
    /// Sheets in order of use.
    pub sheets: Vec<SheetLayout>,
    /// Copies that found no place, by part.
    pub unplaced: BTreeMap<PartId, u32>,
    /// Of these, the copies that a hand has lifted off, by part.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub lifted: BTreeMap<PartId, u32>,
    /// What of the rack it was made for, used or not; `None` where that was not kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_for: Option<BTreeSet<u32>>,
}

impl Layout {
    /// Every copy that lies on a sheet.
    pub fn copies(&self) -> impl Iterator<Item = &Placement> {
        self.sheets.iter().flat_map(|s| &s.placed)
    }

    /// Lays a copy that is there elsewhere, on sheet `sheet` from 0; `None` where there is no such copy or sheet. The others
    /// keep their places in the list.
    pub fn lay(&mut self, to: Placement, sheet: usize) -> Option<()> {
        let on = self.sheets.iter().position(|s| s.placed.iter().any(|p| p.copy == to.copy))?;
        let target = self.sheets.get(sheet)?.placed.len();
        let at = self.sheets[on].placed.iter().position(|p| p.copy == to.copy)?;
        if on == sheet {
            self.sheets[on].placed[at] = to;
        } else {
            self.sheets[on].placed.remove(at);
            self.sheets[sheet].placed.insert(target, to);
        }
        Some(())
    }

    /// Adds a copy that is on no sheet; one that waited for a place has it now. `None` where there is no such sheet.
    pub fn add(&mut self, to: Placement, sheet: usize) -> Option<()> {
        self.sheets.get_mut(sheet)?.placed.push(to);
        if let Some(waiting) = self.unplaced.get_mut(&to.copy.part) {
            *waiting -= 1;
        }
        self.unplaced.retain(|_, n| *n > 0);
        if let Some(lifted) = self.lifted.get_mut(&to.copy.part) {
            *lifted -= 1;
        }
        self.lifted.retain(|_, n| *n > 0);
        Some(())
    }

    /// Takes a copy off its sheet; it waits for a place. `None` where there is no such copy.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// # use boustrophe_geometry::ids::{ContourId, CopyId, PartId};
    /// let copy = CopyId { part: PartId(ContourId(7)), number: 1 };
    /// let placed = vec![Placement { copy, x: 5.0, y: 5.0, angle: 0.0, mirrored: false }];
    /// let mut layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(600.0, 400.0), placed }], ..Layout::default() };
    /// layout.lift(copy).expect("it lies there");
    /// assert_eq!((layout.copies().count(), layout.unplaced[&copy.part]), (0, 1));
    /// assert_eq!(layout.lift(copy), None, "it does not lie there any more");
    /// ```
    pub fn lift(&mut self, copy: CopyId) -> Option<()> {
        let sheet = self.sheets.iter_mut().find(|s| s.placed.iter().any(|p| p.copy == copy))?;
        sheet.placed.retain(|p| p.copy != copy);
        *self.unplaced.entry(copy.part).or_insert(0) += 1;
        *self.lifted.entry(copy.part).or_insert(0) += 1;
        Some(())
    }

    /// Sheets on which nothing lies any more are put back.
    pub fn without_empty(&mut self) {
        self.sheets.retain(|s| !s.placed.is_empty());
    }

    /// The same with its copies numbered from 1 within each part, where they have no number of their own yet.
    pub fn numbered(mut self) -> Self {
        let mut used: BTreeSet<CopyId> = self.copies().map(|p| p.copy).filter(|c| c.number > 0).collect();
        let mut next: BTreeMap<PartId, u32> = BTreeMap::new();
        for p in self.sheets.iter_mut().flat_map(|s| &mut s.placed).filter(|p| p.copy.number == 0) {
            let number = next.entry(p.copy.part).or_insert(0);
            loop {
                *number += 1;
                p.copy.number = *number;
                if used.insert(p.copy) {
                    break;
                }
            }
        }
        self
    }
}

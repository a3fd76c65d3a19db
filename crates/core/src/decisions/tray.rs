//! Ready-made pieces that are worked on: blanks, and the tray of pockets that several of them lie in.

use super::EditError;
use super::edit::within;
use crate::geometry::{Affine, Bounds, Path, Point, Vec2};
use serde::{Deserialize, Serialize};

/// How work is laid on a blank. Places are in mm from the lower left corner of the box: of the blank, and of what is drawn round
/// the work, or of the work itself where nothing is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Lie {
    /// Middle on middle.
    #[default]
    Centred,
    /// Lower left corner so far from the blank's.
    Corner { x: f64, y: f64 },
    /// The first point of the work on the first of the blank, and towards the second.
    Points { work: [Point; 2], blank: [Point; 2] },
}

/// Blanks side by side, as they lie on the bed: in a jig of pockets, or one alone.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tray {
    /// What the blank is called.
    pub name: String,
    /// Its number on the stock rack; `None` where its outline was typed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rack: Option<u32>,
    /// The blank's edge and its holes; the lower left corner of its box at 0, 0.
    pub outline: Vec<Path>,
    /// Side by side, and above each other.
    pub columns: u32,
    /// Above each other.
    pub rows: u32,
    /// Between neighbours, mm.
    pub gap: f64,
    /// From the tray's edge to the outermost, mm.
    pub border: f64,
    /// How work is laid on a blank.
    #[serde(default)]
    pub lie: Lie,
    /// Where the tray's lower left corner lies on the bed, mm, where its jig stays there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_bed: Option<Point>,
    /// Room round a blank in its pocket, mm.
    #[serde(default = "usual_play")]
    pub play: f64,
    /// Number of the job that cuts its jig, where one does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub jig: Option<i32>,
}

fn usual_play() -> f64 {
    0.3
}

/// Pockets of a tray at most.
const MOST: u32 = 2_000;

impl Tray {
    /// Box of a blank.
    pub fn blank(&self) -> Bounds {
        self.outline.first().map_or(Bounds::EMPTY, Path::bounds)
    }
    /// Pockets.
    pub fn count(&self) -> usize {
        (self.columns * self.rows) as usize
    }
    /// Width and height over all, mm.
    pub fn size(&self) -> (f64, f64) {
        let over = |n: u32, side: f64| f64::from(n) * (side + self.gap) - self.gap + 2.0 * self.border;
        (over(self.columns, self.blank().width()), over(self.rows, self.blank().height()))
    }
    /// Where blank `k` lies, from 0 in reading order: to the right, then down.
    pub fn place(&self, k: usize) -> Affine {
        let (b, k) = (self.blank(), k as u32 % (self.columns * self.rows).max(1));
        let (column, row) = (k % self.columns.max(1), self.rows - 1 - k / self.columns.max(1));
        let at = |n: u32, side: f64| self.border + f64::from(n) * (side + self.gap);
        Affine::translate(Vec2::new(at(column, b.width()), at(row, b.height())))
    }
    /// The edges of all blanks.
    pub fn edges(&self) -> Vec<Path> {
        (0..self.count()).flat_map(|k| self.outline.iter().map(move |p| p.transformed(self.place(k)))).collect()
    }
    /// Refuses what no tray can be.
    pub fn checked(&self) -> Result<(), EditError> {
        let b = self.blank();
        if b.is_empty() || !self.outline.iter().all(|p| p.closed && p.bounds().min.is_finite() && p.bounds().max.is_finite()) {
            return Err(EditError::Refused("a blank needs a closed outline".into()));
        }
        if self.columns == 0 || self.rows == 0 || self.columns.saturating_mul(self.rows) > MOST {
            return Err(EditError::Refused(format!("a tray has 1 to {MOST} pockets")));
        }
        within("a blank's width in mm", b.width(), 1.0, 5000.0)?;
        within("a blank's height in mm", b.height(), 1.0, 5000.0)?;
        within("a gap in mm", self.gap, 0.0, 500.0)?;
        within("a border in mm", self.border, 0.0, 500.0)?;
        within("room round a blank in mm", self.play, 0.0, 5.0)?;
        if self.gap < 2.0 * self.play && self.count() > 1 {
            return Err(EditError::Refused(
                "pockets would run into each other: make the gap larger than twice the room round a blank".into(),
            ));
        }
        let near = |p: Point| within("a place in mm", p.x, -5000.0, 5000.0).and(within("a place in mm", p.y, -5000.0, 5000.0)).map(drop);
        match self.lie {
            Lie::Centred => {}
            Lie::Corner { x, y } => near(Point::new(x, y))?,
            Lie::Points { work, blank } => {
                work.into_iter().chain(blank).try_for_each(near)?;
                if work[0].distance(work[1]) < 0.1 || blank[0].distance(blank[1]) < 0.1 {
                    return Err(EditError::Refused("two points in one place tell no direction; take two that are apart".into()));
                }
            }
        }
        let (w, h) = self.size();
        super::nest::Sheet::rectangle(w, h).checked().map_err(EditError::Refused)
    }
}

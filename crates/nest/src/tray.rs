//! Ready-made pieces that are worked on: blanks, and the tray of pockets that several of them lie in.

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
}

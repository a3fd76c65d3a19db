//! How writing is set: in lines, to one side, spaced, fitted to a room, round a circle.

use super::{Face, Line, line};
use crate::geometry::{Affine, Bounds, Path, Vec2};
use serde::{Deserialize, Serialize};

/// To which side of each other lines stand.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Align {
    /// They begin together.
    #[default]
    Left,
    /// Their middles stand over each other.
    Middle,
    /// They end together.
    Right,
}

/// How writing is set. All in mm.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Setting {
    /// To which side.
    pub align: Align,
    /// Letters stand so much further apart than the face has them.
    pub spaced: f64,
    /// From base line to base line; 0 for what is usual, [`Setting::LINES`] heights.
    pub lines: f64,
    /// It is made as large as fits this wide, and this high where that is not 0; nothing where the width is 0.
    pub fit: (f64, f64),
    /// The base line is a circle of this radius about the spot; letters stand outside of it over its top, or inside of it along its
    /// foot where it is less than nothing. Nothing where it is 0.
    pub round: f64,
}

impl Setting {
    /// From base line to base line, in heights of capitals.
    pub const LINES: f64 = 1.6;

    /// True where nothing is set otherwise than usual.
    pub fn is_usual(&self) -> bool {
        *self == Self::default()
    }
    /// Refuses what cannot be set.
    pub fn checked(&self) -> Result<(), String> {
        let all = [self.spaced, self.lines, self.fit.0, self.fit.1, self.round];
        // A circle so small that letters would lie on each other is none.
        let round = self.round == 0.0 || self.round.abs() >= 0.5;
        if all.iter().any(|v| !v.is_finite() || v.abs() > 5_000.0) || self.fit.0 < 0.0 || self.fit.1 < 0.0 || self.lines < 0.0 || !round {
            return Err(
                "letters cannot be set so far apart, so large or round such a circle; use 0 to 5000 mm, and a radius of 0.5 mm at least"
                    .into(),
            );
        }
        Ok(())
    }
}

/// Sets text, its lines parted by `|` or line breaks: the first base line along x from 0, 0, those below under it; round a circle about
/// 0, 0. Its width is that of its longest line.
pub fn set(text: &str, height: f64, face: Face, setting: &Setting) -> Line {
    let one = arranged(text, height, face, setting);
    let (w, h) = setting.fit;
    if w <= 0.0 || one.width <= 0.0 || setting.round != 0.0 {
        return one;
    }
    let ink = ink(&one.paths);
    let wide = w / ink.width().max(one.width * 1e-3);
    let share = if h > 0.0 { wide.min(h / ink.height().max(1e-9)) } else { wide };
    let spaced = Setting { spaced: setting.spaced * share, lines: setting.lines * share, ..*setting };
    arranged(text, height * share, face, &spaced)
}

/// The box of what is burned.
fn ink(paths: &[Path]) -> Bounds {
    paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()))
}

fn arranged(text: &str, height: f64, face: Face, setting: &Setting) -> Line {
    let lines: Vec<Line> = text.split(['|', '\n']).map(|t| spaced(line(t.trim(), height, face), setting.spaced)).collect();
    let width = lines.iter().map(|l| l.width).fold(0.0, f64::max);
    let pitch = if setting.lines > 0.0 { setting.lines } else { Setting::LINES * height };
    let mut out = Line { width, ..Line::default() };
    for (k, l) in lines.into_iter().enumerate() {
        let down = k as f64 * pitch;
        let begins = match setting.align {
            Align::Left => 0.0,
            Align::Middle => (width - l.width) / 2.0,
            Align::Right => width - l.width,
        };
        out.missing.extend(&l.missing);
        if setting.round == 0.0 {
            let first = out.paths.len();
            let place = Affine::translate(Vec2::new(begins, -down));
            out.paths.extend(l.paths.iter().map(|p| p.transformed(place)));
            out.letters.extend(l.letters.into_iter().map(|mut c| {
                c.paths = c.paths.start + first..c.paths.end + first;
                c.at += begins;
                c
            }));
        } else {
            out.paths.extend(bent(&l, setting.round, down));
        }
    }
    out
}

/// A line with its letters further apart.
fn spaced(mut line: Line, by: f64) -> Line {
    if by == 0.0 {
        return line;
    }
    for (k, letter) in line.letters.iter_mut().enumerate() {
        let place = Affine::translate(Vec2::new(k as f64 * by, 0.0));
        letter.at += k as f64 * by;
        line.paths[letter.paths.clone()].iter_mut().for_each(|p| *p = p.transformed(place));
    }
    line.width = (line.width + by * line.letters.len().saturating_sub(1) as f64).max(0.0);
    line
}

/// A line round a circle about 0, 0, each letter upright on it; lines further down lie nearer to its middle over its top, further
/// from it along its foot.
fn bent(line: &Line, radius: f64, down: f64) -> Vec<Path> {
    let over = radius > 0.0;
    let r = if over { radius - down } else { radius.abs() + down };
    if r <= 0.0 {
        return Vec::new();
    }
    let place = |letter: &super::Letter| {
        let middle = letter.at + letter.width / 2.0;
        let angle = (middle - line.width / 2.0) / r;
        let home = Affine::translate(Vec2::new(-middle, if over { r } else { -r }));
        Affine::rotate(if over { -angle } else { angle }) * home
    };
    line.letters.iter().flat_map(|l| line.paths[l.paths.clone()].iter().map(|p| p.transformed(place(l)))).collect()
}

//! Pictures: grey levels to power, row by row.
//!
//! A picture is laid on the sheet, sampled at the row pitch both ways, brought to the tones that are wanted, and either
//! engraved in as many powers as there are greys or dithered to on and off.

mod dither;
#[cfg(test)]
mod tests;

pub use dither::Dither;

use crate::drawing::Bitmap;
use crate::geometry::{Affine, Bounds, Clip, Point};
use crate::ids::ContourId;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Pixels of one raster at most: a bed of 1.5 × 1.25 m at 10 rows a millimetre.
pub const MOST_PIXELS: usize = 190_000_000;

/// How the greys of a picture become burns.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Tone {
    /// Greys as powers, or dots.
    pub dither: Dither,
    /// Added to every grey, in percent of white: −100 to 100.
    pub brightness: f64,
    /// Greys drawn apart or together about the middle, in percent: −100 to 100.
    pub contrast: f64,
    /// Exponent on the grey level, 0.1 to 10: above 1 the middle greys become darker.
    pub gamma: f64,
    /// Light is burned instead of dark: for stock on which engraving uncovers a lighter ground.
    pub invert: bool,
    /// Only what lies inside this contour is engraved.
    pub crop: Option<ContourId>,
}

impl Default for Tone {
    fn default() -> Self {
        Self { dither: Dither::Grey, brightness: 0.0, contrast: 0.0, gamma: 1.0, invert: false, crop: None }
    }
}

impl Tone {
    /// How much each grey level (0 black to 255 white) burns, 0 to 255.
    pub fn curve(&self) -> [u8; 256] {
        // Contrast turns the line about the middle grey: 100 % is upright, −100 % flat.
        let slope = ((self.contrast.clamp(-100.0, 100.0) + 100.0) / 200.0 * std::f64::consts::FRAC_PI_2).tan().min(255.0);
        std::array::from_fn(|level| {
            let grey = (level as f64 / 255.0).powf(self.gamma.clamp(0.1, 10.0));
            let grey = ((grey - 0.5) * slope + 0.5 + self.brightness.clamp(-100.0, 100.0) / 100.0).clamp(0.0, 1.0);
            let burn = if self.invert { grey } else { 1.0 - grey };
            (burn * 255.0).round() as u8
        })
    }

    /// The settings in one line.
    pub fn words(&self) -> String {
        let mut words = vec![self.dither.name().to_owned()];
        let mut add = |name: &str, v: f64| {
            if v != 0.0 {
                words.push(format!("{name} {v:+}"));
            }
        };
        add("brightness", self.brightness);
        add("contrast", self.contrast);
        if (self.gamma - 1.0).abs() > 1e-9 {
            words.push(format!("gamma {}", self.gamma));
        }
        if self.invert {
            words.push("inverted".into());
        }
        if self.crop.is_some() {
            words.push("cropped".into());
        }
        words.join(", ")
    }
}

/// A picture as it will be engraved: how much each pixel burns. Pixels are squares of the pitch; pixel column c of row r
/// lies at ((column + c) pitch, (row + r) pitch) to the next.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Raster {
    /// Number of its first column from the origin.
    pub column: i64,
    /// Number of its lowest row from the origin.
    pub row: i64,
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// 0 for nothing to 255 for full power, row by row from the lowest.
    #[serde(with = "serde_bytes")]
    pub burn: Vec<u8>,
}

impl Raster {
    /// The pixels of a row, from 0.
    pub fn pixels(&self, row: usize) -> &[u8] {
        &self.burn[row * self.width..(row + 1) * self.width]
    }
    /// First and one past the last pixel of a row that burn; `None` for a row with nothing in it.
    pub fn burned(&self, row: usize) -> Option<(usize, usize)> {
        let pixels = self.pixels(row);
        let first = pixels.iter().position(|b| *b > 0)?;
        let last = pixels.iter().rposition(|b| *b > 0)?;
        Some((first, last + 1))
    }
    /// Runs of equal burn in a row between its first and last burned pixel: from, to, burn.
    pub fn runs(&self, row: usize) -> impl Iterator<Item = (usize, usize, u8)> + '_ {
        let (first, end) = self.burned(row).unwrap_or((0, 0));
        let pixels = self.pixels(row);
        let mut at = first;
        std::iter::from_fn(move || {
            if at >= end {
                return None;
            }
            let (from, burn) = (at, pixels[at]);
            while at < end && pixels[at] == burn {
                at += 1;
            }
            Some((from, at, burn))
        })
    }
}

/// Lays a picture on the sheet: `place` maps its unit square to the sheet's mm. `None` where it would take more than
/// [`MOST_PIXELS`] at this pitch (mm).
pub fn raster(bitmap: &Bitmap, place: Affine, tone: &Tone, clip: Option<&Clip>, pitch: f64) -> Option<Raster> {
    let b = Bounds::of([(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)].map(|(x, y)| place * Point::new(x, y)));
    let first = |v: f64| (v / pitch + 1e-6).floor() as i64;
    let end = |v: f64| (v / pitch - 1e-6).ceil() as i64;
    let (column, row) = (first(b.min.x), first(b.min.y));
    let (width, height) = ((end(b.max.x) - column).max(1) as usize, (end(b.max.y) - row).max(1) as usize);
    if !b.min.is_finite() || width.checked_mul(height).is_none_or(|n| n > MOST_PIXELS) || place.determinant() == 0.0 {
        return None;
    }
    let sampler = Sampler::new(bitmap, place, pitch);
    let curve = tone.curve();
    let mut burn = vec![0_u8; width * height];
    burn.par_chunks_mut(width).enumerate().for_each(|(r, line)| {
        let y = ((row + r as i64) as f64 + 0.5) * pitch;
        for (c, pixel) in line.iter_mut().enumerate() {
            let p = Point::new(((column + c as i64) as f64 + 0.5) * pitch, y);
            *pixel = sampler.grey(p).map_or(0, |g| curve[usize::from(g)]);
        }
        if let Some(clip) = clip {
            outside(line, column, y, pitch, clip);
        }
    });
    // Dots are set before the clip's edge is known to them; what lies outside it burns nothing and takes no dot.
    tone.dither.apply(&mut burn, width);
    Some(Raster { column, row, width, height, burn })
}

/// Empties the pixels of a row at height `y` whose middle is outside the clip.
fn outside(line: &mut [u8], column: i64, y: f64, pitch: f64, clip: &Clip) {
    let spans = clip.row(y);
    let mut at = 0;
    for (c, pixel) in line.iter_mut().enumerate() {
        let x = ((column + c as i64) as f64 + 0.5) * pitch;
        while at < spans.len() && spans[at].1 < x {
            at += 1;
        }
        if at >= spans.len() || x < spans[at].0 {
            *pixel = 0;
        }
    }
}

/// Grey levels of a picture at places of the sheet.
struct Sampler<'a> {
    bitmap: &'a Bitmap,
    /// From the sheet to pixels, y down.
    home: Affine,
    /// Pixels of the picture under one of the raster, each way; 1 where the picture is the coarser.
    under: u32,
    step: f64,
}

impl<'a> Sampler<'a> {
    fn new(bitmap: &'a Bitmap, place: Affine, pitch: f64) -> Self {
        let (w, h) = (bitmap.width as f64, bitmap.height as f64);
        let home = Affine::new([w, 0.0, 0.0, -h, 0.0, h]) * place.inverse();
        let density = home.determinant().abs().sqrt() * pitch;
        Self { bitmap, home, under: (density.round() as u32).clamp(1, 8), step: pitch }
    }

    /// The grey at a place, averaged over what lies under a pixel where the picture is the finer, else weighed between
    /// the nearest four; `None` off the picture.
    fn grey(&self, p: Point) -> Option<u8> {
        if self.under == 1 {
            return self.between(self.home * p);
        }
        let n = self.under;
        let (mut sum, mut count) = (0_u32, 0_u32);
        for i in 0..n * n {
            let off = |k: u32| ((f64::from(k) + 0.5) / f64::from(n) - 0.5) * self.step;
            let q = self.home * Point::new(p.x + off(i % n), p.y + off(i / n));
            if let Some(g) = self.at(q.x.floor() as i64, q.y.floor() as i64) {
                sum += u32::from(g);
                count += 1;
            }
        }
        // Half a pixel at the edge is still the picture's.
        (count * 2 >= n * n).then(|| ((sum + count / 2) / count.max(1)) as u8)
    }

    fn at(&self, x: i64, y: i64) -> Option<u8> {
        let b = self.bitmap;
        (x >= 0 && y >= 0 && (x as usize) < b.width && (y as usize) < b.height).then(|| b.grey[y as usize * b.width + x as usize])
    }

    fn between(&self, q: Point) -> Option<u8> {
        self.at(q.x.floor() as i64, q.y.floor() as i64)?;
        let (x, y) = (q.x - 0.5, q.y - 0.5);
        let (cx, cy) = (x.floor(), y.floor());
        let (fx, fy) = (x - cx, y - cy);
        let near = |dx: i64, dy: i64| {
            let (x, y) =
                ((cx as i64 + dx).clamp(0, self.bitmap.width as i64 - 1), (cy as i64 + dy).clamp(0, self.bitmap.height as i64 - 1));
            f64::from(self.bitmap.grey[y as usize * self.bitmap.width + x as usize])
        };
        let upper = near(0, 0) * (1.0 - fx) + near(1, 0) * fx;
        let lower = near(0, 1) * (1.0 - fx) + near(1, 1) * fx;
        Some((upper * (1.0 - fy) + lower * fy).round() as u8)
    }
}

//! The bed as a camera sees it: where its marks are, how the lens bends it, the same laid flat at true scale, and the outline of
//! what lies on it.

mod lens;
mod marks;
mod scrap;

pub use lens::{Lens, similar};
pub use marks::{dots, find, radius};
pub use scrap::{offcut, outline};

use crate::geometry::{Affine, Point};

/// Longest side of a picture that is taken, pixels.
pub const LONGEST: usize = 8000;
/// Longest side of a bed's flat picture, pixels, and its finest scale, pixels to the mm.
const FLAT: (f64, f64) = (1600.0, 2.0);

/// A picture in colours.
#[derive(Clone, Debug, PartialEq)]
pub struct Photo {
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Red, green, blue, row by row from the top.
    pub rgb: Vec<u8>,
}

impl Photo {
    /// A picture of one colour.
    pub fn plain(width: usize, height: usize, colour: [u8; 3]) -> Self {
        Self { width, height, rgb: colour.repeat(width * height) }
    }
    /// A pixel.
    pub fn at(&self, x: usize, y: usize) -> [f64; 3] {
        let i = 3 * (y * self.width + x);
        [0, 1, 2].map(|c| f64::from(self.rgb[i + c]))
    }
    /// How light a pixel is, 0 to 255.
    pub fn grey(&self, x: usize, y: usize) -> f64 {
        let [r, g, b] = self.at(x, y);
        0.299 * r + 0.587 * g + 0.114 * b
    }
    /// The colour at a place in pixels from the upper left corner, between pixels as well; `None` outside.
    pub fn sampled(&self, p: Point) -> Option<[f64; 3]> {
        // The middle of the first pixel is at a half.
        let (x, y) = (p.x - 0.5, p.y - 0.5);
        if !(x > -0.5 && y > -0.5 && x < self.width as f64 - 0.5 && y < self.height as f64 - 0.5) {
            return None;
        }
        let (x, y) = (x.clamp(0.0, self.width as f64 - 1.0), y.clamp(0.0, self.height as f64 - 1.0));
        let (i, j) = (x as usize, y as usize);
        let (fx, fy) = (x - i as f64, y - j as f64);
        let (i1, j1) = ((i + 1).min(self.width - 1), (j + 1).min(self.height - 1));
        let (a, b, c, d) = (self.at(i, j), self.at(i1, j), self.at(i, j1), self.at(i1, j1));
        Some([0, 1, 2].map(|k| (a[k] * (1.0 - fx) + b[k] * fx) * (1.0 - fy) + (c[k] * (1.0 - fx) + d[k] * fx) * fy))
    }
}

/// The whole bed laid flat, its far edge up.
#[derive(Clone, Debug, PartialEq)]
pub struct Flat {
    /// The picture.
    pub photo: Photo,
    /// Pixels to the mm.
    pub per_mm: f64,
}

impl Flat {
    /// A bed of this size (mm) as `to_picture` finds each of its places (mm) in a picture (pixels from its upper left corner). What
    /// the picture does not show is grey.
    pub fn of(picture: &Photo, bed: (f64, f64), to_picture: impl Fn(Point) -> Point) -> Self {
        let per_mm = FLAT.1.min(FLAT.0 / bed.0.max(bed.1));
        let (width, height) = ((bed.0 * per_mm).round().max(1.0) as usize, (bed.1 * per_mm).round().max(1.0) as usize);
        let mut photo = Photo::plain(width, height, [128; 3]);
        for y in 0..height {
            for x in 0..width {
                let at = Point::new((x as f64 + 0.5) / per_mm, bed.1 - (y as f64 + 0.5) / per_mm);
                if let Some(colour) = picture.sampled(to_picture(at)) {
                    let i = 3 * (y * width + x);
                    (0..3).for_each(|c| photo.rgb[i + c] = colour[c].round() as u8);
                }
            }
        }
        Self { photo, per_mm }
    }
    /// The bed as its own camera sees it, by its four marks. Fails where these are not found, or do not lie as marks do.
    pub fn by_marks(picture: &Photo, bed: (f64, f64)) -> Result<Self, String> {
        let seen = find(picture)?;
        let places: Vec<(Point, Point)> = dots(bed).iter().flatten().copied().zip(seen.iter().flatten().copied()).collect();
        let lens = Lens::found(&places, (picture.width, picture.height), bed)?;
        Ok(Self::of(picture, bed, |p| lens.seen(p)))
    }
    /// From pixels with y up from the lower edge to mm on the bed.
    pub fn to_bed(&self) -> Affine {
        Affine::scale(1.0 / self.per_mm)
    }
}

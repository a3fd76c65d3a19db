//! Pictures, PNG and JPEG: grey levels, to be traced.

use crate::ReadError;
use boustrophe_core::drawing::{Bitmap, Drawing, FileUnits};
use image::{ImageReader, Limits};
use std::io::Cursor;
use std::sync::Arc;

/// Longest side taken, pixels.
const LONGEST: u32 = 16_000;
/// Memory that a picture may take while it is decoded, bytes.
const MEMORY: u64 = 768 << 20;

/// Reads a picture as grey levels; what is transparent is paper. It is in pixels of an unstated size.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: String| ReadError::Broken { file: file.into(), line: 1, what };
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|e| broken(e.to_string()))?;
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height, limits.max_alloc) = (Some(LONGEST), Some(LONGEST), Some(MEMORY));
    reader.limits(limits);
    let picture = reader.decode().map_err(|e| {
        broken(format!("the picture cannot be decoded ({e}). Save it again as PNG or JPEG, at most {LONGEST} pixels a side."))
    })?;
    let (width, height) = (picture.width() as usize, picture.height() as usize);
    // Transparent pixels show the paper behind them.
    let grey: Vec<u8> = picture
        .to_luma_alpha8()
        .pixels()
        .map(|p| {
            let (l, a) = (u32::from(p[0]), u32::from(p[1]));
            ((l * a + 255 * (255 - a)) / 255) as u8
        })
        .collect();
    let mut drawing = Drawing::new(file, FileUnits::Pixels);
    drawing.bitmap = Some(Arc::new(Bitmap { width, height, grey }));
    drawing.read = 1;
    Ok(drawing)
}

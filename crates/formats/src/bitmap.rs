//! Pictures, PNG and JPEG: grey levels, to be engraved or traced.

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
    let bitmap = decode(bytes).map_err(|what| ReadError::Broken { file: file.into(), line: 1, what })?;
    let mut drawing = Drawing::new(file, FileUnits::Pixels);
    drawing.bitmap = Some(Arc::new(bitmap));
    drawing.read = 1;
    Ok(drawing)
}

/// The grey levels of a PNG or JPEG. The message says what is wrong with it and what to do.
pub(crate) fn decode(bytes: &[u8]) -> Result<Bitmap, String> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|e| e.to_string())?;
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height, limits.max_alloc) = (Some(LONGEST), Some(LONGEST), Some(MEMORY));
    reader.limits(limits);
    let picture = reader
        .decode()
        .map_err(|e| format!("the picture cannot be decoded ({e}). Save it again as PNG or JPEG, at most {LONGEST} pixels a side."))?;
    let (width, height) = (picture.width() as usize, picture.height() as usize);
    // Transparent pixels show the paper behind them.
    let grey = picture.to_luma_alpha8().pixels().map(|p| on_paper(p[0], p[1])).collect();
    Ok(Bitmap { width, height, grey })
}

/// A picture of `width` × `height` pixels as PNG, four bytes a pixel: red, green, blue, opacity. `None` where the bytes are
/// not as many as that takes.
pub fn write_png(width: usize, height: usize, rgba: Vec<u8>) -> Option<Vec<u8>> {
    let picture = image::RgbaImage::from_raw(u32::try_from(width).ok()?, u32::try_from(height).ok()?, rgba)?;
    let mut out = Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).ok()?;
    Some(out.into_inner())
}

/// A grey level of this opacity over white paper.
pub(crate) fn on_paper(level: u8, alpha: u8) -> u8 {
    let (l, a) = (u32::from(level), u32::from(alpha));
    ((l * a + 255 * (255 - a)) / 255) as u8
}

//! Pictures, PNG and JPEG: grey levels, to be engraved or traced.

use crate::ReadError;
use boustrophe_core::bed::Photo;
use boustrophe_core::drawing::{Bitmap, Drawing, FileUnits};
use image::metadata::Orientation;
use image::{DynamicImage, ImageDecoder, ImageReader, Limits};
use std::io::Cursor;
use std::sync::Arc;

/// Longest side taken, pixels.
const LONGEST: u32 = 16_000;
/// Memory that a picture may take while it is decoded, bytes.
const MEMORY: u64 = 768 << 20;

/// Resolutions that are believed, pixels to the mm: 15 to 5000 to the inch.
const RESOLUTIONS: std::ops::Range<f64> = 0.6..200.0;

/// Pixels to the mm as the file says: PNG's `pHYs` chunk in pixels to the metre (PNG specification, 11.3.5.3), or JPEG's JFIF
/// density in dots to the inch or cm (ISO/IEC 10918-5). `None` where it says nothing, or only a ratio.
fn resolution(bytes: &[u8]) -> Option<f64> {
    let word = |at: usize, n: usize| bytes.get(at..at + n).map(|b| b.iter().fold(0_u64, |v, b| v << 8 | u64::from(*b)));
    let per_mm = if bytes.starts_with(b"\x89PNG") {
        let mut at = 8;
        loop {
            let (length, kind) = (word(at, 4)? as usize, bytes.get(at + 4..at + 8)?);
            match kind {
                b"pHYs" if bytes.get(at + 16) == Some(&1) => break word(at + 8, 4)? as f64 / 1000.0,
                b"IDAT" | b"IEND" => return None,
                _ => at = at.checked_add(length)?.checked_add(12)?,
            }
        }
    } else {
        let at = bytes.get(..64)?.windows(5).position(|w| w == b"JFIF\0")?;
        let density = word(at + 8, 2)? as f64;
        match bytes.get(at + 7)? {
            1 => density / 25.4,
            2 => density / 10.0,
            _ => return None,
        }
    };
    RESOLUTIONS.contains(&per_mm).then_some(per_mm)
}

/// Reads a picture as grey levels; what is transparent is paper. It is in pixels; what the file says of their size is taken.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let bitmap = decode(bytes).map_err(|what| ReadError::Broken { file: file.into(), line: 1, what })?;
    let units = resolution(bytes).map_or(FileUnits::Pixels, |per_mm| FileUnits::Scale(1.0 / per_mm));
    let mut drawing = Drawing::new(file, units);
    drawing.damage.extend(cut_off(bytes, &bitmap));
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
    let failed = |e: &dyn std::fmt::Display| {
        format!("the picture cannot be decoded ({e}). Save it again as PNG or JPEG, at most {LONGEST} pixels a side.")
    };
    let mut decoder = reader.into_decoder().map_err(|e| failed(&e))?;
    if decoder.total_bytes() > MEMORY {
        return Err(failed(&"it is too large"));
    }
    // A camera says which way up it was held (EXIF 2.3, tag 274): pictures are shown so, and read so.
    let turn = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    let mut picture = DynamicImage::from_decoder(decoder).map_err(|e| failed(&e))?;
    picture.apply_orientation(turn);
    let (width, height) = (picture.width() as usize, picture.height() as usize);
    // Transparent pixels show the paper behind them.
    let grey = picture.to_luma_alpha8().pixels().map(|p| on_paper(p[0], p[1])).collect();
    Ok(Bitmap { width, height, grey })
}

/// What is to be said of a JPEG that ends before its end (ITU-T T.81, B.1.1.3: the end of image marker), and of how much of it
/// was never drawn. `None` for a whole one, and for a PNG: of those a part is refused when it is decoded.
pub(crate) fn cut_off(bytes: &[u8], bitmap: &Bitmap) -> Option<String> {
    if !bytes.starts_with(&[0xff, 0xd8]) || jpeg_ends(bytes) {
        return None;
    }
    // What could not be decoded is of one level, whatever the decoder fills it with.
    let rows = bitmap.grey.chunks_exact(bitmap.width.max(1)).rev();
    let last = *bitmap.grey.last()?;
    let blank = rows.take_while(|row| row.iter().all(|g| *g == last)).count();
    let percent = 100.0 * blank as f64 / bitmap.height.max(1) as f64;
    Some(if percent >= 1.0 {
        format!("the picture was cut off on its way: the lowest {percent:.0} % of it are missing.")
    } else {
        "the picture was cut off on its way: the end of its data is missing.".to_owned()
    })
}

/// Follows the segments of a JPEG to its end marker.
fn jpeg_ends(bytes: &[u8]) -> bool {
    let mut at = 2;
    while let Some(mark) = bytes.get(at..at + 2) {
        match (mark[0], mark[1]) {
            (0xff, 0xd9) => return true,
            // Fill bytes, restart marks and escaped data have no length.
            (0xff, 0xff) => at += 1,
            (0xff, 0x00 | 0x01 | 0xd0..=0xd8) => at += 2,
            (0xff, _) => match bytes.get(at + 2..at + 4) {
                Some(length) => at += 2 + usize::from(u16::from_be_bytes([length[0], length[1]])).max(2),
                None => return false,
            },
            _ => at += 1,
        }
    }
    false
}

/// A PNG or JPEG in its colours. The message says what is wrong with it and what to do.
pub fn photo(bytes: &[u8]) -> Result<Photo, String> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|e| e.to_string())?;
    let mut limits = Limits::default();
    let longest = u32::try_from(boustrophe_core::bed::LONGEST).unwrap_or(LONGEST);
    (limits.max_image_width, limits.max_image_height, limits.max_alloc) = (Some(longest), Some(longest), Some(MEMORY));
    reader.limits(limits);
    let picture = reader
        .decode()
        .map_err(|e| format!("the photo cannot be read ({e}); save it as PNG or JPEG of at most {longest} pixels a side"))?;
    let rgb = picture.into_rgb8();
    let (width, height) = (rgb.width() as usize, rgb.height() as usize);
    Ok(Photo { width, height, rgb: rgb.into_raw() })
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

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture as a camera writes it: how it was held is in a block of its own behind the first marker.
    fn held(turn: u8) -> Vec<u8> {
        let (w, h) = (48, 16);
        // Dark in the lower left corner.
        let pixels: Vec<u8> = (0..w * h).map(|i| if i % w < 16 && i / w >= 8 { 0 } else { 255 }).collect();
        let mut jpeg = Vec::new();
        let made = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut jpeg, 95).encode(
            &pixels,
            w as u32,
            h as u32,
            image::ExtendedColorType::L8,
        );
        made.expect("a picture");
        let tiff = [b"II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".as_slice(), &[turn, 0, 0, 0, 0, 0, 0, 0]].concat();
        let block = [b"Exif\0\0".as_slice(), &tiff].concat();
        let length = (block.len() as u16 + 2).to_be_bytes();
        [&jpeg[..2], &[0xff, 0xe1], &length, &block, &jpeg[2..]].concat()
    }

    #[test]
    fn a_picture_is_read_the_way_up_that_it_is_shown() {
        // Where the dark corner comes to lie: to the right, and down.
        for (turn, size, dark) in
            [(1, (48, 16), (0.1, 0.8)), (3, (48, 16), (0.9, 0.2)), (6, (16, 48), (0.2, 0.1)), (8, (16, 48), (0.8, 0.9))]
        {
            let b = decode(&held(turn)).expect("a picture");
            assert_eq!((b.width, b.height), size, "{turn}");
            let at = |x: f64, y: f64| b.grey[(y * b.height as f64) as usize * b.width + (x * b.width as f64) as usize];
            assert!(at(dark.0, dark.1) < 60 && at(1.0 - dark.0, 1.0 - dark.1) > 200, "{turn}");
        }
    }
}

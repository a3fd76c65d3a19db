//! The characters of a file: UTF-8 unless its first bytes or its first line say otherwise.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use std::borrow::Cow;

/// An encoding is named within so many bytes.
const DECLARED_WITHIN: usize = 200;

/// A file as text; else the line, and what is wrong with it.
pub(super) fn text(bytes: &[u8]) -> Result<Cow<'_, str>, (usize, String)> {
    let encoding = Encoding::for_bom(bytes).map(|e| e.0).or_else(|| unmarked(bytes)).unwrap_or(UTF_8);
    let bare = Encoding::for_bom(bytes).map_or(bytes, |(_, mark)| &bytes[mark..]);
    if encoding == UTF_8 {
        return std::str::from_utf8(bare).map(Cow::Borrowed).map_err(|e| {
            let line = bare[..e.valid_up_to()].iter().filter(|b| **b == b'\n').count() + 1;
            (line, "this is not text in UTF-8. Save the SVG again, uncompressed.".into())
        });
    }
    let (text, damaged) = encoding.decode_without_bom_handling(bare);
    if damaged {
        let line = text.split('\u{fffd}').next().unwrap_or("").matches('\n').count() + 1;
        return Err((line, format!("this is not text in {}, as the file says. Save the SVG again in UTF-8.", encoding.name())));
    }
    Ok(text)
}

/// What a file without a mark says of itself: by its first line, or by every other byte being none.
fn unmarked(bytes: &[u8]) -> Option<&'static Encoding> {
    match bytes {
        [b'<', 0, _, 0, ..] => return Some(UTF_16LE),
        [0, b'<', 0, _, ..] => return Some(UTF_16BE),
        _ => {}
    }
    let head = bytes[..bytes.len().min(DECLARED_WITHIN)].split(|b| *b == b'>').next()?;
    let head = std::str::from_utf8(head).ok().filter(|h| h.trim_start().starts_with("<?xml"))?;
    let (_, behind) = head.split_once("encoding")?;
    let name = behind.trim_start().strip_prefix('=')?.trim_start().trim_start_matches(['"', '\'']);
    Encoding::for_label(name.split(['"', '\'']).next()?.as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_are_read_as_the_file_says() {
        let svg = |encoding: &str| format!("<?xml version=\"1.0\" encoding=\"{encoding}\"?>\n<svg>Schräg ø</svg>");
        let latin = svg("ISO-8859-1").chars().map(|c| c as u8).collect::<Vec<u8>>();
        let wide = |big: bool| move |u: u16| if big { u.to_be_bytes() } else { u.to_le_bytes() };
        let utf16 = |big: bool, mark: &str| format!("{mark}{}", svg("UTF-16")).encode_utf16().flat_map(wide(big)).collect::<Vec<u8>>();
        for bytes in
            [latin, utf16(true, "\u{feff}"), utf16(false, "\u{feff}"), utf16(true, ""), utf16(false, ""), svg("utf-8").into_bytes()]
        {
            assert!(text(&bytes).expect("text").ends_with("<svg>Schräg ø</svg>"));
        }
        let (line, what) = text(b"<svg>\n\n\xe4</svg>").expect_err("not in UTF-8");
        assert!(line == 3 && what.contains("UTF-8"));
    }
}

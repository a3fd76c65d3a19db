//! Tables as spreadsheets write them: a row of names, and a row a copy. Commas, semicolons or tabs between.

use crate::ReadError;
use boustrophe_core::decisions::table::Table;
use encoding_rs::{Encoding, UTF_16BE, UTF_16LE, WINDOWS_1252};

/// Largest table, bytes.
const MOST_BYTES: usize = 4 << 20;

/// Reads a table. Fails where it is no text, has no rows, or a row has more cells than there are names.
pub fn read(file: &str, bytes: &[u8]) -> Result<Table, ReadError> {
    let broken = |line: usize, what: String| ReadError::Broken { file: file.into(), line, what };
    if bytes.len() > MOST_BYTES {
        return Err(broken(1, format!("the table is larger than {} MB. Split it.", MOST_BYTES >> 20)));
    }
    let (text, encoding) = text(bytes);
    if text.contains('\0') {
        return Err(broken(1, "this is no table of text. Save the sheet as CSV (UTF-8).".into()));
    }
    let text = text.trim_start_matches('\u{feff}');
    // Some writers say in a first line of its own what stands between the cells.
    let said = text.lines().next().and_then(|l| l.trim_end_matches(['\r', '\n']).strip_prefix("sep=")).filter(|s| s.len() == 1);
    let (delimiter, skipped) = said.map_or((between(text), 0), |s| (s.as_bytes()[0], text.find('\n').map_or(text.len(), |i| i + 1)));
    let (text, before) = (&text[skipped..], usize::from(skipped > 0));
    let broken = |line: usize, what: String| broken(line + before, what);
    if let Some(line) = unclosed(text) {
        return Err(broken(
            line,
            "a quotation mark is opened here and never closed: what follows would be one cell. Close it, or leave it out.".into(),
        ));
    }
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(delimiter).from_reader(text.as_bytes());
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut columns: Vec<String> = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|e| {
            broken(
                e.position().map_or(1, |p| p.line() as usize),
                "this row cannot be read; look for a quotation mark without its other.".into(),
            )
        })?;
        let line = record.position().map_or(1, |p| p.line() as usize);
        // A line break within a cell is one between words.
        let cells: Vec<String> = record.iter().map(|c| c.split_whitespace().collect::<Vec<_>>().join(" ")).collect();
        if cells.iter().all(String::is_empty) {
            continue;
        }
        if columns.is_empty() {
            columns = cells;
        } else if cells.len() > columns.len() && cells[columns.len()..].iter().any(|c| !c.is_empty()) {
            let (n, of) = (cells.len(), columns.len());
            return Err(broken(
                line,
                format!("this row has {n} cells, but there are {of} columns. Put words with a comma in them in quotation marks."),
            ));
        } else {
            rows.push(cells);
        }
    }
    if rows.is_empty() {
        return Err(broken(1, "the table needs a row with the columns' names and at least one row below it.".into()));
    }
    Ok(Table { name: file.to_owned(), columns, rows, supposed: encoding.map(str::to_owned), ..Table::default() })
}

/// A table's text. What has no mark and is no UTF-8 was written on an older machine: it is taken as Windows 1252, and the name of
/// that is given, since it may be another.
fn text(bytes: &[u8]) -> (String, Option<&'static str>) {
    if let Some((encoding, mark)) = Encoding::for_bom(bytes) {
        return (encoding.decode_without_bom_handling(&bytes[mark..]).0.into_owned(), None);
    }
    // Letters of two bytes, of which one is nothing in most: the first or the second.
    let pairs = bytes.as_chunks::<2>().0.iter().take(2000);
    let (n, low, high) = pairs.fold((0, 0, 0), |(n, low, high), p| (n + 1, low + usize::from(p[1] == 0), high + usize::from(p[0] == 0)));
    if n > 0 && bytes.len().is_multiple_of(2) && low.max(high) * 10 >= n * 6 && low.min(high) * 10 < n {
        let encoding = if low > high { UTF_16LE } else { UTF_16BE };
        return (encoding.decode_without_bom_handling(bytes).0.into_owned(), None);
    }
    match std::str::from_utf8(bytes) {
        Ok(text) => (text.to_owned(), None),
        Err(_) => (WINDOWS_1252.decode_without_bom_handling(bytes).0.into_owned(), Some("Windows 1252")),
    }
}

/// The line of a quotation mark that is opened and never closed.
fn unclosed(text: &str) -> Option<usize> {
    let mut open = None;
    for (i, line) in text.lines().enumerate() {
        for _ in line.matches('"') {
            open = if open.is_some() { None } else { Some(i + 1) };
        }
    }
    open
}

/// What stands between the cells: what the first line has most of, outside quotation marks.
fn between(text: &str) -> u8 {
    let first = text.lines().find(|l| !l.trim().is_empty()).unwrap_or("");
    let mut quoted = false;
    let bare: String = first
        .chars()
        .filter(|c| {
            quoted ^= *c == '"';
            !quoted
        })
        .collect();
    let count = |b: u8| bare.bytes().filter(|c| *c == b).count();
    [b',', b';', b'\t'].into_iter().max_by_key(|b| (count(*b), *b == b',')).unwrap_or(b',')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_are_read_as_they_are_written() {
        let same = [
            "name,no\nOdile,1\n\"Teck, Bram\",2\n".as_bytes().to_vec(),
            "\u{feff}name;no\r\nOdile;1\r\n\r\n\"Teck, Bram\";2\r\n".as_bytes().to_vec(),
            "name\tno\nOdile\t1\nTeck, Bram\t2".as_bytes().to_vec(),
        ];
        for bytes in same {
            let t = read("names.csv", &bytes).expect("it is read");
            assert_eq!(
                (t.columns, t.rows),
                (vec!["name".to_owned(), "no".into()], vec![vec!["Odile".to_owned(), "1".into()], vec!["Teck, Bram".into(), "2".into()]])
            );
        }
        let old = read("n.csv", b"name\nZo\xeb \x80\x8a\n").expect("it is read");
        assert!(old.rows == [["Zoë €Š"]] && old.supposed.as_deref() == Some("Windows 1252"));
        let wide = |mark: &str, big: bool| {
            let two = move |u: u16| if big { u.to_be_bytes() } else { u.to_le_bytes() };
            format!("{mark}name;no\r\nŁukasz;1\r\nΑθήνα;2\r\n").encode_utf16().flat_map(two).collect::<Vec<u8>>()
        };
        for bytes in [wide("\u{feff}", true), wide("\u{feff}", false), wide("", true), wide("", false)] {
            let t = read("n.csv", &bytes).expect("it is read");
            assert_eq!((t.rows, t.supposed), (vec![vec!["Łukasz".to_owned(), "1".into()], vec!["Αθήνα".into(), "2".into()]], None));
        }
        for bytes in ["sep=;\nname;no\n\"Bee\nkeeper, best\";2\n", "sep=\t\nname\tno\nBee keeper, best\t2\n"] {
            let t = read("n.csv", bytes.as_bytes()).expect("it is read");
            assert_eq!((t.columns, t.rows), (vec!["name".to_owned(), "no".into()], vec![vec!["Bee keeper, best".to_owned(), "2".into()]]));
        }
        assert!(read("n.csv", b"sep=;\na;b\n1;2\n1;2;3\n").expect_err("too many").to_string().starts_with("n.csv, line 4:"));
        let latin = read("n.csv", b"name\nZo\xeb\n").expect("it is read");
        assert_eq!(latin.rows, [["Zoë"]]);
    }

    #[test]
    fn what_is_no_table_is_told_with_its_line() {
        for (bytes, line, said) in [
            (&b"name\n"[..], 1, "at least one row"),
            (b"a,b\n1,2\n1,2,3\n", 3, "3 cells"),
            (b"PK\x03\x04\0\0", 1, "no table"),
            (b"", 1, "at least one row"),
            (b"name,no\nOdile,1\n\"Bram,2\nAda,3\n", 3, "never closed"),
        ] {
            let e = read("t.csv", bytes).expect_err("refused").to_string();
            assert!(e.starts_with(&format!("t.csv, line {line}:")) && e.contains(said), "{e}");
        }
    }
}

//! Sheets whose programs do the same: what is shown of one holds for all of them.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use boustrophe_core::release::Program;
use boustrophe_store::SheetRow;

/// The longest program that is read for this, bytes: a longer one stands by itself.
const LONGEST: usize = 4 << 20;

/// Sheets of a release in groups that do the same, by their places in `rows`, each in the order of its first.
pub fn of_release(app: &App, rows: &[SheetRow]) -> Result<Vec<Vec<usize>>, ShopError> {
    let key = |r: &SheetRow| (r.seconds.to_bits(), r.pieces, r.stock_id, r.pieces_of_stock, r.lay.clone(), r.machine.clone());
    grouped(rows, key, |r| Ok(app.store.program_of(&r.sum)?))
}

/// The same of a batch that is proved and not released.
pub fn of_batch(loaded: &Loaded) -> Result<Vec<Vec<usize>>, ShopError> {
    let here = loaded.here();
    let sheets: Vec<usize> = (0..here.proofs.len()).collect();
    let rack = |i: usize| here.nested.layout.sheets.get(i).and_then(|s| s.sheet.rack);
    let key = |i: &usize| (here.proofs[*i].seconds.to_bits(), rack(*i));
    let text = |i: &usize| match here.programs.get(*i) {
        Some(Program::Kept(text)) => Ok(text.to_string()),
        _ => Ok(String::new()),
    };
    grouped(&sheets, key, text)
}

/// Groups of those that have one key and whose programs do the same. Programs are read only where keys are equal.
fn grouped<T, K: PartialEq>(
    all: &[T],
    key: impl Fn(&T) -> K,
    text: impl Fn(&T) -> Result<String, ShopError>,
) -> Result<Vec<Vec<usize>>, ShopError> {
    struct Group<K> {
        key: K,
        does: Option<String>,
        sheets: Vec<usize>,
    }
    let does = |i: usize| text(&all[i]).map(|t| if t.is_empty() || t.len() > LONGEST { format!("alone {i}") } else { does(&t) });
    let mut out: Vec<Group<K>> = Vec::new();
    for (i, one) in all.iter().enumerate() {
        let key = key(one);
        let mut mine = None;
        for group in out.iter_mut().filter(|g| g.key == key) {
            let theirs = match group.does.take() {
                Some(known) => known,
                None => does(group.sheets[0])?,
            };
            let here = match mine.take() {
                Some(known) => known,
                None => does(i)?,
            };
            let same = theirs == here;
            (group.does, mine) = (Some(theirs), Some(here));
            if same {
                group.sheets.push(i);
                mine = None;
                break;
            }
        }
        if !out.iter().any(|g| g.sheets.last() == Some(&i)) {
            out.push(Group { key, does: mine, sheets: vec![i] });
        }
    }
    Ok(out.into_iter().map(|g| g.sheets).collect())
}

/// What a program has the machine do: its lines without comments, which name the sheet.
fn does(program: &str) -> String {
    let mut out = String::with_capacity(program.len());
    for line in program.lines() {
        let mut rest = line.split(';').next().unwrap_or_default();
        let before = out.len();
        while let Some((code, comment)) = rest.split_once('(') {
            out.push_str(code.trim());
            rest = comment.split_once(')').map_or("", |c| c.1);
        }
        out.push_str(rest.trim());
        if out.len() > before {
            out.push('\n');
        }
    }
    out
}

/// Numbers from 1 as they are read: `1 to 4, 7 and 9`.
pub fn numbers(all: &[usize]) -> String {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for n in all.iter().copied() {
        match runs.last_mut() {
            Some(run) if run.1 + 1 == n => run.1 = n,
            _ => runs.push((n, n)),
        }
    }
    let words = runs.iter().flat_map(|(a, b)| match b - a {
        0 => vec![a.to_string()],
        1 => vec![a.to_string(), b.to_string()],
        _ => vec![format!("{a} to {b}")],
    });
    let words: Vec<String> = words.collect();
    match words.split_last() {
        Some((last, before)) if !before.is_empty() => format!("{} and {last}", before.join(", ")),
        _ => words.join(""),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sheets_that_differ_in_comments_alone_are_one() {
        let programs =
            ["(sheet 1 of 4)\nG0 X1\nM2", "(sheet 2 of 4)\nG0 X2\nM2", "(sheet 3 of 4)\nG0 X1 (over) ; again\n\nM2", "G0 X1\nM2"];
        let of = |keys: [u8; 4]| {
            let all: Vec<usize> = (0..4).collect();
            grouped(&all, |i| keys[*i], |i| Ok(programs[*i].to_owned())).expect("read")
        };
        assert_eq!(of([1; 4]), [vec![0, 2, 3], vec![1]]);
        assert_eq!(of([1, 1, 2, 1]), [vec![0, 3], vec![1], vec![2]]);
        // A line that is cut short, and what is too long to be read, are like no other.
        let none = |i: &usize| Ok(if *i < 2 { String::new() } else { "X".repeat(LONGEST + 1) });
        assert_eq!(grouped(&[0, 1, 2, 3], |_| 0, none).expect("read").len(), 4);
        assert!(grouped(&[0], |_| 0, |_| Err(ShopError::Sentence(String::new()))).is_ok(), "one alone is not read");
    }

    #[test]
    fn numbers_are_read_in_runs() {
        for (all, words) in [
            (vec![], ""),
            (vec![3], "3"),
            (vec![1, 2], "1 and 2"),
            (vec![1, 2, 3, 4, 7, 9], "1 to 4, 7 and 9"),
            (vec![1, 2, 5, 6, 7], "1, 2 and 5 to 7"),
        ] {
            assert_eq!(numbers(&all), words);
        }
    }
}

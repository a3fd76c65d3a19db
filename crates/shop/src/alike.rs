//! Sheets whose programs do the same: what is shown of one holds for all of them.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use boustrophe_core::dialect::without_comments;
use boustrophe_core::release::Program;
use boustrophe_machine::checksum;
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
    let does = |i: usize| {
        let text = text(&all[i])?;
        let alone = text.is_empty() || text.len() > LONGEST;
        // What stands by itself is told apart by its place.
        Ok::<_, ShopError>(if alone { (String::new(), i) } else { (checksum(&without_comments(&text)), 0) })
    };
    let mut out = Vec::new();
    for members in gathered(all.iter().map(key).zip(0..)) {
        if members.len() == 1 {
            out.push(members);
        } else {
            let keys = members.into_iter().map(|i| Ok((does(i)?, i))).collect::<Result<Vec<_>, ShopError>>()?;
            out.extend(gathered(keys.into_iter()));
        }
    }
    out.sort_by_key(|members| members[0]);
    Ok(out)
}

/// Numbers by their keys, each group in the order of its first.
fn gathered<K: PartialEq>(all: impl Iterator<Item = (K, usize)>) -> Vec<Vec<usize>> {
    let mut out: Vec<(K, Vec<usize>)> = Vec::new();
    for (key, i) in all {
        match out.iter_mut().find(|g| g.0 == key) {
            Some(group) => group.1.push(i),
            None => out.push((key, vec![i])),
        }
    }
    out.into_iter().map(|g| g.1).collect()
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

//! File names that are safe on every file system and carry the right ending.

use boustrophe_core::decisions::BatchDecisions;
use boustrophe_core::shop::Machine;
use boustrophe_store::Job;

/// Letters, digits and single hyphens, at most 40 of them; never empty.
pub fn safe(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        if c.is_ascii_alphanumeric() {
            out.push(c.to_ascii_lowercase());
        } else if !out.ends_with('-') && !out.is_empty() {
            out.push('-');
        }
        if out.len() >= 40 {
            break;
        }
    }
    let out = out.trim_matches('-').to_owned();
    if out.is_empty() { "job".into() } else { out }
}

/// What people call something, as a file's name: signs become underscores.
pub fn plain(name: &str) -> String {
    name.chars().map(|c| if c.is_alphanumeric() || " -_".contains(c) { c } else { '_' }).collect()
}

/// What a file of a sheet (from 0, as numbered through) is called by the machine's pattern, without ending.
pub fn stem(job: &Job, batch: &BatchDecisions, sheet: usize, machine: &Machine) -> String {
    let b = &batch.stock;
    let mut name = machine.file_names.clone();
    for (what, is) in [
        ("{number}", job.id.to_string()),
        ("{job}", safe(&job.name)),
        ("{sheet}", format!("{:02}", sheet + 1)),
        ("{material}", safe(&b.material)),
        ("{thickness}", safe(&b.thickness.to_string())),
        ("{machine}", safe(&machine.name)),
        ("{initials}", if batch.release.initials.is_empty() { String::new() } else { safe(&batch.release.initials) }),
    ] {
        name = name.replace(what, &is);
    }
    whole(&name)
}

/// A name of letters, digits, underscores and single hyphens, with none of these at its ends.
fn whole(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars() {
        let c = if c.is_ascii_alphanumeric() || c == '_' { c } else { '-' };
        if c != '-' || !out.ends_with('-') {
            out.push(c);
        }
    }
    let out: String = out.trim_matches('-').chars().take(LONGEST).collect();
    let out = out.trim_matches('-').to_owned();
    // Names that one system keeps for itself.
    let kept = ["con", "prn", "aux", "nul"].contains(&out.to_ascii_lowercase().as_str());
    if out.is_empty() || kept { format!("sheet-{out}").trim_matches('-').to_owned() } else { out }
}

/// Letters of a name, without its ending.
const LONGEST: usize = 110;

/// The program's file name.
pub fn program(job: &Job, batch: &BatchDecisions, sheet: usize, machine: &Machine) -> String {
    format!("{}.nc", stem(job, batch, sheet, machine))
}

#[cfg(test)]
mod tests {
    use super::{safe, whole};

    #[test]
    fn patterns_come_to_names_that_are_safe_everywhere() {
        for (from, to) in [
            ("7-boxes-s01-birch-3mm-", "7-boxes-s01-birch-3mm"),
            ("../s02/..\\x", "s02-x"),
            ("CON", "sheet-CON"),
            ("", "sheet"),
            ("s01 .", "s01"),
        ] {
            assert_eq!(whole(from), to, "{from}");
        }
        assert!(whole(&"a-".repeat(200)).len() <= 110);
    }

    #[test]
    fn names_are_safe_everywhere() {
        for (from, to) in [
            ("Spring nucleus boxes", "spring-nucleus-boxes"),
            ("../../etc/passwd", "etc-passwd"),
            ("con: <ä>?", "con"),
            ("", "job"),
            ("///", "job"),
        ] {
            assert_eq!(safe(from), to);
        }
        assert!(safe(&"long ".repeat(100)).len() <= 41);
    }
}

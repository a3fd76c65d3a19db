//! File names that are safe on every file system and carry the right ending.

use boustrophe_core::decisions::BatchDecisions;
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

/// Job, sheet (from 0, as numbered through), material, thickness and initials, without ending.
pub fn stem(job: &Job, batch: &BatchDecisions, sheet: usize) -> String {
    let b = &batch.stock;
    let mut stem = format!("{}-{}-s{:02}-{}-{}mm", job.id, safe(&job.name), sheet + 1, safe(&b.material), safe(&b.thickness.to_string()));
    if !batch.release.initials.is_empty() {
        stem = format!("{stem}-{}", safe(&batch.release.initials));
    }
    stem
}

/// The program's file name.
pub fn program(job: &Job, batch: &BatchDecisions, sheet: usize) -> String {
    format!("{}.nc", stem(job, batch, sheet))
}

#[cfg(test)]
mod tests {
    use super::safe;

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

//! The house's own rules, read from its sources: nothing here is part of the application.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// How many of so many cases a long test plays: a third with every change, all of them where `THOROUGH=1` is said.
pub fn played(all: u32) -> u32 {
    if std::env::var_os("THOROUGH").is_some() { all } else { all.div_ceil(3) }
}

/// Root of the sources.
pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// All Rust files under a folder.
pub fn sources(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            found.extend(sources(&path));
        } else if path.extension().is_some_and(|e| e == "rs") {
            found.push(path);
        }
    }
    found.sort();
    found
}

/// The modules at the top of a crate, each with its text, without tests and remarks.
pub fn modules(src: &Path) -> BTreeMap<String, String> {
    let mut all: BTreeMap<String, String> = BTreeMap::new();
    for file in sources(src) {
        let Ok(inside) = file.strip_prefix(src) else { continue };
        let parts: Vec<String> = inside.iter().map(|p| p.to_string_lossy().trim_end_matches(".rs").to_owned()).collect();
        let skipped = ["tests", "testing", "lib", "main", "simulation"];
        if parts.iter().any(|p| skipped.contains(&p.as_str())) {
            continue;
        }
        let text = std::fs::read_to_string(&file).unwrap_or_default();
        let text = text.split("\n#[cfg(test)]\nmod tests {").next().unwrap_or_default();
        let plain: Vec<&str> = text.lines().map(|l| l.split("//").next().unwrap_or_default()).collect();
        let of = all.entry(parts[0].clone()).or_default();
        of.push_str(&plain.join("\n"));
        of.push('\n');
    }
    all
}

/// The modules that a text names behind `crate::`, in braces or not.
pub fn imports(text: &str) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    for (at, word) in text.match_indices("crate::") {
        // `mycrate::` is another word.
        if text[..at].chars().next_back().is_some_and(|c| c.is_alphanumeric() || c == '_') {
            continue;
        }
        let rest = &text[at + word.len()..];
        let Some(group) = rest.strip_prefix('{') else {
            found.insert(name(rest));
            continue;
        };
        let (mut depth, mut at_name) = (1, true);
        for (i, c) in group.char_indices() {
            match c {
                '{' => depth += 1,
                '}' => depth -= 1,
                ',' if depth == 1 => at_name = true,
                c if at_name && depth == 1 && c.is_alphanumeric() => {
                    found.insert(name(&group[i..]));
                    at_name = false;
                }
                _ => {}
            }
            if depth == 0 {
                break;
            }
        }
    }
    found
}

fn name(text: &str) -> String {
    text.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect()
}

/// Modules that import each other in a circle: each with all that it is in a circle with.
pub fn circles(modules: &BTreeMap<String, String>) -> Vec<BTreeSet<String>> {
    let ties: BTreeMap<&String, BTreeSet<String>> =
        modules.iter().map(|(m, text)| (m, imports(text).into_iter().filter(|i| i != m && modules.contains_key(i)).collect())).collect();
    let reach = |from: &String| {
        let (mut seen, mut open) = (BTreeSet::new(), vec![from.clone()]);
        while let Some(m) = open.pop() {
            open.extend(ties[&m].iter().filter(|n| seen.insert((*n).clone())).cloned());
        }
        seen
    };
    let reached: BTreeMap<&String, BTreeSet<String>> = modules.keys().map(|m| (m, reach(m))).collect();
    let with = |m: &String| -> BTreeSet<String> { reached[m].iter().filter(|n| reached[n].contains(m)).cloned().collect() };
    let mut all: Vec<BTreeSet<String>> = modules.keys().map(with).filter(|c| !c.is_empty()).collect();
    all.sort();
    all.dedup();
    all
}

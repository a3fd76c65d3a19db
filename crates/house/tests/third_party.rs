//! Third-party parts: from one registry, under licences that are allowed, told at /about as it is in the lock file.

use boustrophe_house::root;
use std::collections::{BTreeMap, BTreeSet};

fn read(file: &str) -> String {
    std::fs::read_to_string(root().join(file)).unwrap_or_else(|e| panic!("{file}: {e}"))
}

/// Name, version and licence of every crate that is told.
fn told() -> Vec<(String, String, String)> {
    let text = read("crates/app/static/third-party.txt");
    let head = text.split("\n====").next().unwrap_or_default();
    let line = |l: &str| {
        let (what, licence) = l.split_once(" | ")?;
        let (name, version) = what.rsplit_once(' ')?;
        version.starts_with(|c: char| c.is_ascii_digit()).then(|| (name.to_owned(), version.to_owned(), licence.to_owned()))
    };
    head.lines().filter_map(line).collect()
}

/// Name, version and source of every package of the lock file.
fn locked() -> BTreeSet<(String, String, String)> {
    let field = |block: &str, name: &str| {
        let line = block.lines().find_map(|l| l.strip_prefix(&format!("{name} = \"")))?;
        Some(line.trim_end_matches('"').to_owned())
    };
    let package = |block: &str| Some((field(block, "name")?, field(block, "version")?, field(block, "source").unwrap_or_default()));
    read("Cargo.lock").split("[[package]]").filter_map(package).collect()
}

/// True where an expression of licences is met by those that are allowed.
fn allowed(expression: &str, list: &BTreeSet<String>) -> bool {
    let plain = expression.replace(['(', ')'], "").replace('/', " OR ");
    plain.split(" AND ").all(|all| all.split(" OR ").any(|one| list.contains(one.trim())))
}

/// The words in quotes behind `key = [` in deny.toml.
fn listed(key: &str) -> BTreeSet<String> {
    let text = read("deny.toml");
    let from = text.split(&format!("\n{key} = [")).nth(1).unwrap_or_else(|| panic!("deny.toml has no {key}"));
    let inside = from.split("\n]").next().unwrap_or_default();
    let inside = if from.find(']') < from.find('\n') { from.split(']').next().unwrap_or_default() } else { inside };
    inside.split('"').skip(1).step_by(2).map(str::to_owned).collect()
}

#[test]
fn what_others_made_is_allowed_and_told() {
    let (told, locked, licences) = (told(), locked(), listed("allow"));
    assert!(told.len() > 100 && locked.len() > told.len());
    for (name, version, licence) in &told {
        let here = locked.iter().any(|l| (&l.0, &l.1) == (name, version));
        assert!(here, "{name} {version} is told and not used: run scripts/third-party and commit what it writes");
        assert!(allowed(licence, &licences), "{name} {version} is under {licence}, which deny.toml does not allow");
    }
    for (name, _, source) in &locked {
        let ours = source.is_empty() && name.starts_with("boustrophe");
        assert!(ours || source == "registry+https://github.com/rust-lang/crates.io-index", "{name} comes from “{source}”");
        assert!(!listed("deny").contains(name), "{name} is not wanted");
    }
    // What our own crates name is told too.
    let names: BTreeSet<&str> = told.iter().map(|t| t.0.as_str()).collect();
    for one in std::fs::read_dir(root().join("crates")).expect("the crates").flatten() {
        let text = std::fs::read_to_string(one.path().join("Cargo.toml")).expect("a manifest");
        let named = text.split("\n[dependencies]\n").nth(1).and_then(|t| t.split("\n[").next()).unwrap_or_default();
        for name in named.lines().filter_map(|l| l.split(['.', ' ', '=']).next()).filter(|n| !n.is_empty() && !n.starts_with("boustrophe"))
        {
            assert!(names.contains(name), "{name} is used and not told: run scripts/third-party and commit what it writes");
        }
    }
}

#[test]
fn nothing_is_there_in_two_versions_but_what_is_known() {
    let known = listed("skip");
    let mut versions: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (name, version, _) in told() {
        versions.entry(name).or_default().insert(version);
    }
    for (name, all) in versions.iter().filter(|v| v.1.len() > 1) {
        let unknown = all.iter().filter(|v| !known.contains(&format!("{name}@{}", v.split('+').next().unwrap_or(v)))).count();
        assert!(unknown <= 1, "{name} is there as {all:?}");
    }
}

#[test]
fn expressions_of_licences_are_read() {
    let list: BTreeSet<String> = ["MIT", "Unicode-3.0"].map(str::to_owned).into();
    assert!(
        allowed("MIT OR Apache-2.0", &list) && allowed("(MIT OR Apache-2.0) AND Unicode-3.0", &list) && allowed("Apache-2.0/MIT", &list)
    );
    assert!(!allowed("MIT AND GPL-3.0", &list) && !allowed("GPL-3.0", &list));
}

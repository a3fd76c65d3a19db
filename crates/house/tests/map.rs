//! What `docs/map.md` and CONTRIBUTING name is there.

use boustrophe_house::root;

/// True where a text makes something of this name.
fn makes(text: &str, name: &str) -> bool {
    ["fn ", "struct ", "enum ", "trait ", "const ", "type "].iter().any(|kind| {
        let said = format!("{kind}{name}");
        text.match_indices(&said).any(|(at, _)| !text[at + said.len()..].starts_with(|c: char| c.is_alphanumeric() || c == '_'))
    })
}

#[test]
fn every_answer_of_the_map_is_there() {
    let map = std::fs::read_to_string(root().join("docs/map.md")).expect("the map");
    let rows: Vec<Vec<&str>> = map.lines().filter(|l| l.contains("| `crates/")).map(|l| l.split('`').collect()).collect();
    assert!(rows.len() >= 30, "{}", rows.len());
    for row in rows {
        let (file, name) = (row[1], row[3]);
        let text = std::fs::read_to_string(root().join(file)).unwrap_or_else(|e| panic!("{file}: {e}"));
        assert!(makes(&text, name), "{file} makes no {name}");
    }
    assert!(makes("pub(super) fn at(path: &Path)", "at") && !makes("pub fn attach()", "at"));
}

#[test]
fn files_that_the_guides_name_are_there() {
    let mut named = 0;
    for guide in ["CONTRIBUTING.md", "README.md", "docs/architecture.md", "docs/testing.md", "docs/dialects.md", "docs/formats.md"] {
        let text = std::fs::read_to_string(root().join(guide)).expect(guide);
        let words = text.split('`').skip(1).step_by(2);
        for word in words.filter(|w| w.contains('/') && (w.ends_with(".rs") || w.ends_with('/')) && !w.contains(['{', '*', ' ', '<'])) {
            // `core/print.rs` is short for a source of that crate.
            let source = word.split_once('/').map(|(one, inside)| root().join("crates").join(one).join("src").join(inside));
            let there = ["", "crates", "crates/core/src", "crates/app"].iter().any(|from| root().join(from).join(word).exists());
            let there = there || source.is_some_and(|s| s.exists());
            assert!(there || word.contains("NAME") || word.starts_with("target/"), "{guide} names {word}, which is not there");
            named += 1;
        }
    }
    assert!(named > 15, "{named}");
}

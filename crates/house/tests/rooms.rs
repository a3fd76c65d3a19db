//! What a room may hold: handlers are short, and the running shop knows no web.

use boustrophe_house::{root, sources};

/// Lines of a handler at most, from its first to its brace.
const LONGEST_HANDLER: usize = 15;

/// Lengths in lines of the functions of a text that answer requests, with their names.
fn handlers(text: &str) -> Vec<(String, usize)> {
    let lines: Vec<&str> = text.lines().collect();
    let begins = |l: &&str| l.starts_with("pub async fn ");
    let of = |(at, line): (usize, &&str)| {
        let name = line.trim_start_matches("pub async fn ").split(['(', '<']).next().unwrap_or_default().to_owned();
        let end = lines[at..].iter().position(|l| *l == "}").unwrap_or(0);
        (name, end + 1)
    };
    lines.iter().enumerate().filter(|(_, l)| begins(l)).map(of).collect()
}

#[test]
fn handlers_fetch_call_and_render() {
    let mut seen = 0;
    for file in sources(&root().join("crates/app/src/pages")) {
        let text = std::fs::read_to_string(&file).expect("a source");
        for (name, lines) in handlers(&text) {
            seen += 1;
            assert!(lines <= LONGEST_HANDLER, "{} in {} has {lines} lines", name, file.display());
        }
    }
    assert!(seen > 80, "{seen} handlers");
    let long = format!("pub async fn far() {{\n{}}}\n", "    step();\n".repeat(20));
    assert_eq!(handlers(&long), [("far".to_owned(), 22)]);
}

#[test]
fn the_running_shop_knows_neither_pages_nor_the_web() {
    for room in ["geometry", "core", "formats", "machine", "store", "shop"] {
        let manifest = std::fs::read_to_string(root().join(format!("crates/{room}/Cargo.toml"))).expect("its manifest");
        let web = ["axum", "askama", "hyper", "tower"].into_iter().find(|w| manifest.lines().any(|l| l.starts_with(w)));
        assert_eq!(web, None, "{room}");
    }
}

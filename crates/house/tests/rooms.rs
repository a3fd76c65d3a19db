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
    for file in ["stations", "things"].iter().flat_map(|r| sources(&root().join("crates/app/src").join(r))) {
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
    for room in ["geometry", "nest", "core", "formats", "machine", "store", "shop"] {
        let manifest = std::fs::read_to_string(root().join(format!("crates/{room}/Cargo.toml"))).expect("its manifest");
        let web = ["axum", "askama", "hyper", "tower"].into_iter().find(|w| manifest.lines().any(|l| l.starts_with(w)));
        assert_eq!(web, None, "{room}");
    }
}

/// Who looks for what belongs to a station or a thing finds it in one folder.
#[test]
fn a_room_holds_all_that_is_its_own() {
    let app = root().join("crates/app/src");
    for station in ["intake", "clean", "assign", "nest", "order", "hold", "proof", "release"] {
        let room = app.join("stations").join(station);
        let all = ["mod.rs", "docket.rs", "docket.html"].map(|f| room.join(f).is_file());
        assert_eq!(all, [true; 3], "{station}");
        // At Proof nothing is decided.
        assert_eq!(room.join("edits.rs").is_file(), station != "proof", "{station}");
    }
    for thing in ["about", "book", "floor", "machines", "rack", "runs"] {
        assert!(app.join("things").join(thing).join("mod.rs").is_file(), "{thing}");
    }
    // What every page has in common, and nothing of one room's.
    let mut common: Vec<String> = std::fs::read_dir(root().join("crates/app/templates"))
        .expect("templates")
        .flatten()
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .collect();
    common.sort();
    assert_eq!(common, ["base.html", "error.html", "forms.html"]);
}

//! What pages, remedies and the guide say, against the list of words in `docs/words.md`.

use boustrophe_house::root;
use std::path::{Path, PathBuf};

/// What is not said, with what is said instead; in small letters.
fn not_said() -> Vec<(String, String)> {
    let text = std::fs::read_to_string(root().join("docs/words.md")).expect("the list of words");
    let rows = text.lines().filter(|l| l.starts_with('|')).skip(2);
    let row = |l: &str| -> Vec<(String, String)> {
        let cells: Vec<&str> = l.trim_matches('|').split('|').map(str::trim).collect();
        let [say, _, not] = cells[..] else { panic!("a row of three: {l}") };
        not.split(", ").map(|n| (n.to_lowercase(), say.to_owned())).collect()
    };
    rows.flat_map(row).collect()
}

fn files(folder: &Path, kind: &str, out: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).expect("a folder").flatten() {
        let path = entry.path();
        if path.is_dir() {
            files(&path, kind, out);
        } else if path.extension().is_some_and(|e| e == kind) {
            out.push(path);
        }
    }
}

/// What a template shows: pieces of text between its tags, and what its fields are called.
fn shown(template: &str) -> Vec<String> {
    let mut out = Vec::new();
    let mut text = String::new();
    let mut rest = template;
    while let Some(c) = rest.chars().next() {
        let (end, tag) = match rest {
            r if r.starts_with("{#") => (r.find("#}").map(|i| i + 2), false),
            r if r.starts_with("{%") => (r.find("%}").map(|i| i + 2), false),
            r if r.starts_with("{{") => (r.find("}}").map(|i| i + 2), false),
            r if r.starts_with('<') => (r.find('>').map(|i| i + 1), true),
            _ => (None, false),
        };
        let Some(end) = end else {
            text.push(c);
            rest = &rest[c.len_utf8()..];
            continue;
        };
        if tag {
            for name in ["aria-label=\"", "title=\"", "placeholder=\""] {
                out.extend(rest[..end].split(name).skip(1).filter_map(|a| a.split('"').next()).map(str::to_owned));
            }
        }
        // Figures stand within sentences, tags end them.
        text.push(if tag { '\n' } else { ' ' });
        rest = &rest[end..];
    }
    out.extend(text.lines().map(str::to_owned));
    out
}

/// Labels of remedies and choices in the code.
fn labels(code: &str) -> Vec<String> {
    [".mend(\"", ".choice(\"", ".acceptable(\""]
        .iter()
        .flat_map(|w| code.split(w).skip(1))
        .filter_map(|t| t.split('"').next())
        .map(str::to_owned)
        .collect()
}

/// What a page of the guide marks as a label: what stands between asterisks.
fn marked(page: &str) -> Vec<String> {
    page.split('*')
        .skip(1)
        .step_by(2)
        .filter(|t| !t.trim().is_empty() && !t.contains('\n'))
        .map(str::to_owned)
        .chain(between_pairs(page))
        .collect()
}

fn between_pairs(page: &str) -> Vec<String> {
    page.split("**").skip(1).step_by(2).filter(|t| !t.contains('\n')).map(str::to_owned).collect()
}

/// A phrase as words of their own: a single word is meant only where it is all that is said.
fn says(text: &str, phrase: &str) -> bool {
    let small = text.to_lowercase();
    let small = small.trim().trim_end_matches(['.', ':', ',']);
    if !phrase.contains(' ') {
        return small == phrase;
    }
    small.match_indices(phrase).any(|(i, p)| {
        let letter = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
        !letter(small[..i].chars().next_back()) && !letter(small[i + p.len()..].chars().next())
    })
}

#[test]
fn nothing_is_said_that_the_list_has_another_word_for() {
    let words = not_said();
    assert!(words.len() > 20, "{words:?}");
    let (mut templates, mut code, mut guide) = (Vec::new(), Vec::new(), Vec::new());
    files(&root().join("crates/app"), "html", &mut templates);
    files(&root().join("crates/core/src"), "rs", &mut code);
    files(&root().join("docs/guide"), "md", &mut guide);
    assert!(templates.len() > 20 && code.len() > 50 && guide.len() > 8);
    let read = |p: &PathBuf| std::fs::read_to_string(p).expect("a file");
    let all = templates
        .iter()
        .map(|p| (p, shown(&read(p))))
        .chain(code.iter().map(|p| (p, labels(&read(p)))))
        .chain(guide.iter().map(|p| (p, marked(&read(p)))));
    let mut found = Vec::new();
    for (path, texts) in all {
        for text in texts {
            let hit = words.iter().find(|(not, _)| says(&text, not));
            found.extend(hit.map(|(not, say)| format!("{}: “{}” says “{not}”; we say “{say}”", path.display(), text.trim())));
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}

#[test]
fn what_is_not_said_is_found() {
    let page =
        "<p class=\"hint\">{# Say so #}{% if x %}<label title=\"Write it down\">{{ n }} there</label>{% endif %}<button>Do it</button></p>";
    let said = shown(page);
    for phrase in ["do it", "write it down", "there"] {
        assert!(said.iter().any(|t| says(t, phrase)), "{phrase}: {said:?}");
    }
    assert!(!said.iter().any(|t| says(t, "say so")), "comments say nothing");
    assert!(!says("undo items", "do it") && !says("There is room.", "there"));
    assert_eq!(labels(".choice(\"Cut it so\", x).acceptable(\"Leave\")"), ["Cut it so", "Leave"]);
}

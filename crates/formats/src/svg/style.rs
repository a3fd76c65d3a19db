//! Declarations of style attributes and rules of style sheets, however their values are written: one that cannot be read takes
//! none of those behind it along.

/// A property and its value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Declaration<'a> {
    pub(super) name: &'a str,
    pub(super) value: &'a str,
    pub(super) important: bool,
}

/// The declarations of a block.
pub(super) fn declarations(block: &str) -> impl Iterator<Item = Declaration<'_>> {
    pieces(block, ';').filter_map(|piece| {
        let (name, value) = piece.split_once(':')?;
        let (value, mark) = value.split_once('!').unwrap_or((value, ""));
        Some(Declaration { name: name.trim(), value: value.trim(), important: mark.trim().eq_ignore_ascii_case("important") })
    })
}

/// A style sheet in its parts.
#[derive(Debug, Default)]
pub(super) struct Parts {
    /// Selectors, one of a list each, and their block.
    pub(super) rules: Vec<(String, String)>,
    /// What it takes from elsewhere: `@import`.
    pub(super) outside: Vec<String>,
    /// Conditions that hold on some screens only.
    pub(super) conditions: Vec<String>,
}

/// Blocks within blocks are followed this far.
const DEEPEST: usize = 8;

impl Parts {
    pub(super) fn of(sheet: &str) -> Self {
        let mut parts = Self::default();
        parts.read(&without_comments(sheet), 0);
        parts
    }

    fn read(&mut self, text: &str, depth: usize) {
        let mut rest = text;
        while let Some(open) = bare(rest).find(|(_, c)| *c == '{').map(|(i, _)| i) {
            // Statements without a block stand before the next that has one.
            let (before, behind) = (&rest[..open], &rest[open + 1..]);
            let mut statements: Vec<&str> = pieces(before, ';').collect();
            let head = statements.pop().unwrap_or("").trim();
            statements.iter().for_each(|s| self.statement(s));
            let end = closing(behind);
            let block = &behind[..end];
            rest = behind.get(end + 1..).unwrap_or("");
            match head.strip_prefix('@') {
                None => self.rules.extend(pieces(head, ',').map(|s| (s.trim().replace(":root", "svg"), block.to_owned()))),
                Some(at) if depth < DEEPEST => {
                    let (name, condition) = at.split_once(|c: char| c.is_whitespace() || c == '(').unwrap_or((at, ""));
                    let shown = match name {
                        "media" => self.holds(condition),
                        "supports" | "layer" => true,
                        _ => false,
                    };
                    if shown {
                        self.read(block, depth + 1);
                    }
                }
                Some(_) => {}
            }
        }
        rest.split(';').for_each(|s| self.statement(s));
    }

    fn statement(&mut self, text: &str) {
        if let Some(name) = text.trim().strip_prefix("@import") {
            let name = name.trim().trim_start_matches("url(").trim_matches([')', '"', '\'', ' ']);
            self.outside.push(name.chars().take(60).collect());
        }
    }

    /// True where a condition for a medium holds on a screen in light colours; what depends on its size is told, and does not.
    fn holds(&mut self, condition: &str) -> bool {
        let condition = condition.to_ascii_lowercase();
        let words: Vec<&str> = condition.split(|c: char| !c.is_ascii_alphanumeric() && c != '-').filter(|w| !w.is_empty()).collect();
        let not = words.first() == Some(&"not");
        match &words[usize::from(not)..] {
            [] | ["screen" | "all"] | ["prefers-color-scheme", "light"] => !not,
            ["print" | "speech"] | ["prefers-color-scheme", "dark"] => not,
            _ if condition.contains(',') => pieces(&condition, ',').any(|c| self.holds(c)),
            _ => {
                self.conditions.push(condition.trim().chars().take(60).collect());
                false
            }
        }
    }
}

/// The characters that stand in no quotes, and where.
fn bare(text: &str) -> impl Iterator<Item = (usize, char)> + '_ {
    let mut quote = None;
    text.char_indices().filter(move |(_, c)| match quote {
        Some(q) => {
            quote = (*c != q).then_some(q);
            false
        }
        None => {
            quote = matches!(c, '"' | '\'').then_some(*c);
            true
        }
    })
}

/// Where the block ends that has been opened.
fn closing(text: &str) -> usize {
    let mut depth = 0_usize;
    for (i, c) in bare(text) {
        match c {
            '{' => depth += 1,
            '}' if depth == 0 => return i,
            '}' => depth -= 1,
            _ => {}
        }
    }
    text.len()
}

fn without_comments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, comment)) = rest.split_once("/*") {
        out.push_str(before);
        rest = comment.split_once("*/").map_or("", |(_, behind)| behind);
    }
    // What keeps a sheet from being read as XML.
    (out + rest).replace("<!--", " ").replace("-->", " ")
}

/// The pieces between separators that stand in no quotes and no brackets.
pub(super) fn pieces(block: &str, separator: char) -> impl Iterator<Item = &str> {
    let (mut depth, mut quote) = (0_usize, None);
    block.split(move |c: char| {
        match (quote, c) {
            (Some(q), _) if c == q => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(c),
            (None, '(' | '[') => depth += 1,
            (None, ')' | ']') => depth = depth.saturating_sub(1),
            (None, c) if c == separator => return depth == 0,
            _ => {}
        }
        false
    })
}

/// A value with what its `var(--name, otherwise)` stand for; `None` where one stands for nothing.
pub(super) fn substituted(value: &str, known: &dyn Fn(&str) -> Option<String>, depth: usize) -> Option<String> {
    let Some((before, behind)) = value.split_once("var(") else { return Some(value.to_owned()) };
    if depth > DEEPEST {
        return None;
    }
    let mut open = 1_usize;
    let end = behind.char_indices().find_map(|(i, c)| {
        open = match c {
            '(' => open + 1,
            ')' => open - 1,
            _ => open,
        };
        (open == 0).then_some(i)
    })?;
    let (name, otherwise) = behind[..end].split_once(',').map_or((&behind[..end], None), |(n, o)| (n, Some(o)));
    let stands_for = known(name.trim()).or_else(|| otherwise.map(|o| o.trim().to_owned()))?;
    substituted(&format!("{before}{stands_for}{}", &behind[end + 1..]), known, depth + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sheets_fall_into_rules() {
        let parts = Parts::of(
            "/* a { } */ @import url('a.css'); @charset \"x\"; .a, g > [id=\"{;,\"] { fill: url(data:x;y) !important; stroke:red } @media print { .b { } } @media screen { :root { --c : 1 } } @media (min-width: 3px) { p {} } @font-face { src: x }",
        );
        let selectors: Vec<&str> = parts.rules.iter().map(|r| r.0.as_str()).collect();
        assert_eq!(selectors, [".a", "g > [id=\"{;,\"]", "svg"]);
        assert_eq!((parts.outside, parts.conditions), (vec!["a.css".to_owned()], vec!["(min-width: 3px)".to_owned()]));
        let all: Vec<Declaration> = declarations(" fill: url(data:x;y) !important; stroke:red;;x").collect();
        assert_eq!(
            all,
            [
                Declaration { name: "fill", value: "url(data:x;y)", important: true },
                Declaration { name: "stroke", value: "red", important: false }
            ]
        );
    }

    #[test]
    fn variables_stand_for_what_they_were_given() {
        let known = |name: &str| {
            [("--a", "red"), ("--b", "var(--a)"), ("--loop", "var(--loop)")].iter().find(|k| k.0 == name).map(|k| k.1.to_owned())
        };
        let of = |value: &str| substituted(value, &known, 0);
        assert_eq!(of("var( --b )"), Some("red".into()));
        assert_eq!(of("1 var(--none, calc(2)) 3"), Some("1 calc(2) 3".into()));
        assert_eq!((of("var(--none)"), of("var(--loop)"), of("var(--a")), (None, None, None));
    }
}

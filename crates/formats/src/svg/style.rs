//! Declarations of style attributes and style sheets, however their values are written: one that cannot be read takes none of
//! those behind it along.

/// The declarations of a block, names and values without what makes them important.
pub(super) fn declarations(block: &str) -> impl Iterator<Item = (&str, &str)> {
    pieces(block).filter_map(|piece| {
        let (name, value) = piece.split_once(':')?;
        let value = value.split_once('!').map_or(value, |(value, _)| value);
        Some((name.trim(), value.trim()))
    })
}

/// A style sheet without its comments, in whose blocks only what `wanted` names stands, in words that any reader knows.
pub(super) fn plain(sheet: &str, wanted: &[&str]) -> String {
    let sheet = without_comments(sheet);
    let mut out = String::with_capacity(sheet.len());
    let mut rest = sheet.as_str();
    while let Some(open) = rest.find('{') {
        let (before, block) = rest.split_at(open + 1);
        out.push_str(before);
        rest = block;
        let Some(end) = block.find(['{', '}']) else { break };
        // What holds blocks itself, a rule for a medium, keeps them.
        if block[end..].starts_with('}') {
            for (name, value) in declarations(&block[..end]).filter(|d| wanted.contains(&d.0)) {
                let value: String = value.chars().map(|c| if matches!(c, '/' | '\\' | '<' | '>') { ' ' } else { c }).collect();
                out.push_str(&format!("{name}:{value};"));
            }
            rest = &block[end..];
        }
    }
    out + rest
}

fn without_comments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, comment)) = rest.split_once("/*") {
        out.push_str(before);
        rest = comment.split_once("*/").map_or("", |(_, behind)| behind);
    }
    out + rest
}

/// The pieces between semicolons that stand in no quotes and no brackets.
fn pieces(block: &str) -> impl Iterator<Item = &str> {
    let (mut depth, mut quote) = (0_usize, None);
    block.split(move |c: char| {
        match (quote, c) {
            (Some(q), _) if c == q => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(c),
            (None, '(') => depth += 1,
            (None, ')') => depth = depth.saturating_sub(1),
            (None, ';') => return depth == 0,
            _ => {}
        }
        false
    })
}

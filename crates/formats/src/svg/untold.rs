//! What of a file's looks is not followed, and said.

use super::css::Sheet;
use super::style::Parts;
use roxmltree::{Document, Node};

impl Sheet<'_> {
    /// What of the looks cannot be told: rules that are not understood, sheets that are not there.
    pub(super) fn untold(&self, parts: &[Parts], document: &Document) -> Vec<String> {
        let listed = |what: &[&str]| {
            let more = if what.len() > 3 { format!(" and {} more", what.len() - 3) } else { String::new() };
            what.iter().take(3).map(|w| format!("“{}”", w.chars().take(60).collect::<String>())).collect::<Vec<_>>().join(", ") + &more
        };
        let mut out = Vec::new();
        if !self.unread.is_empty() {
            out.push(format!(
                "style rules are not followed: {}. What they are for may look otherwise than in a browser.",
                listed(&self.unread)
            ));
        }
        let conditions: Vec<&str> = parts.iter().flat_map(|p| &p.conditions).map(String::as_str).collect();
        if !conditions.is_empty() {
            out.push(format!("style rules for some screens only are left out: {}.", listed(&conditions)));
        }
        let linked = |n: Node<'_, '_>| {
            let link = n.tag_name().name() == "link" && n.attribute("rel") == Some("stylesheet");
            link.then(|| n.attribute("href").unwrap_or("?").to_owned())
        };
        let named = |n: Node<'_, '_>| n.pi().filter(|p| p.target == "xml-stylesheet").map(|p| href(p.value.unwrap_or("")));
        let mut outside: Vec<String> = document.root().descendants().filter_map(|n| linked(n).or_else(|| named(n))).collect();
        outside.extend(parts.iter().flat_map(|p| p.outside.iter().cloned()));
        if !outside.is_empty() {
            let outside: Vec<&str> = outside.iter().map(String::as_str).collect();
            out.push(format!(
                "style sheets outside of the file are not read: {}. Colours and lines that they would change are as without them; embed them for those.",
                listed(&outside)
            ));
        }
        out
    }
}

/// What `href` says in a processing instruction.
fn href(value: &str) -> String {
    let behind = value.split_once("href=").map_or("", |(_, b)| b);
    behind.trim_start_matches(['"', '\'']).split(['"', '\'']).next().unwrap_or("").to_owned()
}

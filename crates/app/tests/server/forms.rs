//! Every form of every page, posted as it stands there: whoever gets it understands it.

use crate::client::Shop;
use std::collections::{BTreeMap, BTreeSet};

/// A tag with its attributes.
struct Tag<'a> {
    name: &'a str,
    attributes: BTreeMap<&'a str, String>,
}

impl Tag<'_> {
    fn has(&self, name: &str) -> bool {
        self.attributes.contains_key(name)
    }
    fn get(&self, name: &str) -> String {
        self.attributes.get(name).cloned().unwrap_or_default()
    }
}

fn plain(text: &str) -> String {
    [
        ("&quot;", "\""),
        ("&#34;", "\""),
        ("&#39;", "'"),
        ("&#x27;", "'"),
        ("&lt;", "<"),
        ("&#60;", "<"),
        ("&gt;", ">"),
        ("&#62;", ">"),
        ("&amp;", "&"),
        ("&#38;", "&"),
    ]
    .iter()
    .fold(text.to_owned(), |t, (from, to)| t.replace(from, to))
}

/// All tags of a page, each with where it ends.
fn tags(page: &str) -> Vec<(Tag<'_>, usize)> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(open) = page[at..].find('<').map(|i| i + at) {
        // A `>` within quotes ends nothing.
        let mut quoted = None;
        let ends = |(_, c): &(usize, char)| {
            quoted = match (quoted, *c) {
                (None, '"' | '\'') => Some(*c),
                (Some(q), c) if q == c => None,
                _ => quoted,
            };
            *c == '>' && quoted.is_none()
        };
        let Some(close) = page[open..].char_indices().find(ends).map(|e| e.0 + open) else { break };
        let inside = &page[open + 1..close];
        let name = inside.split(|c: char| c.is_whitespace()).next().unwrap_or_default();
        let mut attributes = BTreeMap::new();
        let mut rest = inside[name.len()..].trim_start();
        while !rest.is_empty() {
            let end = rest.find(|c: char| c == '=' || c.is_whitespace()).unwrap_or(rest.len());
            let (key, behind) = (&rest[..end], &rest[end..]);
            let quote = behind.strip_prefix('=').and_then(|b| b.chars().next()).filter(|q| matches!(q, '"' | '\''));
            if let (Some(quote), Some(value)) = (quote, behind.get(2..)) {
                let end = value.find(quote).unwrap_or(value.len());
                attributes.insert(key, plain(&value[..end]));
                rest = value[(end + 1).min(value.len())..].trim_start();
            } else {
                attributes.insert(key, String::new());
                rest = behind.trim_start_matches(|c: char| c == '=' || c.is_whitespace());
            }
        }
        out.push((Tag { name, attributes }, close + 1));
        at = close + 1;
    }
    out
}

type Fields = Vec<(String, String)>;

/// Where a form goes, and what it says: once for every button that says something.
#[derive(Debug)]
struct Form {
    id: String,
    to: String,
    fields: Fields,
    file: bool,
}

fn forms(page: &str) -> Vec<Form> {
    let mut out: Vec<Form> = Vec::new();
    let mut open: Option<(Form, Vec<Fields>)> = None;
    // Buttons that stand outside the form that they send.
    let mut elsewhere: Vec<(String, (String, String))> = Vec::new();
    // The select that is open, what it says so far, and whether that was chosen.
    let mut select: Option<(String, Option<String>, bool)> = None;
    for (tag, end) in tags(page) {
        if tag.name == "form" {
            let to = [tag.get("hx-post"), tag.get("action")].into_iter().find(|t| !t.is_empty()).unwrap_or_default();
            let posts = tag.has("hx-post") || tag.get("method") == "post";
            open = posts.then(|| (Form { id: tag.get("id"), to, fields: Vec::new(), file: false }, Vec::new()));
        }
        if tag.name == "button" && tag.has("form") {
            elsewhere.push((tag.get("form"), (tag.get("name"), tag.get("value"))));
            continue;
        }
        let Some((form, buttons)) = &mut open else { continue };
        let (name, value) = (tag.get("name"), tag.get("value"));
        match tag.name {
            "input" if tag.get("type") == "file" => form.file = true,
            "input" if matches!(tag.get("type").as_str(), "checkbox" | "radio") && !tag.has("checked") => {}
            "input" if tag.get("type") == "checkbox" && !tag.has("value") => form.fields.push((name, "on".into())),
            "input" if !name.is_empty() && tag.get("type") != "submit" => form.fields.push((name, value)),
            "textarea" if !name.is_empty() => form.fields.push((name, plain(page[end..].split('<').next().unwrap_or_default()))),
            "select" if !name.is_empty() => select = Some((name, None, false)),
            "option" => {
                if let Some((_, said, chosen)) = &mut select
                    && (said.is_none() || tag.has("selected") && !*chosen)
                {
                    let text = page[end..].split('<').next().unwrap_or_default().trim().to_owned();
                    *said = Some(if tag.has("value") { value } else { text });
                    *chosen = tag.has("selected");
                }
            }
            "/select" => form.fields.extend(select.take().map(|(name, said, _)| (name, said.unwrap_or_default()))),
            "button" if tag.get("type") != "button" => buttons.push(if name.is_empty() { Vec::new() } else { vec![(name, value)] }),
            "/form" => {
                if let Some((form, buttons)) = open.take() {
                    let each = if buttons.is_empty() { vec![Vec::new()] } else { buttons };
                    out.extend(each.into_iter().map(|more| Form {
                        fields: [form.fields.clone(), more].concat(),
                        id: form.id.clone(),
                        to: form.to.clone(),
                        file: form.file,
                    }));
                }
            }
            _ => {}
        }
    }
    for (id, said) in elsewhere {
        let Some(form) = out.iter().find(|f| f.id == id) else { continue };
        out.push(Form { id: String::new(), to: form.to.clone(), fields: [form.fields.clone(), vec![said]].concat(), file: form.file });
    }
    out
}

/// What makes two forms the same: where they go but for numbers, and what they say they do.
fn kind(form: &Form) -> String {
    let path: Vec<&str> = form
        .to
        .split('/')
        .map(|p| if p.len() > 6 && p.bytes().all(|b| b.is_ascii_hexdigit()) || p.parse::<u64>().is_ok() { "N" } else { p })
        .collect();
    let said = |name: &str| form.fields.iter().find(|f| f.0 == name).map(|f| f.1.clone()).unwrap_or_default();
    let remedy = said("edit").split(['"', ':', ',']).filter(|w| w.contains("do") || w.contains('-')).take(2).collect::<Vec<_>>().join(" ");
    format!("{} {} {} {} {remedy}", path.join("/"), said("do"), said("what"), said("fate"))
}

#[test]
fn every_form_is_understood_where_it_goes() {
    let shop = Shop::demo();
    let mut pages: Vec<String> = [
        "/",
        "/machines",
        "/machine-room",
        "/about",
        "/shop/charts",
        "/shop/rules",
        "/shop/rack",
        "/shop/machines",
        "/bed/lark",
        "/bed/anvil",
    ]
    .map(str::to_owned)
    .into();
    for station in ["intake", "clean", "assign", "nest", "order", "hold", "proof", "release"] {
        pages.extend((1..=3).map(|job| format!("/jobs/{job}/{station}")));
    }
    pages.push("/jobs/1/history/intake".into());
    let mut seen = BTreeSet::new();
    let (mut posted, mut last) = (Vec::new(), Vec::new());
    for page in &pages {
        let answer = shop.get(page);
        assert_eq!(answer.status, 200, "{page}");
        for form in forms(&answer.text()) {
            assert!(form.to.starts_with('/'), "{page}: a form goes to “{}”", form.to);
            if seen.insert(kind(&form)) {
                // What ends a job comes last, so that the others have one.
                let ends = form.to.ends_with("/fate") || form.to.ends_with("/stop");
                if ends { last.push((page.clone(), form)) } else { posted.push((page.clone(), form)) }
            }
        }
    }
    posted.extend(last);
    assert!(posted.len() > 90, "{} kinds of forms", posted.len());
    let mut done = BTreeMap::from([(true, 0), (false, 0)]);
    for (page, form) in &posted {
        let job = form.to.strip_prefix("/jobs/").and_then(|t| t.split('/').next()).and_then(|n| n.parse::<u32>().ok());
        let fields: Fields = form
            .fields
            .iter()
            .map(|(k, v)| match (k.as_str(), job) {
                // Others were posted meanwhile.
                ("revision", Some(job)) => (k.clone(), shop.revision(job).to_string()),
                _ => (k.clone(), v.clone()),
            })
            .collect();
        let answer = if form.file {
            shop.upload(&form.to, &[("note.txt", b"a letter")])
        } else {
            shop.post(&form.to, &fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect::<Vec<_>>())
        };
        let said = answer.sentence();
        let told = format!(
            "{page}: {} with {fields:?} was answered with {}: {said}{}",
            form.to,
            answer.status,
            if said.is_empty() { answer.text().chars().take(300).collect::<String>() } else { String::new() }
        );
        assert!(matches!(answer.status, 200 | 204 | 303 | 404 | 409 | 422 | 502), "{told}");
        // A machine whose power was cut before does not answer: that is said.
        if matches!(answer.status, 404 | 422 | 502) {
            assert!(!said.is_empty(), "{told}");
            for word in
                ["no change that can be made", "not understood", "missing field", "deserialize", "unknown", "no such page", "no page"]
            {
                assert!(!said.to_lowercase().contains(word), "{told}");
            }
        }
        *done.entry(answer.status < 400).or_default() += 1;
    }
    assert!(done[&true] > 2 * done[&false], "taken, refused: {done:?}");
    assert_eq!(shop.get("/health").status, 200);
}

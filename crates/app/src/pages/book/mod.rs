//! The shop's book: machines, materials, cut charts and standing rules, with who changed what and when.

pub mod charts;
pub mod rack;
pub mod rules;
pub mod things;

use crate::error::AppError;
use crate::settings;
use crate::shop::App;
use askama::Template;
use boustrophe_core::shop::Shop;
use boustrophe_store::{Setting, SettingChange};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Who does it; a name is not asked for by force.
pub fn who(person: &str) -> &str {
    let person = person.trim();
    if person.is_empty() { "somebody" } else { person }
}

/// Changes shown of one thing.
const CHANGES: i64 = 12;

/// A change, as it is read.
struct ChangeView {
    at: String,
    person: String,
    words: String,
}

/// The last changes of a thing, each told by what differs.
fn changes(app: &App, kind: &str, key: &str) -> Result<Vec<ChangeView>, AppError> {
    Ok(app.store.setting_changes(kind, Some(key), CHANGES)?.iter().map(change_view).collect())
}

fn change_view(c: &SettingChange) -> ChangeView {
    let parsed = |text: &Option<String>| text.as_ref().and_then(|t| serde_json::from_str::<BTreeMap<String, serde_json::Value>>(t).ok());
    let words = match (parsed(&c.before), parsed(&c.after)) {
        (None, _) => "written down".to_owned(),
        (_, None) => "taken away".to_owned(),
        (Some(before), Some(after)) => {
            let differing = after.iter().filter(|(k, v)| before.get(*k) != Some(v));
            let told: Vec<String> = differing
                .map(|(k, v)| format!("{} {} to {v}", k.replace('_', " "), before.get(k).unwrap_or(&serde_json::Value::Null)))
                .collect();
            told.join(", ")
        }
    };
    let reason = if c.reason.is_empty() { String::new() } else { format!(" ({})", c.reason) };
    ChangeView {
        at: c.at.chars().take(16).collect::<String>().replace('T', " "),
        person: c.person.clone(),
        words: format!("{words}{reason}"),
    }
}

pub(in crate::pages) fn told(troubles: &[String]) -> Result<(), String> {
    if troubles.is_empty() { Ok(()) } else { Err(format!("{}. Nothing was changed.", troubles.join("; "))) }
}

/// A thing of the book as a page showed it, and what was typed there.
pub(crate) struct Shown<'a> {
    key: &'a str,
    /// Its revision then; `None` for something that was not there yet.
    revision: Option<i32>,
    /// Where the form goes.
    action: &'a str,
    /// The form's fields as they came.
    fields: &'a [(String, String)],
}

/// Changes the shop's book and keeps it, or says why not and leaves it alone. One after the other: each change is made on
/// what the one before left. What `shown` is about must still be as it was shown; else both are told.
pub(crate) fn change(
    app: &Arc<App>,
    kind: &'static str,
    shown: Option<&Shown>,
    (person, reason): (&str, &str),
    edit: impl FnOnce(&mut Shop) -> Result<(), String>,
) -> Result<usize, AppError> {
    let _alone = app.book();
    let stored = app.store.settings()?;
    let mut shop = settings::of(&stored)?;
    edit(&mut shop)?;
    if let Some(shown) = shown {
        let now = stored.iter().find(|s| s.kind == kind && s.key == shown.key);
        if now.map(|n| n.revision) != shown.revision {
            let wanted = settings::stored(&shop)?.into_iter().find(|s| s.kind == kind && s.key == shown.key);
            return Err(AppError::Book(Box::new(Conflict::of(app, shown, now, wanted.as_ref())?)));
        }
    }
    let changed = settings::save(&app.store, &shop, kind, &who(person).chars().take(60).collect::<String>(), reason)?;
    app.reopen()?;
    drop(_alone);
    crate::floor_cards::refresh(app, true);
    Ok(changed)
}

/// A field that differs: its name, what is there now, what was wanted.
#[derive(Debug)]
struct Differing {
    name: String,
    theirs: String,
    yours: String,
}

/// Somebody else changed the same thing since the page was loaded: both are shown, and either can be chosen.
#[derive(Debug, Template)]
#[template(path = "shop/conflict.html")]
pub struct Conflict {
    what: String,
    by: String,
    action: String,
    back: String,
    differing: Vec<Differing>,
    /// The form again, on the revision that is there now.
    fields: Vec<(String, String)>,
}

impl Conflict {
    fn of(app: &App, shown: &Shown, now: Option<&Setting>, wanted: Option<&Setting>) -> Result<Self, AppError> {
        let parsed =
            |s: Option<&Setting>| s.and_then(|s| serde_json::from_str::<BTreeMap<String, Value>>(&s.body).ok()).unwrap_or_default();
        let (theirs, yours) = (parsed(now), parsed(wanted));
        let names: BTreeSet<&String> = theirs.keys().chain(yours.keys()).collect();
        let told = |v: Option<&Value>| v.map_or_else(|| "taken away".to_owned(), ToString::to_string);
        let differing = names.into_iter().filter(|n| theirs.get(*n) != yours.get(*n)).map(|n| Differing {
            name: n.replace('_', " "),
            theirs: told(theirs.get(n)),
            yours: told(yours.get(n)),
        });
        let last = now.map(|n| app.store.setting_changes(&n.kind, Some(&n.key), 1)).transpose()?.and_then(|c| c.into_iter().next());
        let mut fields: Vec<(String, String)> = shown.fields.iter().filter(|f| f.0 != "revision").cloned().collect();
        fields.extend(now.map(|n| ("revision".to_owned(), n.revision.to_string())));
        let back = shown.action.split('/').take(3).collect::<Vec<_>>().join("/");
        Ok(Self {
            what: shown.key.replace('/', " "),
            by: last.map_or_else(|| "somebody".into(), |l| l.person),
            action: shown.action.into(),
            back: if back == "/shop/materials" { "/shop/machines".into() } else { back },
            differing: differing.collect(),
            fields,
        })
    }
}

//! A thing of the shop's book that somebody else changed meanwhile: both are shown.

use askama::Template;
use boustrophe_shop::app::App;
use boustrophe_shop::error::ShopError;
use boustrophe_store::Setting;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

/// A thing of the book as a page showed it, and what was typed there.
pub(crate) struct Shown<'a> {
    pub(crate) key: &'a str,
    /// Its revision then; `None` for something that was not there yet.
    pub(crate) revision: Option<i32>,
    /// Where the form goes.
    pub(crate) action: &'a str,
    /// The form's fields as they came.
    pub(crate) fields: &'a [(String, String)],
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
#[template(path = "things/book/conflict.html")]
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
    /// What differs between what is there now and what was wanted.
    pub(crate) fn of(app: &App, shown: &Shown, now: Option<&Setting>, wanted: Option<&Setting>) -> Result<Self, ShopError> {
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
        let last = now.map(|n| app.store.setting_changes(n.kind, Some(&n.key), 1)).transpose()?.and_then(|c| c.into_iter().next());
        let mut fields: Vec<(String, String)> = shown.fields.iter().filter(|f| f.0 != "revision").cloned().collect();
        fields.extend(now.map(|n| ("revision".to_owned(), n.revision.to_string())));
        let back = shown.action.split('/').take(3).collect::<Vec<_>>().join("/");
        Ok(Self {
            what: shown.key.replace('/', " "),
            by: last.map_or_else(|| "somebody".into(), |l| l.person),
            action: shown.action.into(),
            back: if matches!(back.as_str(), "/shop/materials" | "/shop/house") { "/shop/machines".into() } else { back },
            differing: differing.collect(),
            fields,
        })
    }
}

//! The shop's book: machines, materials, cut charts and standing rules, with who changed what and when.

pub mod cards;
pub mod charts;
pub mod copies;
pub mod letters;
pub mod rules;
pub mod things;

use crate::conflict::{Conflict, Shown};
use crate::error::AppError;
use boustrophe_core::shop::Shop;
use boustrophe_shop::app::App;
pub use boustrophe_shop::book::who;
use boustrophe_shop::book::{self, Seen};
use boustrophe_shop::error::{Overtaken, ShopError};
use boustrophe_store::{Kind, SettingChange};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Changes shown of one thing.
const CHANGES: i64 = 12;

/// A change, as it is read.
struct ChangeView {
    at: String,
    person: String,
    words: String,
}

/// The last changes of a thing, each told by what differs.
fn changes(app: &App, kind: Kind, key: &str) -> Result<Vec<ChangeView>, AppError> {
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

pub fn told(troubles: &[String]) -> Result<(), String> {
    if troubles.is_empty() { Ok(()) } else { Err(format!("{}. Nothing was changed.", troubles.join("; "))) }
}

/// Changes the shop's book and keeps it, or says why not and leaves it alone. What `shown` is about must still be as it was shown; else
/// both are told.
pub(crate) fn change(
    app: &Arc<App>,
    kind: Kind,
    shown: Option<&Shown>,
    signed: (&str, &str),
    edit: impl FnOnce(&mut Shop) -> Result<(), String>,
) -> Result<usize, AppError> {
    let seen = shown.map(|s| Seen { key: s.key, revision: s.revision });
    book::change(app, kind, seen, signed, edit).map_err(|error| match (error, shown) {
        (ShopError::Book(overtaken), Some(shown)) => told_both(app, shown, &overtaken),
        (other, _) => other.into(),
    })
}

fn told_both(app: &App, shown: &Shown, overtaken: &Overtaken) -> AppError {
    Conflict::of(app, shown, overtaken.now.as_ref(), overtaken.wanted.as_ref()).map_or_else(AppError::from, |c| AppError::Book(Box::new(c)))
}

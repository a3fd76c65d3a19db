//! The shop's book: machines, materials, cut charts and standing rules, with who changed what and when.

pub mod charts;
pub mod rules;
pub mod things;

use crate::error::AppError;
use crate::settings;
use crate::shop::App;
use boustrophe_core::shop::Shop;
use boustrophe_store::SettingChange;
use std::collections::BTreeMap;

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
    ChangeView { at: c.at.chars().take(16).collect::<String>().replace('T', " "), person: c.person.clone(), words: words + &reason }
}

fn told(troubles: &[String]) -> Result<(), String> {
    if troubles.is_empty() { Ok(()) } else { Err(format!("{}. Nothing was changed.", troubles.join("; "))) }
}

/// Changes the shop and keeps it, or says why not and leaves it alone.
fn change(
    app: &App,
    kind: &'static str,
    person: &str,
    reason: &str,
    edit: impl FnOnce(&mut Shop) -> Result<(), String>,
) -> Result<usize, AppError> {
    let mut shop = (*app.shop()).clone();
    edit(&mut shop).map_err(AppError::Sentence)?;
    let person = if person.trim().is_empty() { "somebody" } else { person.trim() };
    let changed = settings::save(&app.store, &shop, kind, &person.chars().take(60).collect::<String>(), reason)?;
    app.reopen()?;
    Ok(changed)
}

//! The shop's book changed: machines, materials, charts, rules.

use crate::app::App;
use crate::error::{Overtaken, ShopError};
use crate::jobs;
use crate::settings::{of, save, stored};
use boustrophe_core::shop::Shop;
use boustrophe_store::Kind;
use std::sync::Arc;

/// A thing of the book as somebody saw it.
#[derive(Clone, Copy, Debug)]
pub struct Seen<'a> {
    /// Its key.
    pub key: &'a str,
    /// Its revision then; `None` for something that was not there yet.
    pub revision: Option<i32>,
}

/// Who does it; a name is not asked for by force.
pub fn who(person: &str) -> &str {
    let person = person.trim();
    if person.is_empty() { "somebody" } else { person }
}

/// Changes the shop's book and keeps it, or says why not and leaves it alone. One after the other: each change is made on
/// what the one before left. What was `seen` must still be as it was seen.
pub fn change(
    app: &Arc<App>,
    kind: Kind,
    seen: Option<Seen>,
    (person, reason): (&str, &str),
    edit: impl FnOnce(&mut Shop) -> Result<(), String>,
) -> Result<usize, ShopError> {
    let alone = app.book();
    let stored_now = app.store.settings()?;
    let mut shop = of(&stored_now)?;
    edit(&mut shop)?;
    if let Some(seen) = seen {
        let now = stored_now.iter().find(|s| s.kind == kind && s.key == seen.key);
        if now.map(|n| n.revision) != seen.revision {
            let wanted = stored(&shop)?.into_iter().find(|s| s.kind == kind && s.key == seen.key);
            return Err(ShopError::Book(Box::new(Overtaken { now: now.cloned(), wanted })));
        }
    }
    let changed = save(&app.store, &shop, kind, &who(person).chars().take(60).collect::<String>(), reason)?;
    app.reopen()?;
    drop(alone);
    jobs::refresh(app, true);
    Ok(changed)
}

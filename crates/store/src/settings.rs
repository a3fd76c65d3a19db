//! The shop's settings: machines, materials, chart rows, rules, each with its history.

use crate::columns::Word;
use crate::schema::{setting_changes, settings};
use crate::{Store, StoreError, now};
use diesel::prelude::*;
use strum::{Display, EnumString, IntoStaticStr, VariantArray};

/// What a thing of the shop is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Display, EnumString, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum Kind {
    /// A row of the cut chart.
    Chart,
    /// What goes for the whole shop.
    House,
    /// A machine.
    Machine,
    /// A material.
    Material,
    /// A standing rule.
    Rule,
}

impl Kind {
    /// As it is stored.
    pub fn word(self) -> &'static str {
        self.into()
    }
}

impl From<Word<Kind>> for Kind {
    fn from(word: Word<Kind>) -> Self {
        word.0
    }
}

impl From<Kind> for String {
    fn from(kind: Kind) -> Self {
        kind.word().into()
    }
}

/// One thing of the shop: a machine, a material, a row of the cut chart, a rule.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Insertable)]
#[diesel(table_name = settings)]
pub struct Setting {
    /// What it is.
    #[diesel(deserialize_as = Word<Kind>, serialize_as = String)]
    pub kind: Kind,
    /// Its name among its kind.
    pub key: String,
    /// Its place among its kind.
    pub position: i32,
    /// Itself, as JSON.
    pub body: String,
    /// Counts its changes, from 1.
    pub revision: i32,
}

/// A change of one thing.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = setting_changes)]
pub struct SettingChange {
    /// Number, in the order of time.
    pub id: i32,
    /// Kind of thing.
    #[diesel(deserialize_as = Word<Kind>)]
    pub kind: Kind,
    /// Its name.
    pub key: String,
    /// What it was, as JSON; `None` for something new.
    pub before: Option<String>,
    /// What it became; `None` for something taken away.
    pub after: Option<String>,
    /// Who did it.
    pub person: String,
    /// What for.
    pub reason: String,
    /// When.
    pub at: String,
}

impl Store {
    /// All things of the shop in their order, kind by kind.
    pub fn settings(&self) -> Result<Vec<Setting>, StoreError> {
        let mut c = self.connection()?;
        Ok(settings::table.order((settings::kind, settings::position, settings::key)).select(Setting::as_select()).load(&mut c)?)
    }

    /// Brings the things of some kinds to what is given: what is new is added, what is missing goes, what differs is
    /// changed, each noted with who and what for. Gives how many changes that were. All or nothing. The revisions in
    /// `wanted` do not count: what changes counts on from what is there.
    pub fn set_settings(&self, kinds: &[Kind], wanted: &[Setting], person: &str, reason: &str) -> Result<usize, StoreError> {
        let mut c = self.connection()?;
        c.immediate_transaction(|c| {
            let now_there: Vec<Setting> =
                settings::table.filter(settings::kind.eq_any(kinds.iter().map(|k| k.word()))).select(Setting::as_select()).load(c)?;
            let mut changes = 0;
            let mut note = |c: &mut SqliteConnection, kind: Kind, key: &str, before: Option<&str>, after: Option<&str>| {
                changes += 1;
                let values = (
                    setting_changes::kind.eq(kind.word()),
                    setting_changes::key.eq(key),
                    setting_changes::before.eq(before),
                    setting_changes::after.eq(after),
                    setting_changes::person.eq(person),
                    setting_changes::reason.eq(reason),
                    setting_changes::at.eq(now()),
                );
                diesel::insert_into(setting_changes::table).values(values).execute(c)
            };
            let same = |a: &Setting, b: &Setting| a.kind == b.kind && a.key == b.key;
            for old in now_there.iter().filter(|o| !wanted.iter().any(|w| same(o, w))) {
                diesel::delete(settings::table.find((old.kind.word(), &old.key))).execute(c)?;
                note(c, old.kind, &old.key, Some(&old.body), None)?;
            }
            for new in wanted {
                let old = now_there.iter().find(|o| same(o, new));
                let changed = old.is_none_or(|o| o.body != new.body);
                if !changed && old.is_some_and(|o| o.position == new.position) {
                    continue;
                }
                let revision = old.map_or(0, |o| o.revision) + i32::from(changed);
                diesel::replace_into(settings::table).values(Setting { revision, ..new.clone() }).execute(c)?;
                if changed {
                    note(c, new.kind, &new.key, old.map(|o| o.body.as_str()), Some(&new.body))?;
                }
            }
            Ok(changes)
        })
    }

    /// Changes of a kind of thing, or of one of them, the newest first, at most `most`.
    pub fn setting_changes(&self, kind: Kind, key: Option<&str>, most: i64) -> Result<Vec<SettingChange>, StoreError> {
        let mut c = self.connection()?;
        let mut query = setting_changes::table.filter(setting_changes::kind.eq(kind.word())).into_boxed();
        if let Some(key) = key {
            query = query.filter(setting_changes::key.eq(key));
        }
        Ok(query.order(setting_changes::id.desc()).limit(most).select(SettingChange::as_select()).load(&mut c)?)
    }
}

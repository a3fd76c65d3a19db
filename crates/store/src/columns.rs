//! Columns that hold one of so many words, or JSON: what is not known there is an error and no default.

use boustrophe_core::decisions::Pose;
use boustrophe_core::run::{Answer, RunState};
use diesel::backend::Backend;
use diesel::deserialize::{self, FromSql, FromSqlRow};
use diesel::sql_types::Text;

/// A word of an enum, as text.
#[derive(Debug, FromSqlRow)]
pub struct Word<T>(pub(crate) T);

impl<T: std::str::FromStr, B: Backend> FromSql<Text, B> for Word<T>
where
    String: FromSql<Text, B>,
{
    fn from_sql(bytes: B::RawValue<'_>) -> deserialize::Result<Self> {
        let text = String::from_sql(bytes)?;
        text.parse().map(Self).map_err(|_| format!("“{text}” is not known to this version").into())
    }
}

impl From<Word<RunState>> for RunState {
    fn from(word: Word<RunState>) -> Self {
        word.0
    }
}

impl From<Word<Answer>> for Answer {
    fn from(word: Word<Answer>) -> Self {
        word.0
    }
}

/// How a sheet lies, as JSON; empty where it lies at the corner with its zero there.
#[derive(Debug, FromSqlRow)]
pub struct Lies(Pose);

impl<B: Backend> FromSql<Text, B> for Lies
where
    String: FromSql<Text, B>,
{
    fn from_sql(bytes: B::RawValue<'_>) -> deserialize::Result<Self> {
        let text = String::from_sql(bytes)?;
        if text.is_empty() { Ok(Self(Pose::default())) } else { Ok(Self(serde_json::from_str(&text)?)) }
    }
}

impl From<Lies> for Pose {
    fn from(lies: Lies) -> Self {
        lies.0
    }
}

/// As [`Lies`] is stored.
pub(crate) fn lying(pose: Pose) -> Result<String, serde_json::Error> {
    if pose == Pose::default() { Ok(String::new()) } else { serde_json::to_string(&pose) }
}

//! Long lists: so many rows at once, as far as they are looked at, or those with a word in them.

use boustrophe_core::ids::BatchId;
use serde::Deserialize;

/// Which rows of a list are wanted.
#[derive(Default, Deserialize)]
pub struct Window {
    /// Of which batch.
    #[serde(default)]
    pub batch: BatchId,
    /// The first, from 0, among those that have the word.
    #[serde(default)]
    from: usize,
    /// A word that they have.
    #[serde(default)]
    pub find: String,
}

impl Window {
    /// `most` of the rows that are called so, and where the list goes on; `None` at its end.
    pub fn of<T>(&self, rows: impl Iterator<Item = T>, called: impl Fn(&T) -> &str, most: usize) -> (Vec<T>, Option<usize>) {
        let word = self.find.trim().to_lowercase();
        let mut found = rows.filter(|r| word.is_empty() || called(r).to_lowercase().contains(&word)).skip(self.from);
        let all: Vec<T> = found.by_ref().take(most).collect();
        (all, found.next().map(|_| self.from + most))
    }
}

//! Notes that one shift leaves for the next.

use crate::schema::notes;
use crate::{Store, StoreError, now};
use diesel::prelude::*;

/// Notes that are kept in sight after they are done.
const DONE: i64 = 20;

/// A note.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = notes)]
pub struct Note {
    /// Number.
    pub id: i32,
    /// What it says.
    pub text: String,
    /// Who left it.
    pub person: String,
    /// When.
    pub at: String,
    /// Who has seen to it; empty as long as nobody has.
    pub done_by: String,
    /// When.
    pub done_at: Option<String>,
}

impl Store {
    /// Leaves a note.
    pub fn add_note(&self, text: &str, person: &str) -> Result<(), StoreError> {
        let values = (notes::text.eq(text), notes::person.eq(person), notes::at.eq(now()));
        diesel::insert_into(notes::table).values(values).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Somebody has seen to a note; the first who did stays.
    pub fn note_done(&self, id: i32, person: &str) -> Result<(), StoreError> {
        let open = notes::table.find(id).filter(notes::done_at.is_null());
        let done = diesel::update(open).set((notes::done_by.eq(person), notes::done_at.eq(now()))).execute(&mut self.connection()?)?;
        if done == 0 { Err(StoreError::Missing { what: "open note", id: i64::from(id) }) } else { Ok(()) }
    }

    /// Notes that nobody has seen to, the oldest first; then the last that somebody has.
    pub fn notes(&self) -> Result<Vec<Note>, StoreError> {
        let c = &mut self.connection()?;
        let open = notes::table.filter(notes::done_at.is_null()).order(notes::id.asc());
        let mut all: Vec<Note> = open.select(Note::as_select()).load(c)?;
        let done = notes::table.filter(notes::done_at.is_not_null()).order(notes::done_at.desc()).limit(DONE);
        all.extend(done.select(Note::as_select()).load::<Note>(c)?);
        Ok(all)
    }
}

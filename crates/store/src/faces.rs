//! The shop's own faces.

use crate::schema::faces;
use crate::{Store, StoreError, now};
use diesel::prelude::*;

/// A face of the shop's own, without its file.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct OwnFace {
    /// What it is chosen by.
    pub name: String,
    /// Who added it.
    pub person: String,
    /// When.
    pub at: String,
}

impl Store {
    /// Keeps a face under a name, in the place of one that was there.
    pub fn add_face(&self, name: &str, bytes: &[u8], person: &str) -> Result<(), StoreError> {
        let row = (faces::name.eq(name), faces::bytes.eq(bytes), faces::person.eq(person), faces::at.eq(now()));
        diesel::replace_into(faces::table).values(row).execute(&mut self.connection()?)?;
        Ok(())
    }
    /// Takes a face away; nothing where there is none.
    pub fn remove_face(&self, name: &str) -> Result<(), StoreError> {
        diesel::delete(faces::table.find(name)).execute(&mut self.connection()?)?;
        Ok(())
    }
    /// All faces, by name.
    pub fn faces(&self) -> Result<Vec<OwnFace>, StoreError> {
        Ok(faces::table.select((faces::name, faces::person, faces::at)).order(faces::name).load(&mut self.connection()?)?)
    }
    /// The files of all faces, each with its name.
    pub fn face_files(&self) -> Result<Vec<(String, Vec<u8>)>, StoreError> {
        Ok(faces::table.select((faces::name, faces::bytes)).order(faces::name).load(&mut self.connection()?)?)
    }
}

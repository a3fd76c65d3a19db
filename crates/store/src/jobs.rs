//! Jobs, their files and revisions.

use crate::schema::{job_files, jobs, revisions, searches};
use crate::unknown::carry_over;
use crate::{Store, StoreError, now};
use boustrophe_core::decisions::{Decisions, modern};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ledger::Ledger;
use diesel::dsl::max;
use diesel::prelude::*;

/// A job.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = jobs)]
pub struct Job {
    /// Number.
    pub id: i32,
    /// Name.
    pub name: String,
    /// Who prepares it.
    pub person: String,
    /// When it is due, as a date.
    pub due: Option<String>,
    /// Revision in force.
    pub head: Option<i32>,
    /// Revision that figures are compared with.
    pub baseline: Option<i32>,
    /// When it came.
    pub created_at: String,
    /// Put away: no longer on the floor.
    pub archived: bool,
    /// For whom it is; empty where nobody said.
    pub customer: String,
    /// How many of each drawing are wanted, unless another quantity is said of it.
    pub quantity: i32,
}

/// One revision of a job.
#[derive(Clone, Debug)]
pub struct Revision {
    /// Number, over all jobs.
    pub id: i32,
    /// The one before.
    pub parent: Option<i32>,
    /// What was done.
    pub label: String,
    /// The decisions.
    pub decisions: Decisions,
    /// The figures, once they were computed.
    pub ledger: Option<Ledger>,
    /// When.
    pub created_at: String,
    /// Who made it; empty where nobody said.
    pub person: String,
}

/// A revision as the history lists it: what was done, by whom, and what it came to.
#[derive(Clone, Debug)]
pub struct Entry {
    /// Number, over all jobs.
    pub id: i32,
    /// The one before.
    pub parent: Option<i32>,
    /// What was done.
    pub label: String,
    /// The figures, once they were computed.
    pub ledger: Option<Ledger>,
    /// When.
    pub created_at: String,
    /// Who made it; empty where nobody said.
    pub person: String,
}

/// What a new revision is made of.
#[derive(Clone, Copy, Debug)]
pub struct NewRevision<'a> {
    /// What was done.
    pub label: &'a str,
    /// Who did it; empty where nobody said.
    pub person: &'a str,
    /// The decisions.
    pub decisions: &'a Decisions,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = revisions)]
struct Row {
    id: i32,
    parent: Option<i32>,
    label: String,
    decisions: String,
    ledger: Option<String>,
    created_at: String,
    person: String,
}

impl Row {
    fn read(self) -> Result<Revision, StoreError> {
        let ledger = self.ledger.as_deref().map(serde_json::from_str).transpose()?;
        Ok(Revision {
            id: self.id,
            parent: self.parent,
            label: self.label,
            decisions: serde_json::from_str(&self.decisions)?,
            ledger,
            created_at: self.created_at,
            person: self.person,
        })
    }
}

/// Longest that one revision's decisions may be, bytes.
const LONGEST: usize = 24 << 20;

/// Decisions as they are stored: only what reads back as what it is. A figure that is no number would be written as `null`
/// and could never be read again.
pub(crate) fn written(decisions: &Decisions) -> Result<String, StoreError> {
    let json = serde_json::to_string(decisions)?;
    if json.len() > LONGEST {
        return Err(StoreError::TooLarge { mb: json.len() >> 20, most: LONGEST >> 20 });
    }
    match serde_json::from_str::<Decisions>(&json) {
        Ok(_) => Ok(json),
        Err(e) => Err(StoreError::Unkeepable(e.to_string())),
    }
}

/// Files that decisions name.
fn named(decisions: &Decisions) -> impl Iterator<Item = &str> {
    decisions.drawings.iter().flat_map(|d| std::iter::once(d.file.as_str()).chain(d.before.as_ref().map(|b| b.0.as_str())))
}

fn note_files<'a>(c: &mut SqliteConnection, job: i32, hashes: impl Iterator<Item = &'a str>) -> QueryResult<()> {
    let rows: Vec<_> = hashes.map(|h| (job_files::job_id.eq(job), job_files::hash.eq(h))).collect();
    for row in rows {
        diesel::insert_or_ignore_into(job_files::table).values(row).execute(c)?;
    }
    Ok(())
}

/// Refuses what was wanted on another revision than the one in force.
fn still_at(c: &mut SqliteConnection, job: i32, shown: i32) -> Result<(), StoreError> {
    let head: Option<i32> = jobs::table.find(job).select(jobs::head).first(c)?;
    if head == Some(shown) { Ok(()) } else { Err(StoreError::Moved { head: head.unwrap_or(0) }) }
}

/// Adds a revision, as `json` has it, made on the one that has to be in force, and puts it there.
pub(crate) fn added(c: &mut SqliteConnection, (job, parent): (i32, i32), new: &NewRevision, mut json: String) -> Result<i32, StoreError> {
    still_at(c, job, parent)?;
    let stored: String = revisions::table.find(parent).select(revisions::decisions).first(c)?;
    if let (Ok(stored), Ok(known)) = (serde_json::from_str(&stored).map(modern), serde_json::from_str::<Decisions>(&stored)) {
        let (known, mut after) = (serde_json::to_value(&known)?, serde_json::to_value(new.decisions)?);
        if stored != known {
            carry_over(&stored, &known, &mut after);
            json = after.to_string();
        }
    }
    note_files(c, job, named(new.decisions))?;
    let id: i32 = diesel::insert_into(revisions::table)
        .values((
            revisions::job_id.eq(job),
            revisions::parent.eq(parent),
            revisions::label.eq(new.label),
            revisions::decisions.eq(json),
            revisions::created_at.eq(now()),
            revisions::person.eq(new.person),
        ))
        .returning(revisions::id)
        .get_result(c)?;
    put_in_force(c, job, id)?;
    Ok(id)
}

/// Makes a revision the job's head, and notes that none was in force later.
fn put_in_force(c: &mut SqliteConnection, job: i32, revision: i32) -> QueryResult<()> {
    let last: Option<i32> = revisions::table.filter(revisions::job_id.eq(job)).select(max(revisions::in_force)).first(c)?;
    diesel::update(revisions::table.find(revision)).set(revisions::in_force.eq(last.unwrap_or(0) + 1)).execute(c)?;
    diesel::update(jobs::table.find(job)).set(jobs::head.eq(revision)).execute(c)?;
    Ok(())
}

impl Store {
    /// Adds a job with a first, empty revision.
    pub fn add_job(&self, name: &str, person: &str, due: Option<&str>, decisions: &Decisions) -> Result<Job, StoreError> {
        let json = written(decisions)?;
        self.connection()?.immediate_transaction(|c| {
            let job: Job = diesel::insert_into(jobs::table)
                .values((jobs::name.eq(name), jobs::person.eq(person), jobs::due.eq(due), jobs::created_at.eq(now())))
                .returning(Job::as_returning())
                .get_result(c)?;
            let first: i32 = diesel::insert_into(revisions::table)
                .values((
                    revisions::job_id.eq(job.id),
                    revisions::label.eq("Job begun"),
                    revisions::decisions.eq(json),
                    revisions::created_at.eq(now()),
                    revisions::person.eq(person),
                ))
                .returning(revisions::id)
                .get_result(c)?;
            diesel::update(jobs::table.find(job.id)).set(jobs::head.eq(first)).execute(c)?;
            note_files(c, job.id, named(decisions))?;
            Ok(Job { head: Some(first), ..job })
        })
    }

    /// All jobs, the newest first.
    pub fn jobs(&self) -> Result<Vec<Job>, StoreError> {
        Ok(jobs::table.order(jobs::id.desc()).select(Job::as_select()).load(&mut self.connection()?)?)
    }

    /// One job.
    pub fn job(&self, id: i32) -> Result<Job, StoreError> {
        let found = jobs::table.find(id).select(Job::as_select()).first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "job", id: i64::from(id) })
    }

    /// A revision of a job.
    pub fn revision(&self, job: i32, id: i32) -> Result<Revision, StoreError> {
        let found = revisions::table
            .filter(revisions::job_id.eq(job))
            .filter(revisions::id.eq(id))
            .select(Row::as_select())
            .first(&mut self.connection()?)
            .optional()?;
        found.ok_or(StoreError::Missing { what: "revision", id: i64::from(id) })?.read()
    }

    /// All revisions of a job, the oldest first, without their decisions.
    pub fn history(&self, job: i32) -> Result<Vec<Entry>, StoreError> {
        type Listed = (i32, Option<i32>, String, Option<String>, String, String);
        let rows: Vec<Listed> = revisions::table
            .filter(revisions::job_id.eq(job))
            .order(revisions::id.asc())
            .select((revisions::id, revisions::parent, revisions::label, revisions::ledger, revisions::created_at, revisions::person))
            .load(&mut self.connection()?)?;
        rows.into_iter()
            .map(|(id, parent, label, ledger, created_at, person)| {
                let ledger = ledger.as_deref().map(serde_json::from_str).transpose()?;
                Ok(Entry { id, parent, label, ledger, created_at, person })
            })
            .collect()
    }

    /// Adds a revision made on `parent` and puts it in force; refused when another revision is in force by now.
    pub fn add_revision(&self, job: i32, parent: i32, new: NewRevision) -> Result<i32, StoreError> {
        let json = written(new.decisions)?;
        self.connection()?.immediate_transaction(|c| added(c, (job, parent), &new, json))
    }

    /// Writes the figures of a revision down.
    pub fn set_ledger(&self, revision: i32, ledger: &Ledger) -> Result<(), StoreError> {
        let json = serde_json::to_string(ledger)?;
        diesel::update(revisions::table.find(revision)).set(revisions::ledger.eq(json)).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Puts the revision before the one `shown` in force; `None` when there is none. Refused when another is in force by now.
    pub fn undo(&self, job: i32, shown: i32) -> Result<Option<i32>, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            still_at(c, job, shown)?;
            let parent: Option<i32> = revisions::table.find(shown).select(revisions::parent).first(c)?;
            if let Some(parent) = parent {
                put_in_force(c, job, parent)?;
            }
            Ok(parent)
        })
    }

    /// Puts a revision that was made on the one `shown` in force, the one that was so last: where undo came from. `None`
    /// when there is none. Refused when another is in force by now.
    pub fn redo(&self, job: i32, shown: i32) -> Result<Option<i32>, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            still_at(c, job, shown)?;
            let child: Option<i32> = revisions::table
                .filter(revisions::job_id.eq(job))
                .filter(revisions::parent.eq(shown))
                .order((revisions::in_force.desc(), revisions::id.desc()))
                .select(revisions::id)
                .first(c)
                .optional()?;
            if let Some(child) = child {
                put_in_force(c, job, child)?;
            }
            Ok(child)
        })
    }

    /// The revision before one, where it is of this job and has one; its decisions are not looked at.
    pub fn before(&self, job: i32, revision: i32) -> Result<Option<i32>, StoreError> {
        let mine = revisions::table.filter(revisions::job_id.eq(job)).filter(revisions::id.eq(revision));
        let parent: Option<Option<i32>> = mine.select(revisions::parent).first(&mut self.connection()?).optional()?;
        Ok(parent.flatten())
    }

    /// Puts any revision of the job in force.
    pub fn go_to(&self, job: i32, seen: Option<i32>, revision: i32) -> Result<(), StoreError> {
        self.revision(job, revision)?;
        self.connection()?.immediate_transaction(|c| {
            seen.map_or(Ok(()), |seen| still_at(c, job, seen))?;
            Ok(put_in_force(c, job, revision)?)
        })
    }

    /// Notes which files jobs name, for jobs of a time when that was not noted.
    pub(crate) fn note_files(&self) -> Result<(), StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let noted = job_files::table.select(job_files::job_id);
            let rows: Vec<(i32, String)> = revisions::table
                .filter(revisions::job_id.ne_all(noted))
                .filter(revisions::decisions.like("%\"file\":%"))
                .select((revisions::job_id, revisions::decisions))
                .load(c)?;
            for (job, decisions) in rows {
                if let Ok(decisions) = serde_json::from_str::<Decisions>(&decisions) {
                    note_files(c, job, named(&decisions))?;
                }
            }
            Ok(())
        })
    }

    /// Chooses the revision that figures are compared with.
    pub fn set_baseline(&self, job: i32, revision: Option<i32>) -> Result<(), StoreError> {
        diesel::update(jobs::table.find(job)).set(jobs::baseline.eq(revision)).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Notes that a nest is being searched for a job, on which revision and for which batch, or that it no longer is.
    pub fn set_search(&self, job: i32, search: Option<(i32, BatchId)>) -> Result<(), StoreError> {
        let mut c = self.connection()?;
        match search {
            Some((revision, batch)) => diesel::replace_into(searches::table)
                .values((
                    searches::job_id.eq(job),
                    searches::revision.eq(revision),
                    searches::started_at.eq(now()),
                    searches::batch.eq(i32::try_from(batch.0).unwrap_or(1)),
                ))
                .execute(&mut c)?,
            None => diesel::delete(searches::table.find(job)).execute(&mut c)?,
        };
        Ok(())
    }

    /// The batch of this job whose nest was being searched when the shop was last shut, if any was.
    pub fn was_searching(&self, job: i32) -> Result<Option<BatchId>, StoreError> {
        let found: Option<i32> = searches::table.find(job).select(searches::batch).first(&mut self.connection()?).optional()?;
        Ok(found.map(|b| BatchId(u32::try_from(b).unwrap_or(1))))
    }
}

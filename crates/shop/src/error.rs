//! Why something was not done, in a sentence.

use boustrophe_core::decisions::EditError;
use boustrophe_formats::ReadError;
use boustrophe_machine::DriverError;
use boustrophe_store::{Setting, StoreError};

/// Whatever keeps an operation from being done. It says what stands in the way, and what to do.
#[derive(Debug, thiserror::Error)]
pub enum ShopError {
    /// From the shop's memory.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// From a file.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// From a machine.
    #[error(transparent)]
    Machine(#[from] DriverError),
    /// A change that cannot be made.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// What was typed or asked will not do; the sentence says why.
    #[error("{0}")]
    Sentence(String),
    /// Reading a file would take more than it may.
    #[error(
        "{file} would take more than {what} to read, and was given up. Split it, leave out pictures and hidden layers, or export it in another format."
    )]
    Limit {
        /// File name.
        file: String,
        /// Which limit.
        what: String,
    },
    /// A word did not get to its machine.
    #[error("“{word}” did not reach {machine}: it does not answer. Look at the machine; stop it there if need be.")]
    Unreached {
        /// Machine.
        machine: String,
        /// What it was to be told.
        word: String,
    },
    /// A job whose revision in force cannot be read.
    #[error(
        "{name} cannot be opened: its last revision is not understood ({why}). All its other revisions and all other jobs are as they were."
    )]
    Unreadable {
        /// Job.
        job: i32,
        /// Its name.
        name: String,
        /// The revision.
        head: i32,
        /// True where there is one before it.
        before: bool,
        /// What is wrong with it.
        why: String,
    },
    /// A thing of the shop's book is not as somebody saw it any more.
    #[error("this has been changed since the page was loaded")]
    Book(Box<Overtaken>),
    /// A task broke off.
    #[error("the work broke off: {0}. What was decided is kept; load the page again.")]
    Task(#[from] tokio::task::JoinError),
}

/// A thing of the shop's book that somebody else changed meanwhile.
#[derive(Debug)]
pub struct Overtaken {
    /// As it is now; `None` where it was taken away.
    pub now: Option<Setting>,
    /// As it was to become; `None` where it was to be taken away.
    pub wanted: Option<Setting>,
}

/// What is typed is refused in a sentence by whoever reads it.
impl From<String> for ShopError {
    fn from(sentence: String) -> Self {
        Self::Sentence(sentence)
    }
}

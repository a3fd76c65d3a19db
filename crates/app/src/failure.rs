//! Why a command did not run.

/// Why a command did not run: one line for standard error, exit 2.
#[derive(Debug, thiserror::Error)]
pub enum Failure {
    /// A wrong word on the command line.
    #[error("{0} Try `boustrophe --help`.")]
    Usage(String),
    /// A file that cannot be read.
    #[error("{0}")]
    Read(#[from] boustrophe_formats::ReadError),
    /// A file that cannot be opened or written.
    #[error("{path}: {error}. {hint}")]
    File {
        /// Which.
        path: String,
        /// What the system says.
        error: std::io::Error,
        /// What to do.
        hint: &'static str,
    },
    /// Anything else, in a sentence.
    #[error("{0}")]
    Other(String),
}

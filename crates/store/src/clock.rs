//! What time it is.

use std::cell::Cell;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;

thread_local! {
    /// The clock of a thread, where it was stopped.
    static CLOCK: Cell<Option<OffsetDateTime>> = const { Cell::new(None) };
}

/// Stops the clock of this thread at a moment, or lets it go as clocks do: for histories that are played again to the letter.
pub fn stop_clock(at: Option<OffsetDateTime>) {
    CLOCK.set(at);
}

/// Now, by this thread's clock.
pub(crate) fn moment() -> OffsetDateTime {
    CLOCK.get().unwrap_or_else(OffsetDateTime::now_utc)
}

/// Now, as stored.
pub(crate) fn now() -> String {
    moment().format(&Rfc3339).unwrap_or_default()
}

/// The day that it is, as year, month and day.
pub fn today() -> String {
    now().chars().take(10).collect()
}

/// Seconds from a moment, as it is stored, until now; `None` for what is no moment.
pub fn seconds_since(at: &str) -> Option<f64> {
    Some((moment() - OffsetDateTime::parse(at, &Rfc3339).ok()?).as_seconds_f64())
}

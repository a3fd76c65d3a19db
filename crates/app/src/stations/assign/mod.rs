//! Station 3: what each line is, and of what it is made.

pub mod docket;
pub mod edits;
pub mod forms;

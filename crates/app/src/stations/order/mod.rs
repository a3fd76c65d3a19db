//! Station 5: what is cut after what.

pub mod docket;
pub mod edits;
pub mod places;
pub mod rows;

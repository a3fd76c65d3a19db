//! The shop as a person uses it, in headless Chromium.

mod harness;
mod memory;
mod refusals;
mod walks;

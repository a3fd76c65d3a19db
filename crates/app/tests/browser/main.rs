//! The shop as a person uses it, in headless Chromium.

mod drawings;
mod harness;
mod memory;
mod refusals;
mod walks;

//! The shop as a person uses it, in headless Chromium.

mod assigning;
mod drawings;
mod harness;
mod memory;
mod refusals;
mod walks;

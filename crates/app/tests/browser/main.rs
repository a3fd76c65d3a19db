//! The shop as a person uses it, in headless Chromium.

mod assigning;
mod batches;
mod book;
mod drawings;
mod fields;
mod harness;
mod laying;
mod memory;
mod rack;
mod refusals;
mod running;
mod walks;

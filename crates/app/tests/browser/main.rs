//! The shop as a person uses it, in headless Chromium.

mod assigning;
mod batches;
mod book;
mod boxes;
mod controller;
mod drawings;
mod fields;
mod hands;
mod harness;
mod holding;
mod kits;
mod laying;
mod machines;
mod memory;
mod mending;
mod ordering;
mod plans;
mod pointer;
mod rack;
mod readable;
mod refusals;
mod running;
mod shown;
mod tables;
mod walks;

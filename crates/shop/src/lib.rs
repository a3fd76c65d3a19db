//! The running shop as a library: jobs and their edits, files on their way in, nests, releases, runs, the rack, the book.
//!
//! An operation is a function over the running shop ([`app::App`]) or over a job as it stands ([`app::Loaded`]), with a typed result and
//! a refusal in a sentence ([`error::ShopError`]). It knows no web and no templates: pages, the command line and programs call the same.

pub mod alike;
pub mod app;
pub mod aside;
pub mod book;
pub mod cards;
pub mod changed_stock;
pub mod changing;
pub mod demo;
pub mod desks;
pub mod error;
pub mod figures;
pub mod guests;
pub mod hosting;
pub mod incoming;
pub mod jobs;
pub mod kept;
pub mod miniature;
pub mod names;
pub mod nests;
pub mod packed;
pub mod papers;
pub mod rack;
pub mod reading;
pub mod releases;
pub mod report;
pub mod runs;
pub mod searches;
pub mod settings;
pub mod sheets;
#[cfg(test)]
mod simulation;
pub mod since;
pub mod tables;
pub mod wanted;

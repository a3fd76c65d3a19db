//! Station 1: drawings come in.

pub mod boxes;
pub mod docket;
pub mod edits;
pub mod forms;
pub mod pictures;
pub mod plates;
pub mod regions;
pub mod rows;
pub mod solids;
pub mod tables;

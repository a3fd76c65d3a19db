//! The things of the shop, a folder each: its pages, what they post, templates and scripts.

pub mod about;
pub mod book;
pub mod floor;
pub mod machines;
pub mod rack;
pub mod runs;
pub mod shift;

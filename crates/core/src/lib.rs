//! Rules and computation of the route a job takes through the shop.
//!
//! A job is a pipeline of pure functions over stored decisions, one module a station:
//! [`intake`] → [`clean`] → [`assign`] → [`nest`] → [`order`] → [`hold`] → [`proof`]; [`route`] runs them in a row and
//! keeps what did not change. Nothing here reads a clock, a file or the network. Lengths are millimetres, areas mm²,
//! times seconds, angles radians (degrees only in [`nest::Placement`] and where a person types them); y points up.

pub mod assign;
pub mod cache;
pub mod card;
pub mod clean;
pub mod cuts;
pub mod decisions;
pub mod drawing;
pub mod finding;
pub mod geometry;
pub mod hold;
pub mod ids;
pub mod intake;
pub mod ledger;
pub mod lettering;
pub mod nest;
pub mod order;
pub mod picture;
pub mod proof;
pub mod quantity;
pub mod release;
pub mod route;
pub mod shop;
#[cfg(test)]
mod testing;
pub mod time;

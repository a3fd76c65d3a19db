//! The server from outside, over plain sockets: bombs, crowds, strangers, many hands, and being shut.

mod alike;
mod bombs;
mod bursting;
mod client;
mod crowds;
mod dropped;
mod floor;
mod forms;
mod hands;
mod job_files;
mod killed;
mod laid;
mod large;
mod mending;
mod nested;
mod odd_hands;
mod shutting;
mod stored;

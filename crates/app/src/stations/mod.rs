//! The stations of a job, a folder each: its docket, the forms with the edits they make, what it hangs on the stage, its papers,
//! templates and scripts. Beside them what all have in common.

pub mod assign;
pub mod bench;
pub mod changes;
pub mod clean;
pub mod dockets;
pub mod form;
pub mod history;
pub mod hold;
pub mod intake;
pub mod mending;
pub mod nest;
pub mod order;
pub mod proof;
pub mod release;
pub mod stage;
pub mod window;
pub mod words;

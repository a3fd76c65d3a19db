//! What parts are made on and of.

use serde::{Deserialize, Serialize};

/// Machine, material and thickness that parts are made with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Stock {
    /// Machine id.
    pub machine: String,
    /// Material id.
    pub material: String,
    /// Thickness, mm.
    pub thickness: f64,
}

impl Default for Stock {
    fn default() -> Self {
        Self { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 }
    }
}

//! What is released, as it is stored: MessagePack with the names of fields, so that later versions can read what they still know,
//! deflated.

use crate::error::ShopError;
use boustrophe_core::hold::SheetPath;
use boustrophe_core::release::Lines;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::io::{Read, Write};

/// A run's own work: what is left of another's, or cut again.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct OwnWork {
    /// What the head does.
    pub path: SheetPath,
    /// Where in its program each piece of it stands.
    pub lines: Lines,
}

/// Longest that anything may become when it is unpacked, bytes.
const MOST: u64 = 4 << 30;

/// Packs something to be stored.
pub fn packed(value: &impl Serialize) -> Result<Vec<u8>, ShopError> {
    let failed = |e: &dyn std::fmt::Display| ShopError::Sentence(format!("the release cannot be saved ({e})."));
    let mut out = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::fast());
    let mut writer = rmp_serde::Serializer::new(std::io::BufWriter::new(&mut out)).with_struct_map();
    value.serialize(&mut writer).map_err(|e| failed(&e))?;
    writer.into_inner().flush().map_err(|e| failed(&e))?;
    out.finish().map_err(|e| failed(&e))
}

/// Reads what was packed.
pub fn unpacked<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, ShopError> {
    let reader = std::io::BufReader::new(flate2::read::DeflateDecoder::new(bytes).take(MOST));
    rmp_serde::from_read(reader)
        .map_err(|e| ShopError::Sentence(format!("what was released cannot be read any more ({e}); release it again.")))
}

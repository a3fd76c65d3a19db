//! What is to be laid, as whoever asks for a nest has it.

use crate::geometry::{Bounds, Path};
use crate::ids::PartId;
use std::sync::Arc;

/// One part, drawn anywhere.
#[derive(Clone, Copy, Debug)]
pub struct Part<'a> {
    /// Its name.
    pub id: PartId,
    /// Its outer edge, closed.
    pub outline: &'a Path,
    /// Box of the outline, mm.
    pub bounds: Bounds,
    /// Area within the outline less its holes, mm².
    pub area: f64,
    /// Copies that are wanted.
    pub quantity: u32,
}

/// The parts of a nest. Whoever has parts shows them like this; nothing of theirs is copied.
pub trait Parts: Sync {
    /// All of them, in an order that stays.
    fn parts(&self) -> Vec<Part<'_>>;
    /// The part of this name; `None` where there is no such part any more.
    fn part(&self, id: PartId) -> Option<Part<'_>>;
    /// Edges of a part's holes.
    fn holes(&self, id: PartId) -> Vec<&Path>;
    /// What is engraved on a part by rows.
    fn engraved(&self, id: PartId) -> Vec<&Path>;
    /// The box that is laid on a blank, where a part is worked on one: what is drawn round its work, or its own.
    fn frame(&self, id: PartId) -> Bounds;
}

impl<P: Parts + Send + ?Sized> Parts for Arc<P> {
    fn parts(&self) -> Vec<Part<'_>> {
        (**self).parts()
    }
    fn part(&self, id: PartId) -> Option<Part<'_>> {
        (**self).part(id)
    }
    fn holes(&self, id: PartId) -> Vec<&Path> {
        (**self).holes(id)
    }
    fn engraved(&self, id: PartId) -> Vec<&Path> {
        (**self).engraved(id)
    }
    fn frame(&self, id: PartId) -> Bounds {
        (**self).frame(id)
    }
}

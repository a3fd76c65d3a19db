//! What is decided at Intake, and what a drawing carries of what is decided at Clean.

use super::clean::{Mend, Operation, Trace};
use super::revision::{MovedPlace, redrawn, replace};
use super::solid::SolidChoices;
use super::table::{Table, TableEdit};
use super::{Decisions, EditError, copies, within};
use crate::drawing::Unit;
use crate::geometry::Bounds;
use crate::ids::{BatchId, ContourId, PartId};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// A part of another job that is made with this one's.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Guest {
    /// Number of its job.
    pub job: i32,
    /// What that was called.
    pub name: String,
    /// Which part of it.
    pub part: PartId,
}

/// How the contours of a drawing get their names. What was decided on them is stored under these names: a drawing keeps to the manner
/// that it came in with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Naming {
    /// As the first version did: sums and products, which leave few bits where coordinates are whole.
    #[default]
    Early,
    /// By BLAKE3.
    Digest,
}

impl Naming {
    fn is_early(&self) -> bool {
        *self == Self::Early
    }
}

/// What is said of one region of a drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct View {
    /// What it is called; empty for its number.
    pub name: String,
    /// Its size × `scale` = true size, beside the drawing's own scale.
    pub scale: f64,
}

impl Default for View {
    fn default() -> Self {
        Self { name: String::new(), scale: 1.0 }
    }
}

/// Decisions on one drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DrawingDecisions {
    /// Number of the drawing within the job; never used again.
    pub id: u32,
    /// The stored file, by the hash of its bytes.
    pub file: String,
    /// The file's name as it came.
    pub name: String,
    /// How its contours are named.
    #[serde(default, skip_serializing_if = "Naming::is_early")]
    pub naming: Naming,
    /// Unit, where the file does not say or says it wrong.
    pub unit: Option<Unit>,
    /// Pixels per inch, for a file in pixels.
    pub ppi: Option<f64>,
    /// Drawing size × scale = true size.
    pub scale: f64,
    /// Turned by this many degrees, anticlockwise.
    pub angle: f64,
    /// Mirrored left to right, before it is turned.
    pub mirrored: bool,
    /// Free ends up to this far apart are joined, mm; `None` for the shop's tolerance.
    pub gap: Option<f64>,
    /// A picture is engraved as it is, not traced.
    #[serde(default)]
    pub engraved: bool,
    /// How a picture is traced.
    #[serde(default)]
    pub trace: Trace,
    /// Only what lies in one of these boxes is taken, in drawing units; all of it where there is none.
    #[serde(default)]
    pub regions: Vec<Bounds>,
    /// What the regions are called, and scales of their own, one a region from the first on.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub views: Vec<View>,
    /// The file before this one, by its hash and name, while a new revision is compared with it.
    #[serde(default)]
    pub before: Option<(String, String)>,
    /// A drawing of the job that came under the same name before it, as long as it is open whether this is a new revision of that.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub again: Option<u32>,
    /// What is mended in it.
    #[serde(default)]
    pub mends: BTreeSet<Mend>,
    /// Polylines of many short edges are followed by lines and arcs within this, mm; `None` leaves them.
    #[serde(default)]
    pub refit: Option<f64>,
    /// What a person does with its contours, in order.
    #[serde(default)]
    pub operations: Vec<Operation>,
    /// How many of each of its parts, unless said of the part.
    pub quantity: u32,
    /// The batch that its parts are made in, unless said of the part.
    #[serde(default)]
    pub batch: BatchId,
    /// The part of another job that it was taken in from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub guest: Option<Guest>,
    /// A table that fills its writing, one copy a row.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub table: Option<Table>,
    /// How the faces of a solid are joined.
    #[serde(default, skip_serializing_if = "is_default")]
    pub solid: SolidChoices,
}

fn is_default(c: &SolidChoices) -> bool {
    *c == SolidChoices::default()
}

impl DrawingDecisions {
    /// A drawing just added, nothing decided.
    pub fn new(id: u32, file: &str, name: &str) -> Self {
        Self {
            id,
            file: file.into(),
            name: name.into(),
            naming: Naming::Digest,
            unit: None,
            ppi: None,
            scale: 1.0,
            angle: 0.0,
            mirrored: false,
            gap: None,
            engraved: false,
            trace: Trace::default(),
            regions: Vec::new(),
            views: Vec::new(),
            before: None,
            again: None,
            mends: BTreeSet::new(),
            refit: None,
            operations: Vec::new(),
            quantity: 1,
            batch: BatchId::FIRST,
            guest: None,
            table: None,
            solid: SolidChoices::default(),
        }
    }
}

/// A change at Intake.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum IntakeEdit {
    /// A new drawing; `file` is the hash of its bytes.
    AddDrawing {
        file: String,
        name: String,
    },
    /// Another file in the place of a drawing's; what was decided stays where contours are unchanged.
    ReplaceDrawing {
        drawing: u32,
        file: String,
        name: String,
        /// Contours that are there again under other names.
        #[serde(default)]
        carried: BTreeMap<ContourId, ContourId>,
        /// Places on them that a hand set, where the contour is drawn from another corner or the other way round now.
        #[serde(default)]
        places: Vec<MovedPlace>,
        /// Contours that are drawn the other way round now.
        #[serde(default)]
        reversed: BTreeSet<ContourId>,
        /// From where the drawing was to where it is, mm, as the six numbers of a matrix.
        #[serde(default)]
        moved: Option<[f64; 6]>,
    },
    RemoveDrawing {
        drawing: u32,
    },
    SetUnit {
        drawing: u32,
        unit: Unit,
    },
    SetPpi {
        drawing: u32,
        ppi: f64,
    },
    /// Drawing size × `scale` = true size.
    SetScale {
        drawing: u32,
        scale: f64,
    },
    /// Turn further by `degrees`, anticlockwise.
    TurnDrawing {
        drawing: u32,
        degrees: f64,
    },
    MirrorDrawing {
        drawing: u32,
    },
    /// Only what lies in these boxes, in drawing units; none for all of it.
    SetRegions {
        drawing: u32,
        regions: Vec<Bounds>,
    },
    /// A region is called so, and has a scale of its own.
    SetView {
        drawing: u32,
        region: usize,
        view: View,
    },
    /// A region is not taken any more.
    DropRegion {
        drawing: u32,
        region: usize,
    },
    /// The new revision has been looked through: the one before is no longer shown.
    Compared {
        drawing: u32,
    },
    /// A drawing that came under a name that there was is another drawing, and no revision of that one.
    Apart {
        drawing: u32,
    },
    /// A picture is engraved as it is, or traced.
    SetEngraved {
        drawing: u32,
        on: bool,
    },
    SetDrawingQuantity {
        drawing: u32,
        quantity: u32,
    },
    /// The drawing is a part of another job, or of none.
    SetGuest {
        drawing: u32,
        guest: Option<Guest>,
    },
    /// The drawing's parts are made in this batch, but for those that were given to another one by one.
    SetDrawingBatch {
        drawing: u32,
        to: BatchId,
    },
    /// The table that fills the drawing's writing.
    Table {
        drawing: u32,
        edit: TableEdit,
    },
    /// How the faces of a solid are joined.
    SetSolid {
        drawing: u32,
        choices: SolidChoices,
    },
}

impl IntakeEdit {
    pub(super) fn apply(&self, d: &mut Decisions) -> Result<(), EditError> {
        match self {
            Self::AddDrawing { file, name } => {
                let id = d.drawings.iter().map(|x| x.id).max().unwrap_or(0) + 1;
                let again = d.drawings.iter().find(|x| x.name == *name).map(|x| x.id);
                d.drawings.push(DrawingDecisions { again, ..DrawingDecisions::new(id, file, name) });
            }
            Self::ReplaceDrawing { drawing, file, name, carried, moved, places, reversed } => {
                replace(d, *drawing, (file, name), (carried, *moved))?;
                redrawn(d, places, reversed);
            }
            Self::RemoveDrawing { drawing } => {
                d.find(*drawing)?;
                d.drawings.retain(|x| x.id != *drawing);
                d.drawings.iter_mut().filter(|x| x.again == Some(*drawing)).for_each(|x| x.again = None);
            }
            Self::SetUnit { drawing, unit } => d.find(*drawing)?.unit = Some(*unit),
            Self::SetPpi { drawing, ppi } => d.find(*drawing)?.ppi = Some(within("pixels per inch", *ppi, 1.0, 10_000.0)?),
            Self::SetScale { drawing, scale } => d.find(*drawing)?.scale = within("a scale", *scale, 1e-6, 1e6)?,
            Self::TurnDrawing { drawing, degrees } => {
                let found = d.find(*drawing)?;
                found.angle = (found.angle + within("an angle", *degrees, -360.0, 360.0)?).rem_euclid(360.0);
            }
            Self::MirrorDrawing { drawing } => {
                let found = d.find(*drawing)?;
                found.mirrored = !found.mirrored;
            }
            Self::SetRegions { drawing, regions } => {
                if regions.len() > 200 || regions.iter().any(|r| r.is_empty() || !r.min.is_finite() || !r.max.is_finite()) {
                    return Err(EditError::Refused("a region needs two corners, and there may be 200 of them".into()));
                }
                let found = d.find(*drawing)?;
                // What is said of a region stays with it as long as it is there.
                let said: Vec<View> = regions
                    .iter()
                    .map(|r| found.regions.iter().position(|o| o == r).and_then(|i| found.views.get(i)).cloned().unwrap_or_default())
                    .collect();
                found.regions.clone_from(regions);
                found.views = if said.iter().all(|v| *v == View::default()) { Vec::new() } else { said };
            }
            Self::SetView { drawing, region, view } => {
                within("a region's scale", view.scale, 1e-4, 1e4)?;
                if view.name.chars().count() > 60 {
                    return Err(EditError::Refused("a region's name has 60 letters at most".into()));
                }
                let found = d.find(*drawing)?;
                if *region >= found.regions.len() {
                    return Err(EditError::Gone("that region".into()));
                }
                found.views.resize(found.regions.len(), View::default());
                found.views[*region] = view.clone();
            }
            Self::DropRegion { drawing, region } => {
                let found = d.find(*drawing)?;
                if *region >= found.regions.len() {
                    return Err(EditError::Gone("that region".into()));
                }
                found.regions.remove(*region);
                if *region < found.views.len() {
                    found.views.remove(*region);
                }
            }
            Self::Apart { drawing } => d.find(*drawing)?.again = None,
            Self::Compared { drawing } => d.find(*drawing)?.before = None,
            Self::SetEngraved { drawing, on } => d.find(*drawing)?.engraved = *on,
            Self::SetDrawingQuantity { drawing, quantity } => d.find(*drawing)?.quantity = copies(*quantity)?,
            Self::SetGuest { drawing, guest } => d.find(*drawing)?.guest.clone_from(guest),
            Self::SetDrawingBatch { drawing, to } => {
                d.batch_mut(*to)?;
                d.find(*drawing)?.batch = *to;
            }
            Self::SetSolid { drawing, choices } => {
                choices.checked()?;
                d.find(*drawing)?.solid = *choices;
            }
            Self::Table { drawing, edit } => edit.apply(&mut d.find(*drawing)?.table)?,
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::AddDrawing { name, .. } => format!("Added {name}"),
            Self::ReplaceDrawing { name, .. } => format!("New revision {name}"),
            Self::RemoveDrawing { .. } => "Removed a drawing".into(),
            Self::SetUnit { unit, .. } => format!("Drawing is in {unit}"),
            Self::SetPpi { ppi, .. } => format!("{ppi} pixels per inch"),
            Self::SetScale { scale, .. } => format!("Drawing × {scale:.4}"),
            Self::TurnDrawing { degrees, .. } => format!("Turned {degrees}°"),
            Self::MirrorDrawing { .. } => "Mirrored".into(),
            Self::SetRegions { regions, .. } if regions.is_empty() => "All of the drawing".into(),
            Self::SetRegions { regions, .. } => {
                format!("{} of the drawing", crate::words::counted(regions.len(), "region", "regions"))
            }
            Self::SetView { region, view, .. } => {
                let name = if view.name.is_empty() { format!("Region {}", region + 1) } else { format!("Region “{}”", view.name) };
                if view.scale == 1.0 { name } else { format!("{name} × {:.4}", view.scale) }
            }
            Self::DropRegion { region, .. } => format!("Region {} not taken", region + 1),
            Self::Apart { .. } => "Two drawings of one name".into(),
            Self::Compared { .. } => "New revision looked through".into(),
            Self::SetEngraved { on, .. } => if *on { "Picture engraved as it is" } else { "Picture traced" }.into(),
            Self::SetDrawingQuantity { quantity, .. } => format!("Quantity {quantity}"),
            Self::SetGuest { guest: Some(g), .. } => format!("A part of “{}” taken in", g.name),
            Self::SetGuest { guest: None, .. } => "A part of its own".into(),
            Self::SetDrawingBatch { to, .. } => format!("A drawing's parts to batch {to}"),
            Self::Table { edit, .. } => edit.label(),
            Self::SetSolid { choices, .. } => format!("Solid: {}", choices.words()),
        }
    }
}

//! What a plan says in words beside its parts: how many, how thick and of what, which way the grain runs, and that a part is
//! wanted in both hands. Each note is tied to the part that it stands in, or else to the nearest.

mod stuff;
mod words;

use super::given::Given;
use super::{Item, Part, Process};
use crate::clean::Cleaned;
use crate::decisions::clean::Operation;
use crate::decisions::nest::{Grain, PartNest};
use crate::decisions::{AssignEdit, CleanEdit, Edit, NestEdit, Stock};
use crate::drawing::Text;
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::Point;
use crate::ids::{BatchId, ContourId, PartId};
use std::collections::BTreeMap;
use stuff::{is_stuff, stuff};
use words::{Said, understood};

/// A note beside a part is not further from it than so many times its height, and than this, mm.
const REACH: (f64, f64) = (9.0, 45.0);
/// Sine of the angle by which a note's arrow may be off x or y.
const ASKEW: f64 = 0.1;
/// Notes that are told one by one.
const TOLD: usize = 6;

/// An arrow that a word about the grain belongs to comes within so many heights of it.
const BY_ARROW: f64 = 4.0;

/// A note with the part that it is about.
struct Tied<'a> {
    text: &'a Text,
    middle: Point,
    part: &'a Part,
    said: Said,
    /// Which way the arrow by it runs, or else its writing, radians.
    angle: f64,
}

/// Which way the arrow runs that a note stands by: the nearest line of the paper as long as a word, where one is near.
fn arrow(t: &Text, drawing: u32, items: &[Item]) -> Option<f64> {
    let (at, reach) = (t.middle(), BY_ARROW * t.height);
    let near = items.iter().filter(|i| i.contour.drawing == drawing && !i.process.burns() && !i.contour.path.closed);
    let near = near.filter(|i| i.contour.bounds.grown(reach).has(at) && i.contour.path.segments.len() <= 4);
    let strokes = near.flat_map(|i| &i.contour.path.segments).filter(|s| s.is_line() && s.chord() > 2.0 * t.height);
    let near = strokes.map(|s| (s.distance(at), s)).filter(|(d, _)| *d <= reach).min_by(|a, b| a.0.total_cmp(&b.0));
    near.map(|(_, s)| (s.end - s.start).atan2())
}

/// The part that a note stands in, the smallest of several; else the nearest within reach.
fn tied<'a>(t: &Text, parts: &'a [Part], drawing: u32) -> Option<&'a Part> {
    let at = t.middle();
    let of = || parts.iter().filter(|p| p.drawing == drawing);
    let within = of().filter(|p| p.outline.contains(at)).min_by(|a, b| a.area.total_cmp(&b.area));
    within.or_else(|| {
        let away = |p: &Part| p.outline.nearest(at).distance.min(p.outline.nearest(t.at).distance);
        let reach = (REACH.0 * t.height).min(REACH.1).max(10.0);
        of().map(|p| (away(p), p)).filter(|(d, _)| *d <= reach).min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, p)| p)
    })
}

/// What the notes of a drawing say that is not so yet, with what takes them all; and what they name that there is not.
pub(super) fn told(drawing: &Cleaned, parts: &[Part], items: &[Item], given: &Given) -> Vec<Finding> {
    let mut open = open(drawing, parts, items, given);
    let astray: Vec<Tied> = open.extract_if(.., |t| is_unknown(&t.said, given)).collect();
    unknown(drawing, &astray).into_iter().chain(wanted(drawing, open, items, given)).collect()
}

/// The notes of a drawing, each tied to its part, that say what is not so yet.
fn open<'a>(drawing: &'a Cleaned, parts: &'a [Part], items: &[Item], given: &Given) -> Vec<Tied<'a>> {
    let mut open: Vec<Tied> = Vec::new();
    for text in &drawing.texts {
        let said = understood(&text.value);
        let Some(part) = (if said.is_empty() { None } else { tied(text, parts, drawing.drawing) }) else { continue };
        let arrow = said.iter().any(|s| matches!(s, Said::Grain { .. })).then(|| arrow(text, drawing.drawing, items)).flatten();
        let said = said.into_iter().map(|said| {
            let across = matches!(said, Said::Grain { across: true });
            let along = text.angle + if across { std::f64::consts::FRAC_PI_2 } else { 0.0 };
            Tied { text, middle: text.middle(), part, said, angle: arrow.unwrap_or(along) }
        });
        open.extend(said.filter(|t| !settled(t, given)));
    }
    open
}

fn wanted(drawing: &Cleaned, open: Vec<Tied>, items: &[Item], given: &Given) -> Option<Finding> {
    // Of several notes that say the same of a part the first stands.
    let mut kept: Vec<Tied> = Vec::new();
    for t in open {
        if !kept.iter().any(|k| k.part.id == t.part.id && std::mem::discriminant(&k.said) == std::mem::discriminant(&t.said)) {
            kept.push(t);
        }
    }
    if kept.is_empty() {
        return None;
    }
    // Where a part is made comes before how many of it are made there.
    kept.sort_by_key(|t| !matches!(t.said, Said::Thickness(..)));
    let mut edits = Vec::new();
    let mut new = New::default();
    for t in &kept {
        edits.extend(edit(t, items, given, &mut new));
    }
    // What was a note is no work any more.
    let letters = letters(&kept, drawing, items);
    if !letters.is_empty() {
        edits.push(Edit::Assign(AssignEdit::SetContours { contours: letters, process: Some(Process::Reference) }));
    }
    let added = new.stocks;
    // Batches come first: parts are moved to them by the numbers that they will have.
    let mut all: Vec<Edit> = added.into_iter().map(|stock| Edit::Assign(AssignEdit::AddBatch { stock })).collect();
    let plain = all.is_empty();
    all.extend(edits);
    let words: Vec<String> = kept.iter().take(TOLD).map(|t| format!("“{}” by {}", t.text.value.trim(), t.part.name)).collect();
    let more = if kept.len() > TOLD { format!(", and {} more", kept.len() - TOLD) } else { String::new() };
    let text = format!("{} says what is wanted and is not so yet: {}{more}.", drawing.name, words.join(", "));
    let points: Vec<Point> = kept.iter().map(|t| t.middle).collect();
    let found = Finding::new(Station::Assign, Severity::Look, Code::PlanSays, kept.len(), text).at(drawing.drawing, points);
    let label = format!("Take {}", counted(kept.len(), "note", "notes"));
    let quiet = plain && kept.iter().all(|t| matches!(t.said, Said::Copies(_) | Said::Grain { .. }));
    Some(if quiet { found.mend(label, Edit::All { edits: all }) } else { found.choice(label, Edit::All { edits: all }) })
}

/// The letters of notes that would be engraved.
fn letters(notes: &[Tied], drawing: &Cleaned, items: &[Item]) -> Vec<ContourId> {
    let of: Vec<u32> = notes.iter().map(|t| t.text.compound).filter(|c| *c > 0).collect();
    let theirs = |i: &&Item| i.contour.drawing == drawing.drawing && i.contour.style.text && of.contains(&i.contour.compound);
    items.iter().filter(theirs).filter(|i| i.process.burns()).map(|i| i.contour.id).collect()
}

/// True where it is so already, or where a hand has said otherwise since.
fn settled(t: &Tied, given: &Given) -> bool {
    let decided = given.wanted.parts.get(&t.part.id);
    let (batch, quantity, _) = given.wanted.drawings.get(&t.part.drawing).copied().unwrap_or((BatchId::FIRST, 1, false));
    match &t.said {
        Said::Copies(n) => t.part.quantity == *n || quantity != 1 || decided.is_some_and(|d| !d.quantity.is_empty()),
        Said::Thickness(mm, of) => {
            let home = decided.and_then(|d| d.batch).unwrap_or(batch);
            let so =
                !is_unknown(&t.said, given) && given.customs.made_of.get(&home).is_none_or(|now| alike(now, &stock(now, *mm, of, given)));
            so || decided.is_some_and(|d| d.batch.is_some())
        }
        Said::Grain { .. } => given.customs.grained.contains(&t.part.id) || Grain::running(t.angle, ASKEW).is_none(),
        Said::Handed => given.customs.mirrored.contains(&t.part.id.0),
    }
}

/// What a part of which so thick a sheet of something is said is made of: of what it is made of now where nothing is said of that.
fn stock(now: &Stock, thickness: f64, of: &str, given: &Given) -> Stock {
    let material = material(of, given).cloned().unwrap_or_else(|| now.material.clone());
    Stock { material, thickness, ..now.clone() }
}

/// The material of the book that words name.
fn material<'a>(of: &str, given: &'a Given) -> Option<&'a String> {
    let named = |name: &str| {
        let name = name.to_lowercase();
        of.split(' ').filter(|w| w.len() > 2).any(|w| stuff(w).is_some_and(|s| name.contains(s) || name.contains(w)))
    };
    given.customs.materials.iter().find(|(_, name)| named(name)).map(|m| &m.0)
}

/// True where a note names what the book does not have: that is asked, and never taken for what is there.
fn is_unknown(said: &Said, given: &Given) -> bool {
    matches!(said, Said::Thickness(_, of) if of.split(' ').any(|w| is_stuff(w) && w != "sheet") && material(of, given).is_none())
}

/// Notes that name a material which is not in the book.
fn unknown(drawing: &Cleaned, notes: &[Tied]) -> Option<Finding> {
    let n = notes.len();
    if n == 0 {
        return None;
    }
    let words: Vec<String> = notes.iter().take(TOLD).map(|t| format!("“{}” by {}", t.text.value.trim(), t.part.name)).collect();
    let text = format!(
        "{} names what is not in the shop's book: {}. Choose what it is made of at Assign, or add the material to the book.",
        drawing.name,
        words.join(", ")
    );
    let points: Vec<Point> = notes.iter().map(|t| t.middle).collect();
    let found = Finding::new(Station::Assign, Severity::Look, Code::MaterialUnknown, n, text).at(drawing.drawing, points);
    Some(found.acceptable("It is made of what is chosen"))
}

/// The same machine, material and thickness.
fn alike(a: &Stock, b: &Stock) -> bool {
    a.machine == b.machine && a.material == b.material && (a.thickness - b.thickness).abs() < 0.05
}

/// What taking the notes brings about before it is so.
#[derive(Default)]
struct New {
    /// What further batches are made of.
    stocks: Vec<Stock>,
    /// Where parts will be made.
    homes: BTreeMap<PartId, BatchId>,
}

fn edit(t: &Tied, items: &[Item], given: &Given, new: &mut New) -> Vec<Edit> {
    let was = *t.part.wanted.keys().next().unwrap_or(&BatchId::FIRST);
    let home = new.homes.get(&t.part.id).copied().unwrap_or(was);
    match &t.said {
        Said::Copies(n) => vec![NestEdit::SetQuantity { part: t.part.id, quantity: *n }.on(home)],
        Said::Grain { .. } => Grain::running(t.angle, ASKEW)
            .map(|g| NestEdit::SetPart { part: t.part.id, nest: PartNest { grain: Some(g), ..PartNest::default() } }.on(home))
            .into_iter()
            .collect(),
        Said::Handed => {
            let contours = t.part.items().filter_map(|i| items.get(i)).map(|i| i.contour.id).collect();
            vec![Edit::Clean(CleanEdit::Operate {
                drawing: t.part.drawing,
                operation: Operation::Mirror { contours, upright: false, keep: true },
            })]
        }
        Said::Thickness(mm, of) => {
            let Some(now) = given.customs.made_of.get(&was) else { return Vec::new() };
            let stock = stock(now, *mm, of, given);
            let same = |s: &Stock| alike(s, &stock);
            let known = given.customs.made_of.iter().find(|(_, s)| same(s)).map(|(id, _)| *id);
            let to = known.unwrap_or_else(|| {
                let next = given.customs.made_of.keys().map(|b| b.0).max().unwrap_or(0) + 1;
                let at = new.stocks.iter().position(same).unwrap_or_else(|| {
                    new.stocks.push(stock.clone());
                    new.stocks.len() - 1
                });
                BatchId(next + u32::try_from(at).unwrap_or(0))
            });
            new.homes.insert(t.part.id, to);
            vec![Edit::Assign(AssignEdit::MoveParts { parts: vec![t.part.id], to })]
        }
    }
}

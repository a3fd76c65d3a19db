//! What a plan says in words beside its parts: how many, how thick and of what, which way the grain runs, and that a part is
//! wanted in both hands. Each note is tied to the part that it stands in, or else to the nearest.

mod heads;
mod list;
mod stuff;
mod words;

use super::given::Given;
use super::sides::{self, Side};
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
use stuff::{COMMON, is_stuff, stuffs};
use words::{Said, understood};

/// A note beside a part is not further from it than so many times its height: on a plan to a scale both are larger than on paper.
const REACH: f64 = 9.0;
/// Sine of the angle by which a note's arrow may be off x or y.
const ASKEW: f64 = 0.1;
/// Notes that are told one by one.
const TOLD: usize = 6;

/// An arrow that a word about the grain belongs to comes within so many heights of it.
const BY_ARROW: f64 = 4.0;

/// A note with the part that it is about.
struct Tied<'a> {
    text: Option<&'a Text>,
    middle: Point,
    part: &'a Part,
    said: Said,
    /// Which way the arrow by it runs, or else its writing, radians.
    angle: f64,
    /// What it says, as it is told.
    words: String,
    /// It stands in a list of parts.
    listed: bool,
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
        let reach = (REACH * t.height).max(10.0);
        of().map(|p| (away(p), p)).filter(|(d, _)| *d <= reach).min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, p)| p)
    })
}

/// What the notes of a drawing say that is not so yet, with what takes them all; and what they name that there is not.
pub(super) fn told(drawing: &Cleaned, parts: &[Part], items: &[Item], given: &Given) -> Vec<Finding> {
    // What is seen from the side is no part that notes are of.
    let sides = if drawing.texts.is_empty() { Vec::new() } else { sides::views(drawing, parts) };
    let plates: Vec<Part>;
    let parts = if sides.is_empty() {
        parts
    } else {
        plates = parts.iter().filter(|p| !sides.iter().any(|s| s.bar.id == p.id)).cloned().collect();
        &plates
    };
    let mut listed = list::read(drawing, parts, items);
    let mut open: Vec<Tied> = std::mem::take(&mut listed.tied);
    open.extend(sides.iter().filter_map(|s| seen(s, parts)));
    open.extend(self::open(drawing, parts, items, &listed.writing));
    let beyond = beyond(drawing, parts, items, &listed.writing);
    let taken = taken(drawing, &open, &beyond, given);
    open.retain(|t| !settled(t, given));
    let astray: Vec<Tied> = open.extract_if(.., |t| is_unknown(t, given)).collect();
    let untied = untied(drawing, &listed);
    let differing = differing(drawing, &open);
    let shown: Vec<Tied> = sides.iter().filter_map(|s| seen(s, parts)).filter(|t| !settled(t, given)).collect();
    let aside = sides::told(drawing, &sides, items, taking(&shown, items, given));
    unknown(drawing, &astray)
        .into_iter()
        .chain(aside)
        .chain(untied)
        .chain(differing)
        .chain(wanted(drawing, open, items, given))
        .chain(taken)
        .collect()
}

/// Letters that a note is of at least; fewer are a mark, or a dimension's.
const LETTERS: usize = 3;

/// Writing by a part that is not burned and says nothing that is understood.
fn beyond<'a>(drawing: &'a Cleaned, parts: &[Part], items: &[Item], listed: &[&Text]) -> Vec<&'a str> {
    let burned = |t: &Text| {
        let of = |i: &Item| i.contour.drawing == drawing.drawing && i.contour.compound == t.compound;
        t.compound > 0 && items.iter().any(|i| of(i) && i.process.burns())
    };
    let worded = |t: &Text| t.value.chars().filter(|c| c.is_alphabetic()).count() >= LETTERS && understood(&t.value).is_empty();
    let own = drawing.texts.iter().filter(|t| worded(t) && !listed.iter().any(|l| std::ptr::eq(*l, *t)));
    own.filter(|t| tied(t, parts, drawing.drawing).is_some() && !burned(t)).map(|t| t.value.trim()).collect()
}

/// What of the notes has been taken, said again as it is now; and those beside them that say nothing that is understood.
fn taken(drawing: &Cleaned, notes: &[Tied], beyond: &[&str], given: &Given) -> Option<Finding> {
    let so = |t: &&Tied| {
        let decided = given.wanted.parts.get(&t.part.id);
        settled(t, given)
            && match &t.said {
                Said::Copies(n) => t.part.quantity == *n && decided.is_some_and(|d| !d.quantity.is_empty()),
                Said::Thickness(..) => decided.is_some_and(|d| d.batch.is_some()),
                Said::Grain { .. } => given.customs.grained.contains(&t.part.id),
                Said::Handed => true,
            }
    };
    let now = |t: &Tied| match &t.said {
        Said::Copies(n) => format!("{n} of {}", t.part.name),
        Said::Thickness(..) => {
            let home = given.wanted.parts.get(&t.part.id).and_then(|d| d.batch).unwrap_or(BatchId::FIRST);
            let of = given.customs.made_of.get(&home).map_or_else(String::new, |s| {
                let named = given.customs.materials.iter().find(|m| m.0 == s.material).map_or(s.material.as_str(), |m| m.1.as_str());
                format!("{named} {} mm", s.thickness)
            });
            format!("{} of {of}", t.part.name)
        }
        Said::Grain { .. } => format!("{} with its grain said", t.part.name),
        Said::Handed => format!("{} in both hands", t.part.name),
    };
    let taken: Vec<&Tied> = notes.iter().filter(so).collect();
    let n = taken.len();
    let words: Vec<String> = taken.iter().take(TOLD).map(|t| now(t)).collect();
    let more = if n > TOLD { format!(", and {} more", n - TOLD) } else { String::new() };
    let rest = match beyond {
        [] => String::new(),
        _ => {
            let words: Vec<String> = beyond.iter().take(TOLD).map(|w| format!("“{w}”")).collect();
            let more = if beyond.len() > TOLD { format!(" and {} more", beyond.len() - TOLD) } else { String::new() };
            format!(" Not understood: {}{more}.", words.join(", "))
        }
    };
    let text = format!("Of the notes in {} {} taken: {}{more}.{rest}", drawing.name, counted(n, "is", "are"), words.join(", "));
    let points: Vec<Point> = taken.iter().map(|t| t.middle).collect();
    (n > 0).then(|| Finding::new(Station::Assign, Severity::Note, Code::NotesTaken, n, text).at(drawing.drawing, points))
}

/// How thick a side view shows its plate.
fn seen<'a>(side: &Side, parts: &'a [Part]) -> Option<Tied<'a>> {
    let part = parts.iter().find(|p| p.id == side.plate.id)?;
    let words = format!("its side view, {} mm thick", side.thickness);
    let said = Said::Thickness(side.thickness, String::new());
    Some(Tied { text: None, middle: side.bar.bounds.center(), part, said, angle: 0.0, words, listed: false })
}

/// Rows of a list of parts that cannot be tied to one.
fn untied(drawing: &Cleaned, listed: &list::Listed) -> Option<Finding> {
    let text = format!(
        "The list of parts in {} cannot be tied to its parts: {}. Set how many of them, and of what, at Nest and Assign.",
        drawing.name,
        listed.told()?
    );
    let points: Vec<Point> = listed.astray.iter().map(|a| a.2).collect();
    let found = Finding::new(Station::Assign, Severity::Look, Code::ListUntied, points.len(), text).at(drawing.drawing, points);
    Some(found.acceptable("Keep these settings"))
}

/// Notes that say different things of one part.
fn differing(drawing: &Cleaned, open: &[Tied]) -> Option<Finding> {
    let same = |a: &Said, b: &Said| match (a, b) {
        (Said::Copies(a), Said::Copies(b)) => a == b,
        (Said::Thickness(a, _), Said::Thickness(b, _)) => (a - b).abs() < 0.05,
        _ => true,
    };
    let other = |(i, t): (usize, &Tied)| {
        let at = open[..i].iter().position(|k| k.part.id == t.part.id && !same(&k.said, &t.said))?;
        Some((at, i))
    };
    let pairs: Vec<(usize, usize)> = open.iter().enumerate().filter_map(other).collect();
    let words: Vec<String> =
        pairs.iter().take(TOLD).map(|(a, b)| format!("{} and {} by {}", open[*a].words, open[*b].words, open[*a].part.name)).collect();
    let text = format!("{} says two things of one part: {}. The first would be taken.", drawing.name, words.join("; "));
    let points: Vec<Point> = pairs.iter().map(|(_, b)| open[*b].middle).collect();
    let found = Finding::new(Station::Assign, Severity::Look, Code::NotesDiffer, points.len(), text).at(drawing.drawing, points);
    (found.count > 0).then(|| found.acceptable("The first is meant"))
}

/// The notes of a drawing, each tied to its part.
fn open<'a>(drawing: &'a Cleaned, parts: &'a [Part], items: &[Item], listed: &[&Text]) -> Vec<Tied<'a>> {
    let mut open: Vec<Tied> = Vec::new();
    for text in drawing.texts.iter().filter(|t| !listed.iter().any(|l| std::ptr::eq(*l, *t))) {
        let said = understood(&text.value);
        let Some(part) = (if said.is_empty() { None } else { tied(text, parts, drawing.drawing) }) else { continue };
        let arrow = said.iter().any(|s| matches!(s, Said::Grain { .. })).then(|| arrow(text, drawing.drawing, items)).flatten();
        let said = said.into_iter().map(|said| {
            let across = matches!(said, Said::Grain { across: true });
            let along = text.angle + if across { std::f64::consts::FRAC_PI_2 } else { 0.0 };
            let words = format!("“{}”", text.value.trim());
            Tied { text: Some(text), middle: text.middle(), part, said, angle: arrow.unwrap_or(along), words, listed: false }
        });
        open.extend(said);
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
    let mut all = taking(&kept, items, given);
    let plain = !all.iter().any(|e| matches!(e, Edit::Assign(AssignEdit::AddBatch { .. })));
    // What was a note is no work any more.
    let letters = letters(&kept, drawing, items);
    if !letters.is_empty() {
        all.push(Edit::Assign(AssignEdit::SetContours { contours: letters, process: Some(Process::Reference) }));
    }
    let mut said: Vec<&Tied> = Vec::new();
    kept.iter().for_each(|t| {
        if !said.iter().any(|s| s.words == t.words && s.part.id == t.part.id) {
            said.push(t)
        }
    });
    let words: Vec<String> = said.iter().take(TOLD).map(|t| format!("{} by {}", t.words, t.part.name)).collect();
    let more = if said.len() > TOLD { format!(", and {} more", said.len() - TOLD) } else { String::new() };
    let text = format!("{} says what is wanted and is not so yet: {}{more}.", drawing.name, words.join(", "));
    let points: Vec<Point> = kept.iter().map(|t| t.middle).collect();
    let found = Finding::new(Station::Assign, Severity::Look, Code::PlanSays, kept.len(), text).at(drawing.drawing, points);
    let label = format!("Take {}", counted(kept.len(), "note", "notes"));
    let quiet = plain && kept.iter().all(|t| matches!(t.said, Said::Copies(_) | Said::Grain { .. }));
    Some(if quiet { found.mend(label, Edit::All { edits: all }) } else { found.choice(label, Edit::All { edits: all }) })
}

/// What makes it as notes say.
fn taking(notes: &[Tied], items: &[Item], given: &Given) -> Vec<Edit> {
    let mut new = New::default();
    let edits: Vec<Edit> = notes.iter().flat_map(|t| edit(t, items, given, &mut new)).collect();
    // Batches come first: parts are moved to them by the numbers that they will have.
    let added = new.stocks.into_iter().map(|stock| Edit::Assign(AssignEdit::AddBatch { stock }));
    added.chain(edits).collect()
}

/// The letters of notes that would be engraved.
fn letters(notes: &[Tied], drawing: &Cleaned, items: &[Item]) -> Vec<ContourId> {
    let of: Vec<u32> = notes.iter().map(|t| t.text.map_or(0, |t| t.compound)).filter(|c| *c > 0).collect();
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
            let so = !is_unknown(t, given) && given.customs.made_of.get(&home).is_none_or(|now| alike(now, &stock(now, *mm, of, given)));
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

/// The material of the book that words name: the one that has most of them, and all that not every other is called by.
fn material<'a>(of: &str, given: &'a Given) -> Option<&'a String> {
    let said: Vec<&str> = of.split([' ', '-']).filter(|w| w.len() > 2).flat_map(stuffs).collect();
    let named = |name: &str| {
        let name = name.to_lowercase();
        let whole = of.split(' ').filter(|w| w.len() > 2 && !is_stuff(w) && name.contains(w)).count();
        let has = said.iter().filter(|s| name.contains(**s)).count();
        let lacks = said.iter().any(|s| !COMMON.contains(s) && !name.contains(s));
        if lacks { 0 } else { 2 * has + whole }
    };
    let all = given.customs.materials.iter().map(|(id, name)| (named(name), id));
    // Of those that have as many the first.
    all.filter(|m| m.0 > 0).reduce(|best, m| if m.0 > best.0 { m } else { best }).map(|m| m.1)
}

/// True where a note names what the book does not have: that is asked, and never taken for what is there.
fn is_unknown(t: &Tied, given: &Given) -> bool {
    // A list's column names a material, whatever its words are.
    let named = |of: &str| t.listed && !of.is_empty() || of.split(' ').any(|w| is_stuff(w) && w != "sheet");
    matches!(&t.said, Said::Thickness(_, of) if named(of) && material(of, given).is_none())
}

/// Notes that name a material which is not in the book.
fn unknown(drawing: &Cleaned, notes: &[Tied]) -> Option<Finding> {
    let n = notes.len();
    if n == 0 {
        return None;
    }
    let words: Vec<String> = notes.iter().take(TOLD).map(|t| format!("{} by {}", t.words, t.part.name)).collect();
    let text = format!(
        "{} names what is not in the shop's book: {}. Choose what it is made of at Assign, or add the material to the book.",
        drawing.name,
        words.join(", ")
    );
    let points: Vec<Point> = notes.iter().map(|t| t.middle).collect();
    let found = Finding::new(Station::Assign, Severity::Look, Code::MaterialUnknown, n, text).at(drawing.drawing, points);
    Some(found.acceptable("Use the chosen material"))
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

//! Copies by hand: laid, pushed, repeated, lined up, lifted off, held. The answer is poses alone; what they come to is worked out
//! when the page asks for it.

use super::kits;
use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::stage::json;
use crate::typed::Typed;
use axum::extract::Path;
use axum::http::HeaderValue;
use axum::response::{IntoResponse, Response};
use boustrophe_core::assign::Work;
use boustrophe_core::decisions::{Edit, NestEdit};
use boustrophe_core::drawing::Unit;
use boustrophe_core::geometry::{Point, Vec2};
use boustrophe_core::ids::{BatchId, CopyId, PartId};
use boustrophe_core::nest::hand::{
    Align, MOST_REPEATED, NotLined, On, Pattern, another, doubled, dropped, laid, lined_up, one_more, placed, pushed, repeated,
    turned_against, wanted_with,
};
use boustrophe_core::nest::{self, Against, Layout, Placement, SheetLayout, Terms};
use boustrophe_core::quantity::{count, length};
use boustrophe_store::NewRevision;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

/// What is done with copies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Deed {
    /// Laid where they are wanted.
    #[default]
    Lay,
    /// One laid where its figures are typed.
    Place,
    /// Pushed until they touch.
    Push,
    /// Brought into line, or to equal gaps.
    Line,
    /// Lifted off.
    Lift,
    /// All on the sheet of the first lifted off: it is put back.
    Clear,
    /// Held in place.
    Hold,
    /// Let go.
    Free,
    /// One more laid beside it.
    More,
    /// Laid once more, where they are wanted.
    Double,
    /// One of a part laid with its middle at a place, wherever others of it lie.
    Drop,
    /// Repeated in columns and rows.
    Repeat,
    /// Laid on a sheet of their own.
    Sheet,
    /// Their parts belong together from now on, or not any more.
    Kit,
}

/// What a hand does, as the stage posts it.
#[derive(Deserialize)]
pub struct Hand {
    revision: i32,
    #[serde(default)]
    batch: BatchId,
    #[serde(default)]
    r#do: Deed,
    /// Names of copies, with commas between.
    copies: String,
    /// To lay: for each copy x, y, angle, 1 where it is mirrored, and its sheet from 0, with commas between; copies with semicolons.
    #[serde(default)]
    to: String,
    /// To push: x and y of the way.
    #[serde(default)]
    way: String,
    /// To line up: by what.
    #[serde(default)]
    align: String,
    /// To place: the lower left of its box and its angle, as typed.
    #[serde(default)]
    x: String,
    #[serde(default)]
    y: String,
    #[serde(default)]
    angle: String,
    /// To repeat: columns, rows and the gap, as typed.
    #[serde(default)]
    columns: String,
    #[serde(default)]
    rows: String,
    #[serde(default)]
    gap: String,
    /// `on` where every second one is turned by half.
    #[serde(default)]
    turned: String,
    /// `on` where it is known that it lies against its grain, its turns, or face down.
    #[serde(default)]
    against: String,
    /// `on` while the hand still moves: it is told what would come of it, and nothing is done.
    #[serde(default)]
    ask: String,
}

#[derive(Serialize)]
struct Done {
    revision: i32,
    /// Copies with their sheet and pose.
    moved: Vec<(String, usize, [f64; 6])>,
    /// It could not lie where it was put, and slid by so much, mm.
    slid: f64,
    /// The stage has to be fetched anew: there are more copies, or fewer, or what is held has changed.
    anew: bool,
}

/// What a hand has done: the change, where copies lie then where that alone has changed, and how far they slid, mm.
struct Change {
    edit: Edit,
    to: Vec<On>,
    slid: f64,
    /// The stage has to be fetched anew.
    anew: bool,
}

/// What is at hand: the copies that are meant, as they lie.
struct Bench<'a> {
    work: Arc<Work>,
    layout: &'a Layout,
    terms: Terms,
    copies: Vec<On>,
}

fn sentence(text: &str) -> AppError {
    AppError::sentence(text.into())
}

impl Bench<'_> {
    /// The copies that are meant, on their sheets.
    fn lying(layout: &Layout, names: &[CopyId]) -> Option<Vec<On>> {
        let known: HashMap<CopyId, On> =
            layout.sheets.iter().enumerate().flat_map(|(k, s)| s.placed.iter().map(move |p| (p.copy, (*p, k)))).collect();
        names.iter().map(|n| known.get(n).copied()).collect()
    }

    /// The first copy that is meant, and its sheet.
    fn first(&self) -> Result<On, AppError> {
        self.copies.first().copied().ok_or_else(|| sentence("that copy is not there any more; load the page again."))
    }
}

impl Hand {
    fn names(&self) -> Result<Vec<CopyId>, AppError> {
        let names = self.copies.split(',').filter(|c| !c.is_empty()).map(str::parse).collect::<Result<Vec<CopyId>, _>>();
        names.ok().filter(|n| !n.is_empty() && n.len() <= 5000).ok_or_else(|| sentence("choose a copy on the stage first."))
    }

    /// Where the copies are wanted.
    fn wanted(&self, names: &[CopyId]) -> Result<Vec<On>, AppError> {
        let one = |(copy, text): (&CopyId, &str)| {
            let v: Vec<f64> = text.split(',').filter_map(|n| n.parse().ok()).filter(|n: &f64| n.is_finite()).collect();
            let [x, y, angle, mirrored, sheet] = v.as_slice().try_into().ok()?;
            Some((Placement { copy: *copy, x, y, angle, mirrored: mirrored > 0.5 }, sheet as usize))
        };
        let all: Option<Vec<On>> = names.iter().zip(self.to.split(';')).map(one).collect();
        all.filter(|a| a.len() == names.len()).ok_or_else(|| sentence("a place is missing; load the page again."))
    }

    /// One copy where its figures are typed: its box's lower left, and its angle.
    fn typed(&self, bench: &Bench) -> Result<On, AppError> {
        let (first, sheet) = bench.first()?;
        let mm = |text: &str| length(text.trim(), Unit::Mm);
        let (x, y) = (mm(&self.x)?, mm(&self.y)?);
        let wrong = || AppError::sentence(format!("“{}” is no angle; type degrees, such as 45.", self.angle));
        let angle: f64 = self.angle.trim().trim_end_matches('°').replace(',', ".").parse().map_err(|_| wrong())?;
        if !angle.is_finite() || angle.abs() > 3600.0 {
            return Err(wrong());
        }
        Ok((placed(&bench.work, &first, Point::new(x, y), angle), sheet))
    }

    /// What is done by it, or why it cannot be.
    fn edit(&self, bench: &Bench, names: Vec<CopyId>) -> Result<Change, AppError> {
        let Bench { work, layout, terms, copies } = bench;
        let no_room = || sentence("it cannot lie there, nor near: put it where there is room for it.");
        match self.r#do {
            Deed::Push => {
                let way: Vec<f64> = self.way.split(',').filter_map(|n| n.parse().ok()).collect();
                let way = <[f64; 2]>::try_from(way).ok().map(|[x, y]| Vec2::new(x, y)).filter(|w| w.hypot() > 0.5 && w.hypot() < 2.0);
                let way = way.ok_or_else(|| sentence("say which way to push."))?;
                let (to, far) =
                    pushed(work, layout, copies, way / way.hypot(), terms).ok_or_else(|| sentence("that sheet is not there any more."))?;
                if far < 1e-3 {
                    return Err(sentence("it touches there already."));
                }
                Ok(self.lay(bench, to, 0.0))
            }
            Deed::Line => {
                let align: Align = if self.align.is_empty() {
                    Align::default()
                } else {
                    self.align.parse().map_err(|_| sentence("say what to line up by."))?
                };
                let to = lined_up(work, layout, copies, align, terms).map_err(|why| {
                    sentence(match why {
                        NotLined::Crowded => "lined up they would lie too near to each other or to others: make room first.",
                        NotLined::NoGaps => "between the outermost there is no room for the others with gaps: move those apart first.",
                        NotLined::NothingEngraved => "on fewer than two of them is anything engraved: choose two that have engraving.",
                        NotLined::NoSheet => "that sheet is not there any more.",
                    })
                })?;
                Ok(self.lay(bench, to, 0.0))
            }
            Deed::Clear => {
                let on = &layout.sheets[bench.first()?.1];
                Ok(self.anew(NestEdit::LiftCopies { copies: on.placed.iter().map(|p| p.copy).collect() }))
            }
            Deed::Lift => Ok(self.anew(NestEdit::LiftCopies { copies: names })),
            Deed::Hold | Deed::Free => Ok(self.anew(NestEdit::HoldCopies { copies: names, on: self.r#do == Deed::Hold })),
            Deed::More => {
                let (first, sheet) = bench.first()?;
                let more = one_more(work, layout, &first, sheet, terms);
                Ok(self.added(bench, vec![(more.ok_or_else(|| sentence("there is no room beside it: make room first."))?, sheet)]))
            }
            Deed::Double => {
                let (to, slid) = doubled(work, layout, &self.wanted(&names)?, terms).ok_or_else(no_room)?;
                Ok(Change { slid, ..self.added(bench, to) })
            }
            Deed::Drop => {
                let wanted = self.wanted(&names)?.into_iter();
                let drop = |(p, sheet): On| (dropped(work, layout, p.copy.part, Point::new(p.x, p.y), terms), sheet);
                let (to, slid) = laid(work, layout, &wanted.take(1).map(drop).collect::<Vec<_>>(), terms).ok_or_else(no_room)?;
                Ok(Change { slid, ..self.added(bench, to) })
            }
            Deed::Repeat => Ok(self.added(bench, self.pattern(bench)?)),
            Deed::Lay => {
                let (to, slid) = laid(work, layout, &self.wanted(&names)?, terms).ok_or_else(no_room)?;
                Ok(self.lay(bench, to, slid))
            }
            Deed::Place => {
                let (to, slid) = laid(work, layout, &[self.typed(bench)?], terms).ok_or_else(no_room)?;
                Ok(self.lay(bench, to, slid))
            }
            Deed::Sheet => self.own_sheet(bench),
            Deed::Kit => {
                let parts: BTreeSet<PartId> = names.iter().map(|c| c.part).collect();
                Ok(Change { edit: kits::together(terms, &parts, self.batch), to: Vec::new(), slid: 0.0, anew: true })
            }
        }
    }

    fn anew(&self, edit: NestEdit) -> Change {
        Change { edit: edit.on(self.batch), to: Vec::new(), slid: 0.0, anew: true }
    }

    /// Copies laid where they are; a sheet that is left empty by that is put back.
    fn lay(&self, bench: &Bench, to: Vec<On>, slid: f64) -> Change {
        let moved: Vec<CopyId> = to.iter().map(|on| on.0.copy).collect();
        let left = |(k, s): (usize, &SheetLayout)| s.placed.iter().all(|p| moved.contains(&p.copy)) && to.iter().all(|on| on.1 != k);
        let anew = bench.layout.sheets.iter().enumerate().any(left);
        Change { edit: NestEdit::LayCopies { to: to.clone() }.on(self.batch), to, slid, anew }
    }

    /// The copies on a sheet of their own, as they lie or near.
    fn own_sheet(&self, bench: &Bench) -> Result<Change, AppError> {
        let sheet = another(bench.layout, &bench.terms)
            .ok_or_else(|| sentence("all sheets that there are have something on them: add sheets in the docket first."))?;
        let next = bench.layout.sheets.len();
        let mut with = bench.layout.clone();
        with.sheets.push(SheetLayout { sheet: sheet.clone(), placed: Vec::new() });
        let wanted: Vec<On> = bench.copies.iter().map(|on| (on.0, next)).collect();
        let (to, slid) = laid(&bench.work, &with, &wanted, &bench.terms)
            .ok_or_else(|| sentence("they have no room beside each other on one sheet as they lie: choose fewer."))?;
        let edits = vec![NestEdit::AddSheet { sheet }.on(self.batch), NestEdit::LayCopies { to }.on(self.batch)];
        Ok(Change { edit: Edit::All { edits }, to: Vec::new(), slid, anew: true })
    }

    /// A copy's pattern, without the copy itself.
    fn pattern(&self, bench: &Bench) -> Result<Vec<On>, AppError> {
        let Bench { work, layout, terms, .. } = bench;
        let (first, sheet) = bench.first()?;
        let (columns, rows) = (count(self.columns.trim(), 1, MOST_REPEATED)?, count(self.rows.trim(), 1, MOST_REPEATED)?);
        if columns.saturating_mul(rows) > MOST_REPEATED {
            return Err(AppError::sentence(format!("{columns} × {rows} are too many; {MOST_REPEATED} are the most.")));
        }
        let gap = if self.gap.trim().is_empty() { terms.spacing } else { length(self.gap.trim(), Unit::Mm)? };
        let pattern = Pattern { columns, rows, gap, turned: self.turned == "on" };
        let all = repeated(work, layout, &(first, sheet), pattern, terms).map_err(|n| {
            AppError::sentence(format!(
                "the pattern has room for {n} of {}: fewer, a smaller gap of at least the spacing, or another place.",
                columns * rows
            ))
        })?;
        Ok(all[1..].iter().map(|p| (*p, sheet)).collect())
    }

    /// Copies that are laid in addition; more are wanted then, unless some wait for a place.
    fn added(&self, bench: &Bench, to: Vec<On>) -> Change {
        let mut more: BTreeMap<PartId, u32> = BTreeMap::new();
        to.iter().for_each(|on| *more.entry(on.0.copy.part).or_insert(0) += 1);
        let quantity = |(part, n): (PartId, u32)| {
            NestEdit::SetQuantity { part, quantity: wanted_with(&bench.work, bench.layout, part, n) }.on(self.batch)
        };
        let edits = more.into_iter().map(quantity).chain([NestEdit::LayCopies { to: to.clone() }.on(self.batch)]).collect();
        Change { edit: Edit::All { edits }, to, slid: 0.0, anew: true }
    }
}

/// Does what a hand wants with copies, or refuses it in a sentence.
pub async fn copies(app: Shared, Path(job): Path<i32>, Typed { form: hand, .. }: Typed<Hand>) -> Result<Response, AppError> {
    blocking(&app, move |app| done_by_hand(app, job, hand)).await
}

fn done_by_hand(app: &Shared, job: i32, hand: Hand) -> Result<Response, AppError> {
    let before = app.store.revision(job, hand.revision)?;
    let (shop, batch) = (app.shop(), before.decisions.batch(hand.batch));
    let layout = batch.nest.layout.as_ref().ok_or_else(|| sentence("nothing lies on a sheet yet: nest first."))?;
    let names = hand.names()?;
    // What is laid once more may have been lifted off since it was taken; what is dropped may lie nowhere.
    let copies = if matches!(hand.r#do, Deed::Double | Deed::Drop) { Some(Vec::new()) } else { Bench::lying(layout, &names) };
    let bench = Bench {
        work: app.work(&before.decisions, hand.batch)?,
        layout,
        terms: nest::terms(&before.decisions, hand.batch, &shop),
        copies: copies.ok_or_else(|| sentence("that copy is not there any more; load the page again."))?,
    };
    let Change { edit, to, slid, anew } = hand.edit(&bench, names)?;
    if hand.ask != "on"
        && hand.against != "on"
        && let Some((copy, against)) = turned_against(&bench.copies, &to, &bench.terms)
    {
        let part = bench.work.parts.iter().find(|p| p.id == copy.part);
        return Ok(refused(part.map_or("the part", |p| p.name.as_str()), against));
    }
    let revision = if hand.ask == "on" {
        hand.revision
    } else {
        let new = NewRevision { label: &edit.label(), person: &app.by, decisions: &edit.apply(&before.decisions)? };
        let made = app.store.add_revision(job, hand.revision, new)?;
        boustrophe_shop::jobs::refresh(app, false);
        made
    };
    let moved = to.iter().map(|(p, sheet)| (p.copy.to_string(), *sheet, p.affine().as_coeffs())).collect();
    json(&Done { revision, anew, moved, slid })
}

/// A part would lie as it may not: it is laid so when that is said.
fn refused(name: &str, against: Against) -> Response {
    let text = format!(
        "{name} would lie {}. It stays as it lies; allow it for that part in the list, or lay it so all the same.",
        against.words()
    );
    let mut response = AppError::sentence(text).into_response();
    response.headers_mut().insert("against", HeaderValue::from_static(against.words()));
    response
}

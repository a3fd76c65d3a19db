//! Copies by hand: laid, pushed, repeated, lined up, lifted off, held. The answer is poses alone; what they come to is worked out
//! when the page asks for it.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::stage::json;
use crate::typed::Typed;
use axum::extract::Path;
use axum::response::Response;
use boustrophe_core::assign::Work;
use boustrophe_core::decisions::{Edit, NestEdit};
use boustrophe_core::drawing::Unit;
use boustrophe_core::geometry::Vec2;
use boustrophe_core::ids::BatchId;
use boustrophe_core::ids::CopyId;
use boustrophe_core::nest::Layout;
use boustrophe_core::nest::hand::{MOST_REPEATED, Pattern, laid, lined_up, one_more, pushed, repeated, wanted_with};
use boustrophe_core::nest::{self, Placement, Terms};
use boustrophe_core::quantity::{count, length};
use boustrophe_store::NewRevision;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What is done with copies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Deed {
    /// Laid where they are wanted.
    #[default]
    Lay,
    /// Pushed until they touch.
    Push,
    /// Brought to one lower edge.
    Line,
    /// Lifted off.
    Lift,
    /// Held in place.
    Hold,
    /// Let go.
    Free,
    /// One more laid beside it.
    More,
    /// Repeated in columns and rows.
    Repeat,
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
    /// Sheet from 0.
    #[serde(default)]
    sheet: usize,
    /// To lay: for each copy x, y, angle and 1 where it is mirrored, with commas between; copies with semicolons.
    #[serde(default)]
    to: String,
    /// To push: x and y of the way.
    #[serde(default)]
    way: String,
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
    to: Vec<(Placement, usize)>,
    slid: f64,
}

impl Change {
    /// A change after which the stage is fetched anew.
    fn anew(edit: Edit) -> Self {
        Self { edit, to: Vec::new(), slid: 0.0 }
    }
}

/// What is at hand: the copies that are meant, as they lie.
struct Bench<'a> {
    work: Arc<Work>,
    layout: &'a Layout,
    terms: Terms,
    copies: Vec<Placement>,
}

fn sentence(text: &str) -> AppError {
    AppError::sentence(text.into())
}

impl Hand {
    fn names(&self) -> Result<Vec<CopyId>, AppError> {
        let names = self.copies.split(',').filter(|c| !c.is_empty()).map(str::parse).collect::<Result<Vec<CopyId>, _>>();
        names.ok().filter(|n| !n.is_empty() && n.len() <= 5000).ok_or_else(|| sentence("choose a copy on the stage first."))
    }

    /// Where the copies are wanted.
    fn wanted(&self, names: &[CopyId]) -> Result<Vec<Placement>, AppError> {
        let one = |(copy, text): (&CopyId, &str)| {
            let v: Vec<f64> = text.split(',').filter_map(|n| n.parse().ok()).filter(|n: &f64| n.is_finite()).collect();
            let [x, y, angle, mirrored] = v.as_slice().try_into().ok()?;
            Some(Placement { copy: *copy, x, y, angle, mirrored: mirrored > 0.5 })
        };
        let all: Option<Vec<Placement>> = names.iter().zip(self.to.split(';')).map(one).collect();
        all.filter(|a| a.len() == names.len()).ok_or_else(|| sentence("a place is missing; load the page again."))
    }

    /// What is done by it, or why it cannot be.
    fn edit(&self, bench: &Bench) -> Result<Change, AppError> {
        let Bench { work, layout, terms, copies } = bench;
        let names: Vec<CopyId> = copies.iter().map(|p| p.copy).collect();
        let on = |edit: NestEdit| edit.on(self.batch);
        let here = layout.sheets.iter().position(|s| s.placed.iter().any(|p| Some(&p.copy) == names.first())).unwrap_or(0);
        let lay = |to: Vec<Placement>, sheet: usize, slid: f64| {
            let to: Vec<(Placement, usize)> = to.into_iter().map(|p| (p, sheet)).collect();
            Ok(Change { edit: on(NestEdit::LayCopies { to: to.clone() }), to, slid })
        };
        match self.r#do {
            Deed::Push => {
                let way: Vec<f64> = self.way.split(',').filter_map(|n| n.parse().ok()).collect();
                let way = <[f64; 2]>::try_from(way).ok().map(|[x, y]| Vec2::new(x, y)).filter(|w| w.hypot() > 0.5 && w.hypot() < 2.0);
                let way = way.ok_or_else(|| sentence("say which way to push."))?;
                let (to, far) = pushed(work, layout, copies, here, way / way.hypot(), terms)
                    .ok_or_else(|| sentence("that sheet is not there any more."))?;
                if far < 1e-3 {
                    return Err(sentence("it touches there already."));
                }
                lay(to, here, 0.0)
            }
            Deed::Line => {
                let to = lined_up(work, layout, copies, here, terms)
                    .ok_or_else(|| sentence("in one line they would lie too near to others: make room first."))?;
                lay(to, here, 0.0)
            }
            Deed::Lift => Ok(Change::anew(on(NestEdit::LiftCopies { copies: names }))),
            Deed::Hold | Deed::Free => Ok(Change::anew(on(NestEdit::HoldCopies { copies: names, on: self.r#do == Deed::Hold }))),
            Deed::More => {
                let more = one_more(work, layout, &copies[0], here, terms);
                Ok(self.added(bench, here, vec![more.ok_or_else(|| sentence("there is no room beside it: make room first."))?]))
            }
            Deed::Repeat => Ok(self.added(bench, here, self.pattern(bench, here)?)),
            Deed::Lay => {
                let wanted = self.wanted(&names)?;
                let (to, slid) = laid(work, layout, &wanted, self.sheet, terms)
                    .ok_or_else(|| sentence("it cannot lie there, nor near: put it where there is room for it."))?;
                lay(to, self.sheet, slid)
            }
        }
    }

    /// A copy's pattern, without the copy itself.
    fn pattern(&self, bench: &Bench, sheet: usize) -> Result<Vec<Placement>, AppError> {
        let Bench { work, layout, terms, copies } = bench;
        let (columns, rows) = (count(self.columns.trim(), 1, MOST_REPEATED)?, count(self.rows.trim(), 1, MOST_REPEATED)?);
        if columns.saturating_mul(rows) > MOST_REPEATED {
            return Err(AppError::sentence(format!("{columns} × {rows} are too many; {MOST_REPEATED} are the most.")));
        }
        let gap = if self.gap.trim().is_empty() { terms.spacing } else { length(self.gap.trim(), Unit::Mm)? };
        let pattern = Pattern { columns, rows, gap, turned: self.turned == "on" };
        let all = repeated(work, layout, &copies[0], sheet, pattern, terms).map_err(|n| {
            AppError::sentence(format!(
                "the pattern has room for {n} of {}: fewer, a smaller gap of at least the spacing, or another place.",
                columns * rows
            ))
        })?;
        Ok(all[1..].to_vec())
    }

    /// Copies that are laid in addition; more are wanted then, unless some wait for a place.
    fn added(&self, bench: &Bench, sheet: usize, fresh: Vec<Placement>) -> Change {
        let part = bench.copies[0].copy.part;
        let quantity = wanted_with(&bench.work, bench.layout, part, fresh.len() as u32);
        let to = fresh.into_iter().map(|p| (p, sheet)).collect();
        let edits = vec![NestEdit::SetQuantity { part, quantity }.on(self.batch), NestEdit::LayCopies { to }.on(self.batch)];
        Change::anew(Edit::All { edits })
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
    let lying = |name: &CopyId| layout.copies().find(|p| p.copy == *name).copied();
    let copies: Option<Vec<Placement>> = names.iter().map(lying).collect();
    let bench = Bench {
        work: app.work(&before.decisions, hand.batch)?,
        layout,
        terms: nest::terms(&before.decisions, hand.batch, &shop),
        copies: copies.ok_or_else(|| sentence("that copy is not there any more; load the page again."))?,
    };
    let Change { edit, to: moved, slid } = hand.edit(&bench)?;
    let revision = if hand.ask == "on" {
        hand.revision
    } else {
        let new = NewRevision { label: &edit.label(), person: &app.by, decisions: &edit.apply(&before.decisions)? };
        let made = app.store.add_revision(job, hand.revision, new)?;
        boustrophe_shop::jobs::refresh(app, false);
        made
    };
    json(&Done {
        revision,
        anew: moved.is_empty(),
        moved: moved.iter().map(|(p, sheet)| (p.copy.to_string(), *sheet, p.affine().as_coeffs())).collect(),
        slid,
    })
}

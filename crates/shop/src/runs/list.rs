//! The list that is gone through before a run is started.

use crate::app::App;
use crate::error::ShopError;
use crate::papers::{LIST, zero_words};
use boustrophe_core::run::RunState;
use boustrophe_store::{Run, Tick};

/// Ticked as well where an earlier run has burned some of the sheet.
const AGAIN: &str = "again";
/// Ticked as well where the run goes on from another on the same sheet, and where that lost its place.
const LIES: &str = "lies";
const ZERO: &str = "zero";

/// A line of the list.
pub struct Item {
    /// Its name.
    pub key: &'static str,
    /// What it says.
    pub text: String,
    /// Who ticked it, where somebody did.
    pub tick: Option<Tick>,
}

impl Item {
    /// Who ticked and when.
    pub fn signed(&self) -> String {
        self.tick.as_ref().map_or_else(String::new, signed)
    }
}

/// The list of a run with what is ticked.
pub fn items(app: &App, run: &Run, (lying, size): (&str, (f64, f64)), ticks: &[Tick]) -> Result<Vec<Item>, ShopError> {
    let mut texts: Vec<(&str, String)> = LIST.iter().map(|(key, text)| (*key, (*text).to_owned())).collect();
    texts[0].1 = lying.to_owned();
    if let Some(origin) = texts.iter_mut().find(|t| t.0 == "origin") {
        origin.1 = format!("Zero is set at the {}; outline walked", zero_words(run.pose, size));
    }
    if let Some(before) = run.goes_on.map(|b| app.store.run(b)).transpose()? {
        texts.push((LIES, "The sheet lies where it lay; nothing was moved".into()));
        if before.state == RunState::Lost {
            texts.push((ZERO, "The machine was switched off: its zero is found again at the sheet's corner".into()));
        }
    } else if let Some(before) = app.store.broken_off(run)? {
        let at = before.created_at.get(..16).unwrap_or_default().replace('T', " ");
        texts.push((
            AGAIN,
            format!(
                "Run {} of this sheet ({at}) broke off after {} of {} pieces of work: what it burned would be burned again. This is a fresh sheet",
                before.id, before.cuts_done, before.cuts
            ),
        ));
    }
    Ok(texts.into_iter().map(|(key, text)| Item { key, text, tick: ticks.iter().find(|t| t.item == key).cloned() }).collect())
}

/// Ticks a line of a run's list, or takes the tick off; what stands there then. Only before the start.
pub fn tick(app: &App, run: i32, item: &str, person: &str, on: bool) -> Result<Option<Tick>, ShopError> {
    let sentence = |text: &str| Err(ShopError::Sentence(text.into()));
    if !LIST.iter().any(|l| l.0 == item) && ![AGAIN, LIES, ZERO].contains(&item) {
        return sentence("that is not on the list; load the page again.");
    }
    if !app.store.run(run)?.state.is_before_start() {
        return sentence("the run has been started; its list is closed.");
    }
    if on && person.is_empty() {
        return sentence("type your name first: the list keeps who ticked.");
    }
    app.store.tick(run, item, person, on)?;
    Ok(app.store.ticks(run)?.into_iter().find(|t| t.item == item))
}

/// Who ticked, and when.
pub fn signed(tick: &Tick) -> String {
    format!("{}, {}", tick.person, tick.at.get(11..16).unwrap_or_default())
}

/// Fails while something on the run's list is not ticked.
pub fn ticked(app: &App, run: &Run) -> Result<(), ShopError> {
    let ticks = app.store.ticks(run.id)?;
    let open = items(app, run, ("the sheet lies on the bed", (1.0, 1.0)), &ticks)?;
    match open.iter().filter(|i| i.tick.is_none()).count() {
        0 => Ok(()),
        n => Err(ShopError::Sentence(format!("{n} of the list {} not ticked; go through it first.", if n == 1 { "is" } else { "are" }))),
    }
}

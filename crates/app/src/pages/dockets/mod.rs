//! What each station asks in its docket.

pub mod assign;
mod clean;
mod hold;
mod intake;
mod late;
mod nest;

use crate::error::AppError;
use askama::Template;
use boustrophe_core::finding::Station;
use boustrophe_shop::app::{App, Loaded};

/// Things listed in a docket; more are told by number.
const MOST_LISTED: usize = 60;

/// The station's own part of the docket.
pub fn body(app: &App, loaded: &Loaded, station: Station) -> Result<String, AppError> {
    let made = match station {
        Station::Intake => intake::intake_body(app, loaded).render(),
        Station::Clean => clean::clean_body(loaded).render(),
        Station::Assign => assign::docket(loaded).render(),
        Station::Nest => nest::nest_body(app, loaded)?.render(),
        Station::Order => late::order_body(loaded).render(),
        Station::Hold => hold::hold_body(loaded).render(),
        Station::Proof => late::proof_body(loaded).render(),
        Station::Release => late::release_body(app, loaded)?.render(),
    };
    made.map_err(|e| AppError::sentence(format!("the page could not be made: {e}")))
}

//! What each station asks in its docket.

use super::{assign, clean, hold, intake, nest, order, proof, release};
use crate::error::AppError;
use askama::Template;
use boustrophe_core::finding::Station;
use boustrophe_shop::app::{App, Loaded};

/// Things listed in a docket; more are told by number.
pub const MOST_LISTED: usize = 60;

/// The station's own part of the docket.
pub fn body(app: &App, loaded: &Loaded, station: Station) -> Result<String, AppError> {
    let made = match station {
        Station::Intake => intake::docket::body(app, loaded).render(),
        Station::Clean => clean::docket::body(loaded).render(),
        Station::Assign => assign::docket::body(loaded).render(),
        Station::Nest => nest::docket::body(app, loaded)?.render(),
        Station::Order => order::docket::body(loaded).render(),
        Station::Hold => hold::docket::body(loaded).render(),
        Station::Proof => proof::docket::body(loaded).render(),
        Station::Release => release::docket::body(app, loaded)?.render(),
    };
    made.map_err(|e| AppError::sentence(format!("the page could not be made: {e}")))
}

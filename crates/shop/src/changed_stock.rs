//! What hands change on the stock rack: counts, prices and places, what is thrown away, what is cut up.

use crate::app::App;
use crate::error::ShopError;
use crate::rack::{name, place_words};
use boustrophe_core::finding::counted;
use boustrophe_core::nest::rest;
use boustrophe_store::{OnRack, Stocked, StoreError, Taken};

/// Pieces that an offcut is cut up into at most.
const MOST_PIECES: usize = 3;

/// Longest place that is kept, letters.
const LONGEST_PLACE: usize = 60;

/// A change of something on the rack.
#[derive(Clone, Debug, PartialEq)]
pub enum StockChange {
    /// So many more of it, or fewer; at this price and place.
    Keep {
        /// So many more; fewer where negative.
        more: i32,
        /// What one costs; `None` for as its material says.
        price: Option<f64>,
        /// Where it stands, as it was typed.
        place: String,
        /// Price and place as they were seen: see [`seen`].
        saw: String,
    },
    /// All of it that was seen is thrown away.
    Away {
        /// So many were seen.
        there: u32,
    },
    /// It is cut up into its largest pieces.
    Pieces,
}

/// Price and place in one word: a change is made on what somebody saw.
pub fn seen(stock: &OnRack) -> String {
    format!("{} at {}", stock.price.map_or_else(|| "as usual".into(), |p| p.to_string()), stock.place)
}

/// A place as it is kept: on one line, and no longer than is read.
pub fn place(text: &str) -> String {
    text.trim().replace(':', " ").chars().take(LONGEST_PLACE).collect()
}

/// Changes something on the rack. What a job has in hand is neither thrown away nor cut up; what is no more as it was seen is not changed.
pub fn change_stock(app: &App, id: i32, change: &StockChange, person: &str) -> Result<(), ShopError> {
    let stocked = app.store.stocked(id)?;
    if !matches!(change, StockChange::Keep { .. }) && !stocked.reserved.is_empty() {
        let held: Vec<String> = stocked.reserved.iter().map(|r| format!("“{}”", r.1)).collect();
        return Err(ShopError::Sentence(format!(
            "{} is reserved for {}; let those nest on something else first.",
            name(&stocked),
            held.join(" and ")
        )));
    }
    match change {
        StockChange::Away { there } => {
            let taken = Taken { person, words: "thrown away", ..Taken::default() };
            // As many as somebody saw: what was put there since stays.
            let fewer = -i32::try_from(*there).unwrap_or(i32::MAX);
            Ok(app.store.change_stock(id, (fewer, stocked.stock.price, &stocked.stock.place), &taken)?)
        }
        StockChange::Pieces => cut_up(app, &stocked, person),
        StockChange::Keep { more, price, place: typed, saw } => {
            if *saw != seen(&stocked.stock) {
                return Err(StoreError::Changed { what: ("rack".into(), format!("{}: {}", name(&stocked), seen(&stocked.stock))) }.into());
            }
            // What lies on a machine's bed lies there until somebody says another place.
            let stays = typed.trim() == place_words(&app.shop(), &stocked.stock.place);
            let place = if stays { stocked.stock.place.clone() } else { place(typed) };
            let words = format!("{more:+}, {}, at “{place}”", price.map_or_else(|| "price as usual".into(), |p| format!("{p} each")));
            Ok(app.store.change_stock(id, (*more, *price, &place), &Taken { person, words: &words, ..Taken::default() })?)
        }
    }
}

fn cut_up(app: &App, stocked: &Stocked, person: &str) -> Result<(), ShopError> {
    let pieces = rest::largest(&stocked.stock.sheet, MOST_PIECES);
    if pieces.is_empty() {
        return Err(ShopError::Sentence(format!("{} has no piece of 20 × 125 mm or more in it; throw it away.", name(stocked))));
    }
    let rests: Vec<OnRack> = pieces.iter().map(|(sheet, _)| stocked.piece(sheet, format!("cut from {}", name(stocked)))).collect();
    let words = format!("cut up into {}", counted(rests.len(), "piece", "pieces"));
    app.store.take_stock(stocked.id, &Taken { person, words: &words, ..Taken::default() }, &rests)?;
    Ok(())
}

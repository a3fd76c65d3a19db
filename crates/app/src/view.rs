//! What the frame of a job's page shows: route, findings, ledger.

pub use boustrophe_shop::figures::{Cell, ledger, metres};

use boustrophe_core::finding::{Finding, Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ledger::Ledger;
use boustrophe_core::route::BatchRoute;
use boustrophe_shop::app::Loaded;

/// A stop on the route line.
pub struct Stop {
    pub slug: &'static str,
    pub name: &'static str,
    pub x: i32,
    pub y: i32,
    /// `done`, `open`, `stale` or `ahead`.
    pub state: &'static str,
    pub count: usize,
    pub here: bool,
}

/// The eight stops: four from left to right, four back.
pub fn stops(loaded: &Loaded, here: Option<Station>) -> Vec<Stop> {
    let route = &loaded.route;
    let stale_nest = route.batches.values().any(|b| !b.nested.current && !b.nested.layout.sheets.is_empty());
    Station::ALL
        .into_iter()
        .enumerate()
        .map(|(i, station)| {
            let count = route.findings_of(station).filter(|f| f.severity != Severity::Note).count();
            let state = if stale_nest && station >= Station::Nest {
                "stale"
            } else if count > 0 {
                "open"
            } else if station < route.reached || route.released() {
                "done"
            } else {
                "ahead"
            };
            let (column, y) = if i < 4 { (i, 22) } else { (7 - i, 60) };
            Stop {
                slug: station.slug(),
                name: station.name(),
                x: 20 + 124 * i32::try_from(column).unwrap_or(0),
                y,
                state,
                count,
                here: here == Some(station),
            }
        })
        .collect()
}

/// A button of a finding.
pub struct RemedyView {
    pub label: String,
    /// What it comes to, in columns.
    pub comes_to: Vec<String>,
    pub edit: String,
    /// It leaves out what would be made.
    pub loses: bool,
}

/// A finding as the docket shows it.
pub struct FindingView {
    pub index: usize,
    pub severity: String,
    /// Its sentence in pieces; a colour that is named is shown before it.
    pub said: Vec<(Option<String>, String)>,
    pub remedies: Vec<RemedyView>,
    /// True when the stage has something to show for it.
    pub shown: bool,
    /// The edit that accepts it as it is, where that may be.
    pub accept: Option<String>,
    pub code: String,
}

/// A sentence in pieces, each that begins with a colour `#rrggbb` with that colour.
pub fn swatched(text: &str) -> Vec<(Option<String>, String)> {
    let is_colour = |t: &str| t.len() >= 7 && t.is_char_boundary(7) && t[1..7].bytes().all(|b| b.is_ascii_hexdigit());
    let mut starts: Vec<usize> = text.match_indices('#').map(|m| m.0).filter(|i| is_colour(&text[*i..])).collect();
    if starts.first() != Some(&0) {
        starts.insert(0, 0);
    }
    let ends = starts.iter().skip(1).copied().chain([text.len()]);
    let piece = |(from, to): (&usize, usize)| {
        let piece = &text[*from..to];
        (piece.starts_with('#').then(|| piece.get(..7).map(str::to_owned)).flatten().filter(|c| is_colour(c)), piece.to_owned())
    };
    starts.iter().zip(ends).map(piece).collect()
}

/// Findings of a station, the worst first.
pub fn findings(loaded: &Loaded, station: Station) -> Vec<FindingView> {
    let mut all: Vec<(usize, &Finding)> = loaded
        .route
        .findings
        .iter()
        .enumerate()
        // From Nest on a page is about one batch.
        .filter(|(_, f)| f.station == station && (station < Station::Nest || f.place.batch.is_none_or(|b| b == loaded.batch)))
        .collect();
    all.sort_by_key(|(_, f)| f.severity);
    all.into_iter()
        .map(|(index, f)| FindingView {
            index,
            severity: f.severity.to_string(),
            said: swatched(&match f.place.batch.filter(|_| station < Station::Nest && loaded.route.batches.len() > 1) {
                Some(b) => format!("{}: {}", boustrophe_shop::app::stock_words(&loaded.route.batch(b).stock, &loaded.shop), f.text),
                None => f.text.clone(),
            }),
            remedies: f
                .remedies
                .iter()
                .map(|r| RemedyView {
                    label: r.label.clone(),
                    comes_to: r.comes_to.clone(),
                    loses: r.loses,
                    edit: serde_json::to_string(&r.edit).unwrap_or_default(),
                })
                .collect(),
            shown: !(f.place.points.is_empty() && f.place.contours.is_empty()),
            accept: (f.severity == Severity::Look
                && !f.remedies.iter().any(|r| matches!(r.edit, boustrophe_core::decisions::Edit::Accept { .. })))
            .then(|| serde_json::to_string(&f.acceptance()).unwrap_or_default()),
            code: f.code.to_string(),
        })
        .collect()
}

/// A batch to go to.
pub struct Tab {
    pub id: BatchId,
    pub words: String,
    /// Its material's own tone.
    pub tone: String,
    /// Findings to settle, of this station.
    pub open: usize,
    pub here: bool,
}

/// The batches of a job, where there are several.
pub fn tabs(loaded: &Loaded, station: Station) -> Vec<Tab> {
    if loaded.route.batches.len() < 2 || station < Station::Nest {
        return Vec::new();
    }
    let tab = |(id, b): (&BatchId, &BatchRoute)| {
        let material = loaded.shop.material(&b.stock.material);
        let of = |f: &&Finding| f.place.batch == Some(*id) && f.severity != Severity::Note;
        Tab {
            id: *id,
            words: format!("{} {} mm", material.map_or(b.stock.material.as_str(), |m| m.name.as_str()), b.stock.thickness),
            tone: material.map_or_else(|| "#d8d2c4".into(), |m| m.tone.clone()),
            open: loaded.route.findings_of(station).filter(of).count(),
            here: *id == loaded.batch,
        }
    };
    loaded.route.batches.iter().map(tab).collect()
}

/// The figures of all batches together, and under each what it is of every one.
pub fn ledger_of(loaded: &Loaded, before: Option<&Ledger>) -> Vec<Cell> {
    let currency = &loaded.shop.house.currency;
    let mut cells = ledger(&loaded.route.ledger, before, currency);
    if loaded.route.batches.len() > 1 {
        let each: Vec<Vec<Cell>> = loaded.route.batches.values().map(|b| ledger(&b.ledger, None, currency)).collect();
        for (i, cell) in cells.iter_mut().enumerate() {
            cell.each = each.iter().take(EACH).map(|b| b[i].value.as_str()).collect::<Vec<_>>().join(" · ");
        }
    }
    cells
}

/// Batches told one by one under a figure.
const EACH: usize = 4;

#[cfg(test)]
mod tests {
    use super::swatched;

    #[test]
    fn a_colour_in_a_sentence_is_shown_before_it() {
        let seen = |text: &str| -> Vec<(Option<String>, String)> { swatched(text) };
        assert_eq!(seen("no colour, # 5"), [(None, "no colour, # 5".to_owned())]);
        let two = seen("line #e40530 is near #e4002b; #12é456 is none");
        assert_eq!(two.iter().map(|p| p.0.as_deref()).collect::<Vec<_>>(), [None, Some("#e40530"), Some("#e4002b")]);
        assert_eq!(two.iter().map(|p| p.1.as_str()).collect::<String>(), "line #e40530 is near #e4002b; #12é456 is none");
        assert_eq!(seen("#aabbcc")[0].0.as_deref(), Some("#aabbcc"));
    }
}

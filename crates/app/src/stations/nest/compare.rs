//! The nest that was set aside beside the one that is there: both drawn, with their figures.

use crate::error::AppError;
use crate::view::{Cell, ledger};
use boustrophe_core::assign::Work;
use boustrophe_core::decisions::NestEdit;
use boustrophe_core::geometry::{Affine, Path};
use boustrophe_core::nest::{self, Layout, Merits, Terms};
use boustrophe_core::shop::Currency;
use boustrophe_formats::svg::miniature_data;
use boustrophe_shop::app::{App, Loaded};

/// Sheets that are drawn of each, and the space between them as a share of their height.
const DRAWN: usize = 3;
const BETWEEN: f64 = 0.06;
/// Corners that lie nearer to each other than this share of the picture are one.
const FINEST: f64 = 0.004;

/// A layout small: its box, its sheets' edges and its parts as path data, y down; and how many sheets more there are.
pub struct Small {
    pub width: f64,
    pub height: f64,
    pub sheets: String,
    pub parts: String,
    pub more: usize,
}

impl Small {
    fn of(work: &Work, layout: &Layout) -> Self {
        let drawn = &layout.sheets[..layout.sheets.len().min(DRAWN)];
        let height = drawn.iter().map(|s| s.sheet.height).fold(1.0, f64::max);
        let all: f64 = drawn.iter().map(|s| s.sheet.width).sum::<f64>() + BETWEEN * height * drawn.len().saturating_sub(1) as f64;
        let (mut x, mut sheets, mut parts) = (0.0, String::new(), String::new());
        for s in drawn {
            let to = Affine::translate((x, 0.0));
            let draw = |path: &Path, m: Affine| miniature_data(&path.transformed(to * m), height, FINEST * all.max(height));
            s.sheet.edges().iter().for_each(|edge| sheets += &draw(edge, Affine::IDENTITY));
            for (p, part) in s.placed.iter().filter_map(|p| Some((p, work.part(p.copy.part)?))) {
                let holes = part.holes.iter().map(|i| &work.items[*i].contour.path);
                std::iter::once(&part.outline).chain(holes).for_each(|path| parts += &draw(path, p.affine()));
            }
            x += s.sheet.width + BETWEEN * height;
        }
        Self { width: all.max(1.0), height, sheets, parts, more: layout.sheets.len() - drawn.len() }
    }
}

/// The other nest and this one.
pub struct Compared {
    pub cells: Vec<(Cell, Cell)>,
    /// The other, and this.
    pub pictures: [Small; 2],
}

/// What the other nest would come to; `None` where none was set aside.
pub fn compared(app: &App, loaded: &Loaded) -> Result<Option<Compared>, AppError> {
    let Some(aside) = &loaded.decided().nest.aside else { return Ok(None) };
    let swapped = NestEdit::SwapAside.on(loaded.batch).apply(&loaded.revision.decisions)?;
    let other = app.route(&swapped, &loaded.shop)?;
    let (theirs, here) = (&other.batch(loaded.batch).ledger, loaded.here());
    let currency = &loaded.shop.house.currency;
    let mine = ledger(&here.ledger, Some(theirs), currency);
    let told = |c: &(Cell, Cell)| matches!(c.0.name, "sheets" | "yield" | "cut" | "time" | "cost");
    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
    let mut cells: Vec<(Cell, Cell)> = ledger(theirs, None, currency).into_iter().zip(mine).filter(told).collect();
    cells.push(rest([aside, &here.nested.layout].map(|l| Merits::of(l, &here.work, &terms).rest_area), &terms, currency));
    Ok(Some(Compared { cells, pictures: [aside, &here.nested.layout].map(|l| Small::of(&here.work, l)) }))
}

/// What the last sheet leaves in one piece, and what that is worth.
fn rest([theirs, mine]: [f64; 2], terms: &Terms, currency: &Currency) -> (Cell, Cell) {
    let value = |area: f64| format!("{:.2} m², {}", area / 1e6, currency.told(area * terms.rate));
    let (change, trend) = match (mine - theirs) / 1e6 {
        d if d.abs() < 0.005 => (String::new(), ""),
        d if d > 0.0 => (format!("+{d:.2} m²"), "better"),
        d => (format!("−{:.2} m²", -d), "worse"),
    };
    let cell = |value: String, change: String, trend: &'static str| Cell { name: "rest", value, change, trend, ..Cell::default() };
    (cell(value(theirs), String::new(), ""), cell(value(mine), change, trend))
}

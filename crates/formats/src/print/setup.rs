//! The setup sheet: one page for whoever stands at the machine.

use super::{Face, Page, Paper, bound, ink, paper};
use boustrophe_core::assign::Work;
use boustrophe_core::geometry::{Affine, Path, Point};
use boustrophe_core::nest::SheetLayout;

/// Settings of a process.
#[derive(Clone, Debug)]
pub struct Setting {
    /// Process, and the job's own setting where it has one.
    pub name: String,
    /// Feed, mm/min.
    pub feed: f64,
    /// Power, percent.
    pub power: f64,
    /// Times round.
    pub passes: u32,
    /// How much it does: length, area.
    pub amount: String,
    /// Time.
    pub time: String,
}

/// All that stands on a setup sheet.
pub struct Setup<'a> {
    /// Name of the job and of the sheet.
    pub title: String,
    /// Machine.
    pub machine: String,
    /// Material and thickness.
    pub material: String,
    /// Name of the program, and its checksum.
    pub program: (String, String),
    /// Time on the machine, and what the sheet is cut as often as.
    pub time: String,
    /// How often the sheet is cut.
    pub times: u32,
    /// By process.
    pub settings: Vec<Setting>,
    /// Part names and how many lie on the sheet.
    pub parts: Vec<(String, usize)>,
    /// What is gone through before the start.
    pub checklist: Vec<String>,
    /// Where the first cuts begin, in order, sheet mm.
    pub starts: Vec<Point>,
    /// Where the program's zero lies on the sheet, mm, and what that is called.
    pub zero: (Point, String),
    /// The lines and parts.
    pub work: &'a Work,
    /// Where they lie.
    pub layout: &'a SheetLayout,
}

/// Numbers in the picture at most: more would lie over each other.
const MOST_NUMBERS: usize = 60;
/// Lines of a table that have room.
const MOST_ROWS: usize = 14;

/// One page of A4.
pub fn setup(s: &Setup) -> Vec<u8> {
    let (w, h) = Paper::A4.size();
    let mut page = Page::new(w, h);
    let left = 15.0;
    page.text(left, h - 20.0, 5.0, Face::Bold, &s.title);
    page.text(
        left,
        h - 27.0,
        3.2,
        Face::Plain,
        &format!("{}, {} - sheet of {} × {} mm", s.machine, s.material, s.layout.sheet.width, s.layout.sheet.height),
    );
    page.text(left, h - 34.0, 3.2, Face::Bold, &s.program.0);
    page.text(left, h - 39.5, 2.6, Face::Plain, &format!("checksum {}", s.program.1));
    page.text(130.0, h - 20.0, 5.0, Face::Bold, &s.time);
    page.text(130.0, h - 27.0, 3.2, Face::Plain, &if s.times > 1 { format!("run it {} times", s.times) } else { "run it once".into() });
    picture(&mut page, s, (left, 150.0), (w - 2.0 * left, 100.0));
    table(&mut page, s, (left, 138.0));
    let mut y = 138.0 - 7.0 - 5.5 * (s.settings.len().min(MOST_ROWS) as f64 + 1.0);
    page.text(left, y, 3.0, Face::Bold, "Parts on the sheet");
    for (k, (name, n)) in s.parts.iter().take(MOST_ROWS).enumerate() {
        page.text(left, y - 5.2 * (k as f64 + 1.0), 2.6, Face::Plain, &format!("{n} × {}", short(name)));
    }
    if s.parts.len() > MOST_ROWS {
        let rest: usize = s.parts[MOST_ROWS..].iter().map(|p| p.1).sum();
        page.text(
            left,
            y - 5.2 * (MOST_ROWS as f64 + 1.0),
            2.6,
            Face::Plain,
            &format!("and {rest} of {} other parts", s.parts.len() - MOST_ROWS),
        );
    }
    page.text(110.0, y, 3.0, Face::Bold, "Before the start");
    for item in &s.checklist {
        y -= 7.0;
        page.pen(0.25, 0.0);
        page.boxed((110.0, y - 0.8), (3.6, 3.6));
        page.text(116.0, y, 2.6, Face::Plain, &item.chars().take(62).collect::<String>());
    }
    bound(vec![page], &s.title)
}

fn short(name: &str) -> String {
    name.chars().take(44).collect()
}

fn table(page: &mut Page, s: &Setup, (x, y): (f64, f64)) {
    let columns = [0.0, 50.0, 80.0, 104.0, 122.0, 152.0];
    for (c, head) in columns.iter().zip(["", "feed mm/min", "power %", "times", "", "time"]) {
        page.text(x + c, y, 2.4, Face::Plain, head);
    }
    page.pen(0.15, 0.0);
    page.line(&[Point::new(x, y - 2.0), Point::new(x + 175.0, y - 2.0)], false);
    for (k, row) in s.settings.iter().take(MOST_ROWS).enumerate() {
        let y = y - 7.0 - 5.5 * k as f64;
        page.text(x, y, 2.8, Face::Bold, &row.name);
        let cells = [format!("{}", row.feed), format!("{}", row.power), format!("{}", row.passes), row.amount.clone(), row.time.clone()];
        for (c, text) in columns[1..].iter().zip(cells) {
            page.text(x + c, y, 2.8, Face::Plain, &text);
        }
    }
}

/// The sheet with its clamps, its zero and the numbers of the cuts.
fn picture(page: &mut Page, s: &Setup, at: (f64, f64), room: (f64, f64)) {
    let (_, lies) = paper::fit(s.layout, at, room);
    paper::edge(page, s.layout, lies);
    for c in &s.layout.sheet.clamps {
        let (a, b) = (lies * c.min, lies * c.max);
        page.filled((a.x, a.y), (b.x - a.x, b.y - a.y), 0.75);
    }
    page.apart(|page| ink::sheet(page, s.work, s.layout, lies));
    for (k, start) in s.starts.iter().take(MOST_NUMBERS).enumerate() {
        let p = lies * *start;
        page.text(p.x + 0.5, p.y + 0.5, 2.2, Face::Bold, &format!("{}", k + 1));
    }
    let zero = lies * s.zero.0;
    page.pen(0.4, 0.0);
    page.path(&Path::circle(zero, 2.0), Affine::IDENTITY);
    page.line(&[Point::new(zero.x - 4.0, zero.y), Point::new(zero.x + 4.0, zero.y)], false);
    page.line(&[Point::new(zero.x, zero.y - 4.0), Point::new(zero.x, zero.y + 4.0)], false);
    page.text(at.0, at.1 - 6.5, 2.6, Face::Plain, &format!("Zero: {}", s.zero.1));
}

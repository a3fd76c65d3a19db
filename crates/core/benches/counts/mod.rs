//! How many a sheet holds, and how many sheets boards take that are known to fit one.

use crate::puzzles::{Cut, puzzle};
use crate::{nest, repeated, wanted, work};
use boustrophe_core::geometry::{Corners, Path, Point};
use boustrophe_core::nest::{Sheet, Terms, Turn};

/// Boards that are known to fit one sheet, a little smaller than they were cut from it, on as many sheets as it takes.
pub fn boards(seconds: f64, case: &str) {
    for (n, room) in [(40, 1.0), (40, 1.02), (40, 1.05), (80, 1.02)] {
        let name = format!("boards-{n}-{room}");
        if !wanted(&name, case) {
            continue;
        }
        for seed in 1..=3 {
            let piece = |p: &Vec<Point>| (Path::polygon(p).grown(-0.5, Corners::Mitre), 1);
            let work = work(&puzzle(n, Cut::Square, seed).iter().map(piece).collect::<Vec<_>>());
            let sheet = Sheet::rectangle(400.0 * room - 1.0, 300.0 * room - 1.0);
            let terms = Terms { spacing: 1.0, margin: 0.0, sheets: vec![sheet], turn: Turn::Quarter, ..Terms::default() };
            let found = nest(&work, &terms, seconds);
            let sheets: Vec<usize> = found.layout.sheets.iter().map(|s| s.placed.len()).collect();
            println!("{name:24} seed {seed}: sheets of {sheets:?}, {} tries", found.tries);
        }
    }
}

/// How many of those one sheet holds: as many as are wanted are more than that.
pub fn full_sheets(seconds: f64, case: &str) {
    for (name, paths, goal) in ["full-l", "full-t", "full-y", "full-triangle", "full-gusset"]
        .into_iter()
        .zip(repeated())
        .zip([260, 253, 263, 286, 0])
        .map(|((name, paths), goal)| (name, paths, goal))
    {
        for turn in [Turn::Quarter, Turn::Any] {
            let name = format!("{name}-{}", turn.name());
            if !wanted(&name, case) {
                continue;
            }
            let work = work(&[(paths.clone(), 330)]);
            let sheets = vec![Sheet { count: Some(1), ..Sheet::rectangle(900.0, 600.0) }];
            let terms = Terms { spacing: 2.0, margin: 5.0, sheets, turn, ..Terms::default() };
            let began = processor_seconds();
            let found = nest(&work, &terms, seconds);
            let laid = found.layout.copies().count();
            println!(
                "{name:24} {laid} on a sheet (to reach {goal}), {} tries, {:.1} processor s",
                found.tries,
                processor_seconds() - began
            );
        }
    }
}

/// Processor seconds of this process so far; nothing where the system does not tell.
fn processor_seconds() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields: Vec<f64> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().filter_map(|w| w.parse().ok()).collect();
    // Behind the state, which is no number: user and system time are the 14th and 15th of all fields, in hundredths.
    fields.get(10).copied().unwrap_or_default() / 100.0 + fields.get(11).copied().unwrap_or_default() / 100.0
}

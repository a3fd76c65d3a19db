//! Test cards and kerf gauges: what to cut when a material is new, and what its result says.
//!
//! A card is an ordinary job: a drawing with one layer a cell, and a setting of the job's own for each. The person burns
//! it, looks, and clicks the best cell; the gauge is measured, and its figures give the kerf.

pub use crate::decisions::Card;
use crate::process::Process;

use crate::decisions::JobSetting;
use crate::geometry::{Affine, Path, Point, Vec2};
use crate::lettering::strokes;
use crate::shop::ChartRow;

/// Sides of a cell and room between cells, mm.
const CELL: f64 = 10.0;
const GAP: f64 = 4.0;
/// Height of labels, and room for them at the left and top, mm.
const LABEL: f64 = 2.6;
const ROOM: f64 = 16.0;
/// Cells of one card at most.
const MOST_CELLS: usize = 144;
/// Blocks of a gauge and their width, mm.
pub const BLOCKS: u32 = 10;
/// Width of one block of a gauge as drawn, mm.
pub const BLOCK: f64 = 20.0;

/// A card as it is drawn.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Drawn {
    /// Width and height, mm.
    pub size: (f64, f64),
    /// Layers with what lies on them, each filled or not.
    pub layers: Vec<Layer>,
    /// Settings of the job, by the layer's number in `layers`.
    pub settings: Vec<(usize, JobSetting)>,
}

/// A layer of a card.
#[derive(Clone, Debug, PartialEq)]
pub struct Layer {
    /// Its name, the same for no other.
    pub name: String,
    /// What it is.
    pub process: Process,
    /// Its lines, mm.
    pub paths: Vec<Path>,
}

/// Values from `low` to `high`, `n` of them at equal ratios, rounded to two figures so that they can be typed.
pub fn ladder(low: f64, high: f64, n: usize) -> Vec<f64> {
    let rounded = |v: f64| {
        let unit = 10_f64.powf(v.log10().floor() - 1.0);
        // Two figures as a person would type them: 9.2, not 9.200000000000001.
        let figures = (-unit.log10()).max(0.0) as usize;
        format!("{:.figures$}", (v / unit).round() * unit).parse().unwrap_or(v)
    };
    (0..n).map(|i| rounded(low * (high / low).powf(i as f64 / (n.max(2) - 1) as f64))).collect()
}

/// A grid of feeds and powers round a row of the chart, labelled. `labels` is what the labels and the frame are made with;
/// the frame is left out where nothing can be cut. Refuses what no card can be made of.
pub fn grid(process: Process, feeds: &[f64], powers: &[f64], labels: Process, cut: bool) -> Result<Drawn, String> {
    if !matches!(process, Process::Cut | Process::Score | Process::Engrave) {
        return Err(format!("a test card is for Cut, Score or Engrave, not for {}", process.name()));
    }
    let sane = |v: &[f64], most: f64| !v.is_empty() && v.iter().all(|x| x.is_finite() && *x > 0.0 && *x <= most);
    if !sane(feeds, 200_000.0) || !sane(powers, 100.0) || feeds.len() * powers.len() > MOST_CELLS {
        return Err(format!("a card needs feeds over 0 mm/min and powers over 0 to 100 %, and at most {MOST_CELLS} cells"));
    }
    let (columns, rows) = (powers.len() as f64, feeds.len() as f64);
    let size = (ROOM + columns * (CELL + GAP) + GAP, rows * (CELL + GAP) + GAP + ROOM);
    let mut drawn = Drawn { size, ..Drawn::default() };
    let mut words: Vec<Path> = Vec::new();
    let mut say = |text: &str, x: f64, y: f64| {
        let line = strokes(text, LABEL);
        words.extend(line.paths.iter().map(|p| p.transformed(Affine::translate(Vec2::new(x, y)))));
    };
    for (r, feed) in feeds.iter().enumerate() {
        let y = GAP + r as f64 * (CELL + GAP);
        say(&format!("{feed}"), 3.0, y + (CELL - LABEL) / 2.0);
        for (c, power) in powers.iter().enumerate() {
            let x = ROOM + c as f64 * (CELL + GAP);
            let shape = match process {
                // Cells of a cut are round, so that what falls out can be pushed through by hand.
                Process::Cut => Path::circle(Point::new(x + CELL / 2.0, y + CELL / 2.0), CELL / 2.0 - 1.0),
                _ => Path::rectangle(x, y, CELL, CELL),
            };
            let setting = JobSetting {
                id: (r * powers.len() + c + 1) as u32,
                name: format!("{feed} mm/min {power} %"),
                process,
                feed: Some(*feed),
                power: Some(*power),
                passes: None,
                pitch: None,
                tool: None,
                kerf: None,
            };
            drawn.settings.push((drawn.layers.len(), setting));
            drawn.layers.push(Layer { name: format!("{feed} at {power}"), process, paths: vec![shape] });
        }
    }
    for (c, power) in powers.iter().enumerate() {
        say(&format!("{power}%"), ROOM + c as f64 * (CELL + GAP), size.1 - ROOM + 2.0);
    }
    say(&format!("{} mm/min", process.name().to_lowercase()), 3.0, size.1 - LABEL - 3.0);
    drawn.layers.push(Layer { name: "labels".into(), process: labels, paths: words });
    if cut {
        drawn.layers.push(Layer { name: "frame".into(), process: Process::Cut, paths: vec![Path::rectangle(0.0, 0.0, size.0, size.1)] });
    }
    Ok(drawn)
}

/// Blocks side by side that share their cuts: pushed together they are shorter than drawn by a kerf for each cut.
pub fn gauge() -> Drawn {
    let (w, h) = (BLOCK * f64::from(BLOCKS), 15.0);
    let at = |x: f64, y: f64| Point::new(x + 8.0, y + 8.0);
    let line = |a: Point, b: Point| Path::new(vec![crate::geometry::Segment::line(a, b)], false);
    let mut cuts: Vec<Path> = (0..=BLOCKS).map(|i| f64::from(i) * BLOCK).map(|x| line(at(x, 0.0), at(x, h))).collect();
    cuts.extend([line(at(0.0, 0.0), at(w, 0.0)), line(at(0.0, h), at(w, h))]);
    let size = (w + 16.0, h + 16.0);
    let setting = JobSetting {
        id: 1,
        name: "without making up for the kerf".into(),
        process: Process::Cut,
        feed: None,
        power: None,
        passes: None,
        pitch: None,
        tool: None,
        kerf: Some(0.0),
    };
    Drawn {
        size,
        layers: vec![
            Layer { name: "blocks".into(), process: Process::Cut, paths: cuts },
            Layer { name: "frame".into(), process: Process::Cut, paths: vec![Path::rectangle(0.0, 0.0, size.0, size.1)] },
        ],
        settings: vec![(0, setting)],
    }
}

/// Kerf from a gauge: what `blocks` blocks of together `drawn` mm lack when they are pushed together. Each block loses half
/// a kerf on either side. Refuses what cannot have been measured.
pub fn kerf(drawn: f64, measured: f64, blocks: u32) -> Result<f64, String> {
    let kerf = (drawn - measured) / f64::from(blocks.max(1));
    if drawn.is_finite() && measured.is_finite() && (0.0..=10.0).contains(&kerf) && blocks > 0 {
        Ok((kerf * 1000.0).round() / 1000.0)
    } else {
        Err(format!(
            "{measured} mm measured of {drawn} mm drawn gives a kerf of {kerf:.3} mm a block, which cannot be; measure the blocks pushed together"
        ))
    }
}

/// The row that a chosen cell gives, in place of the one that was tried round.
pub fn chosen(row: &ChartRow, feed: f64, power: f64) -> ChartRow {
    ChartRow { feed, power, unproved: false, ..row.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_grid_has_a_setting_a_cell_and_everything_inside_its_frame() {
        let feeds = ladder(600.0, 2400.0, 4);
        assert_eq!(feeds, [600.0, 950.0, 1500.0, 2400.0]);
        let drawn = grid(Process::Cut, &feeds, &[40.0, 60.0, 80.0], Process::Score, true).expect("a card");
        assert_eq!(drawn.settings.len(), 12);
        let cells: Vec<&Layer> = drawn.settings.iter().map(|s| &drawn.layers[s.0]).collect();
        assert!(cells.iter().all(|c| c.process == Process::Cut && c.paths.len() == 1 && c.paths[0].closed));
        let frame = &drawn.layers.last().expect("a frame").paths[0];
        for layer in &drawn.layers[..drawn.layers.len() - 1] {
            for p in &layer.paths {
                assert!(frame.bounds().holds(&p.bounds()), "{} lies in the frame", layer.name);
            }
        }
        // No two cells meet, and no label lies on a cell.
        let boxes: Vec<_> = cells.iter().map(|c| c.paths[0].bounds()).collect();
        assert!(boxes.iter().enumerate().all(|(i, a)| boxes[..i].iter().all(|b| !a.meets(b))));
        let labels = &drawn.layers[drawn.layers.len() - 2];
        assert!(labels.paths.iter().all(|p| boxes.iter().all(|b| !b.meets(&p.bounds()))));
        assert!(grid(Process::Mark, &feeds, &[40.0], Process::Score, true).is_err());
        assert!(
            grid(Process::Cut, &[-1.0], &[40.0], Process::Score, true).is_err()
                && grid(Process::Cut, &feeds, &[140.0], Process::Score, true).is_err()
        );
    }

    #[test]
    fn the_gauge_gives_back_the_kerf_it_was_cut_with() {
        let drawn = BLOCK * f64::from(BLOCKS);
        for k in [0.0, 0.12, 0.18, 1.6] {
            assert_eq!(kerf(drawn, drawn - k * f64::from(BLOCKS), BLOCKS), Ok(k));
        }
        assert!(kerf(200.0, 201.0, 10).is_err() && kerf(200.0, f64::NAN, 10).is_err() && kerf(200.0, 0.0, 10).is_err());
        assert_eq!(gauge().layers[0].paths.len(), BLOCKS as usize + 3);
    }
}

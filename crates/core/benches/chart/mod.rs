//! Yields over time as a chart.

use std::fmt::Write;
use std::sync::Mutex;

/// Names of cases with their yields over time: seconds and share.
pub type Curves = Vec<(String, Vec<(f64, f64)>)>;

/// Curves for the chart, as far as they have come.
pub static CURVES: Mutex<Curves> = Mutex::new(Vec::new());

/// Draws all curves: seconds to the right, yield upward.
pub fn drawn(to: &str, seconds: f64) {
    let curves = CURVES.lock().expect("curves");
    let (w, h, left, top) = (640.0, 300.0, 46.0, 16.0);
    let at = |t: f64, y: f64| (left + (t / seconds).min(1.0) * w, top + (1.0 - (y - 0.3) / 0.7).clamp(0.0, 1.0) * h);
    let mut svg = String::from(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"860\" height=\"350\" font-family=\"sans-serif\" font-size=\"12\"><rect width=\"860\" height=\"350\" fill=\"#f4f0e7\"/>",
    );
    for k in 3..=10 {
        let (x, y) = at(0.0, f64::from(k) / 10.0);
        let _ = write!(
            svg,
            "<path d=\"M{x} {y}h{w}\" stroke=\"#cfc6b3\"/><text x=\"{}\" y=\"{}\" text-anchor=\"end\">{} %</text>",
            x - 6.0,
            y + 4.0,
            k * 10
        );
    }
    for k in 0..=6 {
        let (x, y) = at(seconds * f64::from(k) / 6.0, 0.3);
        let _ = write!(svg, "<text x=\"{x}\" y=\"{}\" text-anchor=\"middle\">{:.0} s</text>", y + 18.0, seconds * f64::from(k) / 6.0);
    }
    for ((name, steps), (colour, dash)) in
        curves.iter().zip([("#22292b", ""), ("#4d6530", "7 3"), ("#7b3b63", "2 3"), ("#8a5a2b", "9 2 2 2")].iter().cycle())
    {
        let mut d = String::new();
        let mut last = None;
        for (t, y) in steps {
            let (x, y) = at(*t, *y);
            let _ = if last.is_none() { write!(d, "M{x:.1} {y:.1}") } else { write!(d, "H{x:.1}V{y:.1}") };
            last = Some(y);
        }
        let _ = write!(d, "H{:.1}", left + w);
        let _ = write!(
            svg,
            "<path d=\"{d}\" fill=\"none\" stroke=\"{colour}\" stroke-width=\"1.8\" stroke-dasharray=\"{dash}\"/><text x=\"{}\" y=\"{:.1}\" fill=\"{colour}\">{name}</text>",
            left + w + 8.0,
            last.unwrap_or(0.0) + 4.0
        );
    }
    std::fs::write(to, svg + "</svg>\n").expect("the chart is written");
}

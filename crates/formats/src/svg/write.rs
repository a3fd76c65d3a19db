//! SVG in true millimetres.

use base64::Engine;
use boustrophe_core::geometry::{Affine, Path, Point};
use std::fmt::Write;

/// A named group of lines.
pub struct WriteGroup<'a> {
    /// Name of the group, a layer elsewhere.
    pub name: &'a str,
    /// Line colour, `#rrggbb`.
    pub stroke: &'a str,
    /// Filled instead of drawn.
    pub filled: bool,
    /// What lies in it.
    pub paths: Vec<Path>,
}

/// The file: a page of width × height mm, one user unit a millimetre, y down as SVG has it.
pub fn write(width: f64, height: f64, groups: &[WriteGroup]) -> String {
    let mut out = String::new();
    let _ = writeln!(out, r#"<?xml version="1.0" encoding="UTF-8"?>"#);
    let _ =
        writeln!(out, r#"<svg xmlns="http://www.w3.org/2000/svg" width="{width}mm" height="{height}mm" viewBox="0 0 {width} {height}">"#);
    for group in groups {
        layer(&mut out, group, &format!(r#"id="{}""#, group.name), height);
    }
    out.push_str("</svg>\n");
    out
}

/// The lines of a layer, in a group that is named so.
fn layer(out: &mut String, group: &WriteGroup, named: &str, height: f64) {
    if group.paths.is_empty() {
        return;
    }
    let paint = if group.filled {
        format!(r#"fill="{}" fill-rule="evenodd" stroke="none""#, group.stroke)
    } else {
        format!(r#"fill="none" stroke="{}" stroke-width="0.1""#, group.stroke)
    };
    let _ = writeln!(out, "<g {named} {paint}>");
    if group.filled {
        // One compound path, so that openings stay open.
        let all: Vec<String> = group.paths.iter().map(|p| path_data(p, height)).collect();
        let _ = writeln!(out, r#"<path d="{}"/>"#, all.join(" "));
    } else {
        for path in &group.paths {
            let _ = writeln!(out, r#"<path d="{}"/>"#, path_data(path, height));
        }
    }
    out.push_str("</g>\n");
}

/// A copy of a part.
pub struct WriteCopy<'a> {
    /// What it is called.
    pub name: String,
    /// Its lines by layer.
    pub layers: Vec<WriteGroup<'a>>,
    /// Its pictures: PNG, and from the unit square (y up) to where it lies.
    pub pictures: Vec<(Vec<u8>, Affine)>,
}

/// The same with a group for every copy of a part, and in it a group for each layer, whose name is its label. Pictures are in the
/// file itself.
pub fn write_copies(width: f64, height: f64, copies: &[WriteCopy]) -> String {
    let mut out = String::new();
    let _ = writeln!(out, r#"<?xml version="1.0" encoding="UTF-8"?>"#);
    let _ = writeln!(
        out,
        r#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:layer="urn:boustrophe:layer" width="{width}mm" height="{height}mm" viewBox="0 0 {width} {height}">"#
    );
    for (n, copy) in copies.iter().enumerate() {
        let title: String = copy.name.chars().filter(|c| !matches!(c, '<' | '>' | '&') && !c.is_control()).collect();
        let _ = writeln!(out, r#"<g id="copy-{}"><title>{title}</title>"#, n + 1);
        for (png, place) in &copy.pictures {
            // An image stands with its head up in a square whose y goes down.
            let [a, b, c, d, e, f] =
                (Affine::new([1.0, 0.0, 0.0, -1.0, 0.0, height]) * *place * Affine::new([1.0, 0.0, 0.0, -1.0, 0.0, 1.0])).as_coeffs();
            let _ = writeln!(
                out,
                r#"<g layer:label="picture"><image width="1" height="1" preserveAspectRatio="none" transform="matrix({a} {b} {c} {d} {e} {f})" href="data:image/png;base64,{}"/></g>"#,
                base64::engine::general_purpose::STANDARD.encode(png)
            );
        }
        for group in &copy.layers {
            layer(&mut out, group, &format!(r#"layer:label="{}""#, group.name), height);
        }
        out.push_str("</g>\n");
    }
    out.push_str("</svg>\n");
    out
}

/// Path data with arcs, y turned over at `height`.
///
/// SVG gives an arc by its ends and radius, so the centre of a half circle moves by the root of what its chord is rounded
/// by: paths with arcs near that are written with all digits.
pub fn path_data(path: &Path, height: f64) -> String {
    let mut out = String::new();
    let Some(first) = path.segments.first() else { return out };
    let digits = if path.segments.iter().any(|s| (0.7..1.4).contains(&s.bulge.abs())) { 12 } else { 6 };
    let short = |v: f64| short(v, digits);
    let _ = write!(out, "M{} {}", short(first.start.x), short(height - first.start.y));
    let n = path.segments.len();
    for (i, s) in path.segments.iter().enumerate() {
        let (x, y) = (short(s.end.x), short(height - s.end.y));
        if !s.is_line() {
            let large = i32::from(s.sweep().abs() > std::f64::consts::PI);
            let _ = write!(out, "A{r} {r} 0 {large} {} {x} {y}", i32::from(s.bulge < 0.0), r = short(s.radius()));
        } else if i + 1 < n || !path.closed {
            let _ = write!(out, "L{x} {y}");
        }
    }
    if path.closed {
        out.push('Z');
    }
    out
}

/// Path data for a small picture, y turned over at `height`: of many points those that lie no nearer to each other than `finest`. A
/// path that has few is as it is.
pub fn miniature_data(path: &Path, height: f64, finest: f64) -> String {
    if path.segments.len() <= FEW {
        return path_data(path, height);
    }
    let mut out = String::new();
    let mut last: Option<Point> = None;
    for p in path.segments.iter().flat_map(|s| [s.start, s.at(0.5)]) {
        if last.is_none_or(|l| l.distance(p) >= finest) {
            let _ = write!(out, "{}{:.1} {:.1}", if last.is_some() { 'L' } else { 'M' }, p.x, height - p.y);
            last = Some(p);
        }
    }
    if path.closed {
        out.push('Z');
    }
    out
}

/// Segments that a small picture is drawn with as they are.
const FEW: usize = 40;

/// So many decimals at most, without trailing zeros.
fn short(v: f64, digits: usize) -> String {
    let text = format!("{v:.digits$}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".into() } else { text.into() }
}

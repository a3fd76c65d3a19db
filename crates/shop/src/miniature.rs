//! A sheet in small, as it will look: for the floor and for the operator.

use boustrophe_core::assign::Process;
use boustrophe_core::geometry::{Path, Point};
use boustrophe_core::route::BatchRoute;
use boustrophe_core::shop::Shop;
use boustrophe_formats::svg::path_data;
use std::fmt::Write;

/// Width of a miniature in the coarsest detail that can be told apart: what is smaller than its width by this is not drawn.
const DETAIL: f64 = 600.0;
/// Longest miniature, bytes: beyond it only outlines are drawn.
const LONGEST: usize = 60_000;

/// What the picture of a sheet of this size shows, as a view box: the sheet with some room round it.
pub fn view((w, h): (f64, f64)) -> String {
    let room = w.max(h) / 50.0;
    format!("{:.2} {:.2} {:.2} {:.2}", -room, -room, w + 2.0 * room, h + 2.0 * room)
}

/// A batch's sheet `number`, from 0, as an SVG drawing; empty where there is none.
pub fn of(batch: &BatchRoute, shop: &Shop, number: usize) -> String {
    let Some(lying) = batch.nested.layout.sheets.get(number) else { return String::new() };
    let (w, h) = (lying.sheet.width, lying.sheet.height);
    let material = shop.material(&batch.stock.material);
    let tone = material.map_or("#dddddd", |m| m.tone.as_str());
    let engraved = material.map_or("#5b3a1e", |m| m.engraved.as_str());
    let least = w.max(h) / DETAIL;
    let (mut parts, mut lines, mut areas) = (String::new(), String::new(), String::new());
    for p in &lying.placed {
        let Some(part) = batch.work.part(p.copy.part) else { continue };
        let affine = p.affine();
        let put = |to: &mut String, path: &Path| {
            let b = path.bounds();
            if b.width().max(b.height()) > 2.0 * least {
                to.push_str(&coarse(&path.transformed(affine), h, least));
            }
        };
        put(&mut parts, &part.outline);
        part.holes.iter().for_each(|i| put(&mut parts, &batch.work.items[*i].contour.path));
        if parts.len() + lines.len() + areas.len() > LONGEST {
            continue;
        }
        for item in part.inside.iter().map(|i| &batch.work.items[*i]) {
            match item.process {
                Process::Engrave | Process::Picture => put(&mut areas, &item.contour.path),
                Process::Reference => {}
                _ => put(&mut lines, &item.contour.path),
            }
        }
    }
    let sheet = if lying.sheet.outline.is_empty() && lying.sheet.tray.is_none() {
        format!("<rect width=\"{w}\" height=\"{h}\" fill=\"{tone}\"/>")
    } else {
        let d: String = lying.sheet.edges().iter().map(|p| path_data(p, h)).collect();
        format!("<path d=\"{d}\" fill=\"{tone}\" fill-rule=\"evenodd\"/>")
    };
    let stroke = w.max(h) / 380.0;
    let mut out = String::new();
    let _ = write!(
        out,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"{}\" role=\"img\" aria-label=\"The sheet\">{sheet}\
         <path d=\"{parts}\" fill=\"#fff\" fill-opacity=\"0.42\" fill-rule=\"evenodd\" stroke=\"#22292b\" stroke-width=\"{stroke:.2}\"/>\
         <path d=\"{areas}\" fill=\"{engraved}\" fill-opacity=\"0.85\" fill-rule=\"evenodd\" stroke=\"#22292b\" stroke-opacity=\"0.7\" stroke-width=\"{:.2}\"/>\
         <path d=\"{lines}\" fill=\"none\" stroke=\"#7b3b63\" stroke-width=\"{:.2}\"/></svg>",
        view((w, h)),
        // What is engraved in nearly the material's own tone is seen by its edge.
        stroke * 0.4,
        stroke * 0.6
    );
    out
}

/// A path in whole tenths, without what is smaller than `least`; y down from `height`.
fn coarse(path: &Path, height: f64, least: f64) -> String {
    let mut out = String::new();
    let mut last: Option<Point> = None;
    for p in path.points(least) {
        if last.is_some_and(|l| l.distance(p) < least) {
            continue;
        }
        let _ = write!(out, "{}{:.1} {:.1}", if last.is_none() { 'M' } else { 'L' }, p.x, height - p.y);
        last = Some(p);
    }
    if path.closed {
        out.push('Z');
    }
    out
}

//! A job as large as jobs become: 300 kinds of parts on 40 sheets, by 30 rows of the key. Every station's page stays small.

use crate::client::Shop;
use crate::nested::nested;
use std::fmt::Write;

/// Kinds of parts, and colours of their lines.
const PARTS: usize = 300;
const COLOURS: usize = 30;
/// A page with its docket, bytes: what a tablet on a shop's wireless has in an instant.
const MOST: usize = 60_000;
/// Forms that a page may have: one for what is open, not one for each row.
const FORMS: usize = 120;

/// Plates of 300 sizes, each with a line in one of 30 colours.
fn plates() -> String {
    let mut out = String::from("<svg xmlns='http://www.w3.org/2000/svg' width='9000mm' height='9000mm' viewBox='0 0 9000 9000'>");
    for i in 0..PARTS {
        let (x, y) = (400.0 * (i % 20) as f64, 300.0 * (i / 20) as f64);
        let (w, h) = (150.0 + 0.25 * i as f64, 150.0 - 0.12 * i as f64);
        let colour = format!("#{:02x}40{:02x}", 8 * (i % COLOURS), 250 - 8 * (i % COLOURS));
        let _ = write!(
            out,
            "<rect x='{x}' y='{y}' width='{w}' height='{h}' fill='none' stroke='red'/><path d='M{} {}h40' fill='none' stroke='{colour}'/>",
            x + 20.0,
            y + 20.0
        );
    }
    out + "</svg>"
}

#[test]
fn pages_of_a_large_job_are_small() {
    let shop = Shop::open(&[]);
    let job = nested(&shop, "Panels", ("panels.svg", plates().as_bytes()));
    let mut told = Vec::new();
    for station in ["intake", "clean", "assign", "nest", "order", "hold", "proof", "release"] {
        let text = shop.get(&format!("/jobs/{job}/{station}")).text();
        let (bytes, forms) = (text.len(), text.matches("<form").count());
        if bytes > MOST || forms > FORMS {
            told.push(format!("{station}: {bytes} bytes, {forms} forms"));
        }
    }
    let nest = shop.get(&format!("/jobs/{job}/nest")).text();
    assert!(nest.contains("300") && told.is_empty(), "{told:#?}");
}

/// Twelve drawings with five things each that are to be looked at: sixty findings are still a small page, and one press takes a remedy.
#[test]
fn pages_of_sixty_findings_are_small() {
    let shop = Shop::open(&[]);
    let job = shop.job("Mixed");
    for i in 0..12 {
        // A rectangle with a gap, a line drawn twice, an outline drawn twice a hair apart, a line drawn as an area, and a filled line.
        let x = 90 + i;
        let svg = format!(
            "<svg xmlns='http://www.w3.org/2000/svg' width='200mm' height='100mm' viewBox='0 0 200 100'><g fill='none' stroke='red'>\
             <path d='M10 10H{x}V60H10V10.3'/><path d='M30 30h20'/><path d='M30 30h20'/>\
             <circle cx='150' cy='30' r='14'/><circle cx='150.02' cy='30' r='14'/>\
             <rect x='120' y='60' width='60' height='30'/><rect x='120.2' y='60.2' width='59.6' height='29.6'/>\
             </g><path d='M20 70l40 0l40 9' fill='blue' stroke='red'/></svg>"
        );
        assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[(&format!("mixed-{i}.svg"), svg.as_bytes())]).status, 204);
    }
    let page = || shop.get(&format!("/jobs/{job}/clean")).text();
    let (text, findings) = (page(), |t: &str| t.matches("class=\"finding ").count());
    assert!(findings(&text) >= 60, "{} findings", findings(&text));
    let forms = text.matches("<form").count();
    assert!(text.len() <= MOST && forms <= FORMS, "{} bytes, {forms} forms for {} findings", text.len(), findings(&text));
    // The last remedy on the page is one of the last drawing's.
    let edit = text.split("name=\"edit\" value=\"").last().and_then(|t| t.split('"').next()).expect("a remedy");
    let edit = edit.replace("&#34;", "\"").replace("&quot;", "\"");
    let revision = shop.revision(job).to_string();
    let answer = shop.post(&format!("/jobs/{job}/edit"), &[("revision", &revision), ("station", "clean"), ("batch", "1"), ("edit", &edit)]);
    assert_eq!(answer.status, 200, "{}", answer.sentence());
    assert!(shop.revision(job).to_string() != revision);
}

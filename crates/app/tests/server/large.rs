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

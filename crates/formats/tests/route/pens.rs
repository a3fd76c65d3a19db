//! Writers of plans: the same drawing as DXF, as SVG, as PDF, and as PDF whose writing came as outlines.

use crate::job::pdf;
use std::fmt::Write as _;

/// Something that draws in mm from the lower left corner of a page of 297 × 210.
pub trait Pen {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool);
    fn ring(&mut self, points: &[(f64, f64)], filled: bool);
    fn circle(&mut self, c: (f64, f64), r: f64);
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str);
    fn border(&mut self, (x, y, w, h): (f64, f64, f64, f64)) {
        self.ring(&[(x, y), (x + w, y), (x + w, y + h), (x, y + h)], false);
    }
    fn page(&mut self);
    fn done(self: Box<Self>) -> (&'static str, Vec<u8>);
}

#[derive(Default)]
pub struct Dxf {
    out: String,
    x: f64,
}

impl Pen for Dxf {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool) {
        let kind = if dotted { "6\nCENTER\n" } else { "" };
        let _ = write!(self.out, "0\nLINE\n8\n0\n{kind}10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a.0 + self.x, a.1, b.0 + self.x, b.1);
    }
    fn ring(&mut self, points: &[(f64, f64)], _: bool) {
        let _ = write!(self.out, "0\nLWPOLYLINE\n8\n0\n90\n{}\n70\n1\n", points.len());
        points.iter().for_each(|p| self.out.push_str(&format!("10\n{}\n20\n{}\n", p.0 + self.x, p.1)));
    }
    fn circle(&mut self, c: (f64, f64), r: f64) {
        let _ = write!(self.out, "0\nCIRCLE\n8\n0\n10\n{}\n20\n{}\n40\n{r}\n", c.0 + self.x, c.1);
    }
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str) {
        let turn = if upright { 90 } else { 0 };
        let _ = write!(self.out, "0\nTEXT\n8\n0\n10\n{}\n20\n{}\n40\n{height}\n50\n{turn}\n1\n{value}\n", at.0 + self.x, at.1);
    }
    fn page(&mut self) {
        self.x += 340.0;
    }
    fn done(self: Box<Self>) -> (&'static str, Vec<u8>) {
        let head = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
        ("plan.dxf", format!("{head}{}0\nENDSEC\n0\nEOF\n", self.out).into_bytes())
    }
}

/// An SVG in mm whose writing is text.
#[derive(Default)]
pub struct Svg {
    out: String,
    x: f64,
}

impl Pen for Svg {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool) {
        let dash = if dotted { r#" stroke-dasharray="6 1.5 1.5 1.5""# } else { "" };
        let _ = write!(self.out, r#"<path d="M{:.3} {:.3}L{:.3} {:.3}"{dash}/>"#, a.0 + self.x, 210.0 - a.1, b.0 + self.x, 210.0 - b.1);
    }
    fn ring(&mut self, points: &[(f64, f64)], filled: bool) {
        let points: Vec<String> = points.iter().map(|p| format!("{:.3},{:.3}", p.0 + self.x, 210.0 - p.1)).collect();
        let looks = if filled { r#" fill="black" stroke="none""# } else { "" };
        let _ = write!(self.out, r#"<polygon points="{}"{looks}/>"#, points.join(" "));
    }
    fn circle(&mut self, c: (f64, f64), r: f64) {
        let _ = write!(self.out, r#"<circle cx="{:.3}" cy="{:.3}" r="{r}"/>"#, c.0 + self.x, 210.0 - c.1);
    }
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str) {
        let (x, y, turn) = (at.0 + self.x, 210.0 - at.1, if upright { -90 } else { 0 });
        let size = height / 0.7;
        let _ = write!(
            self.out,
            r#"<text transform="translate({x:.3} {y:.3}) rotate({turn})" style="font: italic 400 {size:.3}px/1.2 serif" fill="black" stroke="none">{value}</text>"#
        );
    }
    fn page(&mut self) {
        self.x += 340.0;
    }
    fn done(self: Box<Self>) -> (&'static str, Vec<u8>) {
        let w = self.x + 297.0;
        let head = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="210mm" viewBox="0 0 {w} 210"><g fill="none" stroke="black" stroke-width="0.25">"#
        );
        ("plan.svg", format!("{head}{}</g></svg>", self.out).into_bytes())
    }
}

#[derive(Default)]
pub struct Pdf {
    pages: Vec<String>,
    now: String,
}

fn pt(v: f64) -> f64 {
    v * 72.0 / 25.4
}

impl Pen for Pdf {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool) {
        let dash = if dotted { "[17 4 4 4] 0 d" } else { "[] 0 d" };
        let _ = write!(self.now, "{dash} {:.3} {:.3} m {:.3} {:.3} l S ", pt(a.0), pt(a.1), pt(b.0), pt(b.1));
    }
    fn ring(&mut self, points: &[(f64, f64)], filled: bool) {
        for (i, p) in points.iter().enumerate() {
            let _ = write!(self.now, "[] 0 d {:.3} {:.3} {} ", pt(p.0), pt(p.1), if i == 0 { "m" } else { "l" });
        }
        self.now.push_str(if filled { "h f " } else { "h S " });
    }
    fn circle(&mut self, (x, y): (f64, f64), r: f64) {
        let k = r * 0.552_284_75;
        let (x0, y0, x1, y1) = (x - r, y - r, x + r, y + r);
        let _ = write!(self.now, "[] 0 d {:.4} {:.4} m ", pt(x1), pt(y));
        for v in
            [[x1, y + k, x + k, y1, x, y1], [x - k, y1, x0, y + k, x0, y], [x0, y - k, x - k, y0, x, y0], [x + k, y0, x1, y - k, x1, y]]
        {
            let v = v.map(|v| format!("{:.4}", pt(v)));
            let _ = write!(self.now, "{} c ", v.join(" "));
        }
        self.now.push_str("h S ");
    }
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str) {
        let (c, s) = if upright { (0, 1) } else { (1, 0) };
        // Letters beyond ASCII by their numbers in the font's encoding, which is Latin 1 there.
        let value: String = value.chars().map(|c| if c.is_ascii() { c.to_string() } else { format!("\\{:03o}", c as u32) }).collect();
        let _ = write!(self.now, "BT /F {:.2} Tf {c} {s} {} {c} {:.3} {:.3} Tm ({value}) Tj ET ", pt(height / 0.7), -s, pt(at.0), pt(at.1));
    }
    fn page(&mut self) {
        self.pages.push(std::mem::take(&mut self.now));
    }
    fn done(mut self: Box<Self>) -> (&'static str, Vec<u8>) {
        self.page();
        ("plan.pdf", pdf(&self.pages))
    }
}

/// A PDF whose writer turned all writing into filled outlines.
#[derive(Default)]
pub struct Outlined(Pdf);

impl Pen for Outlined {
    fn line(&mut self, a: (f64, f64), b: (f64, f64), dotted: bool) {
        self.0.line(a, b, dotted);
    }
    fn ring(&mut self, points: &[(f64, f64)], filled: bool) {
        self.0.ring(points, filled);
    }
    fn circle(&mut self, c: (f64, f64), r: f64) {
        self.0.circle(c, r);
    }
    fn text(&mut self, at: (f64, f64), height: f64, upright: bool, value: &str) {
        // Every letter is an F, of a body of 0.65.
        let letter = [
            (0.0, 0.0),
            (0.12, 0.0),
            (0.12, 0.45),
            (0.4, 0.45),
            (0.4, 0.57),
            (0.12, 0.57),
            (0.12, 0.88),
            (0.5, 0.88),
            (0.5, 1.0),
            (0.0, 1.0),
        ];
        for (i, _) in value.chars().enumerate().filter(|(_, c)| !c.is_whitespace()) {
            let placed = letter.map(|(x, y)| {
                let (x, y) = ((x + 0.65 * i as f64) * height, y * height);
                if upright { (at.0 - y, at.1 + x) } else { (at.0 + x, at.1 + y) }
            });
            self.0.ring(&placed, true);
            // Every third has a counter with three corners, as an A has.
            if i % 3 == 0 {
                let counter = [(0.14, 0.6), (0.3, 0.6), (0.22, 0.8)].map(|(x, y)| {
                    let (x, y) = ((x + 0.65 * i as f64) * height, y * height);
                    if upright { (at.0 - y, at.1 + x) } else { (at.0 + x, at.1 + y) }
                });
                self.0.ring(&counter, true);
            }
        }
    }
    /// A thick line, as the area that it covers.
    fn border(&mut self, (x, y, w, h): (f64, f64, f64, f64)) {
        let (x, y, w, h) = (x - 0.25, y - 0.25, w + 0.5, h + 0.5);
        let outer = [(x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y)];
        let (x, y, w, h) = (x + 0.5, y + 0.5, w - 1.0, h - 1.0);
        let inner = [(x, y), (x, y + h), (x + w, y + h), (x + w, y), (x, y)];
        self.0.ring(&[outer, inner].concat(), true);
    }
    fn page(&mut self) {
        self.0.page();
    }
    fn done(self: Box<Self>) -> (&'static str, Vec<u8>) {
        Box::new(self.0).done()
    }
}

//! What an SVG shows is what is read: the browser's own drawing is the judge.

use crate::harness::Browser;
use base64::Engine;
use boustrophe_core::clean;
use boustrophe_core::decisions::DrawingDecisions;
use boustrophe_core::finding::Code;
use boustrophe_core::geometry::{Path, Region};
use boustrophe_core::intake;
use boustrophe_core::shop::Shop;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};

/// Pixels of the longer side that the browser draws.
const SIDE: u32 = 900;
/// Areas agree to this share.
const ALIKE: f64 = 0.003;
/// mm of a pixel, as the standard has it.
const PIXEL: f64 = 25.4 / 96.0;

/// Area that the browser paints, in the drawing's pixels².
async fn painted(browser: &Browser, svgs: &[String]) -> Vec<f64> {
    let coded: Vec<String> = svgs.iter().map(|s| base64::engine::general_purpose::STANDARD.encode(s)).collect();
    let script = r"
        const [svgs, side, done] = arguments;
        (async () => {
            const out = [];
            for (const svg of svgs) {
                const image = new Image();
                image.src = 'data:image/svg+xml;base64,' + svg;
                await image.decode();
                const [w, h] = [image.naturalWidth, image.naturalHeight];
                const scale = side / Math.max(w, h);
                const canvas = document.createElement('canvas');
                [canvas.width, canvas.height] = [Math.round(w * scale), Math.round(h * scale)];
                const pen = canvas.getContext('2d');
                pen.drawImage(image, 0, 0, canvas.width, canvas.height);
                const bytes = pen.getImageData(0, 0, canvas.width, canvas.height).data;
                let sum = 0;
                for (let i = 3; i < bytes.length; i += 4) sum += bytes[i];
                out.push(sum / 255 * (w / canvas.width) * (h / canvas.height));
            }
            done(out);
        })().catch((e) => done(String(e)));";
    let arguments = vec![serde_json::json!(coded), serde_json::json!(SIDE)];
    let found = browser.page.execute_async(script, arguments).await.expect("a script runs");
    let areas = found.json().as_array().unwrap_or_else(|| panic!("{}", found.json())).clone();
    areas.iter().map(|a| a.as_f64().expect("an area")).collect()
}

/// Area that is read, in the drawing's pixels², and whether it was asked about shapes that do not show.
fn read(name: &str, svg: &str) -> (f64, bool) {
    let drawing = boustrophe_formats::read(&format!("{name}.svg"), svg.as_bytes()).expect("a drawing");
    let shop = Shop::builtin();
    let decided = DrawingDecisions { ppi: Some(96.0), ..DrawingDecisions::new(1, "shown", name) };
    let (taken, _) = intake::run(&drawing, &decided, &shop.machines[0].bed());
    let (cleaned, findings) = clean::run(&drawing, &taken, &decided, &shop.tolerance);
    let shown: Vec<&Path> = cleaned.contours.iter().filter(|c| c.path.closed && !c.style.hidden).map(|c| &c.path).collect();
    let asked = findings.iter().any(|f| matches!(f.code, Code::CoveredShapes | Code::DoubledLines));
    (Region::within(&shown).area() / PIXEL.powi(2), asked)
}

/// Drawings by name that the browser shows otherwise than they are read.
async fn differing(drawings: &[(String, String)]) -> Vec<String> {
    let browser = Browser::open().await;
    let mut out = Vec::new();
    for some in drawings.chunks(50) {
        let svgs: Vec<String> = some.iter().map(|d| d.1.clone()).collect();
        for ((name, svg), painted) in some.iter().zip(painted(&browser, &svgs).await) {
            let (read, asked) = read(name, svg);
            if (read - painted).abs() > ALIKE * painted + 1.0 && !asked {
                out.push(format!("{name}: read {read:.1}, shown {painted:.1}"));
            }
        }
    }
    browser.shut().await;
    out
}

#[tokio::test]
async fn looks_are_those_of_the_browser() {
    let line = |line: &str| {
        let mut parts = line.splitn(3, " | ");
        let (name, attributes, body) = (parts.next()?, parts.next()?, parts.next()?);
        let space = "xmlns=\"http://www.w3.org/2000/svg\" xmlns:xlink=\"http://www.w3.org/1999/xlink\"";
        Some((name.to_owned(), format!("<svg {space} {attributes}>{body}</svg>")))
    };
    let drawings: Vec<(String, String)> = include_str!("looks.txt").lines().filter_map(line).collect();
    assert!(drawings.len() >= 75);
    assert_eq!(differing(&drawings).await, Vec::<String>::new());
}

#[tokio::test]
async fn shapes_that_do_not_show_are_asked_about() {
    let (_, asked) = read(
        "plate",
        "<svg xmlns='http://www.w3.org/2000/svg' width='90' height='90'><rect width='80' height='80'/><circle cx='40' cy='40' r='9'/></svg>",
    );
    let (_, apart) = read(
        "plate",
        "<svg xmlns='http://www.w3.org/2000/svg' width='90' height='90'><rect width='80' height='80' fill='none' stroke='red'/><circle cx='40' cy='40' r='9' fill='none' stroke='red'/></svg>",
    );
    assert!(asked && !apart);
}

/// An icon in the manner of those that programs come with: a few strokes and shapes in one path or several, over each other, with
/// openings by either rule, turned, moved and shown again.
fn icon(seed: u64) -> String {
    let mut dice = SmallRng::seed_from_u64(seed);
    let winding = dice.random_bool(0.5);
    let mut body = String::new();
    for _ in 0..dice.random_range(1..5) {
        let mut data = String::new();
        for _ in 0..dice.random_range(1..4) {
            let (x, y) = (dice.random_range(60.0..140.0_f64), dice.random_range(60.0..140.0_f64));
            let r = dice.random_range(8.0..26.0_f64);
            data += &match dice.random_range(0..6) {
                // A ring, its opening the other way round.
                0 => format!(
                    "M{:.2} {y:.2}a{r:.2} {r:.2} 0 1 0 {:.2} 0a{r:.2} {r:.2} 0 1 0 -{:.2} 0zm{:.2} 0a{q:.2} {q:.2} 0 1 1 {:.2} 0a{q:.2} {q:.2} 0 1 1 -{:.2} 0z",
                    x - r,
                    2.0 * r,
                    2.0 * r,
                    r * 0.4,
                    1.2 * r,
                    1.2 * r,
                    q = 0.6 * r
                ),
                // A bar with round ends, level or upright.
                1 => format!("M{:.2} {y:.2}a4 4 0 0 1 0-8h{:.2}a4 4 0 0 1 0 8z", x - r, 2.0 * r),
                2 => format!("M{x:.2} {:.2}a4 4 0 0 1 8 0v{:.2}a4 4 0 0 1-8 0z", y - r, 2.0 * r),
                // An arrow's head, a drop, and a plus in one stroke.
                3 => format!("M{x:.2} {y:.2}l{r:.2} {r:.2}-5 5-{s:.2}-{s:.2}-{s:.2} {s:.2}-5-5z", s = r - 5.0),
                4 => {
                    format!("M{x:.2} {y:.2}c{r:.2} 0 {r:.2} {r:.2} 0 {:.2}c-{r:.2}-{r:.2}-{r:.2}-{:.2} 0-{:.2}z", 1.8 * r, 1.8 * r, 1.8 * r)
                }
                _ => format!("M{x:.2} {y:.2}h{r:.2}v-{r:.2}h9v{r:.2}h{r:.2}v9h-{r:.2}v{r:.2}h-9v-{r:.2}h-{r:.2}z"),
            };
        }
        let turned = match dice.random_range(0..4) {
            0 => format!(" transform=\"rotate({:.1} 100 100)\"", dice.random_range(-40.0..40.0)),
            1 => format!(" transform=\"translate({:.1} {:.1}) scale(.8)\"", dice.random_range(0.0..30.0), dice.random_range(0.0..30.0)),
            _ => String::new(),
        };
        body += &format!("<path{turned} d=\"{data}\"/>");
    }
    let rule = if winding { "" } else { " fill-rule=\"evenodd\"" };
    format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"200\" height=\"200\" viewBox=\"0 0 200 200\"><g{rule}>{body}</g></svg>")
}

#[tokio::test]
async fn icons_are_read_as_they_show() {
    let icons: Vec<(String, String)> = (0..500).map(|seed| (format!("icon {seed}"), icon(seed))).collect();
    assert_eq!(differing(&icons).await, Vec::<String>::new());
}

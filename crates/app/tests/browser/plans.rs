//! Plans by hand: views boxed on their pages, each with its scale; paper and notes in two clicks; grain by a stroke; name plates.

use crate::harness::{Browser, Hand, Shop};
use std::fmt::Write as _;

/// A4 landscape with a border, a title block and two views, one at 1:2, as a PDF.
fn plan() -> Vec<u8> {
    let pt = |v: f64| v * 72.0 / 25.4;
    let rect = |x: f64, y: f64, w: f64, h: f64| format!("{:.3} {:.3} {:.3} {:.3} re S ", pt(x), pt(y), pt(w), pt(h));
    let text = |x: f64, y: f64, t: &str| format!("BT /F 9 Tf {:.3} {:.3} Td ({t}) Tj ET ", pt(x), pt(y));
    let line = |x0: f64, y0: f64, x1: f64, y1: f64| format!("{:.3} {:.3} m {:.3} {:.3} l S ", pt(x0), pt(y0), pt(x1), pt(y1));
    let page = [
        rect(10.0, 10.0, 277.0, 190.0),
        rect(187.0, 10.0, 100.0, 20.0),
        line(187.0, 20.0, 287.0, 20.0),
        text(190.0, 22.0, "Smoker shelf"),
        text(190.0, 12.0, "Rev B"),
        rect(40.0, 110.0, 80.0, 50.0),
        text(44.0, 114.0, "x6"),
        rect(170.0, 120.0, 50.0, 30.0),
        text(173.0, 124.0, "x2"),
    ]
    .concat();
    let objects = [
        "<</Type/Catalog/Pages 2 0 R>>".to_owned(),
        "<</Type/Pages/Kids[4 0 R]/Count 1>>".to_owned(),
        "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>".to_owned(),
        "<</Type/Page/Parent 2 0 R/MediaBox[0 0 841.89 595.28]/Contents 5 0 R/Resources<</Font<</F 3 0 R>>>>>>".to_owned(),
        format!("<</Length {}>>\nstream\n{page}\nendstream", page.len()),
    ];
    let mut out = "%PDF-1.4\n".to_owned();
    let mut xref = format!("xref\n0 {}\n0000000000 65535 f \n", objects.len() + 1);
    for (i, o) in objects.iter().enumerate() {
        let _ = writeln!(xref, "{:010} 00000 n ", out.len());
        let _ = write!(out, "{} 0 obj\n{o}\nendobj\n", i + 1);
    }
    let at = out.len();
    let _ = write!(out, "{xref}trailer\n<</Size {}/Root 1 0 R>>\nstartxref\n{at}\n%%EOF\n", objects.len() + 1);
    out.into_bytes()
}

/// Width and height of the parts, to a tenth, as Nest lists them.
const SIZES: &str = "[...document.querySelectorAll('.parts.list td .hint.mono')].map(e => e.innerText).sort().join('|')";

#[tokio::test(flavor = "multi_thread")]
async fn paper_and_notes_go_in_two_clicks_and_grain_is_stroked() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let file = shop.data.path().join("shelf.pdf");
    std::fs::write(&file, plan()).expect("written");
    hand.job_with("Shelf", std::slice::from_ref(&file)).await;
    hand.station("2", "clean").await;
    assert_eq!(hand.open_findings().await, ["paper-border"]);
    let said = hand.text("[data-code=paper-border]").await;
    assert!(said.contains("1 of borders") && said.contains("2 of title blocks"), "{said}");
    hand.shoot("paper").await;
    hand.change("the paper", hand.click("[data-code=paper-border] button.remedy")).await;
    hand.station("3", "assign").await;
    hand.change("the notes", hand.click("[data-code=plan-says] button.remedy")).await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    // A stroke across the larger part: its grain runs up.
    hand.press("w").await;
    hand.change("its grain", hand.stage_drag((70.0, 113.0), (70.0, 137.0))).await;
    hand.shoot("grain").await;
    hand.station("4", "nest").await;
    assert_eq!(hand.value(SIZES).await.as_str(), Some("50.0 × 30.0|80.0 × 50.0"));
    let ways = hand.text(".parts.list").await;
    assert!(ways.contains("grain across"), "{ways}");
    // A file that is added after changes is added once.
    hand.station("1", "intake").await;
    hand.change("a wide scale", hand.fill("article [name=value]", "2")).await;
    hand.change("and back", hand.fill("article [name=value]", "1")).await;
    hand.change("another", hand.pick(&[file])).await;
    hand.drawn().await;
    assert_eq!(hand.value("document.querySelectorAll('article.drawing').length").await.as_i64(), Some(2));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn views_are_boxed_on_the_page_each_with_its_scale() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let file = shop.data.path().join("shelf.pdf");
    std::fs::write(&file, plan()).expect("written");
    hand.job_with("Shelf", &[file]).await;
    hand.click("a[href$='/pages']").await;
    for (n, (x0, y0, x1, y1)) in [(32.0, 102.0, 126.0, 166.0), (164.0, 114.0, 226.0, 156.0)].into_iter().enumerate() {
        hand.until("the page", "document.querySelector('.page-stage') !== null").await;
        hand.box_on_page((x0, y0), (x1, y1)).await;
        hand.until("it is boxed", &format!("document.querySelectorAll('.page-stage .region').length === {}", n + 1)).await;
    }
    hand.fill(".said:nth-of-type(2) [name=name]", "bracket").await;
    hand.fill(".said:nth-of-type(2) [name=scale]", "1:2").await;
    hand.click(".said:nth-of-type(2) button[value=say]").await;
    hand.until("it is said", "[...document.querySelectorAll('.page-stage .region text')].some(t => t.textContent === 'bracket')").await;
    hand.shoot("views").await;
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    assert_eq!(hand.value(SIZES).await.as_str(), Some("100.0 × 60.0|80.0 × 50.0"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_name_plate_is_made_in_one_step() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.begin("Plates").await;
    hand.click("#new-plate > summary").await;
    hand.fill("#new-plate [name=text]", "Odile").await;
    hand.choose("#new-plate [name=backing]", "lark/acrylic/3").await;
    hand.click("#new-plate button").await;
    hand.until("it is there", "document.querySelector('article.drawing') !== null").await;
    hand.drawn().await;
    hand.shoot("name-plate").await;
    hand.station("3", "assign").await;
    let batches = hand.value("document.querySelectorAll('.row.batch').length").await;
    assert_eq!(batches.as_i64(), Some(2));
    hand.go("/jobs/1/nest?batch=2").await;
    hand.drawn().await;
    let listed = hand.text(".parts.list").await;
    assert!(listed.contains("backing") && !listed.contains("top"), "{listed}");
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_known_part_is_carried_over_another_drawing() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plate = |name: &str, w: f64, h: f64| {
        let corners: String = [(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)].map(|(x, y)| format!("10\n{x}\n20\n{y}\n")).concat();
        let head = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
        let file = shop.data.path().join(name);
        std::fs::write(&file, format!("{head}0\nLWPOLYLINE\n8\np\n90\n4\n70\n1\n{corners}0\nENDSEC\n0\nEOF\n")).expect("written");
        file
    };
    hand.job_with("Two", &[plate("known.dxf", 60.0, 40.0), plate("small.dxf", 30.0, 20.0)]).await;
    hand.drawn().await;
    hand.stage_click(0.0, 20.0, false).await;
    // The second lies 40 mm beside the first.
    hand.stage_drag((30.0, 20.0), (115.0, 10.0)).await;
    hand.until("they are compared", "/200.00 % as wide, 200.00 % as high/.test(document.querySelector('#card')?.innerText ?? '')").await;
    hand.shoot("compared").await;
    hand.change("as large", hand.click("#card button.remedy")).await;
    hand.drawn().await;
    let sizes = hand.value("[...document.querySelectorAll('article.drawing .size b')].map(b => b.innerText).join('|')").await;
    assert_eq!(sizes.as_str(), Some("60.0 × 40.0 mm|60.0 × 40.0 mm"));
    browser.shut().await;
}

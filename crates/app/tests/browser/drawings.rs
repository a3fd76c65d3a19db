//! Intake and Clean by hand: sizes, regions, tracings, operations, slot fit, revisions.

use crate::harness::{Browser, Hand, Shop, demo_file};
use std::path::{Path, PathBuf};

pub fn file(folder: &Path, name: &str, content: &[u8]) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, content).expect("written");
    path
}

/// A DXF in mm: `0 LINE ...` as words.
pub fn dxf(entities: &str) -> String {
    let body: String = entities.split_whitespace().map(|w| format!("{w}\n")).collect();
    format!("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{body}0\nENDSEC\n0\nEOF\n")
}

pub fn rectangle(x: f64, y: f64, w: f64, h: f64) -> String {
    format!("0 LWPOLYLINE 8 P 90 4 70 1 10 {x} 20 {y} 10 {} 20 {y} 10 {} 20 {} 10 {x} 20 {} ", x + w, x + w, y + h, y + h)
}

/// A PDF of pages of 720 × 504 points with these contents.
fn pdf(pages: &[&str]) -> Vec<u8> {
    let n = pages.len();
    let mut objects = vec!["<< /Type /Catalog /Pages 2 0 R >>".to_owned()];
    let kids: Vec<String> = (0..n).map(|i| format!("{} 0 R", 4 + 2 * i)).collect();
    objects.push(format!("<< /Type /Pages /Count {n} /Kids [{}] >>", kids.join(" ")));
    objects.push("<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>".to_owned());
    for (i, content) in pages.iter().enumerate() {
        objects.push(format!(
            "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 720 504] /Resources << /Font << /F1 3 0 R >> >> /Contents {} 0 R >>",
            5 + 2 * i
        ));
        objects.push(format!("<< /Length {} >>\nstream\n{content}\nendstream", content.len()));
    }
    let mut out = b"%PDF-1.4\n".to_vec();
    let mut places = Vec::new();
    for (i, o) in objects.iter().enumerate() {
        places.push(out.len());
        out.extend(format!("{} 0 obj\n{o}\nendobj\n", i + 1).bytes());
    }
    let start = out.len();
    out.extend(format!("xref\n0 {}\n0000000000 65535 f \n", objects.len() + 1).bytes());
    places.iter().for_each(|p| out.extend(format!("{p:010} 00000 n \n").bytes()));
    out.extend(format!("trailer << /Size {} /Root 1 0 R >>\nstartxref\n{start}\n%%EOF\n", objects.len() + 1).bytes());
    out
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drawing_is_resized_by_two_points() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plate = file(shop.data.path(), "plate.dxf", dxf(&rectangle(0.0, 0.0, 100.0, 60.0)).as_bytes());
    hand.job_with("Plates", &[plate]).await;
    hand.press("m").await;
    // Near two corners: the points go to them.
    hand.stage_click(0.6, 0.5, false).await;
    hand.stage_click(99.5, 0.4, false).await;
    hand.until("the card", "document.querySelector('#card .what')?.textContent.startsWith('100.000 mm')").await;
    hand.page_type("#card input[name=value]", "250").await;
    hand.change("the resize", hand.click("#card button")).await;
    assert!(hand.text(".size").await.contains("250.0 × 150.0 mm"), "{}", hand.text(".size").await);
    hand.change("undo", hand.press_ctrl('z')).await;
    assert!(hand.text(".size").await.contains("100.0 × 60.0 mm"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_region_of_a_plan_is_taken() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // Two pages: a frame with two things in it, and notes. In points: 72 make an inch.
    let pages = ["0 0 720 504 re S 72 144 216 108 re S 504 36 144 72 re S", "BT /F1 12 Tf 20 30 Td (Notes) Tj ET 36 36 72 72 re S"];
    hand.job_with("Plan", &[file(shop.data.path(), "plan.pdf", &pdf(&pages))]).await;
    assert!(hand.text(".drawing").await.contains("2 pages side by side"), "{}", hand.text(".drawing").await);
    hand.stage_box((20.0, 45.0), (110.0, 95.0)).await;
    hand.until("the card", "document.querySelector('#card .what')?.textContent.includes('region')").await;
    hand.shoot("region").await;
    hand.change("the region", hand.click("#card button")).await;
    assert!(
        hand.text(".size").await.contains("76.2 × 38.1 mm") && hand.text(".drawing").await.contains("Only 1 region"),
        "{}",
        hand.text(".drawing").await
    );
    hand.change("the second page", hand.click(".pages form:nth-child(2) button")).await;
    assert!(hand.text(".size").await.contains("25.4 × 25.4 mm"), "{}", hand.text(".size").await);
    hand.change("all of it", hand.click(".drawing .row:not(.pages) button")).await;
    assert!(!hand.text(".drawing").await.contains("region of it"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_is_sized_and_traced() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // A dark disc with a light middle, as a portable pixmap would be: made in the browser, since the shop reads PNG.
    hand.go("/").await;
    let made = "(() => { const c = document.createElement('canvas'); c.width = 200; c.height = 120; const g = c.getContext('2d'); g.fillStyle = '#fff'; g.fillRect(0, 0, 200, 120); g.fillStyle = '#222'; g.beginPath(); g.arc(100, 60, 50, 0, 7); g.arc(100, 60, 20, 0, 7, true); g.fill('evenodd'); return c.toDataURL('image/png').split(',')[1]; })()";
    let encoded = hand.value(made).await;
    let bytes = base64(encoded.as_str().expect("a picture"));
    hand.job_with("Bee", &[file(shop.data.path(), "disc.png", &bytes)]).await;
    assert_eq!(hand.open_findings().await, ["pixel-size"]);
    hand.change("the width", hand.fill(".field [name=measured][value=width] ~ label input", "80")).await;
    assert!(hand.open_findings().await.is_empty() && hand.text(".size").await.contains("80.0 × 48.0 mm"));
    hand.station("2", "clean").await;
    assert!(hand.text("#docket").await.contains("2 closed"), "{}", hand.text("#docket").await);
    hand.station("1", "intake").await;
    // While the threshold moves, its outlines are shown and nothing is changed yet.
    let revision = hand.revision().await;
    hand.value("(() => { const r = document.querySelector('.trace [name=threshold]'); r.value = 128; r.dispatchEvent(new Event('input', { bubbles: true })); })()").await;
    hand.until("the tracing is tried", "document.querySelector('#stage').stage.underlay !== null").await;
    hand.shoot("tracing").await;
    assert_eq!(hand.revision().await, revision);
    hand.change("the light side", hand.choose(".trace [name=side]", "light")).await;
    hand.station("2", "clean").await;
    assert!(hand.text("#docket").await.contains("3 closed"), "the frame, the ring's edge and the middle");
    browser.shut().await;
}

/// Decodes base 64.
pub fn base64(text: &str) -> Vec<u8> {
    let value = |c: u8| match c {
        b'A'..=b'Z' => c - b'A',
        b'a'..=b'z' => c - b'a' + 26,
        b'0'..=b'9' => c - b'0' + 52,
        b'+' => 62,
        _ => 63,
    };
    let mut out = Vec::new();
    for chunk in text.trim_end_matches('=').as_bytes().chunks(4) {
        let bits = chunk.iter().fold(0_u32, |b, c| b << 6 | u32::from(value(*c))) << (6 * (4 - chunk.len()));
        out.extend(&bits.to_be_bytes()[1..chunk.len()]);
    }
    out
}

#[tokio::test(flavor = "multi_thread")]
async fn operations_are_typed_on_what_is_chosen_and_taken_back() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Plates", &[file(shop.data.path(), "plate.dxf", dxf(&rectangle(0.0, 0.0, 100.0, 60.0)).as_bytes())]).await;
    hand.station("2", "clean").await;
    hand.stage_click(50.0, 0.0, false).await;
    hand.until("the card", "document.querySelector('#card .what')?.textContent.includes('100.00 × 60.00 mm')").await;
    hand.shoot("clean-card").await;
    hand.page_type(".order", "hole 6 at 10,10 corners").await;
    hand.change("the holes", hand.click(".orders .remedy")).await;
    assert!(hand.text("#docket").await.contains("5 closed") && hand.text(".done-list").await.contains("Hole 6 mm"));
    // What makes no sense is said, and nothing changes.
    hand.stage_click(50.0, 0.0, false).await;
    let revision = hand.revision().await;
    hand.page_type(".order", "hole at 10").await;
    hand.click(".orders .remedy").await;
    hand.until("the sentence", "document.querySelector('#notice').innerText.length > 10").await;
    assert_eq!(hand.revision().await, revision);
    // The holes, by box and by size, deleted; then the deletion taken back.
    hand.stage_click(10.0, 7.0, false).await;
    hand.click("[data-choose=size]").await;
    hand.until("four of them", "document.querySelector('#card .what').textContent == '4 contours'").await;
    hand.page_type(".order", "delete").await;
    hand.change("the deletion", hand.click(".orders .remedy")).await;
    assert!(hand.text("#docket").await.contains("1 closed"));
    hand.change("taken back", hand.click(".done-list li:nth-child(2) button")).await;
    assert!(hand.text("#docket").await.contains("5 closed"));
    browser.shut().await;
}

/// A ruler in mm and one in eighths of an inch, in a shop that cuts whatever is drawn as they are.
#[tokio::test(flavor = "multi_thread")]
async fn rulers_are_scored_and_their_plate_is_cut() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Rules", &[file(shop.data.path(), "frame-rule.dxf", dxf(&rectangle(0.0, 0.0, 330.0, 60.0)).as_bytes())]).await;
    hand.go("/shop/rules").await;
    hand.page_type("#rule-form [name=layer]", "P").await;
    hand.choose("#rule-form [name=process]", "cut").await;
    hand.page_type("#rule-form [name=person]", "Odile Farrant").await;
    hand.click("#rule-form button:not([type=button])").await;
    hand.until("it is kept", "document.querySelectorAll('.rules li').length == 1").await;
    hand.go("/jobs/1/clean").await;
    hand.drawn().await;
    for marks in
        ["marks 301 every 1 long 3 middle 5 numbered 10 both at 10,4", "marks 97 every 1/8in long 3 middle 4 numbered 8 by 1 both at 10,34"]
    {
        hand.stage_click(165.0, 60.0, false).await;
        hand.until("the card", "document.querySelector('#card .what')?.textContent.includes('330.00 × 60.00 mm')").await;
        hand.page_type(".order", marks).await;
        hand.change("the marks", hand.click(".orders .remedy")).await;
    }
    hand.station("3", "assign").await;
    let of = async |process: &str| {
        let count = format!("document.querySelector('#stage').stage.scene.items.filter((i) => i.p === '{process}').length");
        hand.value(&count).await.as_i64().unwrap_or(-1)
    };
    assert_eq!(of("cut").await, 1, "{}", hand.text(".key").await);
    assert!(of("score").await > 301 + 97 + 2 * (31 + 13) && of("engrave").await == 0);
    hand.shoot("rulers").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn slots_are_fitted_to_the_measured_sheet() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let entities = [
        rectangle(0.0, 0.0, 100.0, 60.0),
        rectangle(30.0, 20.0, 3.0, 20.0),
        rectangle(60.0, 20.0, 5.0, 20.0),
        rectangle(80.0, 20.0, 3.0, 15.0),
    ]
    .concat();
    hand.job_with("Shelf", &[file(shop.data.path(), "shelf.dxf", dxf(&entities).as_bytes())]).await;
    hand.station("2", "clean").await;
    assert!(hand.text(".findings").await.contains("4 slot ends and 0 tabs"), "{}", hand.text(".findings").await);
    assert!(hand.text(".ticks").await.contains("2 slot ends in 3.0 × 20.0 at 30, 20"), "{}", hand.text(".ticks").await);
    hand.shoot("slot-fit").await;
    hand.page_type(".slot-fit [name=measured]", "2.85").await;
    // One of them is to stay as it is drawn.
    hand.click(".ticks li:nth-child(2) input[type=checkbox]").await;
    hand.change("the fit", hand.click(".slot-fit button")).await;
    assert!(hand.text(".done-list").await.contains("3 mm fitted to 2.85 + 0.05 mm"));
    hand.stage_click(30.05, 30.0, false).await;
    hand.until("the slot is narrower", "document.querySelector('#card .what')?.textContent.includes('2.90 × 20.00 mm')").await;
    hand.stage_click(80.0, 27.0, false).await;
    hand.until("the other is not", "document.querySelector('#card .what')?.textContent.includes('3.00 × 15.00 mm')").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_new_revision_keeps_what_is_unchanged_and_shows_the_rest() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plate = rectangle(0.0, 0.0, 100.0, 60.0);
    let first = [plate.clone(), rectangle(20.0, 20.0, 10.0, 10.0)].concat();
    let second = [plate, rectangle(25.0, 20.0, 10.0, 10.0), rectangle(70.0, 20.0, 5.0, 5.0)].concat();
    hand.job_with("Shelf", &[file(shop.data.path(), "shelf-a.dxf", dxf(&first).as_bytes())]).await;
    hand.station("4", "nest").await;
    hand.change("the quantity", hand.fill(".parts input[name=value]", "7")).await;
    hand.station("1", "intake").await;
    let next = file(shop.data.path(), "shelf-b.dxf", dxf(&second).as_bytes());
    let given = async {
        let path = next.display().to_string();
        let picker = hand.page.find(thirtyfour::By::Css("[data-replace]")).await.expect("the picker");
        picker.send_keys(path).await.expect("a file is given");
    };
    hand.change("the revision", given).await;
    assert!(hand.text(".compared").await.contains("1 unchanged, 2 new, 1 gone"), "{}", hand.text(".compared").await);
    hand.shoot("revision").await;
    hand.station("4", "nest").await;
    assert_eq!(
        hand.value("document.querySelector('.parts input[name=value]').value").await.as_str(),
        Some("7"),
        "the plate's quantity stands"
    );
    hand.station("1", "intake").await;
    hand.change("looked through", hand.click(".compared button")).await;
    assert_eq!(hand.value("document.querySelector('.compared')").await, serde_json::Value::Null);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_solid_and_a_plan_come_in() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Roof", &[demo_file("feeder-roof.stl"), demo_file("smoker-shelf.pdf")]).await;
    let docket = hand.text("#docket").await;
    assert!(docket.contains("feeder-roof.stl") && docket.contains("smoker-shelf.pdf"), "{docket}");
    assert_eq!(hand.open_findings().await, ["units-unsaid"], "the solid's unit is not in its file");
    hand.shoot("solid-and-plan").await;
    hand.mend_all().await;
    hand.station("3", "assign").await;
    assert!(hand.text(".key").await.contains("× 2, "), "{}", hand.text(".key").await);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_operation_says_what_it_comes_to_while_it_is_typed() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plate = file(shop.data.path(), "plate.dxf", dxf(&rectangle(0.0, 0.0, 100.0, 60.0)).as_bytes());
    hand.job_with("Plates", &[plate]).await;
    hand.station("2", "clean").await;
    hand.stage_click(50.0, 0.3, false).await;
    hand.until("the field has the keyboard", "document.activeElement?.classList.contains('order')").await;
    let before = hand.revision().await;
    let ghost = "document.querySelector('#stage').stage.underlay !== null";
    let said = "document.querySelector('.tried').textContent";
    // What is half typed is not understood yet; what goes over the edge says so, and lies there as a ghost.
    hand.page_type(".order", "hole 6 at").await;
    hand.until("it needs more", &format!("{said}.includes('needs') && !({ghost})")).await;
    hand.page_type(".order", "hole 6 at 10,10 corners").await;
    hand.until("it does as asked", &format!("{said} === '' && {ghost}")).await;
    hand.page_type(".order", "hole 30 at 10,10 corners").await;
    hand.until("it goes over", &format!("{said}.includes('go over an edge') && {ghost}")).await;
    hand.shoot("trying").await;
    assert_eq!(hand.revision().await, before, "nothing counts yet");
    // Done all the same it is told, kept first and taken back by the second remedy.
    hand.change("the holes", hand.click(".orders .remedy")).await;
    assert_eq!(hand.open_findings().await, ["operation-odd"]);
    let told = hand.text("[data-code=operation-odd]").await;
    assert!(
        told.contains("4 of them go over an edge") && told.find("It is meant").expect("first") < told.find("Take it back").expect("second"),
        "{told}"
    );
    hand.change("taken back", hand.click("[data-code=operation-odd] button[name=edit]:nth-child(2)")).await;
    assert!(hand.open_findings().await.is_empty());
    browser.shut().await;
}

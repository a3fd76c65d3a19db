//! A table dropped on a drawing: a plate a row, laid on blanks in a jig, and what is too long told.

use crate::harness::{Browser, Hand, Shop};
use std::fmt::Write as _;

/// A plate of 90 × 30 with a hole, and two fields.
fn plate() -> String {
    let mut out = String::from("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
    out.push_str("0\nLWPOLYLINE\n8\nplate\n90\n4\n70\n1\n10\n0\n20\n0\n10\n90\n20\n0\n10\n90\n20\n30\n10\n0\n20\n30\n");
    out.push_str("0\nCIRCLE\n8\nplate\n10\n8\n20\n15\n40\n3\n");
    for (y, h, t) in [(16.0, 6.0, "name"), (6.0, 4.0, "no")] {
        let _ = write!(out, "0\nTEXT\n8\ntext\n10\n20\n20\n{y}\n40\n{h}\n1\n{t}\n");
    }
    out + "0\nENDSEC\n0\nEOF\n"
}

#[tokio::test(flavor = "multi_thread")]
async fn a_table_becomes_plates_on_blanks_in_a_jig() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let file = shop.data.path().join("hive-tag.dxf");
    std::fs::write(&file, plate()).expect("written");
    let names = ["Odile", "Bram", "Wilhelmina", "Ada", "Theophil"];
    let rows: String = (0..20).map(|i| format!("{} {},{}\n", names[i % 5], ["Farrant", "Teck", "Ox", "Underhill"][i / 5], i + 1)).collect();
    let table = shop.data.path().join("hives.csv");
    std::fs::write(&table, format!("Name,No\n{rows}Bartholomewvandermarrowbyunderhillfarrantandsons,21\n")).expect("written");
    hand.job_with("Hive tags", &[file]).await;
    hand.upload("article.drawing .fill input[type=file]", &table).await;
    hand.until("it is filled", "document.querySelector('.filling') !== null").await;
    let told = hand.text(".filling summary").await;
    assert!(told.contains("hives.csv") && told.contains("21 rows"), "{told}");
    hand.drawn().await;
    hand.shoot("table-filled").await;
    // One name will not do: it is told at Clean, and left out with one key.
    hand.station("2", "clean").await;
    assert_eq!(hand.open_findings().await, ["row-too-long"]);
    let said = hand.text("[data-code=row-too-long]").await;
    assert!(said.contains("row 21") && said.contains("Bartholomew"), "{said}");
    hand.change("left out", hand.click("[data-code=row-too-long] button.remedy")).await;
    assert!(hand.open_findings().await.is_empty());
    // The plates are there already: their edges and holes are not cut.
    hand.station("3", "assign").await;
    hand.change("the plate's lines are reference", hand.choose(".key .key-row:first-child select", "reference")).await;
    hand.station("4", "nest").await;
    hand.click("#blanks > summary").await;
    hand.fill("#blanks [name=size]", "90x30").await;
    hand.change("on blanks", hand.click("#blanks form button.remedy")).await;
    hand.until("they are laid", "/On blanks/.test(document.querySelector('#blanks summary').innerText) && document.querySelector('#search').dataset.searching === 'false'").await;
    hand.drawn().await;
    hand.until("two trays", "document.querySelector('.ledger')?.innerText.includes('2')").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.shoot("blanks").await;
    // Off the blank it is told.
    hand.choose("#blanks [name=lie]", "corner").await;
    hand.fill("#blanks [name=x]", "30").await;
    hand.change("beside", hand.click("#blanks form button.remedy")).await;
    hand.until("it is told", "document.querySelector('[data-code=outside-blank]') !== null").await;
    hand.change("in the middle again", hand.click("[data-code=outside-blank] button.remedy")).await;
    hand.until("all lie on their blanks", "document.querySelector('[data-code=outside-blank]') === null").await;
    // The jig is a job of its own.
    hand.click("#blanks [action$='/jig'] button").await;
    hand.until("the jig's job", "/Jig for Hive tags/.test(document.title + document.body.innerText)").await;
    hand.drawn().await;
    assert!(hand.text(".parts.list").await.contains("jig"));
    hand.nest().await;
    hand.shoot("jig").await;
    hand.go("/jobs/1/nest").await;
    hand.drawn().await;
    hand.click("#blanks [action$='/jig/place'] button").await;
    hand.until("it lies where the jig lies", "/on the bed/.test(document.querySelector('#blanks')?.innerText ?? '')").await;
    browser.shut().await;
}

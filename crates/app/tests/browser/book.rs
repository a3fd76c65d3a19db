//! The shop's book by hand: machines, materials, chart rows with their history, what was proved.

use crate::drawings::{dxf, file, rectangle};
use crate::harness::{Browser, Hand, Shop};

#[tokio::test(flavor = "multi_thread")]
async fn a_machine_is_changed_and_what_makes_no_sense_is_refused() {
    let (mut shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/shop/machines").await;
    hand.shoot("machines").await;
    let lark = "[data-machine=lark]";
    hand.page_type(&format!("{lark} [name=acceleration]"), "2500").await;
    hand.page_type(&format!("{lark} [name=tools]"), "4 scriber 0.4").await;
    hand.page_type(&format!("{lark} [name=person]"), "Bram Teck").await;
    hand.click(&format!("{lark} form.figures > .row button")).await;
    hand.until("it is written down", "document.querySelector('[data-machine=lark] .past')?.innerText.includes('Bram Teck')").await;
    let past = hand.text(&format!("{lark} .past")).await;
    assert!(past.contains("acceleration 3000.0 to 2500.0") && past.contains("tools"), "{past}");
    // A bed of minus one, and a tool line that is none.
    for (field, value, said) in
        [("bed_width", "-1", "a bed width of -1 mm"), ("tools", "scriber", "is no tool"), ("power_limit", "lots", "lots")]
    {
        hand.go("/shop/machines").await;
        hand.page_type(&format!("{lark} [name={field}]"), value).await;
        hand.click(&format!("{lark} form.figures > .row button")).await;
        hand.until(said, &format!("document.querySelector('#sentence')?.textContent.toLowerCase().includes('{said}')")).await;
    }
    // Its dialect: a shipped one is tried, what is typed wrongly is said with its line, another word is written down.
    hand.go("/shop/machines").await;
    hand.click(&format!("{lark} .dialect summary")).await;
    hand.click(&format!("{lark} .dialect .quiet:nth-of-type(3)")).await;
    hand.until("the sample", &format!("/N20 G20 G90/.test(document.querySelector('{lark} .sample')?.textContent) && /name = .chords/.test(document.querySelector('{lark} [name=dialect]').value)")).await;
    hand.value(&format!("(() => {{ const t = document.querySelector('{lark} [name=dialect]'); t.value = 'name = \"ours\"\\nseconds = \"X\"'; t.dispatchEvent(new Event('input', {{ bubbles: true }})); }})()")).await;
    hand.until("it is wrong", &format!("/seconds: “X” will not do/.test(document.querySelector('{lark} .sample-box').innerText)")).await;
    hand.value(&format!("(() => {{ const t = document.querySelector('{lark} [name=dialect]'); t.value = 'name = \"ours\"\\nremarks = \"semicolon\"'; t.dispatchEvent(new Event('input', {{ bubbles: true }})); }})()")).await;
    hand.until("the sample again", &format!("/; 1 Engrave/.test(document.querySelector('{lark} .sample')?.textContent)")).await;
    hand.shoot("machines-dialect").await;
    hand.page_type(&format!("{lark} [name=person]"), "Odile Farrant").await;
    hand.click(&format!("{lark} form.figures > .row button")).await;
    hand.until("it is written down", "document.querySelector('[data-machine=lark] .past')?.innerText.includes('Odile Farrant')").await;
    // A restart remembers it, and jobs are reckoned with it.
    browser.shut().await;
    shop = shop.killed_and_opened("serve");
    let browser = Browser::open().await;
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/shop/machines").await;
    assert_eq!(hand.value("document.querySelector('[data-machine=lark] [name=acceleration]').value").await.as_str(), Some("2500"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_new_material_gets_its_row_from_a_neighbour_and_is_proved_by_a_run() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/shop/machines").await;
    hand.page_type("form[action='/shop/materials/new'] [name=name]", "Lime plywood").await;
    hand.page_type("form[action='/shop/materials/new'] [name=tone]", "#e5d6b1").await;
    hand.click("form[action='/shop/materials/new'] button").await;
    hand.until("it is there", "document.querySelector('[data-material=lime-plywood]') !== null").await;
    // The same name again is refused.
    hand.page_type("form[action='/shop/materials/new'] [name=name]", "lime plywood").await;
    hand.click("form[action='/shop/materials/new'] button").await;
    hand.until("the sentence", "document.querySelector('#sentence')?.textContent.includes('already')").await;
    // One row for 4 mm, by hand; a job of 5 mm has none and takes what is proposed.
    hand.go("/shop/charts").await;
    for (field, value) in [("thickness", "4"), ("feed", "1000"), ("power", "60"), ("kerf", "0.2")] {
        hand.page_type(&format!("#another [name={field}]"), value).await;
    }
    hand.value("document.querySelector('#another [name=material]').value = 'lime-plywood'").await;
    hand.value("document.querySelector('#another [name=process]').value = 'cut'").await;
    hand.click("#another .remedy.first").await;
    hand.until("the row", "document.querySelector('#row')?.innerText.includes('1000')").await;
    hand.job_with("Boxes", &[file(shop.data.path(), "box.dxf", dxf(&rectangle(0.0, 0.0, 100.0, 60.0)).as_bytes())]).await;
    hand.station("3", "assign").await;
    let five = r#"{"do":"set-batch","machine":"lark","material":"lime-plywood","thickness":5}"#;
    let set = format!(
        "(async () => {{ const d = document.querySelector('#docket').dataset; await fetch(`/jobs/${{d.job}}/edit`, {{ method: 'POST', headers: {{ 'content-type': 'application/x-www-form-urlencoded' }}, body: new URLSearchParams({{ revision: d.revision, station: 'assign', edit: '{five}' }}) }}); location.reload(); }})()"
    );
    hand.value(&set).await;
    hand.until("it is missing", "document.querySelector('[data-code=chart-missing]') !== null && document.body.dataset.ready").await;
    assert!(hand.text(".remedy.first").await.contains("Try 800 mm/min, 60 %, from 4 mm"), "{}", hand.text(".findings").await);
    hand.change("the proposal", hand.press("a")).await;
    assert_eq!(hand.open_findings().await, ["unproved"]);
    hand.shoot("unproved").await;
    hand.click("form[action$='/proved'] button").await;
    hand.until("it is proved", "document.querySelector('.unproved') === null && document.body.dataset.ready").await;
    assert!(hand.open_findings().await.is_empty() && hand.text(".feeds").await.contains("800 mm/min"));
    hand.go("/shop/charts?row=lark/lime-plywood/5/cut").await;
    assert!(hand.text("#row").await.contains("came out well in Boxes"), "{}", hand.text("#row").await);
    // The row is taken away again; its history stays in the shop.
    hand.click("#row [value=remove]").await;
    hand.until("it is gone", "document.querySelector('.chart') !== null && document.querySelector('#row') === null").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_clean_proposes_of_joints_points_and_styles_is_taken_by_key() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // An outline whose last edge is of another layer, a slot with round ends that miss by a degree and a half, two points.
    let entities = "0 LINE 8 A 10 0 20 0 11 120 21 0 0 LINE 8 A 10 120 20 0 11 120 21 80 0 LINE 8 A 10 120 20 80 11 0 21 80 0 LINE 8 B 10 0 20 80 11 0 21 0 \
                    0 LWPOLYLINE 8 A 90 4 70 1 10 30 20 30 10 60 20 30 42 0.97 10 60 20 38 10 30 20 38 42 0.97 0 POINT 8 P 10 15 20 15 0 POINT 8 P 10 105 20 15";
    hand.job_with("Plate", &[file(shop.data.path(), "plate.dxf", dxf(entities).as_bytes())]).await;
    hand.station("2", "clean").await;
    let told = hand.text(".findings").await;
    assert!(told.contains("1 outline in plate.dxf closes only together with lines of another style"), "{told}");
    assert!(told.contains("4 joints") && told.contains("2 points"), "{told}");
    assert!(hand.text("#docket").await.contains("2 closed, 0 open"));
    hand.change("the joints", hand.click("[data-code=kinks] .remedy")).await;
    hand.change("the points", hand.click("[data-code=points] .remedy")).await;
    let told = hand.text("#docket").await;
    assert!(!told.contains("joints") && told.contains("4 open"), "two crosses of two lines: {told}");
    hand.station("3", "assign").await;
    assert!(hand.text(".key").await.contains("centre marks"), "{}", hand.text(".key").await);
    hand.change("undo", hand.press_ctrl('z')).await;
    hand.change("undo", hand.press_ctrl('z')).await;
    hand.station("2", "clean").await;
    assert!(hand.text(".findings").await.contains("4 joints"));
    browser.shut().await;
}

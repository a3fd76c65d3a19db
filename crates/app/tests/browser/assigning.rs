//! Assign and the shop's book by hand: key, rules, test cards, charts, pictures, numbers.

use crate::drawings::{base64, dxf, file, rectangle};
use crate::harness::{Browser, Hand, Shop};

/// A line of a layer in a colour by number.
fn coloured(layer: &str, colour: u8, x: f64) -> String {
    format!("0 LINE 8 {layer} 62 {colour} 10 {x} 20 10 11 {x} 21 40 ")
}

#[tokio::test(flavor = "multi_thread")]
async fn the_key_is_set_by_rows_by_carrying_and_with_settings_of_the_jobs_own() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let entities =
        [rectangle(0.0, 0.0, 100.0, 60.0), rectangle(20.0, 20.0, 10.0, 10.0), coloured("A", 1, 50.0), coloured("B", 5, 60.0)].concat();
    hand.job_with("Plates", &[file(shop.data.path(), "plate.dxf", dxf(&entities).as_bytes())]).await;
    hand.station("3", "assign").await;
    assert!(hand.text(".key").await.matches("Score").count() >= 2, "open lines by shape: {}", hand.text(".key").await);
    // Two rows at once.
    hand.click(".key-row:nth-child(2) [name=keys]").await;
    hand.click(".key-row:nth-child(3) [name=keys]").await;
    hand.until("both are counted", "document.querySelector('#bulk-count').textContent == '2'").await;
    hand.value("document.querySelector('#bulk select').value = 'reference'").await;
    hand.change("both rows", hand.click("#bulk button")).await;
    assert_eq!(hand.value("document.querySelectorAll('.key-row[data-process=reference]').length").await.as_i64(), Some(2));
    // The small square is carried to Engrave.
    hand.stage_click(20.0, 25.0, false).await;
    hand.until("it is chosen", "document.querySelector('#card .what')?.textContent.includes('10.00 × 10.00 mm')").await;
    hand.change("the carrying", hand.carry((20.0, 25.0), ".chip[data-process=engrave]")).await;
    hand.stage_click(20.0, 25.0, false).await;
    hand.until("it is engraved, by hand", "document.querySelector('#card .what')?.textContent.startsWith('engrave') && document.querySelector('#card .why').textContent == 'by hand'").await;
    // A deep engraving as a setting of the job's own.
    hand.click(".more summary").await;
    hand.page_type(".setting [name=name]", "deep").await;
    hand.page_type(".setting [name=passes]", "3").await;
    hand.change("the setting", hand.click("form[hx-post$='/settings'] button")).await;
    assert!(hand.text(".done-list").await.contains("Engrave: deep"), "{}", hand.text(".done-list").await);
    hand.stage_click(20.0, 25.0, false).await;
    hand.until("the card", "document.querySelector('#card button[value^=\"setting:\"]') !== null").await;
    hand.change("deep", hand.click("#card button[value^='setting:']")).await;
    hand.station("4", "nest").await;
    hand.nest().await;
    let thrice = hand.text("[data-figure=time] .value").await;
    hand.station("3", "assign").await;
    hand.change("back to the chart's", hand.click("[aria-label='Delete deep']")).await;
    assert!(hand.text("[data-figure=time] .change").await.starts_with('−'), "one pass is quicker than three: {thrice}");
    hand.shoot("assign-key").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rule_is_tried_kept_and_told_where_it_disagrees() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let entities = [rectangle(0.0, 0.0, 100.0, 60.0), coloured("Folds", 1, 50.0), coloured("FO-LDS-2", 5, 60.0)].concat();
    hand.job_with("Boxes", &[file(shop.data.path(), "box.dxf", dxf(&entities).as_bytes())]).await;
    hand.go("/shop/rules").await;
    hand.page_type("#rule-form [name=layer]", "Fold*").await;
    hand.choose("#rule-form [name=process]", "reference").await;
    hand.click("#rule-form button[type=button]").await;
    hand.until("it was tried", "document.querySelector('.tried') !== null").await;
    let tried = hand.text(".tried").await;
    assert!(tried.contains("matches 1 contours") && tried.contains("Boxes: 1 contour from Score to Reference"), "{tried}");
    hand.page_type("#rule-form [name=person]", "Odile Farrant").await;
    hand.click("#rule-form button:not([type=button])").await;
    hand.until("it is kept", "document.querySelectorAll('.rules li').length == 1").await;
    // A second rule that says otherwise of the same is told, in a sentence.
    hand.page_type("#rule-form [name=layer]", "Folds").await;
    hand.choose("#rule-form [name=process]", "cut").await;
    hand.click("#rule-form button:not([type=button])").await;
    hand.until("both stand", "document.querySelectorAll('.rules li').length == 2").await;
    assert!(hand.text(".trouble").await.contains("disagree: Cut or Reference"), "{}", hand.text(".rules").await);
    hand.shoot("rules").await;
    // A rule that matches everything is refused.
    hand.click("#rule-form button:not([type=button])").await;
    hand.until("the sentence", "document.querySelector('#sentence')?.textContent.includes('matches everything')").await;
    // The job goes by the rule, and what nearly matches is proposed with what differs.
    hand.go("/jobs/1/assign").await;
    hand.drawn().await;
    assert_eq!(hand.open_findings().await, ["near-layer"]);
    assert!(
        hand.text(".findings").await.contains("only by spaces or hyphens") && hand.text(".key").await.contains("rule 1: layer “Fold*”"),
        "{}",
        hand.text("#docket").await
    );
    hand.go("/shop/rules").await;
    hand.click(".more summary").await;
    assert!(hand.text(".past").await.contains("Odile Farrant: written down"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_test_card_and_a_gauge_write_rows_of_the_chart() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let plate = file(shop.data.path(), "plate.dxf", dxf(&rectangle(0.0, 0.0, 100.0, 60.0)).as_bytes());
    hand.go("/shop/charts").await;
    hand.page_type("#another [name=thickness]", "4").await;
    hand.click("button[formaction='/shop/cards']:not([name])").await;
    hand.until("the card's job", "document.querySelector('.told') !== null").await;
    hand.drawn().await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    hand.station("4", "nest").await;
    hand.nest().await;
    hand.station("8", "release").await;
    assert!(hand.text("#docket").await.contains("sheet"), "the card can be made: {}", hand.text("#docket").await);
    hand.go("/jobs/1/card").await;
    hand.shoot("card").await;
    let cell = hand.text("tbody tr:nth-child(2) td:nth-of-type(3) .cell").await;
    let figures: Vec<&str> = cell.split_whitespace().collect();
    hand.click("tbody tr:nth-child(2) td:nth-of-type(3) .cell").await;
    hand.until("the row", "document.querySelector('#row') !== null").await;
    let row = hand.text("#row").await;
    assert!(figures[..2].iter().all(|f| row.contains(f)) && row.contains("best of Birch plywood 4 mm"), "{cell} in {row}");
    // A job of 4 mm finds the row, and has nothing to ask.
    hand.job_with("Plates", &[plate]).await;
    hand.station("3", "assign").await;
    hand.change("4 mm", hand.choose(".wide select", "lark/birch-ply/4")).await;
    assert!(hand.open_findings().await.is_empty() && hand.text(".feeds").await.contains(figures[0]), "{}", hand.text("#docket").await);
    // The gauge: ten blocks of 20 mm that measure 198.1 mm together.
    hand.go("/shop/charts").await;
    hand.page_type("#another [name=thickness]", "4").await;
    hand.click("button[formaction='/shop/cards'][value=gauge]").await;
    hand.until("the gauge's job", "document.querySelector('.told') !== null").await;
    hand.go("/jobs/3/card").await;
    hand.page_type("[name=measured]", "198.1").await;
    hand.click(".figures button").await;
    hand.until("the row", "document.querySelector('#row') !== null").await;
    assert!(hand.text("#row").await.contains("kerf measured 0.19 mm"), "{}", hand.text("#row").await);
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_chart_with_faults_is_told_line_by_line() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let bad = file(
        shop.data.path(),
        "bad.csv",
        b"machine,material,thickness_mm,process,feed_mm_min,power_percent\nlark,card,2,cut,-5,40\nlark,card,2,score,500,400\n",
    );
    let good = file(
        shop.data.path(),
        "good.csv",
        b"machine,material,thickness_mm,process,feed_mm_min,power_percent,kerf_mm\nlark,card,2,cut,2500,35,0.13\n",
    );
    hand.go("/shop/charts").await;
    hand.pick(&[bad]).await;
    hand.until("the sentence", "document.querySelector('#notice').innerText.includes('Nothing was taken')").await;
    let said = hand.text("#notice").await;
    assert!(said.contains("line 2: a feed of -5") && said.contains("line 3: a power of 400"), "{said}");
    hand.go("/shop/charts").await;
    hand.pick(&[good]).await;
    hand.until("the row", "document.querySelector('.book').innerText.includes('2500')").await;
    // A feed over the machine's is refused on the page too, and nothing is lost.
    hand.click(".rows tbody:first-of-type summary").await;
    hand.value("document.querySelector('.rows tbody:first-of-type [name=feed]').value = '90000'").await;
    hand.click(".rows tbody:first-of-type .under .remedy").await;
    hand.until("the sentence", "document.querySelector('#sentence')?.textContent.includes('feed of 90000 mm/min')").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_is_toned_cropped_proved_and_released() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/").await;
    let made = "(() => { const c = document.createElement('canvas'); c.width = 300; c.height = 200; const g = c.getContext('2d'); const f = g.createLinearGradient(0, 0, 300, 0); f.addColorStop(0, '#000'); f.addColorStop(1, '#fff'); g.fillStyle = f; g.fillRect(0, 0, 300, 200); return c.toDataURL('image/png').split(',')[1]; })()";
    let bytes = base64(hand.value(made).await.as_str().expect("a picture"));
    let files = [file(shop.data.path(), "fade.png", &bytes)];
    hand.job_with("Fade", &files).await;
    hand.change("the width", hand.fill(".field [name=measured][value=width] ~ label input", "60")).await;
    hand.change("engraved", hand.click(".either [value=on]")).await;
    assert!(hand.text(".drawing").await.contains("5.0 to the mm, 10 rows"), "{}", hand.text(".drawing").await);
    hand.station("3", "assign").await;
    assert!(hand.text(".key").await.contains("Picture"));
    assert!(hand.open_findings().await.is_empty());
    hand.station("4", "nest").await;
    hand.nest().await;
    let grey = hand.text("[data-figure=engraved] .value").await;
    hand.station("3", "assign").await;
    hand.shoot("picture").await;
    let set = |name: &str, value: &str| {
        format!(
            "(() => {{ const r = document.querySelector('.tone [name={name}]'); r.value = {value}; for (const e of ['input', 'change']) r.dispatchEvent(new Event(e, {{ bubbles: true }})); }})()"
        )
    };
    hand.change("dots", hand.click(".dithers label:nth-child(2)")).await;
    let dots = hand.text("[data-figure=engraved] .change").await;
    assert!(dots.starts_with('−'), "dots burn only some of what all tones of {grey} do: {dots}");
    let brighter = async { drop(hand.value(&set("brightness", "40")).await) };
    hand.change("brighter", brighter).await;
    assert!(hand.text("[data-figure=engraved] .change").await.starts_with('−'));
    // Without an outline to crop to it is said what to do.
    hand.click("[data-crop]").await;
    hand.until("the sentence", "document.querySelector('#notice').innerText.includes('Choose the outline')").await;
    // At the sheet's edge its rows have little room to come up to speed: told, and left so here.
    hand.station("6", "hold").await;
    if hand.open_findings().await.contains(&"short-run-up".to_owned()) {
        hand.change("left so", hand.click(".finding[data-code=short-run-up] .remedies button[name=edit]:not(:has(~ [name=edit]))")).await;
    }
    hand.station("7", "proof").await;
    assert!(hand.text("#docket").await.contains("picture"), "its time is told: {}", hand.text("#docket").await);
    hand.station("8", "release").await;
    hand.release().await;
    let program = hand.value("fetch('/jobs/1/files/1.nc').then((r) => r.text())").await;
    let program = program.as_str().unwrap_or_default();
    // Dots burn at one power, or not at all.
    let powers = || program.lines().filter(|l| !l.starts_with('(')).filter_map(|l| l.split_once('S')).map(|l| l.1);
    assert!(powers().any(|p| p == "300") && powers().all(|p| p == "300" || p == "0"), "{}", &program[..program.len().min(300)]);
    assert!(program.contains("Picture)") && program.trim_end().ends_with("M2"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn parts_are_numbered_where_there_is_room() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let entities = [rectangle(0.0, 0.0, 40.0, 30.0), rectangle(50.0, 0.0, 40.0, 30.0), rectangle(100.0, 0.0, 40.0, 1.5)].concat();
    hand.job_with("Bars", &[file(shop.data.path(), "bars.dxf", dxf(&entities).as_bytes())]).await;
    hand.station("3", "assign").await;
    hand.click(".more:last-of-type summary").await;
    hand.value("document.querySelector('[name=prefix]').value = 'H'").await;
    hand.change("the numbers", hand.click("[name=face][value=scored]")).await;
    assert!(hand.text(".findings").await.contains("1 part has no room for a number"), "{}", hand.text(".findings").await);
    let drawn = hand.value("document.querySelector('#stage').stage.scene.items.filter((i) => i.why == \"the part's number\").length").await;
    assert!(drawn.as_i64().is_some_and(|n| n >= 4), "H1 and H2: {drawn}");
    hand.shoot("numbers").await;
    hand.change("none", hand.click("[name=face][value=off]")).await;
    assert!(!hand.text("#docket").await.contains("no room"));
    browser.shut().await;
}

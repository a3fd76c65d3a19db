//! The machines' side: alarms and what lifts them, the queue, zeros, and the bed as its camera sees it.

use crate::controller::Controller;
use crate::harness::{Browser, Hand, Shop};
use crate::running::released;
use boustrophe_machine::{Driver, Link};

/// The machine room's door to a controller.
async fn room(machine: &Controller, words: &str) {
    let (_, at) = machine.link.split_once('=').expect("a link");
    let (address, token) = at.split_once(',').expect("a token");
    let link = Link::new(address, token);
    Driver::connect(&link).await.expect("it is there").ask(&format!("room {words}")).await.expect("it befalls it");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_alarm_is_told_cleared_and_gone_on_from() {
    let machine = Controller::lark("1");
    let shop = Shop::with("serve", tempfile::tempdir().expect("a folder"), "127.0.0.1:0", &["--connect", &machine.link]);
    let browser = Browser::open().await;
    let hand = Hand { page: &browser.page, shop: &shop.address };
    browser.page.set_window_rect(0, 0, 768, 1024).await.expect("a tablet");
    released(&hand, "Combs").await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    // Round it with the beam off, stopped, and ready as before.
    hand.click("#walk").await;
    hand.run_state("walking").await;
    hand.until("the head goes round", "document.querySelector('#live .head')?.getAttribute('visibility') === 'visible'").await;
    hand.click("#stop").await;
    hand.run_state("ready").await;
    hand.tick_all().await;
    hand.click("#start").await;
    hand.run_state("running").await;
    // What is burned is drawn as the head goes; what comes next is named.
    hand.until("it is drawn", "[...document.querySelectorAll('#live .burned')].some(p => (p.getAttribute('d') ?? '').length > 12)").await;
    hand.until("now and then", "/^\\d+\\. .*(Cut|Score|Engrave)/.test(document.querySelector('#turn-now').innerText) && document.querySelector('#turn-then').innerText.length > 3").await;
    let wide = hand.value("document.documentElement.scrollWidth <= 768").await;
    assert_eq!(wide.as_bool(), Some(true), "nothing is wider than the tablet");
    hand.shoot("run-tablet").await;

    // Through an open door it holds still, and goes on by one tap when it is shut.
    room(&machine, "door open").await;
    hand.run_state("paused").await;
    hand.until("it is told", "/the door is open/i.test(document.querySelector('.alarm .what')?.innerText ?? '')").await;
    hand.shoot("run-alarm").await;
    hand.click("#clear").await;
    hand.until("it is open still", "/door is open still/.test(document.querySelector('#notice').innerText)").await;
    room(&machine, "door shut").await;
    hand.until("it is gone with the door", "document.querySelector('.alarm') === null").await;
    hand.click("#resume").await;
    hand.run_state("running").await;
    room(&machine, "flame").await;
    hand.run_state("fault").await;
    hand.until("it is told", "/something burns/i.test(document.querySelector('.alarm .what')?.innerText ?? '')").await;
    hand.click("#clear").await;
    hand.until("it is cleared", "document.querySelector('.alarm') === null").await;
    hand.until("ways on", "document.querySelectorAll('#onward button').length >= 2").await;
    hand.click("#onward [value=again]").await;
    hand.until("another run", "/-from-/.test(document.querySelector('h1').innerText)").await;
    hand.run_state("ready").await;
    hand.tick_all().await;
    hand.click("#start").await;
    hand.run_state("running").await;

    // The mains fail: it holds nothing, and does not know where its head is. Nothing starts before zero is found.
    room(&machine, "power").await;
    hand.run_state("lost").await;
    hand.until("ways on", "document.querySelectorAll('#onward button').length >= 2").await;
    hand.click("#onward [value=next]").await;
    hand.run_state("ready").await;
    hand.until("its place is lost", "/does not know where its head is/.test(document.querySelector('.alarm')?.innerText ?? '')").await;
    assert!(hand.text("#checklist").await.contains("its zero is found again"));
    assert_eq!(hand.value("document.querySelector('#start')").await, serde_json::Value::Null);
    hand.click("#zero").await;
    hand.until("it may start", "document.querySelector('#start') !== null").await;
    hand.tick_all().await;
    room(&machine, "speed 300").await;
    hand.click("#start").await;
    hand.run_state("done").await;
    // The whole story stands in the machine's past.
    hand.go("/machines").await;
    let past = hand.text(".past-runs").await;
    assert!(past.contains("fault, flame") && past.contains("lost") && past.contains("done"), "{past}");
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_queue_is_put_in_order_and_what_runs_take_goes_into_the_chart() {
    let machine = Controller::lark("300");
    let shop = Shop::with("serve", tempfile::tempdir().expect("a folder"), "127.0.0.1:0", &["--connect", &machine.link]);
    let browser = Browser::open().await;
    let hand = Hand { page: &browser.page, shop: &shop.address };
    room(&machine, "drag 1.2").await;
    released(&hand, "Combs").await;
    hand.fill("[name=times]", "3").await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    let first = hand.value("location.pathname").await.as_str().unwrap_or_default().to_owned();
    released(&hand, "Guards").await;
    hand.click(".send").await;
    hand.run_state("waiting").await;

    hand.go("/machines").await;
    let names = "[...document.querySelectorAll('.queue li b')].map(b => b.innerText).join(' ')";
    assert_eq!(hand.value(names).await.as_str(), Some("Combs Combs Combs Guards"));
    assert!(hand.text(".queue .lay").await.contains("3 mm"), "what to lay on the bed: {}", hand.text(".queue .lay").await);
    hand.shoot("machines").await;
    // The last goes before the others that wait, by its arrow twice and in one drag each way.
    for wanted in ["Combs Combs Guards Combs", "Combs Guards Combs Combs"] {
        hand.click(".queue li:has(a[href='/runs/4']) [data-move='-1']").await;
        hand.until("it is earlier", &format!("document.readyState === 'complete' && {names} === {wanted:?}")).await;
    }
    let drag = "(() => { const rows = document.querySelectorAll('.queue li'), d = new DataTransfer(), at = (r) => { const b = r.getBoundingClientRect(); return { bubbles: true, cancelable: true, dataTransfer: d, clientX: b.x + 20, clientY: b.y + b.height - 2 } }; \
        rows[1].dispatchEvent(new DragEvent('dragstart', at(rows[1]))); rows[3].dispatchEvent(new DragEvent('dragover', at(rows[3]))); rows[1].dispatchEvent(new DragEvent('drop', at(rows[3]))); return true })()";
    hand.value(drag).await;
    hand.until("it is last again", &format!("document.readyState === 'complete' && {names} === 'Combs Combs Combs Guards'")).await;
    // What waits at the machine for its start gives way as well, and is sent again in its turn.
    hand.click(".queue li:nth-child(2) [data-move='-1']").await;
    let second = format!("/runs/{}", first.trim_start_matches("/runs/").parse::<i32>().expect("a number") + 1);
    hand.until("the second is sent", &format!("fetch('{second}/status/x').then(r => r.text()).then(t => {{ window.second = t }}), /data-state=\"ready\"/.test(window.second ?? '')")).await;
    hand.go("/machines").await;
    hand.click(&format!(".queue li:has(a[href='{first}']) [data-move='-1']")).await;

    for n in 0..3 {
        let path = format!("/runs/{}", first.trim_start_matches("/runs/").parse::<i32>().expect("a number") + n);
        hand.go(&path).await;
        hand.run_state("ready").await;
        hand.tick_all().await;
        hand.click("#start").await;
        hand.run_state("done").await;
        hand.through().await;
    }
    hand.go("/machines").await;
    let past = hand.value("document.querySelector('.past-runs').textContent").await.to_string();
    assert!(past.contains("+20 %"), "{past}");
    assert!(hand.text(".pace").await.contains("1.2 times"), "{}", hand.text(".pace").await);
    hand.click(".pace button").await;
    hand.until("it is reckoned with", "document.readyState === 'complete' && document.querySelector('.pace') === null").await;
    let factor = "fetch('/shop/charts').then(r => r.text()).then(t => [...new DOMParser().parseFromString(t, 'text/html').querySelectorAll('[name=time_factor]')].some(i => i.value === '1.2'))";
    assert_eq!(hand.value(factor).await.as_bool(), Some(true));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn zero_is_a_corner_the_centre_or_a_point_and_a_sheet_is_aligned() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    released(&hand, "Combs").await;
    hand.release().await;
    let program = "fetch(document.querySelector('.files a[download]').href).then(r => r.text())";
    let plain = hand.value(program).await.as_str().unwrap_or_default().to_owned();
    hand.click(".lie > summary").await;
    hand.change("zero in the centre", hand.choose(".lie [name=value]", "centre")).await;
    assert!(hand.open_findings().await.is_empty());
    // What was released is what is fetched and sent, and what has moved on since is told, until it is released again.
    assert_eq!(hand.value(program).await.as_str(), Some(plain.as_str()), "byte for byte as it was released");
    assert!(hand.text("#since").await.contains("Zero at the"), "{}", hand.text("#since").await);
    hand.release().await;
    let centred = hand.value(program).await.as_str().unwrap_or_default().to_owned();
    assert!(centred.contains("X-") && !plain.contains("X-"), "half of it lies left of its zero");
    // A point that is clicked.
    hand.click("[data-take=zero]").await;
    hand.change("a point", hand.stage_click(120.0, 90.0, false)).await;
    assert!(hand.text(".lie select").await.contains("point 1"), "{}", hand.text(".lie select").await);
    // Two points: clicked on the sheet, typed for the bed.
    hand.click(".align summary").await;
    for (n, (x, y), bed) in [(1, (10.0, 10.0), "110, 60"), (2, (310.0, 10.0), "410, 60")] {
        hand.click(&format!("[data-take=sheet-{n}]")).await;
        hand.stage_click(x, y, false).await;
        hand.until("it is taken", &format!("document.querySelector('[data-point=sheet-{n}]').value.length > 3")).await;
        hand.page_type(&format!("[data-point=bed-{n}]"), bed).await;
    }
    hand.change("it is aligned", hand.click("#align button.remedy")).await;
    let lies = hand.value("document.querySelector('[aria-label=\"Sheet 1 on the bed: x, y, degrees\"]').value").await;
    let at: Vec<f64> = lies.as_str().unwrap_or_default().split(',').filter_map(|v| v.trim().parse().ok()).collect();
    assert!(at.len() >= 2 && (at[0] - 100.0).abs() < 1.0 && (at[1] - 50.0).abs() < 1.0, "{lies}");
    hand.shoot("zero").await;
    hand.station("7", "proof").await;
    assert!(hand.open_findings().await.is_empty(), "{:?}", hand.open_findings().await);
    // A cut that is clicked is where the proof goes on from.
    hand.until("the proof", "document.querySelector('#play-state').textContent.length > 3").await;
    let before = hand.value("document.querySelector('#scrub').value").await;
    let spot = hand.value("(() => { const i = document.querySelector('#stage').stage.scene.items.find(i => i.p === 'cut' && i.start && i.n < 4); return [i.dx + i.d[0], i.dy + i.d[1]] })()").await;
    hand.stage_click(spot[0].as_f64().expect("x"), spot[1].as_f64().expect("y"), false).await;
    hand.until("it is there", &format!("document.querySelector('#scrub').value !== {before}")).await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scrap_is_outlined_on_the_bed_and_cut_from() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    released(&hand, "Combs").await;
    let job = hand.value("document.querySelector('#docket').dataset.job").await;
    let job = job.as_str().unwrap_or_default().to_owned();
    hand.go("/bed/lark").await;
    hand.click("#look").await;
    hand.until("the bed is seen", "document.querySelector('#bed-stage image') !== null").await;
    // Touched in its middle: a third from the left, a third up.
    let touch = "(() => { const s = document.querySelector('#bed-stage'), b = s.viewBox.baseVal, p = new DOMPoint(b.width * 0.28, b.height * 0.62).matrixTransform(s.getScreenCTM()); \
        for (const kind of ['pointerdown', 'pointerup']) s.dispatchEvent(new PointerEvent(kind, { clientX: p.x, clientY: p.y, pointerId: 1, bubbles: true })); return true })()";
    hand.value(touch).await;
    hand.until("it is outlined", "document.querySelectorAll('#found circle').length >= 6").await;
    hand.shoot("bed-scrap").await;
    // A corner is taken off by a click and comes back by a click on the edge between its neighbours.
    let corners = hand.value("document.querySelectorAll('#found circle').length").await.as_i64().unwrap_or(0);
    let click = |what: &str| {
        format!(
            "(() => {{ const c = {what}, b = c.getBoundingClientRect(); for (const kind of ['pointerdown', 'pointerup']) c.dispatchEvent(new PointerEvent(kind, {{ clientX: b.x + b.width / 2, clientY: b.y + b.height / 2, pointerId: 1, bubbles: true }})); return true }})()"
        )
    };
    hand.value(&click("document.querySelectorAll('#found circle')[1]")).await;
    hand.until("one less", &format!("document.querySelectorAll('#found circle').length === {}", corners - 1)).await;
    hand.value(touch).await;
    hand.until("found again", &format!("document.querySelectorAll('#found circle').length === {corners}")).await;
    hand.page_type("#keep [name=person]", "Bram Teck").await;
    hand.choose("#keep [name=material]", "birch-ply").await;
    hand.click("#keep button").await;
    hand.until("it is on the rack", "/on the bed of Lark/.test(document.body.innerText)").await;

    hand.go(&format!("/jobs/{job}/nest")).await;
    hand.drawn().await;
    hand.change("on the scrap", hand.click("#rack li:first-child input")).await;
    hand.nest().await;
    for (key, slug) in [("6", "hold"), ("7", "proof")] {
        hand.station(key, slug).await;
        hand.mend_all().await;
    }
    hand.station("8", "release").await;
    let lies = hand.value("document.querySelector('[aria-label^=\"Sheet 1 on the bed\"]').value").await;
    let at: Vec<f64> = lies.as_str().unwrap_or_default().split(',').filter_map(|v| v.trim().parse().ok()).collect();
    assert!(at.len() == 2 && at[0] > 100.0 && at[1] > 60.0, "it lies where it was seen: {lies}");
    hand.click("[data-bed]").await;
    hand.until("the bed lies under it", "document.querySelector('#stage').stage.scene.sheets[0].sheet.bed !== null").await;
    hand.shoot("release-bed").await;
    let id = job.parse().expect("a number");
    hand.run_of(id).await;
    // Its parts are counted: the job is made.
    hand.until("it is all made", "fetch('/').then(r => r.text()).then(t => { window.floor = t }), /all made/.test(window.floor ?? '')")
        .await;
    assert!(hand.text("#checklist").await.contains("on the bed"), "{}", hand.text("#checklist").await);
    browser.shut().await;
}

/// Without a camera a photo does the same, by two points that are known.
#[tokio::test(flavor = "multi_thread")]
async fn a_photo_with_two_known_points_is_laid_flat() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // Seen from straight above, two pixels to the mm, with a frame of 40 pixels: a light piece on a dark bed of 900 × 600 mm.
    let (w, h) = (1880_usize, 1280_usize);
    let pixel =
        |x: usize, y: usize| if (400..1000).contains(&x) && (300..700).contains(&y) { [220, 200, 150, 255] } else { [60, 60, 58, 255] };
    let rgba = (0..w * h).flat_map(|i| pixel(i % w, i / w)).collect();
    let file = shop.data.path().join("photo.png");
    std::fs::write(&file, boustrophe_formats::bitmap::write_png(w, h, rgba).expect("a photo")).expect("written");
    hand.go("/bed/lark").await;
    browser
        .page
        .find(thirtyfour::By::Css("#bed-photo"))
        .await
        .expect("the picker")
        .send_keys(file.display().to_string())
        .await
        .expect("given");
    hand.until("it waits for its points", "document.querySelector('#known') !== null").await;
    let click = |x: usize, y: usize| {
        format!(
            "(() => {{ const s = document.querySelector('#bed-stage'), p = new DOMPoint({x}, {y}).matrixTransform(s.getScreenCTM()); s.dispatchEvent(new MouseEvent('click', {{ clientX: p.x, clientY: p.y, bubbles: true }})); return true }})()"
        )
    };
    hand.value(&click(40, 1240)).await;
    hand.value(&click(1840, 40)).await;
    hand.until("both", "document.querySelectorAll('#points circle').length === 2").await;
    hand.click("#known button").await;
    hand.until("it is flat", "document.querySelector('#bed-stage image')?.getAttribute('href').includes('flat')").await;
    let found = hand
        .value("fetch('/bed/lark/touched', { method: 'POST', body: new URLSearchParams({ x: 300, y: 350 }) }).then(r => r.json())")
        .await;
    let ring = found["rings"][0].as_array().expect("a ring").clone();
    let corner = |x: f64, y: f64| ring.iter().any(|p| (p[0].as_f64().unwrap_or(0.0) - x).hypot(p[1].as_f64().unwrap_or(0.0) - y) < 2.0);
    assert!(corner(180.0, 270.0) && corner(480.0, 470.0), "{ring:?}");
    browser.shut().await;
}

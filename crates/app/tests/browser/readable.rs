//! The pages for whoever does not see them, or sees them otherwise: an accessibility checker over every page and state, in both schemes;
//! the keyboard alone; a telephone.

use crate::harness::{Browser, Hand, Shop, demo_file};

/// The checker, as the registry of packages has it; `scripts/test` fetches it.
fn checker() -> String {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../node_modules/axe-core/axe.min.js");
    std::fs::read_to_string(path).unwrap_or_else(|e| panic!("{path}: {e}; `npm ci` in the project's folder brings it"))
}

/// What the checker finds on the page as it is.
async fn found(hand: &Hand<'_>, checker: &str) -> Vec<String> {
    hand.page.execute(checker, Vec::new()).await.expect("the checker runs");
    let run = "const done = arguments[arguments.length - 1]; axe.run(document, { resultTypes: ['violations'] }).then((r) => done(r.violations.map((v) => `${v.id} (${v.impact}): ${v.help}: ${v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160) + ' ' + n.failureSummary.split('\\n').slice(1, 3).join(' ')).join(' | ')}`)), (e) => done([String(e)]))";
    let all = hand.page.execute_async(run, Vec::new()).await.expect("an answer");
    all.json().as_array().into_iter().flatten().filter_map(|v| v.as_str()).map(str::to_owned).collect()
}

async fn scheme(hand: &Hand<'_>, which: &str) {
    let media = serde_json::json!({ "features": [{ "name": "prefers-color-scheme", "value": which }, { "name": "prefers-reduced-motion", "value": "reduce" }] });
    hand.page.cdp().send_raw("Emulation.setEmulatedMedia", media).await.expect("a scheme");
}

/// Every page of the demo shop, the stations of its jobs, and what folds out over them.
#[tokio::test(flavor = "multi_thread")]
async fn no_page_has_anything_that_the_checker_finds() {
    let (shop, browser) = (Shop::open("demo"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    let checker = checker();
    let stations = ["intake", "clean", "assign", "nest", "order", "hold", "proof", "release"];
    let mut pages: Vec<String> =
        ["/", "/?away=true", "/shift", "/machines", "/machine-room", "/bed/lark", "/about"].map(String::from).into();
    pages.extend(["charts", "rules", "letters", "rack", "machines"].map(|p| format!("/shop/{p}")));
    pages.extend((1..=3).flat_map(|job| stations.map(|s| format!("/jobs/{job}/{s}"))));
    let (mut told, mut states) = (Vec::new(), 0);
    for page in &pages {
        hand.go(page).await;
        if page.starts_with("/jobs") {
            hand.drawn().await;
        }
        // As it is, and with what folds out over it.
        let folds = [
            ("/jobs/2/hold", "l", "document.querySelector('.legend:not([hidden]) dd') !== null"),
            ("/jobs/2/order", "h", "document.querySelector('#history:not([hidden]) table') !== null"),
            ("/", "?", "document.querySelector('dialog[open] dl *') !== null"),
            ("/jobs/3/nest", ".", "document.querySelector('#stage').stage.tools.find(t => t.twin).chosen.length > 0"),
        ];
        for (keys, out) in std::iter::once(("", "")).chain(folds.iter().filter(|f| f.0 == page).map(|f| (f.1, f.2))) {
            if !keys.is_empty() {
                hand.press(keys).await;
                hand.until("it folds out", out).await;
            }
            for which in ["light", "dark"] {
                scheme(&hand, which).await;
                told.extend(found(&hand, &checker).await.into_iter().map(|f| format!("{which} {page} {keys}: {f}")));
                states += 1;
            }
        }
    }
    assert!(states >= 80 && told.is_empty(), "{} of {states} states:\n{}", told.len(), told.join("\n"));
    browser.shut().await;
}

/// Goes by Tab until something has the keyboard.
async fn tab_to(hand: &Hand<'_>, selector: &str) {
    for _ in 0..150 {
        if hand.value(&format!("document.activeElement?.matches({selector:?}) === true")).await.as_bool() == Some(true) {
            return;
        }
        hand.press("\u{e004}").await;
    }
    panic!("no Tab comes to {selector}: {}", hand.value("document.activeElement?.outerHTML").await);
}

/// From the floor to a run that burns, without a mouse: only the file itself is handed over as the system's own window would.
#[tokio::test(flavor = "multi_thread")]
async fn a_job_goes_from_upload_to_its_run_by_keys_alone() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    const ENTER: &str = "\u{e007}";
    hand.go("/").await;
    tab_to(&hand, ".begin [name=name]").await;
    hand.press("Combs").await;
    hand.press(ENTER).await;
    hand.until("intake", "document.querySelector('#docket')?.dataset.station == 'intake'").await;
    hand.drawn().await;
    hand.change("the upload", hand.pick(&[demo_file("comb-tiles.svg")])).await;
    hand.press("\u{e00c}").await;
    for (key, slug) in [("1", "intake"), ("2", "clean"), ("3", "assign")] {
        hand.station(key, slug).await;
        hand.mend_all().await;
    }
    // The stage is walked: each thing is told in the card, and the keyboard goes there.
    hand.press(".").await;
    hand.until("the first", "document.querySelector('#stage').stage.chosen.length === 1 && !document.querySelector('#card').hidden").await;
    let first = hand.value("document.querySelector('#stage').stage.chosen[0].id").await;
    hand.press(".").await;
    assert_ne!(hand.value("document.querySelector('#stage').stage.chosen[0].id").await, first, "the next");
    hand.press(",").await;
    assert_eq!(hand.value("document.querySelector('#stage').stage.chosen[0].id").await, first, "and back");
    hand.press(ENTER).await;
    hand.until("the card has it", "document.querySelector('#card').contains(document.activeElement)").await;
    hand.value("document.activeElement.blur()").await;
    hand.press("\u{e00c}").await;

    hand.station("4", "nest").await;
    tab_to(&hand, "#nest-start").await;
    hand.change("the nest", async {
        hand.press(ENTER).await;
        hand.until("it is shown", "/yield/.test(document.querySelector('#search-shown')?.textContent ?? 'yield')").await;
        tab_to(&hand, "#nest-stop").await;
        hand.press(ENTER).await;
    })
    .await;
    // A change in a field of the docket leaves the keyboard in that field.
    tab_to(&hand, "#docket form:has([value=spacing]) input[name=value]").await;
    hand.press_ctrl('a').await;
    hand.press("4").await;
    hand.change("the spacing", hand.press("\u{e004}")).await;
    let there = "document.querySelector('#docket').contains(document.activeElement) && document.activeElement.matches('input, select, button, summary')";
    assert_eq!(hand.value(there).await.as_bool(), Some(true), "{}", hand.value("document.activeElement?.outerHTML").await);
    hand.value("document.activeElement.blur()").await;
    hand.change("taken back", hand.press_ctrl('z')).await;
    for (key, slug) in [("6", "hold"), ("7", "proof")] {
        hand.station(key, slug).await;
        hand.mend_all().await;
    }
    // The keys of the page are told, and the signs on the stage.
    hand.press("?").await;
    hand.until("the keys", "document.querySelector('#keys').open && /fit everything/.test(document.querySelector('#keys').innerText)")
        .await;
    hand.press("\u{e00c}").await;
    hand.press("l").await;
    hand.until("the signs", "document.querySelectorAll('.legend dt').length > 0").await;
    assert!(hand.text(".legend").await.contains("cut through"), "{}", hand.text(".legend").await);
    hand.shoot("legend").await;

    hand.station("8", "release").await;
    tab_to(&hand, ".send").await;
    hand.press(ENTER).await;
    hand.run_state("ready").await;
    tab_to(&hand, "#checklist [name=person]").await;
    hand.press("Bram Teck").await;
    let all = hand.value("document.querySelectorAll('#checklist input[type=checkbox]').length").await.as_i64().unwrap_or(0);
    for n in 0..all {
        tab_to(&hand, "#checklist input[type=checkbox]:not(:checked)").await;
        hand.press(" ").await;
        hand.until(
            "the tick is kept",
            &format!("document.querySelectorAll('#checklist input[type=checkbox]:checked').length == {}", n + 1),
        )
        .await;
    }
    tab_to(&hand, "#start").await;
    hand.press(ENTER).await;
    hand.run_state("done").await;
    browser.shut().await;
}

/// On a telephone: floor, machines, shift, rack, a job's findings and its run, with nothing wider than the screen.
#[tokio::test(flavor = "multi_thread")]
async fn a_telephone_shows_what_a_hand_needs_away_from_the_bench() {
    let (shop, browser) = (Shop::open("demo"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    for wide in [390, 320, 640] {
        let size = serde_json::json!({ "width": wide, "height": 844, "deviceScaleFactor": 1, "mobile": true });
        hand.page.cdp().send_raw("Emulation.setDeviceMetricsOverride", size).await.expect("a size");
        for page in ["/", "/shift", "/machines", "/shop/rack", "/jobs/1/clean", "/jobs/2/hold", "/jobs/3/release"] {
            hand.go(page).await;
            if page.starts_with("/jobs") {
                hand.drawn().await;
                // The stage above, the findings below it, both as wide as the screen.
                let lie = hand.value("['.stage', '.side'].map(s => { const r = document.querySelector(s).getBoundingClientRect(); return [Math.round(r.left), Math.round(r.width), Math.round(r.top)] }).flat()").await;
                let at = |n: usize| lie[n].as_i64().unwrap_or(-1);
                assert!(at(0) == 0 && at(3) == 0 && at(1) == wide && at(4) == wide && at(5) > at(2), "{page} at {wide}: {lie}");
            }
            let over = hand.value("document.scrollingElement.scrollWidth").await.as_i64().unwrap_or(9999);
            let who = hand.value("[...document.querySelectorAll('body *')].filter(e => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest('.rows, .parts, .ledger, svg')).slice(0, 4).map(e => e.outerHTML.slice(0, 120)).join(' | ')").await;
            assert!(over <= wide, "{page} at {wide}: {over} wide: {who}");
        }
        hand.go("/jobs/2/hold").await;
        hand.drawn().await;
        hand.shoot(&format!("telephone-{wide}")).await;
    }
    // A finding is settled there by a finger.
    let before = hand.open_findings().await.len();
    hand.change("a remedy", hand.click(".finding .remedy.first")).await;
    assert!(hand.open_findings().await.len() < before);
    browser.shut().await;
}

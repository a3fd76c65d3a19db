//! A messy file from upload to a finished run, on both machines.

use crate::harness::{Browser, Hand, Shop, demo_file};
use std::fmt::Write;
use std::path::PathBuf;
use thirtyfour::By;

/// A frame side as a customer sends it: no unit, loose lines with a gap of 0.3 mm, one edge drawn twice, a dot.
fn messy_dxf(folder: &std::path::Path) -> PathBuf {
    let mut text = "0\nSECTION\n2\nENTITIES\n".to_owned();
    let lines = [
        (0.3, 0.0, 140.0, 0.0),
        (140.0, 90.0, 140.0, 0.0),
        (140.0, 90.0, 0.0, 90.0),
        (0.0, 90.0, 0.0, 0.0),
        (140.0, 0.0, 140.0, 90.0),
        (70.0, 45.0, 70.0, 45.0),
    ];
    for (a, b, c, d) in lines {
        let _ = write!(text, "0\nLINE\n8\nSIDE\n10\n{a}\n20\n{b}\n11\n{c}\n21\n{d}\n");
    }
    text.push_str("0\nCIRCLE\n8\nSIDE\n10\n30\n20\n45\n40\n12\n0\nENDSEC\n0\nEOF\n");
    let path = folder.join("frame-side.dxf");
    std::fs::write(&path, text).expect("written");
    path
}

/// Lays a program before the proof.
async fn give(hand: &Hand<'_>, program: &std::path::Path) {
    let picker = hand.page.find(By::Css("#outside-file")).await.expect("the picker");
    picker.send_keys(program.display().to_string()).await.expect("it is given");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_messy_drawing_becomes_a_finished_run_on_the_laser() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Frame sides", &[messy_dxf(shop.data.path())]).await;

    // The unit is asked for, with sizes, and the plausible one comes first.
    assert_eq!(hand.open_findings().await, ["units-unsaid"]);
    let first = hand.text(".remedy.first").await;
    assert!(first.contains("140.0 × 90.0 mm") && first.contains("5.51 × 3.54 in"), "{first}");
    assert_eq!(hand.mend_all().await, 1);

    hand.station("2", "clean").await;
    let mut open = hand.open_findings().await;
    open.sort();
    assert_eq!(open, ["doubled-lines", "gaps", "zero-length"]);
    assert_eq!(hand.mend_all().await, 3);
    assert!(hand.text("#docket").await.contains("2 closed, 0 open"), "{}", hand.text("#docket").await);

    hand.station("3", "assign").await;
    assert!(hand.text(".key").await.contains("Cut"));
    hand.station("4", "nest").await;
    hand.change("the quantity", hand.fill(".parts input[name=value]", "3")).await;
    hand.nest().await;
    assert_eq!(hand.text("[data-figure=sheets] .value").await, "1");

    hand.station("5", "order").await;
    assert!(hand.text(".parts").await.contains('6'), "two contours, three copies");
    hand.station("6", "hold").await;
    let pierces = hand.text("[data-figure=pierces] .value").await;
    hand.change("no nicks", hand.choose("[name=value]", "off")).await;
    let change = hand.text("[data-figure=pierces] .change").await;
    assert!(change.starts_with('−'), "without nicks fewer than {pierces} pierces: {change}");
    hand.change("undo", hand.press_ctrl('z')).await;
    assert_eq!(hand.text("[data-figure=pierces] .value").await, pierces);

    hand.station("7", "proof").await;
    assert!(hand.text(".passed").await.contains("once and only once"));
    hand.until("the proof", "document.querySelector('#play-state').textContent.includes('done')").await;
    hand.press(" ").await;
    hand.until("it plays", "document.querySelector('#play').textContent == 'Pause' && /cutting|travelling/.test(document.querySelector('#play-state').textContent)").await;
    hand.press(" ").await;
    let scrubbed = "(() => { const s = document.querySelector('#scrub'); s.value = 500; s.dispatchEvent(new Event('input')); return document.querySelector('#play-state').textContent })()";
    let state = hand.value(scrubbed).await;
    assert!(state.as_str().is_some_and(|s| !s.contains("done")), "{state}");

    // The program beside the head, both ways: a line is clicked, a cut is clicked.
    hand.until("its lines", "document.querySelector('#play-lines [aria-current]') !== null").await;
    hand.click("#play-lines li:first-child button").await;
    hand.until("the line is the one", "document.querySelector('#play-lines [aria-current] button')?.dataset.line !== undefined").await;
    hand.station("8", "release").await;
    hand.release().await;
    let program = hand.value("fetch(document.querySelector('.files a[download]').href).then(r => r.text())").await;
    let program = program.as_str().unwrap_or_default();
    assert!(program.contains("G3 ") && program.trim_end().ends_with("M2"), "arcs stay arcs: {program}");
    for kind in ["setup.pdf", "a4.pdf", "fitted.pdf", "kerf.svg", "kerf.dxf"] {
        let bytes = format!(
            "fetch(document.querySelector('.files a[download]').href.replace('.nc', '.{kind}')).then(r => r.ok ? r.arrayBuffer() : new ArrayBuffer(0)).then(b => b.byteLength)"
        );
        assert!(hand.value(&bytes).await.as_i64() > Some(400), "{kind}");
    }
    let zip = hand
        .value("fetch(document.querySelector('#all-files').href).then(r => r.arrayBuffer()).then(b => new TextDecoder('latin1').decode(b))")
        .await;
    let zip = zip.as_str().unwrap_or_default();
    assert!(zip.starts_with("PK") && [".nc", ".svg", ".dxf", ".setup.pdf"].iter().all(|k| zip.contains(k)));
    // Laid before the proof as it is, and with a power that somebody changed at the machine.
    let (same, other) = (shop.data.path().join("same.nc"), shop.data.path().join("other.nc"));
    std::fs::write(&same, program).expect("written");
    std::fs::write(&other, program.replacen(" S650", " S120", 1)).expect("written");
    hand.station("7", "proof").await;
    give(&hand, &other).await;
    hand.until(
        "it differs, and is drawn",
        "document.querySelectorAll('.differences li').length > 0 && Number(document.querySelector('#outside-says').dataset.drawn) > 10",
    )
    .await;
    assert!(hand.text(".differences").await.contains("power"), "{}", hand.text(".differences").await);
    hand.click(".differences li:first-child button").await;
    hand.shoot("proof-outside").await;
    give(&hand, &same).await;
    hand.until("it does the work", "/does the work of sheet 1/.test(document.querySelector('#outside-says').innerText)").await;
    hand.station("8", "release").await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    hand.click("#start").await;
    hand.until("the list is asked for", "/4 of the list are not ticked/.test(document.querySelector('#notice').innerText)").await;
    hand.tick_all().await;
    // Kept with the run, with who ticked.
    hand.page.refresh().await.expect("loaded again");
    hand.until("the ticks are there", "document.querySelectorAll('#checklist input:checked').length == 4").await;
    assert!(hand.text("#checklist").await.contains("Bram Teck"));
    hand.click("#start").await;
    hand.run_state("done").await;
    assert!(hand.text("#run-status").await.contains("100 %"));
    hand.go("/jobs/1/release").await;
    assert!(hand.text("#docket").await.contains("done"), "the run is logged");
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn steel_is_cut_on_the_plasma_table_paused_and_resumed() {
    // Slow enough that it still burns when a hand that waits for a busy processor has found Pause.
    let shop = Shop::with("serve", tempfile::tempdir().expect("a folder"), "127.0.0.1:0", &["--machine-speed", "20"]);
    let browser = Browser::open().await;
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Mouse guards", &[demo_file("mouse-guard.dxf")]).await;
    hand.station("3", "assign").await;
    hand.change("steel", hand.choose("[name=value]", "anvil/mild-steel/6")).await;
    hand.station("4", "nest").await;
    hand.nest().await;
    hand.station("6", "hold").await;
    assert!(hand.text("#docket").await.contains("narrower than the plate is thick"));
    hand.mend_all().await;
    assert!(
        hand.text("[data-remember=hold-leads]").await.contains("21 set"),
        "a lead on every contour: {}",
        hand.text("[data-remember=hold-leads]").await
    );
    hand.station("8", "release").await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    hand.tick_all().await;
    hand.click("#start").await;
    hand.click("#pause").await;
    hand.run_state("paused").await;
    // Asked three times more it says the same place: it stands still.
    let looks = "document.querySelector('#run-progress').dataset.look";
    let at = hand.text("#run-progress .detail").await;
    assert!(at.contains("head at"), "{at}");
    let first = hand.value(looks).await.as_str().and_then(|n| n.parse::<i64>().ok()).unwrap_or(0);
    hand.until("three looks later", &format!("Number({looks}) > {}", first + 2)).await;
    assert_eq!(hand.text("#run-progress .detail").await, at, "it stands still");
    hand.click("#resume").await;
    hand.run_state("done").await;
    hand.through().await;

    // The same sheet again, stopped this time.
    hand.go("/jobs/1/release").await;
    hand.drawn().await;
    hand.click(".send").await;
    hand.run_state("ready").await;
    hand.click("#stop").await;
    hand.run_state("stopped").await;
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_shows_the_work_at_once() {
    let (shop, browser) = (Shop::open("demo"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/").await;
    let cards = hand.text(".cards").await;
    for job in ["Spring nucleus boxes", "Hive stands", "Number plates"] {
        assert!(cards.contains(job), "{cards}");
    }
    for (job, station) in [(1, "intake"), (1, "clean"), (1, "assign"), (2, "nest"), (2, "order"), (2, "hold"), (3, "proof"), (3, "release")]
    {
        hand.go(&format!("/jobs/{job}/{station}")).await;
        hand.drawn().await;
        let frame = "document.documentElement.scrollHeight <= innerHeight && document.documentElement.scrollWidth <= innerWidth";
        hand.until("the frame does not scroll", frame).await;
    }
    // Nothing is asked of any other machine.
    let foreign = "performance.getEntriesByType('resource').filter(e => !e.name.startsWith(location.origin)).length";
    assert_eq!(hand.value(foreign).await.as_i64(), Some(0));
    browser.shut().await;
}

//! What cannot be used is refused in a sentence, and the work so far stands.

use crate::harness::{Browser, Hand, Shop, demo_file};
use std::path::PathBuf;

#[tokio::test(flavor = "multi_thread")]
async fn bad_files_get_a_sentence_and_good_ones_stay() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.job_with("Guards", &[demo_file("mouse-guard.dxf")]).await;
    let revision = hand.revision().await;
    let file = |name: &str, content: &[u8]| -> PathBuf {
        let path = shop.data.path().join(name);
        std::fs::write(&path, content).expect("written");
        path
    };
    let whole = std::fs::read(demo_file("crown-board.dxf")).expect("read");
    let bomb = r#"<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">
        <!ENTITY d "&c;&c;&c;&c;&c;&c;&c;&c;"><!ENTITY e "&d;&d;&d;&d;&d;&d;&d;&d;"><!ENTITY f "&e;&e;&e;&e;&e;&e;&e;&e;">]><svg xmlns="http://www.w3.org/2000/svg"><text>&f;</text></svg>"#;
    for (path, sentence) in [
        (file("empty.dxf", b""), "empty.dxf is empty"),
        (file("note.dxf", b"a letter to the bee inspector"), "note.dxf, line 1"),
        (file("cut-off.dxf", &whole[..120]), "Nothing could be read"),
        (file("bomb.svg", bomb.as_bytes()), "the XML is damaged"),
    ] {
        hand.pick(&[path]).await;
        hand.until("the sentence", &format!("document.querySelector('#notice').innerText.includes({sentence:?})")).await;
        assert_eq!(hand.revision().await, revision, "earlier work stands");
    }
    hand.change("a good one among bad", hand.pick(&[file("nothing.svg", b""), demo_file("honey-sign.svg")])).await;
    hand.until("the sentence", "document.querySelector('#notice').innerText.includes('nothing.svg')").await;
    assert!(hand.text("#docket").await.contains("honey-sign.svg"));
    browser.shut().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_that_make_no_sense_are_not_taken() {
    let (shop, browser) = (Shop::open("serve"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    // The name of a file is shown as text, whatever it holds.
    let named = shop.data.path().join("<img src=x onerror=document.title=1>.dxf");
    std::fs::copy(demo_file("mouse-guard.dxf"), &named).expect("copied");
    hand.job_with("Guards", &[named]).await;
    assert_eq!(hand.value("document.querySelectorAll('#docket img').length").await.as_i64(), Some(0));
    hand.station("4", "nest").await;
    let sheets = "#docket .fields form:nth-of-type(1) input[name=value]";
    for (field, typed, sentence) in [
        (sheets, "0x0", "a sheet of 0 × 0 mm cannot be"),
        (sheets, "wide", "is no sheet"),
        (".parts input[name=value]", "-1", "type a whole number from 0"),
        (".parts input[name=value]", "6000", "type a whole number from 0"),
    ] {
        let revision = hand.revision().await;
        hand.fill(field, typed).await;
        hand.until("the sentence", &format!("document.querySelector('#notice').innerText.toLowerCase().includes({sentence:?})")).await;
        assert_eq!(hand.revision().await, revision);
    }
    hand.change("none wanted", hand.fill(".parts input[name=value]", "0")).await;
    assert!(hand.text(".findings").await.contains("quantity 0"), "{}", hand.text(".findings").await);
    hand.change("one wanted", hand.fill(".parts input[name=value]", "1")).await;
    hand.change("too small a sheet", hand.fill(sheets, "100x80")).await;
    hand.nest().await;
    assert!(hand.text(".findings").await.contains("the largest sheet, 100 × 80 mm"), "{}", hand.text(".findings").await);
    browser.shut().await;
}

/// What the stage asked for first and gets last is not what it shows.
#[tokio::test(flavor = "multi_thread")]
async fn a_late_answer_does_not_take_the_stage_back() {
    let (shop, browser) = (Shop::open("demo"), Browser::open().await);
    let hand = Hand { page: &browser.page, shop: &shop.address };
    hand.go("/jobs/1/clean").await;
    hand.drawn().await;
    let script = "const fetched = window.fetch, stage = document.querySelector('#stage').stage, of = { ...document.querySelector('#docket').dataset };
        let first = true;
        window.fetch = async (...asked) => {
            const late = first;
            first = false;
            const answer = await fetched(...asked);
            if (late) await new Promise((done) => setTimeout(done, 1500));
            return answer;
        };
        const both = [stage.load(of), stage.load({ ...of, station: 'assign' })];
        Promise.all(both).then(() => { document.body.dataset.both = 'came'; });";
    hand.page.execute(script, Vec::new()).await.expect("a script runs");
    hand.until("both answers", "document.body.dataset.both").await;
    assert_eq!(hand.value("document.querySelector('#stage').stage.shown").await, "assign1");
    browser.shut().await;
}

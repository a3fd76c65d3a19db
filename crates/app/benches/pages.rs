//! How quickly pages answer and the stage moves, in headless Chromium. `cargo bench -p boustrophe`.

#[path = "../tests/browser/harness.rs"]
#[allow(dead_code)]
mod harness;

use harness::{Browser, Hand, Shop};
use std::fmt::Write;
use std::path::Path;

/// Outlines of ten lines each.
fn outlines(folder: &Path, count: usize) -> std::path::PathBuf {
    let mut text = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n".to_owned();
    let side = (count as f64).sqrt().ceil() as usize;
    for i in 0..count {
        let _ = write!(text, "0\nLWPOLYLINE\n8\n0\n90\n10\n70\n1\n");
        for k in 0..10 {
            let (sin, cos) = (f64::from(k) * 0.628).sin_cos();
            let _ = write!(text, "10\n{}\n20\n{}\n", (i % side) as f64 * 10.0 + 4.0 * cos, (i / side) as f64 * 10.0 + 4.0 * sin);
        }
    }
    text.push_str("0\nENDSEC\n0\nEOF\n");
    let path = folder.join(format!("outlines-{count}.dxf"));
    std::fs::write(&path, text).expect("written");
    path
}

/// Drags the stage for two seconds and counts the frames that were drawn.
const PAN: &str = "new Promise(done => {
    const c = document.querySelector('#canvas'), send = (kind, x) => c.dispatchEvent(new PointerEvent(kind, { clientX: x, clientY: 400, pointerId: 1, button: 0, buttons: 1, bubbles: true }));
    let n = 0; const began = performance.now(); send('pointerdown', 700);
    const step = () => { n += 1; send('pointermove', 700 + 150 * Math.sin(n / 9)); if (performance.now() - began < 2000) requestAnimationFrame(step); else { send('pointerup', 700); done(n * 1000 / (performance.now() - began)); } };
    requestAnimationFrame(step); })";

/// Middle of thirty answers, ms.
fn fetched(path: &str) -> String {
    format!(
        "(async () => {{ const t = []; for (let i = 0; i < 30; i++) {{ const b = performance.now(); await (await fetch('{path}')).text(); t.push(performance.now() - b); }} t.sort((a, b) => a - b); return t[15]; }})()"
    )
}

/// Lays one copy of the first sheet where it lies, thirty times: middle of the answers in ms, and bytes of the last.
const CARRY: &str = "(async () => {
    const { stage } = document.querySelector('#stage'), docket = document.querySelector('#docket').dataset, copy = stage.scene.sheets[0].sheet.copies.at(-1), t = [];
    const [a, b, , , x, y] = copy.pose, to = [x, y, (Math.atan2(b, a) * 180) / Math.PI, 0].join(',');
    let { revision } = docket, bytes = 0;
    for (let i = 0; i < 30; i += 1) {
        const body = new URLSearchParams({ revision, batch: docket.batch, copies: copy.id, do: 'lay', sheet: 0, to }), begun = performance.now();
        const text = await (await fetch(`/jobs/${docket.job}/copies`, { method: 'POST', body })).text();
        t.push(performance.now() - begun); bytes = text.length; revision = JSON.parse(text).revision;
    }
    t.sort((a, b) => a - b);
    return [t[15], t[28], bytes, stage.scene.sheets.reduce((n, s) => n + s.sheet.copies.length, 0)]; })()";

fn main() {
    tokio::runtime::Builder::new_multi_thread().enable_all().build().expect("a runtime").block_on(async {
        let (shop, browser) = (Shop::open("demo"), Browser::open().await);
        let hand = Hand { page: &browser.page, shop: &shop.address };
        hand.go("/jobs/1/intake").await;
        hand.drawn().await;
        for (job, station) in [(1, "intake"), (1, "assign"), (2, "nest"), (2, "hold"), (3, "proof"), (3, "release")] {
            let ms = hand.value(&fetched(&format!("/jobs/{job}/{station}"))).await;
            println!("job {job} {station:8} {:6.1} ms a page", ms.as_f64().unwrap_or(-1.0));
        }
        // The floor with more and more jobs: what it shows is stored.
        let mut jobs = 3;
        for wanted in [3, 50, 200] {
            while jobs < wanted {
                jobs += 1;
                let begin = format!("fetch('/jobs', {{ method: 'POST', body: new URLSearchParams({{ name: 'Job {jobs}' }}) }}).then(r => r.status)");
                hand.value(&begin).await;
            }
            let ms = hand.value(&fetched("/")).await;
            println!("floor with {wanted:3} jobs {:6.1} ms a page", ms.as_f64().unwrap_or(-1.0));
        }
        for (job, station) in [(1, "intake"), (3, "proof")] {
            hand.go(&format!("/jobs/{job}/{station}")).await;
            hand.drawn().await;
            let rate = hand.value(PAN).await;
            println!("stage of job {job} {station}, panned: {:.1} frames a second", rate.as_f64().unwrap_or(-1.0));
        }
        hand.job_with("Many", &[outlines(shop.data.path(), 2000)]).await;
        let rate = hand.value(PAN).await;
        println!("stage with 20,000 segments, panned: {:.1} frames a second", rate.as_f64().unwrap_or(-1.0));
        hand.job_with("Very many", &[outlines(shop.data.path(), 20_000)]).await;
        let rate = hand.value(PAN).await;
        println!("stage with 200,000 segments, panned: {:.1} frames a second", rate.as_f64().unwrap_or(-1.0));
        hand.job_with("Five hundred", &[outlines(shop.data.path(), 1)]).await;
        hand.station("4", "nest").await;
        hand.change("five hundred", hand.fill(".parts.list input[name=value]", "500")).await;
        hand.nest().await;
        let carried = hand.value(CARRY).await;
        println!("one of {} copies laid by hand: {:.1} ms, at most {:.1} ms, {} bytes", carried[3], carried[0].as_f64().unwrap_or(-1.0), carried[1].as_f64().unwrap_or(-1.0), carried[2]);
        hand.job_with("Thousand", &[outlines(shop.data.path(), 1000)]).await;
        hand.station("4", "nest").await;
        hand.nest().await;
        hand.station("6", "hold").await;
        for (label, turn) in [("nicks off", "off"), ("nicks on", "on"), ("nicks off again, from what is kept", "off")] {
            let post = format!("(async () => {{ const d = document.querySelector('#docket').dataset, b = performance.now(); const f = new URLSearchParams({{ revision: window.latest ?? d.revision, station: 'hold', do: 'nicks', value: '{turn}' }}); const t = await (await fetch(`/jobs/${{d.job}}/edit`, {{ method: 'POST', body: f }})).text(); window.latest = /data-revision=\"(\\d+)\"/.exec(t)[1]; return performance.now() - b; }})()");
            let ms = hand.value(&post).await;
            println!("1,000 contours, {label}: new ledger after {:.0} ms", ms.as_f64().unwrap_or(-1.0));
        }
        browser.shut().await;
    });
}

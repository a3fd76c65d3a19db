//! A job brought to Release over plain forms.

use crate::client::Shop;
use std::time::{Duration, Instant};

/// Waits until a page says something.
pub fn until(what: &str, test: impl Fn() -> bool) {
    let began = Instant::now();
    while !test() {
        assert!(began.elapsed() < Duration::from_secs(90), "waited in vain until {what}");
        std::thread::sleep(Duration::from_millis(50));
    }
}

/// A job of one drawing, nested, with everything open accepted; its number.
pub fn nested(shop: &Shop, name: &str, drawing: (&str, &[u8])) -> u32 {
    let job = shop.job(name);
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[drawing]).status, 204);
    let edit = |fields: &[(&str, &str)]| {
        let revision = shop.revision(job).to_string();
        let answer = shop.post(&format!("/jobs/{job}/edit"), &[&[("revision", revision.as_str()), ("station", "nest")], fields].concat());
        assert_eq!(answer.status, 200, "{fields:?}: {}", answer.sentence());
    };
    // What is to be looked at is accepted, by the page's own buttons.
    let settle = |stations: &[&str]| {
        for station in stations {
            loop {
                let page = shop.get(&format!("/jobs/{job}/{station}")).text();
                let Some(at) = page.find("class=\"finding look\"").or(page.find("class=\"finding stop\"")) else { break };
                let edit_text = page[at..]
                    .split("name=\"edit\" value=\"")
                    .nth(1)
                    .and_then(|t| t.split('"').next())
                    .expect("a remedy")
                    .replace("&#34;", "\"")
                    .replace("&quot;", "\"");
                edit(&[("edit", &edit_text)]);
            }
        }
    };
    settle(&["intake", "clean", "assign"]);
    assert_eq!(shop.post(&format!("/jobs/{job}/search/start"), &[]).status, 204);
    until("it searches", || shop.get(&format!("/jobs/{job}/nest")).text().contains("data-searching=\"true\""));
    assert_eq!(shop.post(&format!("/jobs/{job}/search/stop"), &[]).status, 204);
    until("the nest is kept", || shop.get(&format!("/jobs/{job}/nest")).text().contains("data-searching=\"false\""));
    settle(&["hold", "proof"]);
    job
}

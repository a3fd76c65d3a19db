//! Sheets that are alike stand once at Release and are sent together; settings that are not as usual are told, with their way back.

use crate::client::Shop;
use crate::nested::{nested, until};
use crate::odd_hands::PLATE;

#[test]
fn sheets_that_are_alike_are_sent_together() {
    let shop = Shop::open(&[]);
    let job = nested(&shop, "Plates", ("plate.dxf", PLATE.as_bytes()));
    let edit = |station: &str, what: &str, on: &str, value: &str| {
        let revision = shop.revision(job).to_string();
        let fields = [("revision", revision.as_str()), ("station", station), ("batch", "1"), ("do", what), ("on", on), ("value", value)];
        let answer = shop.post(&format!("/jobs/{job}/edit"), &fields);
        assert_eq!(answer.status, 200, "{what} {value}: {}", answer.sentence());
        answer.text()
    };
    let page = shop.get(&format!("/jobs/{job}/nest/rows")).text();
    let part = page.split("data-quantity=\"").nth(1).and_then(|t| t.split('"').next()).expect("a part").to_owned();
    // One on each sheet.
    edit("nest", "quantity", &part, "4");
    edit("nest", "sheet", "", "100x70");
    assert_eq!(shop.post(&format!("/jobs/{job}/search/start"), &[("batch", "1"), ("seconds", "1")]).status, 204);
    until("all are laid", || {
        let page = shop.get(&format!("/jobs/{job}/release")).text();
        page.contains("data-sheets") && shop.get(&format!("/jobs/{job}/nest")).text().contains("data-searching=\"false\"")
    });
    let page = shop.get(&format!("/jobs/{job}/release")).text();
    assert!(page.contains("4 alike: sheets 1 to 4") && page.matches("<li data-sheets").count() == 1, "{page}");
    let now = shop.revision(job).to_string();
    let sent = shop.post(&format!("/jobs/{job}/runs"), &[("revision", &now), ("sheet", "1,2,3,4"), ("times", "2")]);
    assert_eq!(sent.status, 303, "{}", sent.sentence());
    let page = shop.get(&format!("/jobs/{job}/release")).text();
    for sheet in 1..=4 {
        assert_eq!(page.matches(&format!(">sheet {sheet}</a>")).count(), 2, "each is in the queue twice: {page}");
    }
    // Released it is one row as well; one that lies elsewhere on the bed does other work.
    assert!(page.contains("4 alike: sheets 1 to 4") && page.contains("Send sheet 3 alone"));
    let moved = edit("release", "lay", "2", "40, 10");
    assert!(moved.contains("4 alike"), "what is released is as it was");
    // Of several of which one is not there, which were sent is said.
    let there = shop.get(&format!("/jobs/{job}/release")).text();
    let release = there.split("name=\"release\" value=\"").nth(1).and_then(|t| t.split('"').next()).expect("a release");
    let wrong = shop.post(&format!("/jobs/{job}/runs"), &[("release", release), ("sheet", "1,2,99")]);
    assert!(wrong.status == 422 && wrong.sentence().contains("Sent: 1 and 2; not sent: sheet 99"), "{}", wrong.sentence());
    let wrong = shop.post(&format!("/jobs/{job}/runs"), &[("revision", &now), ("sheet", "1,nine")]);
    assert!(wrong.status == 422 && wrong.sentence().contains("numbered from 1"), "{}", wrong.sentence());
}

#[test]
fn what_is_set_for_a_job_is_told_until_it_is_set_back() {
    let shop = Shop::open(&[]);
    let job = nested(&shop, "Plates", ("plate.dxf", PLATE.as_bytes()));
    let hold = || shop.get(&format!("/jobs/{job}/hold")).text();
    let edit = |fields: &[(&str, &str)]| {
        let revision = shop.revision(job).to_string();
        let all = [&[("revision", revision.as_str()), ("station", "hold"), ("batch", "1")], fields].concat();
        let answer = shop.post(&format!("/jobs/{job}/edit"), &all);
        assert_eq!(answer.status, 200, "{}", answer.sentence());
    };
    assert!(!hold().contains("Set for this job"));
    edit(&[("do", "nick-width"), ("on", ""), ("value", "1.35")]);
    let page = hold();
    let told = page.split("id=\"differs\"").nth(1).and_then(|t| t.split("</details>").next()).expect("it is told");
    assert!(told.contains("Nick width") && told.contains("1.35 mm") && told.contains("usually "), "{told}");
    let back = told.split("name=\"edit\" value=\"").nth(1).and_then(|t| t.split('"').next()).expect("a way back").replace("&#34;", "\"");
    edit(&[("edit", &back)]);
    assert!(!hold().contains("Set for this job"));
}

//! The floor, the shift and the machines as a shop's day asks for them, over plain forms.

use crate::client::Shop;

const PLATE: &str = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n10\n0\n20\n0\n10\n80\n20\n0\n10\n80\n20\n50\n10\n0\n20\n50\n0\nENDSEC\n0\nEOF\n";

/// How many copies a job wants, as its Nest page says.
fn wanted(shop: &Shop, job: u32) -> String {
    let page = shop.get(&format!("/jobs/{job}/nest/rows")).text();
    page.split("data-quantity=").nth(1).and_then(|t| t.split("value=\"").nth(1)).and_then(|t| t.split('"').next()).unwrap_or("").into()
}

/// Names of the jobs that a search finds.
fn found(shop: &Shop, words: &str) -> Vec<String> {
    let page = shop.get(&format!("/floor/cards?find={}", words.replace(' ', "%20").replace('#', "%23"))).text();
    page.split("<h2>").skip(1).filter_map(|t| t.split('<').next()).map(str::to_owned).collect()
}

#[test]
fn what_is_asked_for_stands_on_the_job_and_is_found() {
    let shop = Shop::open(&[]);
    let begun = [("name", "Feeder lids"), ("customer", "Heath apiary"), ("due", "2020-02-03"), ("quantity", "3")];
    let to = shop.post("/jobs", &begun).header("location");
    let job: u32 = to.split('/').nth(2).and_then(|n| n.parse().ok()).expect("a job");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("lid.dxf", PLATE.as_bytes())]).status, 204);
    assert_eq!(wanted(&shop, job), "3", "as many of the drawing as of the job");
    let order = |fields: &[(&str, &str)]| shop.post(&format!("/jobs/{job}/asked"), fields);
    assert_eq!(order(&[("customer", "Heath apiary"), ("due", "2020-02-03"), ("quantity", "5")]).status, 200);
    assert_eq!(wanted(&shop, job), "5");
    // A drawing that comes later is wanted as often; what was set of another by hand stays.
    let first = shop.get(&format!("/jobs/{job}/intake")).text();
    let drawing = first.split("/drawings/").nth(1).and_then(|t| t.split(['"', '/']).next()).expect("a drawing").to_owned();
    let edit = format!("{{\"do\":\"set-drawing-quantity\",\"drawing\":{drawing},\"quantity\":1}}");
    let now = shop.revision(job).to_string();
    assert_eq!(
        shop.post(&format!("/jobs/{job}/edit"), &[("revision", &now), ("station", "intake"), ("batch", "1"), ("edit", &edit)]).status,
        200
    );
    let small = PLATE.replace("80", "33");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("small.dxf", small.as_bytes())]).status, 204);
    let page = shop.get(&format!("/jobs/{job}/nest/rows")).text();
    let each: Vec<&str> = page.split("data-quantity=").skip(1).filter_map(|t| t.split("value=\"").nth(1)?.split('"').next()).collect();
    assert_eq!(each, ["1", "5"]);
    let back = format!("{{\"do\":\"set-drawing-quantity\",\"drawing\":{drawing},\"quantity\":5}}");
    let now = shop.revision(job).to_string();
    assert_eq!(
        shop.post(&format!("/jobs/{job}/edit"), &[("revision", &now), ("station", "intake"), ("batch", "1"), ("edit", &back)]).status,
        200
    );
    for wrong in [
        [("due", "3.2.2020"), ("quantity", "5")],
        [("due", ""), ("quantity", "0")],
        [("due", "2020-13-01"), ("quantity", "5")],
        [("due", "2026-02-31"), ("quantity", "5")],
    ] {
        let answer = order(&wrong);
        assert!(answer.status == 422 && answer.sentence().len() > 20, "{wrong:?}: {}", answer.text());
    }
    let other = shop.job("Other");
    // It is overdue: it comes first, though it is not the newest, and says so.
    let floor = shop.get("/").text();
    assert!(floor.contains("overdue since 2020-02-03"), "{floor}");
    assert!(floor.find("Feeder lids</h2>") < floor.find("Other</h2>"), "overdue first");
    assert!(shop.get("/shift").text().contains("overdue since 2020-02-03"));

    // The same once more, four times as many; it is for the same customer, and due on no day.
    let to = shop.post(&format!("/jobs/{job}/again"), &[("name", "Feeder lids, again"), ("times", "4")]).header("location");
    let again: u32 = to.split('/').nth(2).and_then(|n| n.parse().ok()).expect("a job");
    assert_eq!(wanted(&shop, again), "20");
    let much = shop.post(&format!("/jobs/{job}/again"), &[("name", "Too many"), ("times", "4000")]);
    assert!(much.status == 422 && much.sentence().contains("times as many"), "{}", much.text());

    // Found by whatever is told of it, put away or not; what matches nothing is said.
    for words in ["feeder", "HEATH", &format!("#{job}"), "lid.dxf", "2020-02"] {
        assert!(found(&shop, words).contains(&"Feeder lids".to_owned()), "{words}: {:?}", found(&shop, words));
    }
    assert_eq!(shop.post(&format!("/jobs/{job}/fate"), &[("what", "away")]).status, 303);
    assert!(!shop.get("/").text().contains("Feeder lids</h2>"));
    assert!(found(&shop, "heath 2020").contains(&"Feeder lids".to_owned()));
    assert!(shop.get("/floor/cards?find=nowhere").text().contains("No job matches “nowhere”"));
    assert_eq!(found(&shop, &format!("#{other} other")), ["Other"]);
}

#[test]
fn a_job_with_something_at_a_machine_is_not_put_away_and_the_shift_says_what_comes_first() {
    let shop = Shop::demo();
    // The demo has a machine of each kind: their strips are on the floor, the shift and their own page.
    for page in ["/", "/shift", "/machines", "/machines/strips"] {
        let text = shop.get(page).text();
        assert!(text.contains("data-machine=\"lark\"") && text.contains("data-machine=\"anvil\""), "{page}: {text}");
    }
    let job = shop.job("Plate");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("plate.dxf", PLATE.as_bytes())]).status, 204);
    assert_eq!(shop.post(&format!("/jobs/{job}/search/start"), &[("batch", "1"), ("seconds", "1")]).status, 204);
    let ready = (0..200).any(|_| {
        std::thread::sleep(std::time::Duration::from_millis(50));
        shop.get(&format!("/jobs/{job}/order")).text().contains("data-cut=")
    });
    assert!(ready);
    let now = shop.revision(job).to_string();
    let sent = shop.post(&format!("/jobs/{job}/runs"), &[("revision", &now), ("sheet", "1"), ("times", "2")]);
    assert!(sent.status < 400, "{}", sent.text());
    let away = shop.post(&format!("/jobs/{job}/fate"), &[("what", "away")]);
    assert!(away.status >= 400 && away.sentence().contains("at a machine"), "{}: {}", away.status, away.text());
    let shift = shop.get("/shift").text();
    assert!(shift.contains("Plate, sheet 1") && shift.contains("class=\"todo\""), "{shift}");
    assert!(shop.get("/machines").text().contains("class=\"day\""), "its day as a line");

    // What one shift leaves for the next, until somebody has seen to it; by whom stays.
    assert_eq!(shop.post("/shift/notes", &[("text", "  "), ("person", "Bram Teck")]).status, 422);
    assert_eq!(shop.post("/shift/notes", &[("text", "Lens of <Lark> is spotted"), ("person", "Bram Teck")]).status, 303);
    let page = shop.get("/shift").text();
    assert!(page.contains("Lens of") && !page.contains("<Lark>") && page.contains("Bram Teck"), "{page}");
    let note = page.split("/shift/notes/").nth(1).and_then(|t| t.split('"').next()).expect("a form").to_owned();
    assert_eq!(shop.post(&format!("/shift/notes/{note}"), &[("person", "Odile Farrant")]).status, 303);
    assert!(shop.get("/shift").text().contains("seen to by Odile Farrant"));
    assert_eq!(shop.post(&format!("/shift/notes/{note}"), &[("person", "Somebody else")]).status, 404, "the first who did stays");
}

#[test]
fn a_machine_and_a_material_are_made_from_others() {
    let shop = Shop::demo();
    let rows = |shop: &Shop| shop.get("/shop/charts.csv").text().lines().filter(|l| l.contains("lark-two")).count();
    let known = shop.get("/shop/charts.csv").text().lines().filter(|l| l.starts_with("lark,")).count();
    let copy = |what: &str, fields: &[(&str, &str)]| shop.post(&format!("/shop/{what}/copy"), fields).status;
    assert_eq!(copy("machines/lark", &[("name", "Lark Two"), ("rows", "on"), ("person", "Odile Farrant")]), 303);
    assert_eq!((rows(&shop), known > 3), (known, true), "its rows of the chart come along");
    let page = shop.get("/shop/machines").text();
    assert!(page.contains("data-machine=\"lark-two\"") && page.contains("--connect lark-two="), "{page}");
    // Once more under the same name it is another.
    assert_eq!(copy("machines/lark", &[("name", "Lark Two")]), 303);
    assert!(shop.get("/shop/machines").text().contains("data-machine=\"lark-two-2\""));
    assert_eq!(copy("machines/nobody", &[("name", "X")]), 422);
    assert_eq!(copy("machines/lark", &[("name", " ")]), 422);
    assert_eq!(copy("materials/acrylic", &[("name", "Smoked acrylic")]), 303);
    let job = shop.job("Smoked");
    assert!(shop.get(&format!("/jobs/{job}/assign")).text().contains("Smoked acrylic"), "it can be chosen");
    // It is on the floor with the others, and says that it is not heard.
    assert!(shop.get("/machines/strips").text().contains("data-machine=\"lark-two\""));
}

/// Costs stand in the shop's currency, on every page that tells one; what is none is said, and a page that was overtaken is told so.
#[test]
fn costs_are_in_the_shops_currency() {
    let mut shop = Shop::demo();
    let nest = |shop: &Shop| shop.get("/jobs/2/nest").text();
    let cost = |page: &str| page.split("data-figure=\"cost\"").nth(1).and_then(|t| t.split("</div>").next()).unwrap_or_default().to_owned();
    assert!(cost(&nest(&shop)).contains('€') && nest(&shop).contains("worth "), "{}", cost(&nest(&shop)));
    let revision = crate::client::field(&shop.get("/shop/machines").text(), "/shop/house", "revision");
    let say = |shop: &Shop, currency: &str| {
        shop.post("/shop/house", &[("revision", revision.as_str()), ("currency", currency), ("person", "Odile Farrant")])
    };
    for wrong in ["", "12", "a b", "dollars"] {
        let answer = say(&shop, wrong);
        assert!(answer.status == 422 && answer.text().contains("is no currency"), "{wrong}: {} {}", answer.status, answer.sentence());
    }
    assert_eq!(say(&shop, "CHF").status, 303);
    let answer = say(&shop, "kr");
    assert!(answer.status == 409 && answer.text().contains("CHF"), "somebody was quicker: {}", answer.status);
    shop.reopen();
    let page = nest(&shop);
    assert!(cost(&page).contains("\u{a0}CHF") && !page.contains('€'), "{}", cost(&page));
    assert!(shop.get("/shop/machines").text().contains("48\" size=\"5\"> CHF"));
}

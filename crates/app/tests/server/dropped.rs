//! What is dropped together: a drawing with its table begins a job, and a name that comes again is asked about.

use crate::client::Shop;

fn plate(hole: f64) -> String {
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"90mm\" height=\"30mm\" viewBox=\"0 0 90 30\">\
         <rect width=\"90\" height=\"30\" fill=\"none\" stroke=\"#000\"/><circle cx=\"{hole}\" cy=\"15\" r=\"3\" fill=\"none\" stroke=\"#000\"/>\
         <text x=\"20\" y=\"18\" font-size=\"7\">name</text></svg>"
    )
}

fn job_of(to: &str) -> u32 {
    to.split('/').nth(2).and_then(|n| n.parse().ok()).unwrap_or_else(|| panic!("a job: {to}"))
}

#[test]
fn a_drawing_and_its_table_begin_a_job_together() {
    let shop = Shop::open(&[]);
    let plate = plate(8.0);
    let begun = shop.upload("/jobs/dropped", &[("hives.csv", b"name\nOdile\nBram\n"), ("tag.svg", plate.as_bytes())]);
    let page = shop.get(&format!("/jobs/{}/intake", job_of(&begun.header("hx-redirect")))).text();
    assert!(page.contains("hives.csv") && page.contains("tag.svg"), "{}", page.split("article class=\"drawing\"").nth(1).unwrap_or(&page));
    // Alone, and beside a drawing that does not say its columns, it begins none.
    for (files, why) in [
        (vec![("hives.csv", &b"name\nOdile\n"[..])], "begins no job by itself"),
        (vec![("hives.csv", &b"colour\nred\n"[..]), ("tag.svg", plate.as_bytes())], "no drawing says “colour”"),
    ] {
        let refused = shop.upload("/jobs/dropped", &files);
        assert!(refused.status >= 400 && refused.text().contains(why), "{}", refused.text());
    }
    assert_eq!(
        shop.get("/").text().matches("href=\"/jobs/").count(),
        shop.get("/").text().matches(&format!("href=\"/jobs/{}", job_of(&begun.header("hx-redirect")))).count()
    );
}

#[test]
fn a_name_that_comes_again_is_asked_about() {
    let shop = Shop::open(&[]);
    let job = shop.job("Hive tags");
    let files = |hole: f64| shop.upload(&format!("/jobs/{job}/drawings"), &[("tag.svg", plate(hole).as_bytes())]);
    let page = || shop.get(&format!("/jobs/{job}/intake")).text();
    let finding = |page: &str| page.split("data-code=\"name-again\"").nth(1).map(|t| t.split("</li>").next().unwrap_or(t).to_owned());
    assert_eq!(files(8.0).status, 204);
    assert!(finding(&page()).is_none());
    assert_eq!(files(12.0).status, 204);
    let asked = finding(&page()).expect("it is asked");
    assert!(
        asked.contains("new revision") && asked.find("It is a new revision").expect("first") < asked.find("Keep both").expect("second")
    );
    // As its revision there is one drawing, compared with the one before.
    let edit = |asked: &str, nth: usize| {
        let value = asked.split("name=\"edit\" value=\"").nth(nth).and_then(|t| t.split('"').next()).expect("an edit");
        value.replace("&quot;", "\"").replace("&#34;", "\"").replace("&#39;", "'").replace("&amp;", "&").replace("&#38;", "&")
    };
    let post = |edit: &str| {
        let revision = shop.revision(job).to_string();
        shop.post(&format!("/jobs/{job}/edit"), &[("revision", revision.as_str()), ("station", "intake"), ("batch", "1"), ("edit", edit)])
    };
    assert_eq!(post(&edit(&asked, 1)).status, 200);
    let after = page();
    assert!(finding(&after).is_none() && after.matches("class=\"drawing\"").count() == 1, "{after}");
    // Once more, and kept beside it.
    assert_eq!(files(8.0).status, 204);
    assert_eq!(post(&edit(&finding(&page()).expect("again"), 2)).status, 200);
    let after = page();
    assert!(finding(&after).is_none() && after.matches("class=\"drawing\"").count() == 2, "{after}");
}

#[test]
fn a_face_of_the_shops_own_is_added_and_taken_away() {
    let shop = Shop::open(&[]);
    let font = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../core/fonts/serif.ttf")).expect("a font");
    let page = || shop.get("/shop/letters").text();
    assert!(page().contains("data-face=\"stencil\"") && !page().contains("Bee serif"));
    let refused = shop.upload("/shop/letters", &[("notes.ttf", b"no face at all")]);
    assert!(
        refused.status >= 400 && refused.sentence().contains("otes.ttf: this is no TrueType or OpenType face"),
        "{}",
        refused.sentence()
    );
    assert_eq!(shop.upload("/shop/letters", &[("Bee serif.ttf", &font)]).status, 303);
    assert!(page().contains("data-face=\"Bee serif\"") && page().matches("<path").count() >= 7);
    // It is written with by its name.
    let job = shop.job("Signs");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("plate.svg", plate(8.0).as_bytes())]).status, 204);
    let stage = shop.get(&format!("/jobs/{job}/stage/clean")).text();
    let id = stage.split("\"id\":\"").nth(1).and_then(|t| t.split('"').next()).expect("a contour");
    let tried = |typed: &str| shop.post(&format!("/jobs/{job}/try"), &[("on", &format!("1:{id}")), ("value", typed)]).text();
    assert!(tried("write \"Ab\" 6 in \"Bee serif\" at 30,10").contains("\"unclear\":false"));
    assert!(tried("write \"Ab\" 6 in \"Bee sans\" at 30,10").contains("there is no face"));
    assert_eq!(shop.post("/shop/letters/remove", &[("name", "Bee serif")]).status, 303);
    assert!(!page().contains("Bee serif") && tried("write \"Ab\" 6 in \"Bee serif\" at 30,10").contains("there is no face"));
}

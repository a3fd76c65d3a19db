//! What is typed, and the shop that a command works for.

use crate::{boustrophe, demo, dxf, prep};
use boustrophe_core::nest::Sheet;
use boustrophe_core::process::Process;
use boustrophe_core::shop::Shop;
use boustrophe_store::{OnRack, Store};

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

#[test]
fn every_command_tells_its_flags_and_refuses_others_in_one_line() {
    for (command, flag) in [
        ("demo", "--machine-speed"),
        ("serve", "--connect"),
        ("controller", "--token"),
        ("prep", "--common-edges"),
        ("check", "--json"),
        ("prove", "--job"),
    ] {
        let help = boustrophe(&[command, "--help"]);
        assert!(help.status.success() && text(&help.stdout).contains(flag), "{command}: {}", text(&help.stdout));
        let wrong = boustrophe(&[command, "--hive", "7"]);
        let said = text(&wrong.stderr);
        assert!(wrong.status.code() == Some(2) && said.lines().count() == 1 && said.contains("--hive is no option"), "{command}: {said}");
    }
    for (words, says) in [
        (vec!["prepare"], "“prepare” is not a command"),
        (vec!["prep", "--quantty", "3"], "--quantity"),
        (vec!["prep", "a.dxf", "--out"], "--out needs a value"),
        (vec!["prep", "a.dxf", "--out", "x", "--mirror=yes"], "--mirror takes no value"),
        (vec!["completions", "abacus"], "abacus"),
        (vec!["completions"], "<SHELL>"),
    ] {
        let output = boustrophe(&words);
        let said = text(&output.stderr);
        assert!(output.status.code() == Some(2) && said.lines().count() == 1 && said.contains(says), "{words:?}: {said}");
    }
    assert!(text(&boustrophe(&["--help"]).stdout).contains("Exit of prove"));
    assert!(text(&boustrophe(&["completions", "bash"]).stdout).contains("--nest-seconds"));
    let manual = text(&boustrophe(&["man"]).stdout);
    assert!(manual.contains(".TH boustrophe") && manual.contains("common\\-edges"), "{manual}");
}

/// A shop in a folder, open in another program: machine renamed, another feed, one kind of sheet on its rack.
fn shop(folder: &std::path::Path) -> Store {
    let store = Store::open(folder).expect("a shop");
    let mut shop = Shop::builtin();
    shop.machines[0].name = "Wheatear".into();
    for row in shop.chart.iter_mut().filter(|r| r.machine == "lark" && r.material == "birch-ply" && r.process == Process::Cut) {
        row.feed = 777.0;
    }
    boustrophe_shop::settings::open(&store, &shop).expect("its book");
    let sheet = |width, offcut, count| OnRack {
        material: "birch-ply".into(),
        thickness: 3.0,
        sheet: Sheet::rectangle(width, 260.0),
        offcut,
        count,
        price: None,
        place: String::new(),
        origin: "bought".into(),
    };
    store.add_stock(&sheet(310.0, false, 4), "Bram Teck").expect("on the rack");
    store.add_stock(&sheet(290.0, true, 1), "Bram Teck").expect("on the rack");
    store
}

#[test]
fn a_command_works_for_the_shop_in_a_folder_and_changes_nothing_there() {
    let folder = tempfile::tempdir().expect("a folder");
    let open = shop(folder.path());
    let before = open.stock(None).expect("its rack");
    let data = folder.path().to_string_lossy().into_owned();
    let run = prep(&[demo("crown-board.dxf")], &format!("--accept --nest-seconds 0.3 --data {data} --machine wheatear"));
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let report = run.report();
    assert_eq!(report["sheets"][0]["width"], 310.0, "the rack's sheet is taken: {}", report["sheets"]);
    assert!(run.file("sheet-01.nc").contains("F777"), "{}", run.file("sheet-01.nc"));
    assert_eq!(open.stock(None).expect("its rack"), before);
    let program = run.out.path().join("sheet-01.nc").to_string_lossy().into_owned();
    let job = run.out.path().to_string_lossy().into_owned();
    assert!(boustrophe(&["prove", &program, "--job", &job]).status.success());
    // By the built-in chart it is another feed.
    let other = tempfile::tempdir().expect("a folder");
    let _plain = boustrophe_shop::settings::open(&Store::open(other.path()).expect("a shop"), &Shop::builtin()).expect("its book");
    let proved = boustrophe(&["prove", &program, "--job", &job, "--data", &other.path().to_string_lossy()]);
    assert!(proved.status.code() == Some(1) && text(&proved.stdout).contains("feed 777"), "{}", text(&proved.stdout));
    assert!(boustrophe(&["check", &demo("crown-board.dxf").to_string_lossy(), "--data", &data]).status.code().is_some_and(|c| c < 2));
    for (words, says) in
        [(format!("--data {data} --machine kestrel"), "there are lark and anvil"), ("--data /nowhere".into(), "--data /nowhere")]
    {
        let run = prep(&[demo("crown-board.dxf")], &words);
        assert!(run.code() == Some(2) && run.said().trim().lines().count() == 1 && run.said().contains(says), "{words}: {}", run.said());
    }
}

#[test]
fn a_table_fills_a_drawing_once_a_row() {
    let folder = tempfile::tempdir().expect("a folder");
    let tag = dxf(
        folder.path(),
        "tag.dxf",
        "0 LWPOLYLINE 8 0 90 4 70 1 10 0 20 0 10 80 20 0 10 80 20 30 10 0 20 30 0 TEXT 8 0 10 5 20 10 40 6 1 keeper",
    );
    let csv = folder.path().join("keepers.csv");
    std::fs::write(&csv, "keeper\nOdile\nBram\nYvo\n").expect("written");
    let run = prep(std::slice::from_ref(&tag), &format!("--accept --nest-seconds 0.3 --table {}", csv.display()));
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let placed: usize = run.report()["sheets"].as_array().expect("sheets").iter().map(|s| s["placed"].as_array().map_or(0, Vec::len)).sum();
    assert_eq!(placed, 3, "one tag a row");
    std::fs::write(&csv, "hive\n1\n").expect("written");
    for (table, says) in [(csv.display().to_string(), "nowhere says “hive”"), (format!("lid.dxf={}", csv.display()), "no such drawing")]
    {
        let run = prep(std::slice::from_ref(&tag), &format!("--table {table}"));
        assert!(run.code() == Some(2) && run.said().contains(says), "{}", run.said());
    }
    let run = prep(&[tag.clone(), demo("crown-board.dxf")], &format!("--table {}", csv.display()));
    assert!(run.code() == Some(2) && run.said().contains("FILE=CSV"), "{}", run.said());
}

/// What is not said is as the chart has it: the usual thickness of each material, on whatever machine has it.
#[test]
fn what_is_not_said_goes_by_the_chart() {
    for (options, material, thickness) in [
        ("", "birch-ply", 3.0),
        ("--machine anvil", "mild-steel", 6.0),
        ("--material card", "card", 1.5),
        ("--material acrylic", "acrylic", 3.0),
        ("--material mild-steel", "mild-steel", 6.0),
        ("--thickness 5 --material acrylic", "acrylic", 5.0),
    ] {
        let run = prep(&[demo("crown-board.dxf")], &format!("--accept --nest-seconds 0.1 {options}"));
        let batch = &run.report()["batches"][0];
        assert_eq!(
            (batch["material"].as_str(), batch["thickness"].as_f64()),
            (Some(material), Some(thickness)),
            "{options}: {}",
            run.said()
        );
    }
}

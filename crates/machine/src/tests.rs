use crate::{Driver, Simulated, State, Status, serve};
use boustrophe_core::shop::Shop;
use std::time::Duration;
use tokio::net::TcpListener;

const SQUARE: &str = "G21 G90\nM5\nG0 X10 Y10\nM3 S500\nG1 X60 Y10 F3000\nG1 X60 Y60\nG1 X10 Y60\nG1 X10 Y10\nM5\nM2";

async fn lark(speed: f64) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
    let address = listener.local_addr().expect("its address").to_string();
    let machine = Shop::builtin().machine("lark").expect("lark").clone();
    tokio::spawn(serve(Simulated::new(machine, speed), listener));
    address
}

#[tokio::test]
async fn a_program_runs_to_its_end() {
    let mut driver = Driver::connect(&lark(50.0).await).await.expect("connected");
    assert_eq!(driver.ask("hello").await.expect("hello"), "lark Lark");
    let seconds = driver.load("square", SQUARE).await.expect("loaded");
    assert!((4.0..5.0).contains(&seconds), "200 mm at 50 mm/s and a little: {seconds}");
    driver.ask("start").await.expect("started");
    let mut burned = false;
    for _ in 0..500 {
        let status = driver.status().await.expect("status");
        burned |= status.beam;
        assert!((-0.01..=60.01).contains(&status.x) && (-0.01..=60.01).contains(&status.y), "{status}");
        if status.state == State::Done {
            assert!(burned && status.seconds >= seconds - 1e-3);
            return;
        }
        tokio::time::sleep(Duration::from_millis(5)).await;
    }
    panic!("it never ended");
}

#[test]
fn it_can_be_paused_resumed_and_stopped() {
    let lark = Simulated::new(Shop::builtin().machine("lark").expect("lark").clone(), 1.0);
    assert!(lark.answer("start").starts_with("no the machine is idle"));
    assert_eq!(lark.answer(&format!("load square {}", SQUARE.lines().count())), "ok");
    for (i, line) in SQUARE.lines().enumerate() {
        assert_eq!(lark.answer(&format!("{} {line}", i + 1)), format!("ok {}", i + 1));
    }
    let total: f64 = lark.answer("end")[3..].parse().expect("seconds");
    let status = || lark.answer("status")[3..].parse::<Status>().expect("status");
    assert_eq!(lark.answer("start"), "ok");
    lark.pass(1.0);
    assert_eq!(lark.answer("pause"), "ok");
    let held = status();
    assert!(held.state == State::Paused && !held.beam && held.x > 10.0, "{held}");
    lark.pass(10.0);
    assert_eq!(status().x, held.x, "nothing moves while paused");
    assert!(lark.answer("load other 3").contains("paused"));
    assert_eq!(lark.answer("resume"), "ok");
    lark.pass(total / 2.0);
    assert!(status().y > held.y);
    assert_eq!(lark.answer("stop"), "ok");
    lark.pass(100.0);
    assert_eq!(status().state, State::Stopped);
}

#[test]
fn what_is_wrong_is_refused() {
    let lark = Simulated::new(Shop::builtin().machine("lark").expect("lark").clone(), 1.0);
    assert!(lark.answer("nonsense").starts_with("no "));
    assert!(lark.answer("load x 0").starts_with("no "));
    assert_eq!(lark.answer("load x 3"), "ok");
    assert!(lark.answer("2 G0 X1").contains("not expected"), "a line was lost");
    assert_eq!(lark.answer("1 G21"), "ok 1");
    assert!(lark.answer("end").contains("not whole"), "cut off");
    for (program, why) in [("G1 X5000 F100\nM2", "leaves the bed"), ("G1 X5\nM2", "before any feed"), ("G99 X5\nM2", "not understood")] {
        assert_eq!(lark.answer("load y 2"), "ok");
        let mut answers: Vec<String> = program.lines().enumerate().map(|(i, l)| lark.answer(&format!("{} {l}", i + 1))).collect();
        answers.push(lark.answer("end"));
        assert!(answers.iter().any(|a| a.contains(why)), "{program}: {answers:?}");
    }
}

#[tokio::test]
async fn nobody_there_is_said() {
    let Err(error) = Driver::connect("127.0.0.1:1").await else { panic!("nobody listens on port 1") };
    assert!(error.to_string().contains("does not answer"));
}

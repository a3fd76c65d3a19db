use crate::{Alarm, Driver, DriverError, Link, Simulated, State, Status, checksum, serve};
use boustrophe_core::shop::Shop;
use proptest::prelude::*;
use std::time::Duration;
use tokio::net::TcpListener;

const SQUARE: &str = "G21 G90\nM5\nG0 X10 Y10\nM3 S500\nG1 X60 Y10 F3000\nG1 X60 Y60\nG1 X10 Y60\nG1 X10 Y10\nM5\nM2";

const TOKEN: &str = "beeswax";

async fn lark(speed: f64) -> Link {
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
    let address = listener.local_addr().expect("its address").to_string();
    let machine = Shop::builtin().machine("lark").expect("lark").clone();
    tokio::spawn(serve(Simulated::new(machine, speed, TOKEN), listener));
    Link::new(address, TOKEN)
}

/// A simulated Lark at its own panel.
fn panel(speed: f64) -> Simulated {
    Simulated::new(Shop::builtin().machine("lark").expect("lark").clone(), speed, TOKEN)
}

/// The line that announces a program.
fn load(name: &str, program: &str, run: i32) -> String {
    format!("load {name} {} {} {run}", program.lines().count(), checksum(program))
}

#[tokio::test]
async fn a_program_runs_to_its_end() {
    let mut driver = Driver::connect(&lark(50.0).await).await.expect("connected");
    let seconds = driver.load("square", SQUARE, 7, (0.0, 0.0), || ()).await.expect("loaded");
    assert!((4.0..5.0).contains(&seconds), "200 mm at 50 mm/s and a little: {seconds}");
    driver.ask(&format!("start 7 {}", checksum(SQUARE))).await.expect("started");
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
    let lark = panel(1.0);
    let start = format!("start 1 {}", checksum(SQUARE));
    assert!(lark.answer(&start).starts_with("no no whole program"));
    assert_eq!(lark.answer(&load("square", SQUARE, 1)), "ok 128");
    for (i, line) in SQUARE.lines().enumerate() {
        assert_eq!(lark.answer(&format!("{} {line}", i + 1)), format!("ok {}", i + 1));
    }
    let total: f64 = lark.answer("end")[3..].parse().expect("seconds");
    let status = || lark.answer("status")[3..].parse::<Status>().expect("status");
    assert_eq!(lark.answer(&start), "ok");
    lark.pass(1.0);
    assert_eq!(lark.answer("pause"), "ok");
    let held = status();
    assert!(held.state == State::Paused && !held.beam && held.x > 10.0, "{held}");
    lark.pass(10.0);
    assert_eq!(status().x, held.x, "nothing moves while paused");
    assert!(lark.answer("load other 3 00 2").contains("paused"));
    assert_eq!(lark.answer("resume"), "ok");
    lark.pass(total / 2.0);
    assert!(status().y > held.y);
    assert_eq!(lark.answer("stop"), "ok");
    lark.pass(100.0);
    assert_eq!(status().state, State::Stopped);
}

#[test]
fn what_is_wrong_is_refused() {
    let lark = panel(1.0);
    assert!(lark.answer("nonsense").starts_with("no "));
    assert!(lark.answer("load x 0 00 1").starts_with("no ") && lark.answer("load x 3").starts_with("no "));
    assert_eq!(lark.answer("load x 3 00 1"), "ok 128");
    assert!(lark.answer("2 G0 X1").contains("not expected"), "a line was lost");
    assert_eq!(lark.answer("1 G21"), "ok 1");
    assert!(lark.answer("end").contains("not whole"), "cut off");
    for (program, why) in [("G1 X5000 F100\nM2", "leaves the bed"), ("G1 X5\nM2", "before any feed"), ("G99 X5\nM2", "not understood")] {
        assert_eq!(lark.answer(&load("y", program, 1)), "ok 128");
        let mut answers: Vec<String> = program.lines().enumerate().map(|(i, l)| lark.answer(&format!("{} {l}", i + 1))).collect();
        answers.push(lark.answer("end"));
        assert!(answers.iter().any(|a| a.contains(why)), "{program}: {answers:?}");
    }
}

#[tokio::test]
async fn nobody_there_is_said() {
    let Err(error) = Driver::connect(&Link::new("127.0.0.1:1", TOKEN)).await else { panic!("nobody listens on port 1") };
    assert!(error.to_string().contains("does not answer"));
}

#[test]
fn only_the_program_that_was_asked_for_is_started() {
    let lark = panel(1.0);
    assert_eq!(lark.answer(&load("square", SQUARE, 4)), "ok 128");
    for (i, line) in SQUARE.lines().enumerate() {
        assert_eq!(lark.answer(&format!("{} {line}", i + 1)), format!("ok {}", i + 1));
    }
    assert!(lark.answer("end").starts_with("ok "));
    for wrong in ["start".to_owned(), format!("start 5 {}", checksum(SQUARE)), format!("start 4 {}", checksum("M2"))] {
        assert!(lark.answer(&wrong).starts_with("no another program is held: square of run 4"), "{wrong}");
    }
    let status: Status = lark.answer("status")[3..].parse().expect("status");
    let held = status.held.expect("a program");
    assert!(held.name == "square" && held.run == 4 && held.sum == checksum(SQUARE) && status.state == State::Ready);
    // A line that changed on its way.
    assert_eq!(lark.answer(&load("square", SQUARE, 5)), "ok 128");
    for (i, line) in SQUARE.replace("X60", "X61").lines().enumerate() {
        lark.answer(&format!("{} {line}", i + 1));
    }
    assert!(lark.answer("end").contains("its checksum differs"));
}

#[tokio::test]
async fn whoever_does_not_know_the_token_is_not_obeyed() {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let link = lark(1.0).await;
    let stranger = Link::new(&*link.address, "honey");
    assert!(matches!(Driver::connect(&stranger).await, Err(DriverError::Refused { .. })));
    // What a web page's request looks like from here, an order without greeting, and a line without end.
    for bytes in ["POST / HTTP/1.1\r\nHost: x\r\n\r\nstop\n", "stop\nstatus\n", &"a".repeat(5000)] {
        let mut stream = tokio::net::TcpStream::connect(&link.address).await.expect("connected");
        stream.write_all(bytes.as_bytes()).await.expect("sent");
        let mut answer = Vec::new();
        // It may be cut off with what was not read; what it answered comes first.
        let _ = stream.read_to_end(&mut answer).await;
        let answer = String::from_utf8_lossy(&answer);
        assert!(answer.is_empty() || answer.starts_with("no this machine obeys") && answer.lines().count() == 1, "{answer}");
    }
    assert_eq!(Driver::connect(&link).await.expect("let in").status().await.expect("status").state, State::Idle);
}

/// A controller that answers every line with the same bytes.
async fn stubborn(answer: Vec<u8>) -> Link {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
    let address = listener.local_addr().expect("its address").to_string();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            let answer = answer.clone();
            tokio::spawn(async move {
                let mut greeting = [0; 64];
                let _ = stream.read(&mut greeting).await;
                let _ = stream.write_all(b"ok lark Lark\n").await;
                while matches!(stream.read(&mut greeting).await, Ok(1..)) {
                    if stream.write_all(&answer).await.is_err() {
                        return;
                    }
                }
            });
        }
    });
    Link::new(address, TOKEN)
}

#[tokio::test]
async fn answers_that_make_no_sense_are_said_and_bounded() {
    for (answer, why) in [
        ("ok running x=NaN y=0\n".to_owned(), "is no figure"),
        ("ok running seconds=inf\n".to_owned(), "is no figure"),
        ("ok running line=-3\n".to_owned(), "is no figure"),
        ("ok dancing x=1\n".to_owned(), "“dancing” is no state"),
        ("okay\n".to_owned(), "not understood"),
        ("\n".to_owned(), "not understood"),
        ("x".repeat(100_000), "not understood"),
    ] {
        let mut driver = Driver::connect(&stubborn(answer.clone().into_bytes()).await).await.expect("greeted");
        let error = driver.status().await.expect_err("no status").to_string();
        assert!(error.contains(why) && error.len() < 300, "{}: {error}", answer.chars().take(40).collect::<String>());
    }
    let mut driver = Driver::connect(&stubborn(Vec::new()).await).await.expect("greeted");
    assert!(matches!(driver.status().await, Err(DriverError::Silent(_))), "silence is told");
}

/// A Lark that holds the square for run 1, and the word that starts it.
fn loaded() -> (Simulated, String) {
    let lark = panel(1.0);
    lark.answer(&load("square", SQUARE, 1));
    for (i, line) in SQUARE.lines().enumerate() {
        lark.answer(&format!("{} {line}", i + 1));
    }
    assert!(lark.answer("end").starts_with("ok "));
    (lark, format!("start 1 {}", checksum(SQUARE)))
}

fn status(lark: &Simulated) -> Status {
    lark.answer("status")[3..].parse().expect("status")
}

#[test]
fn what_lost_something_on_its_way_is_not_believed() {
    let (lark, start) = loaded();
    let said = lark.answer("status");
    let said = said.strip_prefix("ok ").expect("a status");
    assert!(said.parse::<Status>().is_ok());
    for i in 0..said.len() {
        let mut torn = said.to_owned();
        torn.remove(i);
        // What is lost of the check itself may be missed: nothing else is lost then.
        if let Ok(believed) = torn.parse::<Status>() {
            assert_eq!(believed, status(&lark), "{torn}");
        }
    }
    // A zero that was heard to lie elsewhere starts nothing.
    assert!(lark.answer(&format!("{start} 10.000 0.000")).contains("its zero was heard to lie at 0.000, 0.000"));
    assert_eq!(lark.answer(&format!("{start} 0.000 0.000")), "ok");
    assert_eq!(lark.answer("watch 30"), "ok 30");
}

#[test]
fn an_alarm_stops_it_and_nothing_goes_on_before_it_is_cleared() {
    for (befalls, alarm) in [("room flame", Alarm::Flame), ("room limit", Alarm::Limit)] {
        let (lark, start) = loaded();
        assert_eq!(lark.answer(&start), "ok");
        lark.pass(1.5);
        assert!(status(&lark).beam);
        assert_eq!(lark.answer(befalls), "ok");
        let stopped = status(&lark);
        assert!(stopped.state == State::Fault && stopped.alarm == Some(alarm) && !stopped.beam, "{stopped}");
        lark.pass(10.0);
        assert_eq!(status(&lark).x, stopped.x);
        let words = ["resume".to_owned(), load("again", SQUARE, 2), start, "walk".into(), "zero".into()];
        assert!(words.iter().all(|w| lark.answer(w).starts_with("no ")), "{alarm}");
        assert_eq!(lark.answer("clear"), "ok");
        assert!(lark.answer(&load("again", SQUARE, 2)).starts_with("ok"));
        assert_eq!(status(&lark).unknown, alarm == Alarm::Limit, "steps are lost at a limit");
    }
    // Through an open door it holds still, and goes on by one word when it is shut.
    let (lark, start) = loaded();
    lark.answer(&start);
    lark.pass(1.5);
    lark.answer("room door open");
    let still = status(&lark);
    assert!(still.state == State::Paused && still.alarm == Some(Alarm::Door) && !still.beam, "{still}");
    assert!(["resume", "zero", "walk"].iter().all(|w| lark.answer(w).starts_with("no ")));
    assert_eq!(lark.answer("clear"), "no the door is open still; shut it");
    lark.pass(10.0);
    assert_eq!((lark.answer("room door shut").as_str(), status(&lark).alarm), ("ok", None), "it goes with the door");
    assert_eq!(lark.answer("resume"), "ok");
    lark.pass(1e4);
    assert_eq!(status(&lark).state, State::Done);
    // An open door lets nothing begin.
    let (lark, start) = loaded();
    lark.answer("room door open");
    assert!(status(&lark).alarm.is_none() && lark.answer(&start).contains("the door is open"));
}

#[test]
fn what_lost_its_power_finds_zero_first() {
    let (lark, start) = loaded();
    lark.answer(&start);
    lark.pass(1.0);
    lark.answer("room power");
    let back = status(&lark);
    assert!(back.state == State::Idle && back.held.is_none() && back.unknown, "{back}");
    lark.answer(&load("square", SQUARE, 1));
    for (i, line) in SQUARE.lines().enumerate() {
        lark.answer(&format!("{} {line}", i + 1));
    }
    lark.answer("end");
    assert!(lark.answer(&start).contains("find zero") && lark.answer("walk").contains("find zero"));
    assert_eq!((lark.answer("zero"), lark.answer(&start)), ("ok".into(), "ok".into()));
}

#[test]
fn a_walk_goes_round_with_the_beam_off_and_starts_nothing() {
    let (lark, start) = loaded();
    assert_eq!(lark.answer("walk"), "ok");
    let mut corners = [false; 4];
    for _ in 0..5000 {
        let s = status(&lark);
        assert!(!s.beam);
        for (seen, (x, y)) in corners.iter_mut().zip([(10.0, 10.0), (60.0, 10.0), (60.0, 60.0), (10.0, 60.0)]) {
            *seen |= (s.x - x).hypot(s.y - y) < 1.5;
        }
        if s.state == State::Ready {
            break;
        }
        lark.pass(0.002);
    }
    assert!(corners.iter().all(|c| *c) && status(&lark).state == State::Ready);
    assert_eq!((lark.answer("walk"), lark.answer("stop")), ("ok".into(), "ok".into()));
    assert_eq!((status(&lark).state, lark.answer(&start)), (State::Ready, "ok".into()));
}

#[tokio::test]
async fn who_watches_the_line_stops_without_it() {
    for (watch, state) in [("watch 0.1", State::Fault), ("watch 0", State::Running)] {
        let (lark, start) = loaded();
        assert_eq!((lark.answer(watch), lark.answer(&start)), (watch.replace("watch", "ok"), "ok".into()));
        // Without a word for longer than that.
        tokio::time::sleep(Duration::from_millis(150)).await;
        lark.pass(0.1);
        assert_eq!((status(&lark).state, status(&lark).alarm.is_some()), (state, state == State::Fault));
    }
    // The line is cut: what is connected is cut off, and nobody gets in until it is mended.
    let link = lark(1.0).await;
    let mut driver = Driver::connect(&link).await.expect("connected");
    driver.ask("room line 6").await.expect("cut");
    // However busy this computer is: it happens soon, and it is mended later.
    let mut tries = 0;
    while driver.status().await.is_ok() {
        tries += 1;
        assert!(tries < 100, "it is not cut off");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    for _ in 0..20 {
        assert!(Driver::connect(&link).await.is_err(), "somebody gets in");
    }
    let mut tries = 0;
    while Driver::connect(&link).await.is_err() {
        tries += 1;
        assert!(tries < 1000, "it is not mended");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

#[test]
fn what_drags_takes_longer_and_says_so() {
    let (lark, start) = loaded();
    assert!(lark.answer("room drag 50").starts_with("no ") && lark.answer("room dance").starts_with("no "));
    lark.answer("room drag 1.25");
    lark.answer(&start);
    (0..2000).for_each(|_| lark.pass(0.01));
    let done = status(&lark);
    assert!(done.state == State::Done && (done.seconds / done.total - 1.25).abs() < 1e-3, "{done}");
}

proptest! {
    /// What is said of a machine is understood as it was meant; whatever else comes is taken without panic and is finite.
    #[test]
    fn a_status_comes_back(x in -1e4..1e4_f64, line in 0..1_000_000_usize, seconds in 0.0..1e6_f64, run in 0..i32::MAX) {
        let held = Some(super::Held { name: "a.nc".into(), sum: checksum("M2"), run });
        let status = Status { state: State::Running, x, line, of: line, seconds, total: seconds, held, ..Status::default() };
        let back: Status = status.to_string().parse().expect("understood");
        prop_assert!((back.x - x).abs() < 0.001 && back.line == line && back.held == status.held);
    }

    #[test]
    fn strange_answers_do_no_harm(text in "(running|idle|paused)?( (x|y|line|of|seconds|total|run|sum)=[-+0-9.eENnaIif]{0,12}){0,8}") {
        if let Ok(s) = text.parse::<Status>() {
            prop_assert!(s.x.is_finite() && s.y.is_finite() && s.seconds.is_finite() && s.total.is_finite());
        }
    }
}

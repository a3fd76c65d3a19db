//! What befalls the shop, its machines and its lines.

use super::record::Place;
use super::wires::Weather;
use super::{MACHINES, Station, World, locked, one_of};
use boustrophe_machine::{State, checksum};
use rand::Rng;
use rand::rngs::StdRng;
use std::sync::Arc;
use std::time::Duration;
use tokio::time::{Instant, sleep};

impl World {
    /// What befalls the shop, its machines and lines, until all have gone home.
    pub(super) async fn befalls(self: Arc<Self>, mut chance: StdRng) {
        loop {
            sleep(Duration::from_millis(chance.random_range(500..12_000))).await;
            let seconds = Duration::from_millis(chance.random_range(300..9000));
            let machine = *one_of(&mut chance, &MACHINES).expect("a machine");
            let station = Arc::clone(&self.stations[machine]);
            match chance.random_range(0..26) {
                0..3 => self.line(machine, "is cut", |w| w.cut = Some(Instant::now() + seconds)),
                3..6 => self.line(machine, "is silent", |w| w.silent = Some(Instant::now() + seconds)),
                6 => self.line(machine, "loses bytes", |w| w.loses = 12),
                7 => self.line(machine, "is well", |w| w.loses = 0),
                8..10 => self.room(machine, &station, "room door open"),
                10..12 => self.room(machine, &station, "room door shut"),
                12 => self.room(machine, &station, "room flame"),
                13 => self.room(machine, &station, "room limit"),
                14 => self.room(machine, &station, "room power"),
                15 => self.panel(machine, &station),
                16 => self.room(machine, &station, "stop"),
                17..20 => {
                    self.kill(None);
                    sleep(seconds).await;
                }
                20 => {
                    self.note("the disk is full");
                    locked(&self.disk).full = Some(Instant::now() + seconds);
                    self.weather();
                    sleep(seconds).await;
                    self.weather();
                }
                21 => locked(&self.disk).slow = Some(Instant::now() + seconds),
                22 => self.another_shop(machine, &station),
                23 => self.room(machine, &station, "clear"),
                _ => self.room(machine, &station, "zero"),
            }
            if self.app().is_none() {
                self.open();
            }
        }
    }

    fn line(&self, machine: &str, what: &str, change: impl FnOnce(&mut Weather)) {
        self.note(&format!("the line to {machine} {what}"));
        change(&mut locked(&self.stations[machine].wires.weather));
    }

    /// Something at the machine itself.
    pub(super) fn room(&self, machine: &str, station: &Station, words: &str) {
        self.look(machine, station);
        let answer = station.controller.answer(words);
        self.note(&format!("at {machine}: {words}: {answer}"));
        self.look(machine, station);
    }

    /// Somebody loads and starts a program of their own at the machine's panel.
    fn panel(&self, machine: &str, station: &Station) {
        let at: Place = (5.0, 5.0);
        let program = format!("G21 G90\nM5\n(1 Cut)\nG0 X{} Y{}\nM3 S400\nG1 X40 Y5 F1200\nM5\nM2\n", at.0, at.1);
        let sum = checksum(&program);
        let mut words = vec![format!("load own.nc {} {sum} 0 0 0", program.lines().count())];
        words.extend(program.lines().enumerate().map(|(i, l)| format!("{} {l}", i + 1)));
        words.extend(["end".to_owned(), format!("start 0 {sum}")]);
        for w in words {
            self.look(machine, station);
            if station.controller.answer(&w).starts_with("no") {
                break;
            }
        }
        self.note(&format!("at {machine}: a program of their own"));
        self.look(machine, station);
    }

    /// A second shop speaks to the machine: where ours has it, it is told so, and changes nothing.
    fn another_shop(&self, machine: &str, station: &Station) {
        let before = station.controller.stands();
        let told = station.controller.answer("hold other-shop");
        if matches!(before.state, State::Running | State::Paused | State::Ready | State::Walking | State::Loading)
            && before.held.as_ref().is_some_and(|h| h.run != 0)
        {
            assert!(told.starts_with("no another shop"), "{machine} is busy for us, and another shop is told {told}");
        }
        self.note(&format!("another shop asks for {machine}: {told}"));
    }
}

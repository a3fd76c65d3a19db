//! A machine's controller beside the shop.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

/// A simulated controller as a process of its own: it goes on while shops come and go.
pub struct Controller {
    process: Child,
    /// What a shop is told of it.
    pub link: String,
}

impl Controller {
    pub fn lark(speed: &str) -> Self {
        let mut process = Command::new(env!("CARGO_BIN_EXE_boustrophe"))
            .args(["controller", "lark", "--token", "beeswax", "--machine-speed", speed])
            .stdout(Stdio::piped())
            .spawn()
            .expect("the controller starts");
        let mut line = String::new();
        BufReader::new(process.stdout.take().expect("its output")).read_line(&mut line).expect("it says its address");
        let address = line.split_whitespace().last().expect("an address").to_owned();
        Self { process, link: format!("lark={address},beeswax") }
    }
}

impl Drop for Controller {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

//! What may befall a simulated machine.

use std::str::FromStr;

/// What may befall a machine, as the machine room brings it about: the words behind `room`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Fault {
    /// `door open`, `door shut`.
    Door(bool),
    /// `flame`: something burns that should not.
    Flame,
    /// `limit`: the head runs into the end of its way.
    Limit,
    /// `power`: the mains fail; it comes back with nothing, and does not know where its head is.
    Power,
    /// `line SECONDS`: nobody reaches it for so long.
    Line(f64),
    /// `speed FACTOR`: machine seconds that pass in a second.
    Speed(f64),
    /// `drag FACTOR`: everything takes so many times as long as its own reckoning says.
    Drag(f64),
}

impl FromStr for Fault {
    type Err = String;
    fn from_str(words: &str) -> Result<Self, String> {
        let figure = |text: &str, least: f64, most: f64| {
            let figure = text.parse().ok().filter(|v| (least..=most).contains(v));
            figure.ok_or_else(|| format!("{least} to {most} is what can be set"))
        };
        match words.split_once(' ').unwrap_or((words, "")) {
            ("door", "open") => Ok(Self::Door(true)),
            ("door", "shut") => Ok(Self::Door(false)),
            ("flame", "") => Ok(Self::Flame),
            ("limit", "") => Ok(Self::Limit),
            ("power", "") => Ok(Self::Power),
            ("line", seconds) => figure(seconds, 0.0, 600.0).map(Self::Line),
            ("speed", factor) => figure(factor, 0.01, 10_000.0).map(Self::Speed),
            ("drag", factor) => figure(factor, 0.2, 5.0).map(Self::Drag),
            _ => Err("the room knows door open, door shut, flame, limit, power, line, speed and drag".into()),
        }
    }
}

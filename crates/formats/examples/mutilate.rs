//! Long-running test of one reader: `cargo run --release --example mutilate -- FORMAT SECONDS DIR [SEED]`; with a file
//! alone it tells what is in it.
//!
//! Takes the demo drawings of a format as they are and damages them: bytes, numbers, lines, pieces moved about. What is
//! read is also cleaned, as a job would. A panic, or more than five seconds on one file, saves that file in DIR. Memory
//! is bounded from outside: `scripts/mutilate` sets the limit.

use boustrophe_core::decisions::DrawingDecisions;
use boustrophe_core::drawing::{Drawing, Unit};
use boustrophe_core::shop::Shop;
use boustrophe_core::{clean, intake};
use rand::rngs::SmallRng;
use rand::{Rng as _, SeedableRng};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// Longest that one file may take, on the clock and of the processor: a machine that is busy with other things is no hang.
const LONGEST: Duration = Duration::from_secs(5);
/// Values at which arithmetic tends to break.
const EVIL: [&str; 16] = [
    "0",
    "-1",
    "1e308",
    "-1e308",
    "1e-320",
    "NaN",
    "inf",
    "2147483648",
    "-2147483649",
    "4294967295",
    "65535",
    "1e12",
    "0.000001",
    "999999999999999999999",
    "",
    ".",
];

/// The file that is being read, and since when.
type InHand = Arc<Mutex<Option<(Instant, Duration, Vec<u8>)>>>;

/// Time that this process has worked, whatever else the machine does: ticks of a hundredth from `/proc`.
fn worked() -> Duration {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or("").split_whitespace().collect();
    let ticks = |i: usize| fields.get(i).and_then(|f| f.parse::<u64>().ok()).unwrap_or(0);
    Duration::from_millis((ticks(11) + ticks(12)) * 10)
}

fn main() {
    let args: Vec<String> = std::env::args().collect();
    if let [_, file] = args.as_slice() {
        return tell(file);
    }
    let [_, format, seconds, dir, rest @ ..] = args.as_slice() else {
        eprintln!("mutilate FORMAT SECONDS DIR [SEED]");
        std::process::exit(2);
    };
    let seconds: u64 = seconds.parse().unwrap_or(600);
    let seed: u64 = rest.first().and_then(|s| s.parse().ok()).unwrap_or(1);
    let corpus = corpus(format);
    assert!(!corpus.is_empty(), "no drawings of {format} to damage");
    let mut dice = Dice(SmallRng::seed_from_u64(seed));
    let now: InHand = Arc::default();
    watch(Arc::clone(&now), PathBuf::from(dir), format.clone());
    std::panic::set_hook(Box::new(|_| {}));
    let began = Instant::now();
    let (mut files, mut read, mut panics, mut slowest) = (0_u64, 0_u64, 0_u64, Duration::ZERO);
    while began.elapsed().as_secs() < seconds && panics < 20 {
        let bytes = damaged(&corpus, &mut dice);
        let start = worked();
        if let Ok(mut now) = now.lock() {
            *now = Some((Instant::now(), start, bytes.clone()));
        }
        match std::panic::catch_unwind(|| one(&format!("damaged.{format}"), &bytes)) {
            Ok(good) => read += u64::from(good),
            Err(cause) => {
                panics += 1;
                let what =
                    cause.downcast_ref::<String>().cloned().or(cause.downcast_ref::<&str>().map(|s| (*s).to_owned())).unwrap_or_default();
                println!("panic: {what}: {}", keep(Path::new(dir), format, &bytes).display());
            }
        }
        slowest = slowest.max(worked().saturating_sub(start));
        files += 1;
    }
    println!(
        "{format}: {files} files in {} s, {read} of them read, {panics} panics, slowest {} ms of the processor",
        began.elapsed().as_secs(),
        slowest.as_millis()
    );
    std::process::exit(i32::from(panics > 0));
}

/// What is in a file that was kept: how many strokes of which size, and how long each step takes.
fn tell(file: &str) {
    let bytes = std::fs::read(file).unwrap_or_default();
    let start = Instant::now();
    match boustrophe_formats::read(file, &bytes) {
        Err(error) => println!("{error}"),
        Ok(d) => {
            println!("{} strokes, read in {} ms; skipped {:?}", d.entities.len(), start.elapsed().as_millis(), d.skipped);
            let mut sizes: Vec<(String, usize)> = Vec::new();
            for e in &d.entities {
                let boustrophe_core::drawing::Shape::Path { curves, .. } = &e.shape else { continue };
                for c in curves {
                    let b = c.bounds();
                    let kind = format!("{c:?}").chars().take_while(|c| c.is_alphabetic()).collect::<String>();
                    let size = format!("{kind} 1e{:.0}", b.width().max(b.height()).log10().ceil());
                    match sizes.iter_mut().find(|s| s.0 == size) {
                        Some(s) => s.1 += 1,
                        None => sizes.push((size, 1)),
                    }
                }
            }
            sizes.sort();
            println!("{sizes:?}");
            let start = Instant::now();
            clean(&d, file);
            println!("cleaned in {} ms, {} ms of the processor so far", start.elapsed().as_millis(), worked().as_millis());
        }
    }
}

/// Reads and cleans one file; true when it could be read.
fn one(name: &str, bytes: &[u8]) -> bool {
    boustrophe_formats::read(name, bytes).is_ok_and(|drawing| {
        clean(&drawing, name);
        true
    })
}

/// Takes a drawing through the stations that work on whatever comes.
fn clean(drawing: &Drawing, name: &str) {
    let shop = Shop::builtin();
    let mut decisions = DrawingDecisions::new(1, "hash", name);
    decisions.unit = Some(Unit::Mm);
    let (intake, _) = intake::run(drawing, &decisions, &shop.machines[0].bed());
    let _ = clean::run(drawing, &intake, &decisions, &shop.tolerance);
}

/// Ends the run when one file takes too long, and keeps that file.
fn watch(now: InHand, dir: PathBuf, format: String) {
    std::thread::spawn(move || {
        loop {
            std::thread::sleep(Duration::from_millis(200));
            let Ok(now) = now.lock() else { continue };
            let too_long = |began: Instant, start: Duration| began.elapsed() > LONGEST && worked().saturating_sub(start) > LONGEST;
            if let Some((_, _, bytes)) = now.as_ref().filter(|n| too_long(n.0, n.1)) {
                println!("hang: {}", keep(&dir, &format, bytes).display());
                std::process::exit(1);
            }
        }
    });
}

fn keep(dir: &Path, format: &str, bytes: &[u8]) -> PathBuf {
    let hash = bytes.iter().fold(0xcbf2_9ce4_8422_2325_u64, |h, b| (h ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3));
    let path = dir.join(format!("{hash:016x}.{format}"));
    if let Err(e) = std::fs::create_dir_all(dir).and_then(|()| std::fs::write(&path, bytes)) {
        println!("not kept: {e}");
    }
    path
}

fn corpus(format: &str) -> Vec<Vec<u8>> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let found = [root.join("../../demo"), root.join("seeds")].into_iter().filter_map(|d| std::fs::read_dir(d).ok());
    let files = found.flatten().flatten().map(|e| e.path()).filter(|p| p.extension().is_some_and(|e| e == format));
    let mut all: Vec<(PathBuf, Vec<u8>)> = files.filter_map(|p| std::fs::read(&p).ok().map(|b| (p, b))).collect();
    all.sort();
    all.into_iter().map(|f| f.1).collect()
}

struct Dice(SmallRng);

impl Dice {
    fn below(&mut self, n: usize) -> usize {
        self.0.random_range(0..n.max(1))
    }
}

/// A drawing of the corpus, damaged in one to eight places.
fn damaged(corpus: &[Vec<u8>], dice: &mut Dice) -> Vec<u8> {
    let mut bytes = corpus[dice.below(corpus.len())].clone();
    for _ in 0..=dice.below(8) {
        if bytes.is_empty() {
            break;
        }
        let at = dice.below(bytes.len());
        let length = dice.below(64).min(bytes.len() - at);
        match dice.below(9) {
            0 => bytes[at] = dice.below(256) as u8,
            1 => bytes[at] ^= 1 << dice.below(8),
            2 => drop(bytes.drain(at..at + length)),
            3 => {
                let piece = bytes[at..at + length].to_vec();
                let to = dice.below(bytes.len());
                bytes.splice(to..to, piece);
            }
            4 => {
                let other = &corpus[dice.below(corpus.len())];
                let from = dice.below(other.len());
                let piece = other[from..(from + length * 8).min(other.len())].to_vec();
                bytes.splice(at..at + length, piece);
            }
            5 => bytes.truncate(at.max(bytes.len() / 2)),
            6 => {
                // The next number becomes an evil one.
                if let Some(start) = bytes[at..].iter().position(u8::is_ascii_digit).map(|p| p + at) {
                    let end = bytes[start..].iter().position(|b| !b.is_ascii_digit() && *b != b'.').map_or(bytes.len(), |p| p + start);
                    bytes.splice(start..end, EVIL[dice.below(EVIL.len())].bytes());
                }
            }
            7 => {
                // A line, or what stands for one, again and again.
                let end = bytes[at..].iter().position(|b| *b == b'\n').map_or(bytes.len(), |p| p + at);
                let line = bytes[at..end.min(at + 200)].to_vec();
                (0..dice.below(50)).for_each(|_| drop(bytes.splice(at..at, line.iter().copied())));
            }
            _ => {
                let n = length.min(4);
                let word = [0_u32, 1, u32::MAX, 0x7f80_0000, 0x7fc0_0000, 0x8000_0000, 0x00ff_ffff][dice.below(7)].to_le_bytes();
                bytes[at..at + n].copy_from_slice(&word[..n]);
            }
        }
    }
    bytes
}

//! Wires to a controller that are cut, fall silent, and lose bytes.

use super::locked;
use boustrophe_machine::{Dial, Laying, Simulated, Wire};
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::io;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt, DuplexStream, ReadHalf, WriteHalf, duplex, split};
use tokio::time::{Instant, sleep};

/// Bytes that a wire holds.
const ROOM: usize = 64 << 10;

/// What befalls the wires just now.
#[derive(Default)]
pub(super) struct Weather {
    /// Nobody gets through until then, and what was through has ended.
    pub(super) cut: Option<Instant>,
    /// What is sent arrives only then.
    pub(super) silent: Option<Instant>,
    /// Of so many pieces of what is sent one loses a byte; 0 for none.
    pub(super) loses: u32,
}

/// All wires to one controller.
pub(super) struct Wires {
    controller: Simulated,
    pub(super) weather: Mutex<Weather>,
    chance: Mutex<StdRng>,
}

impl Wires {
    pub(super) fn new(controller: Simulated, seed: u64) -> Arc<Self> {
        Arc::new(Self { controller, weather: Mutex::default(), chance: Mutex::new(StdRng::seed_from_u64(seed)) })
    }

    fn is_cut(&self) -> bool {
        locked(&self.weather).cut.is_some_and(|until| Instant::now() < until)
    }

    /// Carries what one end says to the other until the wire is cut or either end is closed.
    async fn carry(self: Arc<Self>, mut from: ReadHalf<DuplexStream>, mut to: WriteHalf<DuplexStream>) {
        let mut piece = vec![0; 2048];
        loop {
            let Ok(n) = from.read(&mut piece).await else { return };
            if n == 0 {
                let _ = to.shutdown().await;
                return;
            }
            let (wait, lost) = {
                let (mut chance, weather) = (locked(&self.chance), locked(&self.weather));
                let wait = Duration::from_micros(chance.random_range(100..3000));
                let silent = weather.silent.map_or(Duration::ZERO, |until| until.saturating_duration_since(Instant::now()));
                let lost = weather.loses > 0 && chance.random_ratio(1, weather.loses);
                (wait + silent, lost.then(|| chance.random_range(0..n)))
            };
            sleep(wait).await;
            if self.is_cut() {
                return;
            }
            let kept: Vec<u8> = piece[..n].iter().enumerate().filter(|(i, _)| Some(*i) != lost).map(|(_, b)| *b).collect();
            if to.write_all(&kept).await.is_err() {
                return;
            }
        }
    }
}

/// What the shop dials with: it holds the wires to one controller.
pub(super) struct Over(pub(super) Arc<Wires>);

impl Dial for Over {
    fn dial<'a>(&'a self, _: &'a str) -> Laying<'a> {
        let wires = Arc::clone(&self.0);
        Box::pin(async move {
            let wait = locked(&wires.chance).random_range(200..2000);
            sleep(Duration::from_micros(wait)).await;
            if wires.is_cut() {
                return Err(io::ErrorKind::ConnectionRefused.into());
            }
            let (near, here) = duplex(ROOM);
            let (there, far) = duplex(ROOM);
            let ((near_reads, near_writes), (far_reads, far_writes)) = (split(here), split(there));
            let controller = wires.controller.clone();
            tokio::spawn(async move { controller.attend(far).await });
            // Both ways end together.
            tokio::spawn(async move {
                tokio::select! {
                    biased;
                    () = Arc::clone(&wires).carry(near_reads, far_writes) => {}
                    () = Arc::clone(&wires).carry(far_reads, near_writes) => {}
                    () = async { while !wires.is_cut() { sleep(Duration::from_millis(50)).await } } => {}
                }
            });
            Ok(Box::new(near) as Box<dyn Wire>)
        })
    }
}

//! A shop, a browser, and a hand to work them with. Each test opens its own on free ports and shuts them again.

use std::io::{BufRead, BufReader};
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// Longest wait for anything on a page: other tests may have the processor.
const PATIENCE: Duration = Duration::from_secs(90);
/// Between two looks.
const PAUSE: Duration = Duration::from_millis(60);

/// A shop that runs as a process of its own.
pub struct Shop {
    process: Child,
    pub address: String,
    pub data: tempfile::TempDir,
}

impl Shop {
    /// Opens `boustrophe COMMAND` over an empty folder.
    pub fn open(command: &str) -> Self {
        Self::over(command, tempfile::tempdir().expect("a folder"))
    }

    /// Opens it with further words, at an address of its own or the one it had.
    pub fn with(command: &str, data: tempfile::TempDir, listen: &str, more: &[&str]) -> Self {
        let mut process = Command::new(env!("CARGO_BIN_EXE_boustrophe"))
            .args([command, "--listen", listen])
            .args(more)
            .arg("--data")
            .arg(data.path())
            .env("RUST_LOG", "warn")
            .stdout(Stdio::piped())
            .spawn()
            .expect("the shop opens");
        let lines = BufReader::new(process.stdout.take().expect("its output")).lines();
        let address = lines
            .map_while(Result::ok)
            .find_map(|line| line.split_whitespace().find(|w| w.starts_with("http://")).map(|a| a.trim_end_matches('/').to_owned()))
            .expect("it says its address");
        Self { process, address, data }
    }

    fn over(command: &str, data: tempfile::TempDir) -> Self {
        Self::with(command, data, "127.0.0.1:0", &["--machine-speed", "200"])
    }

    /// Cuts it off as a power cut would, and gives its data.
    pub fn killed(mut self) -> tempfile::TempDir {
        self.process.kill().expect("it can be killed");
        self.process.wait().expect("it ends");
        std::mem::replace(&mut self.data, tempfile::tempdir().expect("a folder"))
    }

    /// Stops it in its tracks, or lets it go on: to its pages as if the line were cut.
    pub fn frozen(&self, on: bool) {
        let word = if on { "-STOP" } else { "-CONT" };
        assert!(Command::new("kill").args([word, &self.process.id().to_string()]).status().expect("told").success());
    }

    /// Cuts it off as a power cut would, and opens it again.
    pub fn killed_and_opened(self, command: &str) -> Self {
        Self::over(command, self.killed())
    }
}

impl Drop for Shop {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

/// A headless browser with its driver.
pub struct Browser {
    driver: Child,
    pub page: WebDriver,
    _profile: tempfile::TempDir,
}

impl Browser {
    pub async fn open() -> Self {
        let port = TcpListener::bind("127.0.0.1:0").and_then(|l| l.local_addr()).expect("a free port").port();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver is there; scripts/test installs it");
        let profile = tempfile::tempdir().expect("a folder");
        let mut wishes = DesiredCapabilities::chrome();
        let folder = format!("--user-data-dir={}", profile.path().display());
        for word in ["--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--window-size=1280,800", &folder] {
            wishes.add_arg(word).expect("a flag");
        }
        let began = Instant::now();
        loop {
            match WebDriver::new(format!("http://127.0.0.1:{port}"), wishes.clone()).await {
                Ok(page) => return Self { driver, page, _profile: profile },
                Err(error) => assert!(began.elapsed() < PATIENCE, "the browser does not start: {error}"),
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    pub async fn shut(self) {
        let _ = self.page.clone().quit().await;
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

/// What a person does at the bench.
pub struct Hand<'a> {
    pub page: &'a WebDriver,
    pub shop: &'a str,
}

impl Hand<'_> {
    pub async fn go(&self, path: &str) {
        self.page.goto(format!("{}{path}", self.shop)).await.expect("the page loads");
    }

    /// Waits until a script gives true. The script is an expression.
    pub async fn until(&self, what: &str, expression: &str) {
        let began = Instant::now();
        loop {
            let script = format!("try {{ return !!({expression}) }} catch (e) {{ return false }}");
            let found = self.page.execute(script, Vec::new()).await;
            if found.as_ref().is_ok_and(|f| f.json().as_bool() == Some(true)) {
                return;
            }
            if began.elapsed() > PATIENCE {
                let text = self.text("body").await;
                panic!("{what}: waited in vain for {expression}\n{text}");
            }
            tokio::time::sleep(PAUSE).await;
        }
    }

    pub async fn text(&self, selector: &str) -> String {
        let script = format!("return document.querySelector({selector:?})?.innerText ?? ''");
        let found = self.page.execute(script, Vec::new()).await.expect("a script runs");
        found.json().as_str().unwrap_or_default().to_owned()
    }

    /// The value of a script's expression.
    pub async fn value(&self, expression: &str) -> serde_json::Value {
        self.page.execute(format!("return {expression}"), Vec::new()).await.expect("a script runs").json().clone()
    }

    /// Does something with what is under `selector`. It may not be there yet, or be drawn anew between being found and being
    /// touched: then once more.
    async fn with<F: AsyncFn(&WebElement) -> WebDriverResult<()>>(&self, selector: &str, doing: F) {
        let began = Instant::now();
        loop {
            let done = match self.page.find(By::Css(selector)).await {
                Ok(found) => doing(&found).await,
                Err(error) => Err(error),
            };
            match done {
                Ok(()) => return,
                Err(error) if began.elapsed() > PATIENCE => panic!("{selector}: {error}\n{}", self.text("body").await),
                Err(_) => tokio::time::sleep(PAUSE).await,
            }
        }
    }

    pub async fn click(&self, selector: &str) {
        self.with(selector, async |found| found.click().await).await;
    }

    /// Presses a key; a letter is the page's: whatever field has the keyboard is left before.
    pub async fn press(&self, key: &str) {
        if key.len() == 1 && key.chars().all(char::is_alphabetic) {
            self.leave_field().await;
        }
        self.page.action_chain().send_keys(key).perform().await.expect("a key");
    }

    /// Leaves whatever field has the keyboard, as Escape does, without letting go of anything on the stage.
    pub async fn leave_field(&self) {
        self.value("(document.activeElement !== document.body && document.activeElement.blur(), 1)").await;
    }

    /// Presses `Ctrl` with another key.
    pub async fn press_ctrl(&self, key: char) {
        if key == 'z' {
            self.leave_field().await;
        }
        self.page.action_chain().key_down(Key::Control).send_keys(key.to_string()).key_up(Key::Control).perform().await.expect("keys");
    }

    /// Revision in force on the page.
    pub async fn revision(&self) -> i64 {
        self.value("Number(document.querySelector('#docket').dataset.revision)").await.as_i64().unwrap_or(-1)
    }

    /// Does something and waits until the page shows another revision with its stage drawn.
    pub async fn change<F: Future<Output = ()>>(&self, what: &str, doing: F) {
        let before = self.revision().await;
        doing.await;
        self.until(what, &format!("document.querySelector('#docket').dataset.revision != {before}")).await;
        self.drawn().await;
    }

    /// Waits until the stage shows what the docket is about.
    pub async fn drawn(&self) {
        let ready = "document.body.dataset.ready == document.querySelector('#docket').dataset.revision + document.querySelector('#docket').dataset.station";
        self.until("the stage", ready).await;
    }

    /// Goes to a station by its key and waits until it is drawn.
    pub async fn station(&self, key: &str, slug: &str) {
        self.leave_field().await;
        self.press(key).await;
        self.until(slug, &format!("document.querySelector('#docket').dataset.station == {slug:?}")).await;
        self.drawn().await;
    }

    /// Begins a job.
    pub async fn begin(&self, name: &str) {
        self.go("/").await;
        self.with(".begin input", async |field| field.send_keys(name).await).await;
        self.click(".begin button").await;
        self.until("intake", "document.querySelector('#docket')?.dataset.station == 'intake'").await;
        self.drawn().await;
    }

    /// Begins a job and gives it files.
    pub async fn job_with(&self, name: &str, files: &[PathBuf]) {
        self.begin(name).await;
        self.change("the upload", self.pick(files)).await;
    }

    /// Gives files to the picker.
    pub async fn pick(&self, files: &[PathBuf]) {
        let paths: Vec<String> = files.iter().map(|f| f.display().to_string()).collect();
        self.with("input[type=file]", async |picker| picker.send_keys(paths.join("\n")).await).await;
    }

    /// Gives a file to a field that takes one.
    pub async fn upload(&self, selector: &str, file: &std::path::Path) {
        self.with(selector, async |field| field.send_keys(file.display().to_string()).await).await;
    }

    /// Chooses an option of the select under `selector`.
    pub async fn choose(&self, selector: &str, value: &str) {
        self.click(&format!("{selector} option[value={value:?}]")).await;
    }

    /// Types into a field in place of what is there and leaves it.
    pub async fn fill(&self, selector: &str, text: &str) {
        self.page_type(selector, &format!("{text}{}", Key::Tab.value())).await;
    }

    /// Types into a field in place of what is there, and stays in it.
    pub async fn page_type(&self, selector: &str, text: &str) {
        self.with(selector, async |field| {
            field.send_keys(Key::Control + "a").await?;
            field.send_keys(text).await
        })
        .await;
    }

    /// A picture of the page, into the folder named by BOUSTROPHE_SHOTS; nothing without it.
    pub async fn shoot(&self, name: &str) {
        if let Ok(folder) = std::env::var("BOUSTROPHE_SHOTS") {
            self.page.screenshot(&Path::new(&folder).join(format!("{name}.png"))).await.expect("a picture");
        }
    }

    /// Nests, stops the search at its first layout, and waits until that is kept.
    pub async fn nest(&self) {
        let before = self.revision().await;
        let nested = async {
            self.click("#nest-start").await;
            let kept = format!("document.querySelector('#docket').dataset.revision != {before}");
            self.until("a layout", &format!("{kept} || /yield/.test(document.querySelector('#search-shown').textContent)")).await;
            let stop = "const b = document.querySelector('#nest-stop'); if (b && !b.hidden) b.click()";
            self.page.execute(stop, Vec::new()).await.expect("a script runs");
        };
        self.change("the nest", nested).await;
    }

    /// Findings that hold the job up at this station, by code.
    pub async fn open_findings(&self) -> Vec<String> {
        let all = self.value("[...document.querySelectorAll('.finding.stop, .finding.look')].map(f => f.dataset.code)").await;
        all.as_array().into_iter().flatten().filter_map(|v| v.as_str()).map(str::to_owned).collect()
    }

    /// Takes the first remedy of every open finding of the station by keyboard: `g` goes to it, `a` takes it.
    pub async fn mend_all(&self) -> usize {
        for taken in 0..20 {
            if self.open_findings().await.is_empty() {
                return taken;
            }
            self.leave_field().await;
            self.press("g").await;
            self.change("a remedy", self.press("a")).await;
        }
        panic!("findings without end: {:?}", self.open_findings().await);
    }

    /// Sends a released job's first sheet, ticks its list, starts it, and waits until it is done.
    pub async fn run_of(&self, job: i32) {
        self.go(&format!("/jobs/{job}/release")).await;
        self.drawn().await;
        self.click(".send").await;
        self.run_state("ready").await;
        self.tick_all().await;
        self.click("#start").await;
        self.run_state("done").await;
    }

    /// Releases a job at its Release as it is now, where it is not released so.
    pub async fn release(&self) {
        self.drawn().await;
        if self.value("document.querySelector('#release') !== null").await.as_bool() == Some(true) {
            self.click("#release").await;
            self.until("it is released", "document.querySelector('#in-force') !== null && document.querySelector('#since') === null && document.querySelector('#release') === null").await;
        }
    }

    /// Says of the sheet of a run that is done that all is cut through, as Bram.
    pub async fn through(&self) {
        self.until("it is asked", "document.querySelector('#through') !== null").await;
        self.page_type("#through [name=person]", "Bram Teck").await;
        self.click("#through [value='']").await;
        self.until(
            "it is answered",
            "document.querySelector('#through') === null && /All is cut through: Bram Teck/.test(document.body.innerText)",
        )
        .await;
    }

    /// Goes through the list of a run, as Bram.
    pub async fn tick_all(&self) {
        self.page_type("#checklist [name=person]", "Bram Teck").await;
        let ticked = "document.querySelectorAll('#checklist input[type=checkbox]:checked').length";
        let all = self.value("document.querySelectorAll('#checklist input[type=checkbox]').length").await.as_i64().unwrap_or(0);
        for n in 0..all {
            self.click("#checklist input[type=checkbox]:not(:checked)").await;
            self.until("the tick is kept", &format!("{ticked} == {}", n + 1)).await;
        }
    }

    /// Waits until a run's page says so.
    pub async fn run_state(&self, state: &str) {
        self.until(state, &format!("document.querySelector('#run-status').dataset.state == {state:?}")).await;
    }
}

/// A file of the demo.
pub fn demo_file(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name).canonicalize().expect("a demo file")
}

//! `boustrophe prep`: the whole route without a browser.

use super::book::Book;
use super::options::Reading;
use super::preparing::{NestFor, Prep};
use crate::failure::Failure;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{Decisions, DrawingDecisions, EditError, HoldDecisions, NestEdit, Stock};
use boustrophe_core::drawing::Drawing;
use boustrophe_core::finding::{Code, Finding, Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Control, Layout, Problem, Sheet, search};
use boustrophe_core::process::Process;
use boustrophe_core::route::{self, BatchRoute, Route, mended};
use boustrophe_core::shop::{ChartRow, Machine, MachineKind, Shop};
use boustrophe_formats::print::tiled;
use boustrophe_formats::sheet::{write_dxf, write_svg};
use boustrophe_shop::kept::{JOB, Kept};
use boustrophe_shop::report::{Report, sheet_stem};
use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Seconds by station, under the names of the report.
struct Clock {
    last: Instant,
    seconds: BTreeMap<&'static str, f64>,
}

impl Clock {
    fn start() -> Self {
        Self { last: Instant::now(), seconds: ["read", "clean", "assign", "nest", "order", "hold", "proof"].map(|n| (n, 0.0)).into() }
    }
    fn note(&mut self, name: &'static str) {
        let now = Instant::now();
        *self.seconds.entry(name).or_insert(0.0) += (now - self.last).as_secs_f64();
        self.last = now;
    }
}

/// A run of the command: what it goes by, and what came of it so far.
struct Preparing<'a> {
    options: &'a Prep,
    shop: Shop,
    drawings: Vec<Arc<Drawing>>,
    decisions: Decisions,
    cache: Cache,
    clock: Clock,
    /// What was mended, then what is left.
    findings: Vec<Finding>,
}

/// Runs the route and writes report and programs.
pub fn run(options: &Prep) -> Result<ExitCode, Failure> {
    let book = Book::of(options.data.as_deref())?;
    let mut shop = book.shop.clone();
    if let Some(dialect) = &options.dialect {
        shop.machines.iter_mut().for_each(|m| m.dialect.clone_from(dialect));
    }
    let stocks = Stocks::of(options, &shop)?;
    let mut clock = Clock::start();
    let (drawings, mut decided) = read_drawings(&options.drawings, &options.reading, options.quantity)?;
    tables(options, &drawings, &mut decided)?;
    let decisions = decide(options, &stocks, &book, decided, &shop)?;
    clock.note("read");
    Preparing { options, shop, drawings, decisions, cache: Cache::default(), clock, findings: Vec::new() }.run()
}

impl Preparing<'_> {
    fn run(mut self) -> Result<ExitCode, Failure> {
        let mut route = self.route();
        if self.options.accept {
            route = self.mend(route)?;
        }
        if early(&route).all(|f| f.severity != Severity::Stop) {
            for (id, batch) in &route.batches {
                let layout = nest(*id, batch, &self.decisions, &self.shop, self.options);
                self.decisions = NestEdit::KeepLayout { layout }.on(*id).apply(&self.decisions).map_err(told)?;
            }
            self.clock.note("nest");
            route = self.route();
        }
        // A nest that was not tried is no finding of its own: what held it up is.
        for f in route.findings.iter().filter(|f| f.code != Code::NotNested) {
            if !self.findings.iter().any(|known| known.code == f.code && known.text == f.text) {
                self.findings.push(f.clone());
            }
        }
        let asks = |f: &Finding| f.severity == Severity::Stop || f.severity == Severity::Look && !self.options.accept;
        let held = self.findings.iter().any(asks);
        self.write(&route, !held)?;
        // What was accepted wholesale is said all the same: nothing passes in silence.
        for f in self.findings.iter().filter(|f| f.severity != Severity::Note) {
            eprintln!("{}: {}", if held { f.severity.to_string() } else { "accepted".into() }, f.text);
        }
        Ok(if held { ExitCode::from(1) } else { ExitCode::SUCCESS })
    }

    /// The whole route as far as decisions lead; its seconds are noted by station.
    fn route(&mut self) -> Route {
        route::run(&self.drawings, &self.decisions, &self.shop, &self.cache, &mut |station| self.clock.note(station.slug()))
    }

    /// What is safe to mend unseen is mended, and still reported; the first station first, as that may settle later ones.
    fn mend(&mut self, route: Route) -> Result<Route, Failure> {
        let decisions = std::mem::take(&mut self.decisions);
        let run = &mut |decisions: &Decisions| -> Result<Route, EditError> {
            self.decisions = decisions.clone();
            Ok(self.route())
        };
        let done = mended(route, &decisions, &is_early, run).map_err(told)?;
        self.decisions = done.decisions;
        self.findings.extend(done.settled);
        Ok(done.route)
    }

    /// Programs, pictures and papers of what is released, the report, and the job as it can be proved again.
    fn write(&self, route: &Route, released: bool) -> Result<(), Failure> {
        let out = &self.options.out;
        std::fs::create_dir_all(out).map_err(|error| Failure::File {
            path: out.display().to_string(),
            error,
            hint: "Choose a folder that may be written.",
        })?;
        remove_older(out);
        let batches = route.batches.values().filter(|_| released);
        for (b, i) in batches.flat_map(|b| (0..b.nested.layout.sheets.len()).map(move |i| (b, i))) {
            let (stem, sheet) = (sheet_stem(b.before + i), &b.nested.layout.sheets[i]);
            write_whole(&out.join(format!("{stem}.nc")), |file| b.write_program(i, &self.shop, file))?;
            write_whole(&out.join(format!("{stem}.svg")), |file| file.write_all(write_svg(&b.work, sheet).as_bytes()))?;
            write_whole(&out.join(format!("{stem}.dxf")), |file| file.write_all(write_dxf(&b.work, sheet).as_bytes()))?;
            papers(self.options, b, i, &self.shop)?;
        }
        let report = Report::new(route, &self.findings, &self.decisions, released, self.clock.seconds.clone());
        let text = serde_json::to_string_pretty(&report).map_err(|e| Failure::Other(format!("the report cannot be saved: {e}")))?;
        write_whole(&out.join("report.json"), |file| file.write_all(text.as_bytes()))?;
        let kept = Kept::of(&self.drawings, &self.decisions, &self.shop).and_then(|k| k.written());
        let kept = kept.map_err(|e| Failure::Other(e.to_string()))?;
        write_whole(&out.join(JOB), |file| file.write_all(&kept))
    }
}

/// What the parts of a command's drawings are made on and of: those of the first batch, and by drawing of others.
struct Stocks {
    first: Stock,
    others: Vec<(PathBuf, Stock)>,
}

impl Stocks {
    fn of(options: &Prep, shop: &Shop) -> Result<Self, Failure> {
        let machine = match &options.machine {
            None => shop.machines.iter().find(|m| m.id == Stock::default().machine).or(shop.machines.first()),
            Some(typed) => Some(machine("--machine", typed, shop)?),
        };
        let machine = machine.ok_or_else(|| Failure::Usage("the shop has no machine.".into()))?;
        let first = usual(machine, options.material.as_deref(), options.thickness, shop);
        material("--material", &first.material, shop)?;
        let other = |(file, stock): &(PathBuf, Stock)| {
            let flag = format!("--stock {}:", file.display());
            material(&flag, &stock.material, shop)?;
            Ok((file.clone(), Stock { machine: machine_id(&flag, &stock.machine, shop)?, ..stock.clone() }))
        };
        Ok(Self { first, others: options.stocks.iter().map(other).collect::<Result<_, Failure>>()? })
    }
}

/// What is cut on a machine where nothing else is said: the first material of its chart, as thick as is usual for such a machine where the
/// chart has that, else as it has it first. What it has no row for goes by a machine that has.
fn usual(machine: &Machine, material: Option<&str>, thickness: Option<f64>, shop: &Shop) -> Stock {
    let cut: Vec<&ChartRow> = shop.chart.iter().filter(|r| r.process == Process::Cut).collect();
    let material = material.or_else(|| cut.iter().find(|r| r.machine == machine.id).map(|r| r.material.as_str())).map(str::to_owned);
    let material = material.unwrap_or_else(|| Stock::default().material);
    let often = |m: &Machine| match m.kind {
        MachineKind::Laser => 3.0,
        MachineKind::Plasma => 6.0,
    };
    let charted = |m: &Machine| {
        let rows = || cut.iter().filter(|r| r.machine == m.id && r.material == material).map(|r| r.thickness);
        rows().find(|t| *t == often(m)).or_else(|| rows().next())
    };
    let known = charted(machine).or_else(|| shop.machines.iter().find_map(charted));
    let thickness = thickness.or(known).unwrap_or_else(|| often(machine));
    Stock { machine: machine.id.clone(), material, thickness }
}

/// A machine by its id or its name; `flag` is where it was typed.
fn machine<'a>(flag: &str, typed: &str, shop: &'a Shop) -> Result<&'a Machine, Failure> {
    let same = |m: &&Machine| m.id == typed || m.name.eq_ignore_ascii_case(typed);
    shop.machine(typed).or_else(|| shop.machines.iter().find(same)).ok_or_else(|| {
        let all: Vec<&str> = shop.machines.iter().map(|m| m.id.as_str()).collect();
        Failure::Usage(format!("{flag} {typed}: there are {}.", all.join(" and ")))
    })
}

fn machine_id(flag: &str, typed: &str, shop: &Shop) -> Result<String, Failure> {
    machine(flag, typed, shop).map(|m| m.id.clone())
}

fn material(flag: &str, id: &str, shop: &Shop) -> Result<(), Failure> {
    if shop.material(id).is_some() {
        return Ok(());
    }
    let known: Vec<&str> = shop.materials.iter().map(|m| m.id.as_str()).collect();
    Err(Failure::Usage(format!("{flag} {id}: there are {}.", known.join(", "))))
}

/// True for the drawing that a flag names: as it was given, or by its file's name.
fn names(file: &Path, drawing: &Path) -> bool {
    drawing == file || drawing.file_name() == Some(file.as_os_str())
}

/// Gives drawings the tables that fill them.
fn tables(options: &Prep, drawings: &[Arc<Drawing>], decided: &mut [DrawingDecisions]) -> Result<(), Failure> {
    for (file, csv) in &options.tables {
        let at = options.drawings.iter().position(|d| names(file, d));
        let at = at.ok_or_else(|| Failure::Usage(format!("--table {}: there is no such drawing on the command line.", file.display())))?;
        let shown = csv.display().to_string();
        let bytes = std::fs::read(csv).map_err(|error| Failure::File {
            path: shown.clone(),
            error,
            hint: "Check the name and that it may be read.",
        })?;
        let table = boustrophe_formats::table::read(&shown, &bytes)?;
        if table.fields_in(&drawings[at]) == 0 {
            let columns = table.columns.iter().take(6).map(|c| format!("“{c}”")).collect::<Vec<_>>().join(", ");
            return Err(Failure::Usage(format!("--table {shown}: {} nowhere says {columns}.", drawings[at].file)));
        }
        decided[at].table = Some(table);
    }
    Ok(())
}

fn told(error: EditError) -> Failure {
    Failure::Other(error.to_string())
}

/// True for a finding before the nest.
fn is_early(f: &Finding) -> bool {
    f.station < Station::Nest || f.code == Code::NoCopies
}

/// Findings before the nest.
fn early(route: &Route) -> impl Iterator<Item = &Finding> {
    route.findings.iter().filter(|f| is_early(f))
}

/// Reads the files; each drawing's parts are wanted `quantity` times.
pub fn read_drawings(paths: &[PathBuf], reading: &Reading, quantity: u32) -> Result<(Vec<Arc<Drawing>>, Vec<DrawingDecisions>), Failure> {
    let mut drawings = Vec::new();
    let mut decided = Vec::new();
    for (i, path) in paths.iter().enumerate() {
        let drawing = read_file(path)?;
        let id = u32::try_from(i + 1).unwrap_or(u32::MAX);
        decided.push(DrawingDecisions { quantity, ..reading.decide(id, &drawing.file, &drawing) });
        drawings.push(Arc::new(drawing));
    }
    Ok((drawings, decided))
}

fn read_file(path: &Path) -> Result<Drawing, Failure> {
    let shown = path.display().to_string();
    let wrong = |error| Failure::File { path: shown.clone(), error, hint: "Check the name and that it may be read." };
    let name = path.file_name().map_or_else(|| shown.clone(), |n| n.to_string_lossy().into_owned());
    let size = std::fs::metadata(path).map_err(wrong)?.len();
    if size > boustrophe_formats::MOST_BYTES as u64 {
        return Err(boustrophe_formats::ReadError::TooLarge { file: name, megabytes: (size >> 20) as usize }.into());
    }
    std::fs::File::open(path)
        .and_then(|f| f.metadata())
        .and_then(|m| if m.is_file() { Ok(()) } else { Err(std::io::ErrorKind::InvalidInput.into()) })
        .map_err(wrong)?;
    super::reading::read_file(&name, path)
}

/// The decisions that follow from the flags. Sheets, spacings and turns hold for every batch, offcuts for the first.
fn decide(options: &Prep, stocks: &Stocks, book: &Book, drawings: Vec<DrawingDecisions>, shop: &Shop) -> Result<Decisions, Failure> {
    let mut decisions = Decisions { drawings, ..Decisions::on(stocks.first.clone()) };
    for (file, stock) in &stocks.others {
        let of = |d: &DrawingDecisions| options.drawings.get(d.id as usize - 1).is_some_and(|p| names(file, p));
        let same = decisions.batches.iter().find(|(_, b)| b.stock == *stock).map(|(id, _)| *id);
        let batch = same.unwrap_or_else(|| decisions.add_batch(stock.clone()));
        let mut mine = decisions.drawings.iter_mut().filter(|d| of(d)).peekable();
        if mine.peek().is_none() {
            return Err(Failure::Usage(format!("--stock {}: there is no such drawing on the command line.", file.display())));
        }
        mine.for_each(|d| d.batch = batch);
    }
    let mut sheets = Vec::new();
    let full = options.sheets.len();
    for (i, sheet) in options.sheets.iter().enumerate() {
        // As many as needed of the last; of an earlier one without a number, one.
        let count = if i + 1 == full { sheet.count } else { sheet.count.or(Some(1)) };
        sheets.push(Sheet { count, ..sheet.clone() });
    }
    let machine = &*shop.machine_or_stand_in(&stocks.first.machine);
    let offcuts = options.offcuts.iter().map(|path| offcut(path, &options.reading, machine)).collect::<Result<Vec<_>, _>>()?;
    let usual: Vec<Vec<Sheet>> = decisions.batches.keys().map(|id| nest::terms(&decisions, *id, shop).sheets).collect();
    for ((id, batch), usual) in decisions.batches.iter_mut().zip(usual) {
        // Where none are named those of the rack, and the usual ones where they do not do.
        let rack = book.sheets(&batch.stock);
        let cut_from = id.is_first() && !offcuts.is_empty();
        let named = if full == 0 && (cut_from || !rack.is_empty()) { rack.into_iter().chain(usual).collect() } else { sheets.clone() };
        let first = if cut_from { offcuts.clone() } else { Vec::new() };
        batch.nest.sheets = first.into_iter().chain(named).collect();
        (batch.nest.turn, batch.nest.spacing, batch.nest.margin) = (options.turn, options.spacing, options.margin);
        (batch.nest.mirror, batch.nest.grain, batch.nest.common_edges) = (options.mirror, options.grain, options.common_edges);
        batch.nest.aim = options.aim;
        batch.order.strategy = options.strategy;
        batch.hold = HoldDecisions {
            nicks: (!options.nicks).then_some(false),
            leads: (!options.leads).then_some(false),
            nick_pitch: options.nick_every,
            nick_width: options.nick_width,
            ..HoldDecisions::default()
        };
    }
    Ok(decisions)
}

fn offcut(path: &Path, reading: &Reading, machine: &Machine) -> Result<Sheet, Failure> {
    let drawing = read_file(path)?;
    let decided = reading.decide(1, &drawing.file, &drawing);
    let (outlines, _) = route::outlines(&drawing, &decided, machine, &Shop::builtin().tolerance);
    Sheet::offcut(outlines).map_err(|e| Failure::Usage(format!("--offcut {}: {e}.", path.display())))
}

fn nest(id: BatchId, batch: &BatchRoute, decisions: &Decisions, shop: &Shop, options: &Prep) -> Layout {
    let terms = nest::terms(decisions, id, shop);
    let problem = Problem::new(&batch.work, &terms, &shop.tolerance);
    let (end, tries) = match options.nest_for {
        NestFor::Seconds(seconds) => (Some(Instant::now() + Duration::from_secs_f64(seconds)), usize::MAX),
        NestFor::Steps(steps) => (None, steps as usize),
    };
    let go_on = || end.is_none_or(|end| Instant::now() < end);
    search(&problem, &Control { go_on: &go_on, better: &|_, _| {}, tried: &|_| {}, seed: options.seed, tries })
}

/// The paper proof and the setup sheet of a sheet, where they are wanted.
fn papers(options: &Prep, b: &BatchRoute, i: usize, shop: &Shop) -> Result<(), Failure> {
    let number = format!("{:02}", b.before + i + 1);
    if let Some(paper) = options.paper {
        let pdf = tiled(&b.work, &b.nested.layout.sheets[i], paper, &format!("Sheet {number}"));
        let pdf = pdf.map_err(|e| Failure::Other(format!("--paper: {e}.")))?;
        write_whole(&options.out.join(format!("paper-{number}.pdf")), |file| file.write_all(&pdf))?;
    }
    if options.setup
        && let Some(pdf) = boustrophe_shop::papers::setup(
            b,
            shop,
            i,
            ("Job", &format!("{}.nc", sheet_stem(b.before + i)), &boustrophe_shop::papers::sum(b, shop, i)),
        )
    {
        write_whole(&options.out.join(format!("setup-{number}.pdf")), |file| file.write_all(&pdf))?;
    }
    Ok(())
}

/// Programs of an earlier run must not be taken for this one's.
fn remove_older(out: &Path) {
    let Ok(entries) = std::fs::read_dir(out) else { return };
    for path in entries.flatten().map(|e| e.path()) {
        let name = path.file_name().and_then(|n| n.to_str()).unwrap_or_default();
        let ours = ["sheet-", "paper-", "setup-"].iter().find_map(|begin| name.strip_prefix(begin)).and_then(|n| n.split_once('.'));
        if ours.is_some_and(|(number, kind)| number.bytes().all(|b| b.is_ascii_digit()) && matches!(kind, "nc" | "svg" | "dxf" | "pdf")) {
            let _ = std::fs::remove_file(path);
        }
    }
}

/// A file appears whole or not at all.
fn write_whole(path: &Path, write: impl FnOnce(&mut dyn Write) -> std::io::Result<()>) -> Result<(), Failure> {
    let failed = |error| Failure::File {
        path: path.display().to_string(),
        error,
        hint: "Choose a folder that may be written, with room on its disk.",
    };
    let folder = path.parent().unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    let mut buffered = std::io::BufWriter::with_capacity(1 << 18, file.as_file_mut());
    write(&mut buffered).and_then(|()| buffered.flush()).map_err(failed)?;
    drop(buffered);
    file.as_file().sync_all().map_err(failed)?;
    file.persist(path).map(|_| ()).map_err(|e| failed(e.error))
}

//! A job over drawings, with its cache: what the tests of the route work on.

use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{Batch, Decisions};
use boustrophe_core::drawing::Drawing;
use boustrophe_core::edit::Edit;
use boustrophe_core::finding::Severity;
use boustrophe_core::nest::{Control, Layout, Problem, Setting, search};
use boustrophe_core::route::{ProgramOrder, Route, Writer, run};
use boustrophe_core::shop::Shop;
use boustrophe_formats::{gcode, read};
use std::io::Write;
use std::path::Path;
use std::sync::Arc;

pub struct Job {
    drawings: Vec<Arc<Drawing>>,
    pub decisions: Decisions,
    pub shop: Shop,
    cache: Cache,
    /// What writes the programs; ours, unless a test has it at fault.
    writer: Box<Writer>,
}

/// As the shop writes programs.
pub fn write(order: &ProgramOrder, to: &mut dyn Write) -> std::io::Result<()> {
    gcode::write(order, to)
}

impl Job {
    /// A job over files of these names and contents.
    pub fn of(files: &[(&str, Vec<u8>)], batch: Batch) -> Self {
        let mut decisions = Decisions { batch, ..Decisions::default() };
        for (name, _) in files {
            decisions = Edit::AddDrawing { file: (*name).into(), name: (*name).into() }.apply(&decisions).expect("it is added");
        }
        let drawings = files.iter().map(|(name, bytes)| Arc::new(read(name, bytes).expect("it reads"))).collect();
        Self { drawings, decisions, shop: Shop::builtin(), cache: Cache::default(), writer: Box::new(write) }
    }
    /// A job over drawings of the demo shop.
    pub fn new(names: &[&str], batch: Batch) -> Self {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        let files: Vec<_> = names.iter().map(|name| (*name, std::fs::read(folder.join(name)).expect("a demo drawing"))).collect();
        Self::of(&files, batch)
    }
    /// Adds drawings of the demo shop.
    pub fn add(&mut self, names: &[&str]) {
        for name in names {
            let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name);
            self.edit(&Edit::AddDrawing { file: (*name).into(), name: (*name).into() });
            self.drawings.push(Arc::new(read(name, &std::fs::read(file).expect("a demo drawing")).expect("it reads")));
        }
    }
    /// From now on another writes the programs.
    pub fn written_by(&mut self, writer: impl Fn(&ProgramOrder, &mut dyn Write) -> std::io::Result<()> + Sync + 'static) {
        self.cache = Cache::default();
        self.writer = Box::new(writer);
    }
    pub fn route(&self) -> Route {
        run(&self.drawings, &self.decisions, &self.shop, &self.cache, &*self.writer, &mut |_| {})
    }
    pub fn edit(&mut self, edit: &Edit) {
        self.decisions = edit.apply(&self.decisions).expect("it applies");
        if edit.nests() {
            self.nest(1, 3);
        }
    }
    /// Takes the first remedy of every open finding, station by station, until none are left that have one but to nest.
    pub fn mend(&mut self) -> usize {
        let mut taken = 0;
        while let Some(edit) = self
            .route()
            .findings
            .iter()
            .find(|f| f.severity != Severity::Note && f.remedies.first().is_some_and(|r| !r.edit.nests()))
            .map(|f| f.remedies[0].edit.clone())
        {
            self.edit(&edit);
            taken += 1;
            assert!(taken < 60, "remedies come to an end");
        }
        taken
    }
    /// Accepts whatever asks for a look; what stops a job stays.
    pub fn settled(&mut self) -> Route {
        let route = self.route();
        for f in route.findings.iter().filter(|f| f.severity == Severity::Look) {
            self.edit(&f.acceptance());
        }
        self.route()
    }
    pub fn setting(&self) -> Setting {
        Setting::of(&self.decisions, self.shop.machine(&self.decisions.batch.machine).expect("a machine"), &self.shop)
    }
    /// Nests and keeps the layout.
    pub fn nest(&mut self, seed: u64, tries: usize) -> Layout {
        let problem = Problem::new(&self.route().work, &self.setting(), &self.shop.tolerance);
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed, tries });
        self.edit(&Edit::KeepLayout { layout: layout.clone() });
        layout
    }
    /// The program of a sheet, from 0.
    pub fn text(&self, route: &Route, sheet: usize) -> String {
        let mut text = Vec::new();
        route.write_program(sheet, &self.decisions, &self.shop, &write, &mut text).expect("written");
        String::from_utf8(text).expect("ASCII")
    }
}

//! A job over drawings, with its cache: what the tests of the route work on.

use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::drawing::Drawing;
use boustrophe_core::finding::Severity;
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Control, Layout, Problem, Terms, search};
use boustrophe_core::release;
use boustrophe_core::release::{ProgramOrder, Writer};
use boustrophe_core::route::{Route, run_written_by};
use boustrophe_core::shop::Shop;
use boustrophe_formats::read;
use std::fmt::Write as _;
use std::io::Write;
use std::path::Path;
use std::sync::Arc;

pub struct Job {
    /// Each with the name of its file.
    drawings: Vec<(String, Arc<Drawing>)>,
    pub decisions: Decisions,
    pub shop: Shop,
    pub cache: Cache,
    /// What writes the programs; ours, unless a test has it at fault.
    writer: Box<Writer>,
}

/// As the shop writes programs.
pub fn write(order: &ProgramOrder, to: &mut dyn Write) -> std::io::Result<()> {
    release::write(order, to)
}

/// Triangles as binary STL.
pub fn stl(faces: &[[[f64; 3]; 3]]) -> Vec<u8> {
    let mut out = vec![0; 80];
    out.extend((faces.len() as u32).to_le_bytes());
    for f in faces {
        out.extend([0; 12]);
        f.iter().flatten().for_each(|v| out.extend((*v as f32).to_le_bytes()));
        out.extend([0; 2]);
    }
    out
}

/// A PDF of landscape A4 pages, each with its content.
pub fn pdf(pages: &[String]) -> Vec<u8> {
    let kids: String = (0..pages.len()).map(|i| format!("{} 0 R ", 4 + 2 * i)).collect();
    let mut objects = vec![
        "<</Type/Catalog/Pages 2 0 R>>".to_owned(),
        format!("<</Type/Pages/Kids[{kids}]/Count {}>>", pages.len()),
        "<</Type/Font/Subtype/Type1/BaseFont/Helvetica/Encoding/WinAnsiEncoding>>".to_owned(),
    ];
    for (i, content) in pages.iter().enumerate() {
        objects.push(format!(
            "<</Type/Page/Parent 2 0 R/MediaBox[0 0 841.89 595.28]/Contents {} 0 R/Resources<</Font<</F 3 0 R>>>>>>",
            5 + 2 * i
        ));
        objects.push(format!("<</Length {}>>\nstream\n{content}\nendstream", content.len()));
    }
    let mut out = b"%PDF-1.4\n".to_vec();
    let mut xref = format!("xref\n0 {}\n0000000000 65535 f \n", objects.len() + 1);
    for (i, o) in objects.iter().enumerate() {
        let _ = writeln!(xref, "{:010} 00000 n ", out.len());
        out.extend(format!("{} 0 obj\n{o}\nendobj\n", i + 1).bytes());
    }
    let at = out.len();
    out.extend(format!("{xref}trailer\n<</Size {}/Root 1 0 R>>\nstartxref\n{at}\n%%EOF\n", objects.len() + 1).bytes());
    out
}

impl Job {
    /// A job over files of these names and contents.
    pub fn of(files: &[(&str, Vec<u8>)], stock: Stock) -> Self {
        let mut decisions = Decisions::on(stock);
        for (name, _) in files {
            decisions =
                Edit::Intake(IntakeEdit::AddDrawing { file: (*name).into(), name: (*name).into() }).apply(&decisions).expect("it is added");
        }
        let drawings = files.iter().map(|(name, bytes)| ((*name).to_owned(), Arc::new(read(name, bytes).expect("it reads")))).collect();
        Self { drawings, decisions, shop: Shop::builtin(), cache: Cache::default(), writer: Box::new(write) }
    }
    /// A job over drawings of the demo shop.
    pub fn new(names: &[&str], stock: Stock) -> Self {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        let files: Vec<_> = names.iter().map(|name| (*name, std::fs::read(folder.join(name)).expect("a demo drawing"))).collect();
        Self::of(&files, stock)
    }
    /// Adds drawings of the demo shop.
    pub fn add(&mut self, names: &[&str]) {
        for name in names {
            let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name);
            self.edit(&Edit::Intake(IntakeEdit::AddDrawing { file: (*name).into(), name: (*name).into() }));
            let read = Arc::new(read(name, &std::fs::read(file).expect("a demo drawing")).expect("it reads"));
            self.drawings.push(((*name).to_owned(), read));
        }
    }
    /// From now on another writes the programs.
    pub fn written_by(&mut self, writer: impl Fn(&ProgramOrder, &mut dyn Write) -> std::io::Result<()> + Sync + 'static) {
        self.cache = Cache::default();
        self.writer = Box::new(writer);
    }
    pub fn route(&self) -> Route {
        // A file that a test gave no drawing for is that in its place.
        let of = |(i, file): (usize, &str)| {
            let named = self.drawings.iter().rev().find(|d| d.0 == file);
            Arc::clone(&named.unwrap_or_else(|| &self.drawings[i]).1)
        };
        let drawings: Vec<Arc<Drawing>> = self.decisions.drawings.iter().map(|d| d.file.as_str()).enumerate().map(of).collect();
        run_written_by(&*self.writer, &drawings, &self.decisions, &self.shop, &self.cache, &mut |_| {})
    }
    pub fn edit(&mut self, edit: &Edit) {
        self.decisions = edit.apply(&self.decisions).expect("it applies");
        if let Some(batch) = edit.nests() {
            self.nest_batch(batch, 1, 3);
        }
    }
    /// Takes the first remedy of every open finding, station by station, until none are left that have one but to nest.
    pub fn mend(&mut self) -> usize {
        let mut taken = 0;
        while let Some(edit) = self
            .route()
            .findings
            .iter()
            .find(|f| f.severity != Severity::Note && f.remedies.first().is_some_and(|r| r.edit.nests().is_none()))
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
    /// Another file in the place of a drawing's.
    pub fn revise(&mut self, drawing: u32, name: &str, bytes: &[u8]) {
        self.drawings.push((format!("{name} revised"), Arc::new(read(name, bytes).expect("it reads"))));
        let edit = IntakeEdit::ReplaceDrawing {
            drawing,
            file: format!("{name} revised"),
            name: name.into(),
            carried: Default::default(),
            places: Vec::new(),
            reversed: Default::default(),
            moved: None,
        };
        self.edit(&Edit::Intake(edit));
    }
    pub fn terms(&self) -> Terms {
        self.terms_of(BatchId::FIRST)
    }
    fn terms_of(&self, batch: BatchId) -> Terms {
        nest::terms(&self.decisions, batch, &self.shop)
    }
    /// Nests and keeps the layout.
    pub fn nest(&mut self, seed: u64, tries: usize) -> Layout {
        self.nest_batch(BatchId::FIRST, seed, tries)
    }
    /// The same with one batch.
    pub fn nest_batch(&mut self, batch: BatchId, seed: u64, tries: usize) -> Layout {
        let route = self.route();
        let problem = Problem::new(&route.batch(batch).work, &self.terms_of(batch), &self.shop.tolerance);
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed, tries });
        self.decisions = NestEdit::KeepLayout { layout: layout.clone() }.on(batch).apply(&self.decisions).expect("it is kept");
        layout
    }
    /// Lays what has no place yet; everything else stays where it lies.
    pub fn lay_what_is_new(&mut self) -> Layout {
        let route = self.route();
        let (work, start) = (&route.first().work, &route.first().nested.layout);
        let held = start.copies().map(|p| p.copy).collect();
        let problem = Problem::from(work, &self.terms_of(BatchId::FIRST), &self.shop.tolerance, start, &held);
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: 2 });
        self.decisions = NestEdit::KeepLayout { layout: layout.clone() }.on(BatchId::FIRST).apply(&self.decisions).expect("it is kept");
        layout
    }
    /// The program of a sheet, from 0.
    pub fn text(&self, route: &Route, sheet: usize) -> String {
        let mut text = Vec::new();
        route.first().write_program(sheet, &self.shop, &mut text).expect("written");
        String::from_utf8(text).expect("ASCII")
    }
}

//! The cut chart as a table: CSV (RFC 4180), a line of names first, a row a process.

use boustrophe_core::assign::Process;
use boustrophe_core::shop::{ChartRow, Shop};

/// Names of the columns, in the order in which they are written.
pub const COLUMNS: [&str; 15] = [
    "machine",
    "material",
    "thickness_mm",
    "process",
    "feed_mm_min",
    "power_percent",
    "least_power_percent",
    "passes",
    "kerf_mm",
    "row_pitch_mm",
    "pierce_s",
    "air",
    "tool",
    "unproved",
    "time_factor",
];
/// Columns without which a row cannot be.
const NEEDED: usize = 6;
/// Rows taken at most, and bytes.
const MOST_ROWS: usize = 20_000;
const MOST_BYTES: usize = 8 << 20;
/// Faults that are told one by one.
const MOST_TOLD: usize = 10;

/// The chart as a table.
pub fn write(chart: &[ChartRow]) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let yes = |v: bool| if v { "yes" } else { "no" }.to_owned();
    // Writing to memory cannot fail.
    let _ = writer.write_record(COLUMNS);
    for r in chart {
        let _ = writer.write_record([
            r.machine.clone(),
            r.material.clone(),
            r.thickness.to_string(),
            r.process.slug().to_owned(),
            r.feed.to_string(),
            r.power.to_string(),
            r.least_power.to_string(),
            r.passes.to_string(),
            r.kerf.to_string(),
            r.pitch.to_string(),
            r.pierce.to_string(),
            yes(r.air),
            r.tool.map_or_else(String::new, |t| t.to_string()),
            yes(r.unproved),
            r.time_factor.to_string(),
        ]);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// Rows of a table, each checked against its machine. Nothing is taken where anything is wrong: the message then says for
/// each fault in which line, which column, what and what to do.
pub fn read(file: &str, bytes: &[u8], shop: &Shop) -> Result<Vec<ChartRow>, String> {
    if bytes.len() > MOST_BYTES {
        return Err(format!("{file} has over {} MB; a cut chart is far smaller. Is it the right file?", MOST_BYTES >> 20));
    }
    let mut reader = csv::ReaderBuilder::new().trim(csv::Trim::All).flexible(true).from_reader(bytes);
    let names: Vec<String> = reader
        .headers()
        .map_err(|e| format!("{file} is no table: {e}. Export it as CSV with commas, in UTF-8."))?
        .iter()
        .map(|n| n.trim_start_matches('\u{feff}').to_lowercase())
        .collect();
    let place: Vec<Option<usize>> = COLUMNS.iter().map(|c| names.iter().position(|n| n == c)).collect();
    let missing: Vec<&str> = COLUMNS[..NEEDED].iter().zip(&place).filter(|(_, p)| p.is_none()).map(|(c, _)| *c).collect();
    if !missing.is_empty() {
        return Err(format!(
            "{file}, line 1: the columns {} are missing; it has {}. The first line must name {}, and may name {}.",
            missing.join(", "),
            if names.is_empty() { "none".into() } else { names.join(", ") },
            COLUMNS[..NEEDED].join(", "),
            COLUMNS[NEEDED..].join(", ")
        ));
    }
    let unknown: Vec<&String> = names.iter().filter(|n| !COLUMNS.contains(&n.as_str())).collect();
    if let Some(first) = unknown.first() {
        return Err(format!("{file}, line 1: the column “{first}” is not known. There are {}.", COLUMNS.join(", ")));
    }
    let mut rows: Vec<ChartRow> = Vec::new();
    let mut faults: Vec<String> = Vec::new();
    for (i, record) in reader.records().enumerate() {
        let line = i + 2;
        if rows.len() >= MOST_ROWS {
            return Err(format!("{file} has more than {MOST_ROWS} rows. Split it."));
        }
        let row = record.map_err(|e| e.to_string()).and_then(|r| row(&r, &place, shop));
        match row {
            Ok(row) => match rows.iter().position(|o| o.is(&row.machine, &row.material, row.thickness, row.process)) {
                Some(first) => {
                    faults.push(format!("line {line}: the same machine, material, thickness and process as line {}; keep one", first + 2))
                }
                None => rows.push(row),
            },
            Err(what) => faults.push(format!("line {line}: {what}")),
        }
    }
    if rows.is_empty() && faults.is_empty() {
        return Err(format!("{file} has no rows under its names."));
    }
    if faults.is_empty() {
        return Ok(rows);
    }
    let more = faults.len().saturating_sub(MOST_TOLD);
    faults.truncate(MOST_TOLD);
    let more = if more > 0 { format!(" And {more} more.") } else { String::new() };
    Err(format!("{file}: {}.{more} Nothing was taken; mend these and import it again.", faults.join(". ")))
}

fn row(record: &csv::StringRecord, place: &[Option<usize>], shop: &Shop) -> Result<ChartRow, String> {
    let get = |c: usize| place[c].and_then(|p| record.get(p)).unwrap_or("");
    let number = |c: usize, missing: f64| -> Result<f64, String> {
        let text = get(c);
        if text.is_empty() && c >= NEEDED {
            return Ok(missing);
        }
        text.parse::<f64>()
            .ok()
            .filter(|v| v.is_finite())
            .ok_or_else(|| format!("{} “{text}” is no number; write it like 12.5", COLUMNS[c]))
    };
    let yes = |c: usize| match get(c).to_lowercase().as_str() {
        "yes" | "true" | "1" => Ok(true),
        "no" | "false" | "0" | "" => Ok(false),
        other => Err(format!("{} “{other}” is neither yes nor no", COLUMNS[c])),
    };
    let machine = shop
        .machine(get(0))
        .ok_or_else(|| format!("there is no machine “{}”; there are {}", get(0), ids(shop.machines.iter().map(|m| &m.id))))?;
    let material = shop
        .material(get(1))
        .ok_or_else(|| format!("there is no material “{}”; there are {}", get(1), ids(shop.materials.iter().map(|m| &m.id))))?;
    let process = Process::from_slug(&get(3).to_lowercase())
        .ok_or_else(|| format!("“{}” is no process; use cut, score, engrave, picture or mark", get(3)))?;
    let whole = |c: usize, missing: f64| {
        number(c, missing).and_then(|v| {
            if v.fract() == 0.0 && (0.0..1e6).contains(&v) { Ok(v as u32) } else { Err(format!("{} {v} is no whole number", COLUMNS[c])) }
        })
    };
    let pitch = if process.is_swept() { 0.1 } else { 0.0 };
    let row = ChartRow {
        machine: machine.id.clone(),
        material: material.id.clone(),
        thickness: number(2, 0.0)?,
        process,
        feed: number(4, 0.0)?,
        power: number(5, 0.0)?,
        least_power: number(6, 0.0)?,
        passes: whole(7, 1.0)?,
        kerf: number(8, 0.0)?,
        pitch: number(9, pitch)?,
        pierce: number(10, 0.0)?,
        air: yes(11)?,
        tool: if get(12).is_empty() { None } else { Some(whole(12, 0.0)?) },
        unproved: yes(13)?,
        time_factor: number(14, 1.0)?,
    };
    let troubles = row.troubles(machine);
    if troubles.is_empty() { Ok(row) } else { Err(troubles.join("; ")) }
}

fn ids<'a>(all: impl Iterator<Item = &'a String>) -> String {
    all.map(String::as_str).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_chart_comes_back_as_it_went() {
        let shop = Shop::builtin();
        assert_eq!(read("chart.csv", write(&shop.chart).as_bytes(), &shop), Ok(shop.chart.clone()));
    }

    #[test]
    fn a_short_table_in_any_order_will_do() {
        let shop = Shop::builtin();
        let text =
            "Process,machine,material,thickness_mm,power_percent,feed_mm_min\ncut,lark,card,2,40,2000\nengrave, lark ,card,2,20,9000\n";
        let rows = read("c.csv", text.as_bytes(), &shop).expect("two rows");
        assert_eq!((rows.len(), rows[0].feed, rows[0].passes, rows[1].pitch, rows[1].air), (2, 2000.0, 1, 0.1, false));
    }

    #[test]
    fn what_is_wrong_is_told_by_line_and_nothing_is_taken() {
        let shop = Shop::builtin();
        let said = |text: &str| read("c.csv", text.as_bytes(), &shop).expect_err("refused");
        let head = "machine,material,thickness_mm,process,feed_mm_min,power_percent\n";
        assert!(said("machine,stuff\nlark,card\n").contains("material, thickness_mm, process, feed_mm_min, power_percent are missing"));
        assert!(said(&format!("{}x\n", head.trim_end().to_owned() + ",colour\n")).contains("“colour” is not known"));
        let told = said(&format!(
            "{head}lark,card,2,cut,-5,40\nlark,card,2,cut,500,140\nplough,card,2,cut,500,40\nlark,card,2,burn,500,40\nlark,card,two,cut,500,40\nlark,card,2,score,500,40\nlark,card,2,score,600,40\n"
        ));
        for part in [
            "line 2: a feed of -5",
            "line 3: a power of 140",
            "line 4: there is no machine “plough”; there are lark, anvil",
            "line 5: “burn” is no process",
            "line 6: thickness_mm “two”",
            "line 8: the same machine",
            "Nothing was taken",
        ] {
            assert!(told.contains(part), "{part} in {told}");
        }
        assert!(said(head).contains("no rows"));
    }

    proptest! {
        #[test]
        fn nothing_panics(text in "[a-z0-9,\"\n\r\\-. ]{0,300}", cut in 0..400_usize) {
            let shop = Shop::builtin();
            let whole = write(&shop.chart);
            let _ = read("c.csv", text.as_bytes(), &shop);
            let _ = read("c.csv", &whole.as_bytes()[..cut.min(whole.len())], &shop);
            let _ = read("c.csv", format!("{}{text}", &whole[..cut.min(whole.len())]).as_bytes(), &shop);
        }
    }
}

//! `vpeg join`: take over columns of a table by key.

use super::save::{SaveArguments, layer_source};
use crate::arguments::{TableArguments, WriteArguments, heading};
use crate::progress::TerminalProgress;
use crate::{Ending, show};
use clap::Args;
use std::path::{Path, PathBuf};
use velvet_peg::job::JoinStep;
use velvet_peg::join::{JoinTable, MatchReport};
use velvet_peg::{Error, Examples, LayerReader};

#[derive(Debug, Args)]
pub(crate) struct Join {
    /// Layer file.
    layer_file: PathBuf,
    /// Table to join: delimited text, a workbook, a .dbf, or the attributes of a layer.
    table: PathBuf,
    /// Key: a column of both, or LAYER-COLUMN=TABLE-COLUMN.
    #[arg(long, value_name = "COLUMN[=COLUMN]")]
    on: String,
    /// File to write; without it, only the report on how the keys meet.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: Option<PathBuf>,
    /// Columns of the table to take over; all if not given.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    columns: Vec<String>,
    /// Put in front of their names.
    #[arg(long)]
    prefix: Option<String>,
    /// Let a feature come out once for each row of its key.
    #[arg(long)]
    many: bool,
    /// Let keys meet without regard to capitals, blanks and leading zeros.
    #[arg(long)]
    loose: bool,
    /// Leave out the features whose key is not in the table.
    #[arg(long)]
    matched_only: bool,
    /// Layer to take, if the layer file has several.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Layer of the table to take, if that is a file of several.
    #[arg(long, value_name = "NAME", help_heading = heading::READING)]
    table_layer: Option<String>,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
    /// File for rejected features; OUTPUT.rejects.csv if not given.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    reading: TableArguments,
}

impl Join {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut reader = LayerReader::open(&self.layer_file, self.layer.as_deref())?;
        let step = self.step();
        let job = JoinTable {
            table: self.reading.options(),
            table_layer: self.table_layer.clone(),
            write: self.write.options(),
            rejects: self.rejects.clone(),
            ..step.join()
        };
        reader.reveal_key(std::slice::from_ref(&job.key));
        let mut progress = TerminalProgress::new("joining");
        let Some(output) = &self.output else {
            return self.only_report(&job.report_watched(&reader, &self.table, &mut progress)?);
        };
        let shown = !show::wants_json() && output != Path::new("-");
        // Before anything is joined; but standard input and addresses are read only once.
        let once = !self.table.exists();
        if shown && !once {
            show::answer(&text(&job.report_watched(&reader, &self.table, &mut progress)?))?;
        }
        let source = layer_source(&self.layer_file, self.layer.as_ref(), None);
        let mut with = self.reading.source(&self.table);
        with.layer.clone_from(&self.table_layer);
        self.save.save(source, Some(with), step, self.write.output(output), &self.write)?;
        let (mut outcome, report) = job.run_watched(reader, &self.table, output, &mut progress)?;
        drop(progress);
        if shown {
            if once {
                show::answer(&text(&report))?;
            }
            // The report has said it.
            let said = report.notices();
            outcome.notices.retain(|notice| !said.contains(notice));
        }
        show::outcome_with(&outcome, "features", "features", output, &[("keys", as_json(&report))])
    }

    fn only_report(&self, report: &MatchReport) -> Result<Ending, Error> {
        if show::wants_json() {
            show::json(&as_json(report))?;
        } else {
            show::answer(&text(report))?;
            show::remark("nothing was written: add -o FILE to join");
        }
        Ok(Ending::Done)
    }

    /// The same as a step of a job.
    fn step(&self) -> JoinStep {
        let (on, key) = match self.on.split_once('=') {
            Some((on, key)) => (on.trim().to_string(), Some(key.trim().to_string())),
            None => (self.on.clone(), None),
        };
        JoinStep {
            on: Some(on.into()),
            key: key.map(Into::into),
            columns: self.columns.iter().map(|name| name.as_str().into()).collect(),
            prefix: self.prefix.clone(),
            many: self.many,
            loose: self.loose,
            matched_only: self.matched_only,
            ..JoinStep::default()
        }
    }
}

/// How the keys meet.
fn text(report: &MatchReport) -> String {
    let mut lines = vec![
        (
            "features".to_string(),
            format!("{} of {} have their key in the table", report.features_met, report.features),
        ),
        (
            "rows".to_string(),
            format!("{} of {} have their key in the layer", report.rows_met, report.rows),
        ),
        ("only in the layer".to_string(), report.features_unmet.counted()),
        ("only in the table".to_string(), report.rows_unmet.counted()),
        ("repeated in the layer".to_string(), report.layer_duplicates.counted()),
        ("repeated in the table".to_string(), report.table_duplicates.counted()),
        (
            "blank".to_string(),
            format!("{} features, {} rows", report.features_blank, report.rows_blank),
        ),
    ];
    if let Some((layer, table)) = report.types {
        lines.push(("types".to_string(), format!("{layer} in the layer, {table} in the table")));
    }
    if report.near_count > 0 {
        let pairs: Vec<String> =
            report.near.iter().map(|(a, b, why)| format!("{a} and {b} ({why})")).collect();
        lines.push((
            "look the same".to_string(),
            format!("{}: {}; --loose has them meet", report.near_count, pairs.join(", ")),
        ));
    }
    format!("{}\n{}", show::heading("How the keys meet"), show::pairs(&lines))
}

fn as_json(report: &MatchReport) -> serde_json::Value {
    let examples =
        |cases: &Examples| serde_json::json!({"count": cases.count, "first": cases.first});
    serde_json::json!({
        "features": report.features,
        "rows": report.rows,
        "features_met": report.features_met,
        "rows_met": report.rows_met,
        "features_unmet": examples(&report.features_unmet),
        "rows_unmet": examples(&report.rows_unmet),
        "features_blank": report.features_blank,
        "rows_blank": report.rows_blank,
        "layer_duplicates": examples(&report.layer_duplicates),
        "table_duplicates": examples(&report.table_duplicates),
        "near": report.near.iter().map(|(a, b, why)| serde_json::json!([a, b, why])).collect::<Vec<_>>(),
        "near_count": report.near_count,
    })
}

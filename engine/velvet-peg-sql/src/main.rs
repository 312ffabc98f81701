//! `vpeg-sql`: runs queries, here or in a cluster, and the programs of a cluster.

use clap::{Args, Parser, Subcommand};
use datafusion::arrow::util::pretty::pretty_format_batches;
use datafusion::sql::parser::DFParser;
use std::fmt::Display;
use std::io::{ErrorKind, Write};
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;
use velvet_peg_sql::cluster::{
    ExecutorOptions, SchedulerOptions, executor, scheduler, take_counts,
};
use velvet_peg_sql::grid_folder;
use velvet_peg_sql::session::{Limits, clustered, embedded};
use velvet_peg_sql::{Settings, readable};

/// Reference systems, conversions and measures in SQL
#[derive(Parser)]
#[command(version, args_conflicts_with_subcommands = true)]
struct Words {
    #[command(subcommand)]
    program: Option<Program>,
    #[command(flatten)]
    query: Query,
    #[command(flatten)]
    folder: GridFolder,
}

#[derive(Args)]
struct Query {
    /// A file of statements, divided by semicolons
    file: Option<PathBuf>,
    /// Statements
    #[arg(short, long, value_name = "SQL", conflicts_with = "file")]
    command: Option<String>,
    /// Run them in the cluster of this scheduler, such as http://localhost:50050
    #[arg(long, value_name = "URL")]
    cluster: Option<String>,
    /// Memory for what operators keep, in MB; what is more goes to disk
    #[arg(long, value_name = "MB")]
    memory: Option<usize>,
    /// Threads
    #[arg(long)]
    threads: Option<usize>,
}

/// Grid files, for all programs.
#[derive(Args)]
struct GridFolder {
    /// Folder of grid files for changes of datum; all machines of a cluster need the same
    #[arg(long, env = "VELVET_PEG_GRIDS", value_name = "DIR", global = true)]
    grids: Option<PathBuf>,
}

#[derive(Subcommand)]
enum Program {
    /// Run the scheduler of a cluster
    Scheduler {
        /// Address that it listens on
        #[arg(long, default_value = "127.0.0.1")]
        host: String,
        /// Port
        #[arg(long, default_value_t = 50050)]
        port: u16,
        /// Seconds after which an executor that says nothing counts as dead
        #[arg(long, value_name = "SECONDS", default_value_t = 60)]
        executor_timeout: u64,
    },
    /// Run an executor of a cluster
    Executor {
        /// Host and port of the scheduler
        #[arg(long, default_value = "127.0.0.1:50050")]
        scheduler: String,
        /// Address of this machine
        #[arg(long, default_value = "127.0.0.1")]
        host: String,
        /// Port that others fetch results from
        #[arg(long, default_value_t = 50051)]
        port: u16,
        /// Port that the scheduler speaks to
        #[arg(long, default_value_t = 50052)]
        control_port: u16,
        /// Tasks at the same time
        #[arg(long, default_value_t = 1)]
        tasks: usize,
        /// Memory for what operators keep, in MB; what is more goes to disk
        #[arg(long, value_name = "MB")]
        memory: Option<u64>,
        /// Folder for results between stages
        #[arg(long)]
        folder: Option<PathBuf>,
        /// Seconds between two signs of life
        #[arg(long, value_name = "SECONDS", default_value_t = 10)]
        heartbeat: u64,
    },
}

/// How often an executor tells what could not be computed.
const COUNTED: Duration = Duration::from_secs(5);

type Result<T> = std::result::Result<T, Box<dyn std::error::Error>>;

/// A text of which a terminal takes nothing for a command: control characters, and what has text run the other way, are
/// shown as they are written in source texts.
fn plain(text: &str) -> String {
    let command = |c: char| {
        (c.is_control() && c != '\n' && c != '\t')
            || matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
    };
    let mut shown = String::with_capacity(text.len());
    for c in text.chars() {
        match command(c) {
            true => shown.extend(c.escape_default()),
            false => shown.push(c),
        }
    }
    shown
}

/// Tells something on standard error; nobody is left to tell if that is closed.
fn tell(word: &str, what: &dyn Display) {
    let _ = writeln!(std::io::stderr(), "{word}: {}", plain(&what.to_string()));
}

fn main() -> ExitCode {
    let words = Words::parse();
    if let Some(folder) = words.folder.grids
        && let Err(error) = grid_folder::use_folder(&folder)
    {
        tell("error", &error);
        return ExitCode::FAILURE;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build();
    let done = runtime.map_err(Into::into).and_then(|runtime| {
        runtime.block_on(async {
            match words.program {
                Some(program) => run(program).await,
                None => ask(words.query).await,
            }
        })
    });
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            tell("error", &error);
            ExitCode::FAILURE
        }
    }
}

async fn run(program: Program) -> Result<()> {
    match program {
        Program::Scheduler { host, port, executor_timeout } => {
            eprintln!("scheduler at http://{host}:{port}; Ctrl-C ends it");
            let options = SchedulerOptions { host, port, executor_timeout_s: executor_timeout };
            Ok(scheduler(options).await?)
        }
        Program::Executor {
            scheduler,
            host,
            port,
            control_port,
            tasks,
            memory,
            folder,
            heartbeat,
        } => {
            let (scheduler_host, scheduler_port) = scheduler
                .rsplit_once(':')
                .and_then(|(host, port)| Some((host.to_string(), port.parse().ok()?)))
                .ok_or_else(|| {
                    format!("`{scheduler}` is no host and port, such as 127.0.0.1:50050")
                })?;
            eprintln!("executor of the scheduler at {scheduler}; Ctrl-C ends it");
            let options = ExecutorOptions {
                host,
                port,
                control_port,
                scheduler: (scheduler_host, scheduler_port),
                tasks,
                memory: memory.map(|mb| mb * 1_000_000),
                folder,
                heartbeat_s: heartbeat,
            };
            tokio::spawn(async {
                loop {
                    tokio::time::sleep(COUNTED).await;
                    take_counts().iter().for_each(|count| tell("note", count));
                }
            });
            Ok(executor(options).await?)
        }
    }
}

async fn ask(query: Query) -> Result<()> {
    let text = match (query.command, query.file) {
        (Some(text), _) => text,
        (None, Some(file)) => std::fs::read_to_string(&file)
            .map_err(|error| format!("{}: cannot be read: {error}", file.display()))?,
        (None, None) => return Err("name a file of statements, or give some with -c".into()),
    };
    let context = match &query.cluster {
        Some(url) => clustered(url).await?,
        None => embedded(Limits {
            memory: query.memory.map(|mb| mb * 1_000_000),
            threads: query.threads,
        })?,
    };
    for statement in DFParser::parse_sql(&text)? {
        let plan = context.state().statement_to_plan(statement).await?;
        let rows = context.execute_logical_plan(plan).await?.collect().await?;
        if rows.iter().any(|batch| batch.num_columns() > 0) {
            let text = plain(&pretty_format_batches(&readable(&rows)?)?.to_string());
            match writeln!(std::io::stdout(), "{text}") {
                // Whoever reads has seen enough.
                Err(error) if error.kind() == ErrorKind::BrokenPipe => return Ok(()),
                written => written?,
            }
        }
        let state = context.state();
        if let Some(settings) = Settings::of_config(state.config_options()) {
            settings.take_undecided_routes().iter().for_each(|route| tell("note", route));
            settings.take_counts().iter().for_each(|count| tell("note", count));
        }
    }
    Ok(())
}

//! The programs of a cluster, with the functions built in: a scheduler, which plans queries and divides them into
//! tasks, and executors, which run these.

use crate::counts::Count;
use crate::plan_codec::PlanCodec;
use crate::session::{cluster_config, state};
use crate::settings::Settings;
use crate::tables::TableCodec;
use ballista_core::error::{BallistaError, Result};
use ballista_core::registry::BallistaFunctionRegistry;
use ballista_executor::executor_process::{ExecutorProcessConfig, start_executor_process};
use ballista_scheduler::cluster::BallistaCluster;
use ballista_scheduler::config::SchedulerConfig;
use ballista_scheduler::scheduler_process::start_server;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;

/// Where a scheduler listens.
#[derive(Clone, Debug)]
pub struct SchedulerOptions {
    /// Address of this machine.
    pub host: String,
    /// Port.
    pub port: u16,
    /// Seconds after which an executor that says nothing counts as dead.
    pub executor_timeout_s: u64,
}

/// Runs a scheduler until the process ends.
///
/// # Errors
/// If the port is taken.
pub async fn scheduler(options: SchedulerOptions) -> Result<()> {
    let config = SchedulerConfig {
        external_host: options.host.clone(),
        bind_host: options.host.clone(),
        bind_port: options.port,
        executor_timeout_seconds: options.executor_timeout_s,
        no_executors_grace_period_seconds: options.executor_timeout_s,
        expire_dead_executor_interval_seconds: (options.executor_timeout_s / 4).max(1),
        override_config_producer: Some(Arc::new(cluster_config)),
        override_session_builder: Some(Arc::new(state)),
        override_logical_codec: Some(Arc::new(TableCodec::default())),
        override_physical_codec: Some(Arc::new(PlanCodec::default())),
        ..SchedulerConfig::default()
    };
    let address: SocketAddr = format!("{}:{}", options.host, options.port)
        .parse()
        .map_err(|e: std::net::AddrParseError| BallistaError::Configuration(e.to_string()))?;
    let cluster = BallistaCluster::new_from_config(&config).await?;
    start_server(cluster, address, Arc::new(config)).await
}

/// Where an executor works, and with what.
#[derive(Clone, Debug)]
pub struct ExecutorOptions {
    /// Address of this machine.
    pub host: String,
    /// Port that others fetch results from.
    pub port: u16,
    /// Port that the scheduler speaks to.
    pub control_port: u16,
    /// Host and port of the scheduler.
    pub scheduler: (String, u16),
    /// Tasks at the same time.
    pub tasks: usize,
    /// Bytes of memory for what operators keep; what is more goes to disk.
    pub memory: Option<u64>,
    /// The folder for results between stages; one that goes away with the process if none.
    pub folder: Option<PathBuf>,
    /// Seconds between two signs of life.
    pub heartbeat_s: u64,
}

/// What functions could not compute in the tasks of this process since the last time.
pub fn take_counts() -> Vec<Count> {
    Settings::of_process().take_counts()
}

/// Runs an executor until the process ends.
///
/// # Errors
/// If a port is taken, or there is no scheduler.
pub async fn executor(options: ExecutorOptions) -> Result<()> {
    let state = state(cluster_config())?;
    let config = ExecutorProcessConfig {
        bind_host: options.host.clone(),
        external_host: Some(options.host),
        port: options.port,
        grpc_port: options.control_port,
        scheduler_host: options.scheduler.0,
        scheduler_port: options.scheduler.1,
        scheduler_connect_timeout_seconds: 15,
        vcores: options.tasks,
        memory_pool_size: options.memory,
        work_dir: options.folder.map(|folder| folder.to_string_lossy().into_owned()),
        executor_heartbeat_interval_seconds: options.heartbeat_s,
        override_function_registry: Some(Arc::new(BallistaFunctionRegistry::from(&state))),
        override_config_producer: Some(Arc::new(cluster_config)),
        override_logical_codec: Some(Arc::new(TableCodec::default())),
        override_physical_codec: Some(Arc::new(PlanCodec::default())),
        ..ExecutorProcessConfig::default()
    };
    start_executor_process(Arc::new(config)).await
}

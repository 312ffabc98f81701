//! Sessions with the functions: of this process, and of a cluster's client.

use crate::functions::{ROUTES, Routes, functions};
use crate::planner::{Planner, with_rule};
use crate::settings::Settings;
use crate::tables::{Factory, GeoParquet, TableCodec, WithMetadata};
use ballista::extension::SessionContextExt;
use ballista_core::extension::SessionConfigExt;
use datafusion::error::{DataFusionError, Result};
use datafusion::execution::SessionState;
use datafusion::execution::memory_pool::FairSpillPool;
use datafusion::execution::runtime_env::RuntimeEnvBuilder;
use datafusion::execution::session_state::SessionStateBuilder;
use datafusion::prelude::{SessionConfig, SessionContext};
use std::sync::Arc;

/// What a session may take.
#[derive(Clone, Copy, Debug, Default)]
pub struct Limits {
    /// Bytes of memory for what operators keep; what is more goes to disk. No limit if none.
    pub memory: Option<usize>,
    /// Threads; those of the machine if none.
    pub threads: Option<usize>,
}

/// A session in this process.
///
/// # Errors
/// If the folder for temporary files cannot be used.
pub fn embedded(limits: Limits) -> Result<SessionContext> {
    let mut config = SessionConfig::new()
        .with_information_schema(true)
        .with_option_extension(Settings::default());
    if let Some(threads) = limits.threads {
        config = config.with_target_partitions(threads);
    }
    let mut runtime = RuntimeEnvBuilder::new();
    if let Some(bytes) = limits.memory {
        runtime = runtime.with_memory_pool(Arc::new(FairSpillPool::new(bytes)));
    }
    let context = SessionContext::new_with_config_rt(config, runtime.build_arc()?);
    crate::register(&context);
    Ok(context)
}

/// A session whose queries a cluster runs; `url` is that of its scheduler, `http://host:50050`.
///
/// # Errors
/// If the URL is none.
pub async fn clustered(url: &str) -> Result<SessionContext> {
    if !url.starts_with("http://") {
        return Err(DataFusionError::Configuration(format!(
            "`{url}` is no address of a scheduler, such as http://localhost:50050"
        )));
    }
    let config = cluster_config().with_information_schema(true);
    let context = SessionContext::remote_with_state(url, state(config)?).await?;
    crate::register(&context);
    Ok(context)
}

/// A state with the rules and formats that the functions work with.
pub(crate) fn completed(state: &SessionState) -> SessionState {
    let mut state = with_rule(state);
    for (name, geometries) in [("PARQUET", false), ("GEOPARQUET", true)] {
        state.table_factories_mut().insert(name.to_string(), Arc::new(Factory { geometries }));
    }
    state.register_udtf(ROUTES, Arc::new(Routes));
    if state.get_file_format_factory("geoparquet").is_none() {
        // It is not there yet, so that this cannot fail.
        let _ = state.register_file_format(Arc::new(GeoParquet), true);
        state.add_analyzer_rule(Arc::new(WithMetadata));
    }
    state
}

/// The settings of the parts of a cluster.
pub(crate) fn cluster_config() -> SessionConfig {
    SessionConfig::new_with_ballista()
        .with_option_extension(Settings::of_process())
        .with_ballista_logical_extension_codec(Arc::new(TableCodec::default()))
}

/// The state of a part of a cluster, with all functions.
pub(crate) fn state(config: SessionConfig) -> Result<SessionState> {
    let builder = SessionStateBuilder::new_from_existing(
        ballista_core::utils::default_session_builder(config)?,
    );
    let mut state = completed(&builder.with_query_planner(Arc::new(Planner)).build());
    for function in functions() {
        datafusion::execution::FunctionRegistry::register_udf(&mut state, function)?;
    }
    Ok(state)
}

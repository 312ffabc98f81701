//! `routes('FROM', 'TO')`: the ways between two systems as a table, the one that is taken first:
//! what they are known to, the share of the area of use of both systems that they cover, and what those need that
//! cannot be run.

use crate::constant::constant;
use crate::error::refused;
use crate::plans::plan;
use crate::settings::area_of;
use crate::system::{named, text_of};
use datafusion::catalog::view::ViewTable;
use datafusion::catalog::{TableFunctionArgs, TableFunctionImpl, TableProvider};
use datafusion::error::Result;
use datafusion::logical_expr::{Expr, LogicalPlanBuilder, lit};
use datafusion::scalar::ScalarValue;
use std::sync::Arc;

/// The name of the table function.
pub(crate) const ROUTES: &str = "routes";

/// Makes the table.
#[derive(Debug)]
pub(crate) struct Routes;

impl TableFunctionImpl for Routes {
    fn call_with_args(&self, args: TableFunctionArgs<'_, '_>) -> Result<Arc<dyn TableProvider>> {
        let text = |expr: &Expr| match expr {
            Expr::Literal(value, _) => constant(value),
            _ => None,
        };
        let systems: Option<Vec<String>> = args.exprs().iter().map(text).collect();
        let Some([from, to]) = systems.as_deref() else {
            return Err(refused(format!(
                "{ROUTES} takes two reference systems, such as 'EPSG:4267'"
            )));
        };
        let area = area_of(args.session().config_options());
        let way = plan(&text_of(&named(from)?)?, &text_of(&named(to)?)?, area)?;
        let route = way.route();
        let known = |metres: Option<f64>| lit(ScalarValue::Float64(metres));
        let text = |text: Option<String>| lit(ScalarValue::Utf8(text));
        let mut rows = vec![vec![
            text(Some(route.summary())),
            known(route.accuracy_m()),
            known(route.covers_area.then_some(1.0)),
            lit(true),
            text(None),
        ]];
        for other in &route.alternatives {
            rows.push(vec![
                text(Some(other.summary())),
                known(other.accuracy_m()),
                known(Some(other.share)),
                lit(false),
                text(None),
            ]);
        }
        for other in &route.unavailable {
            rows.push(vec![
                text(Some(format!("{} [EPSG:{}]", other.name, other.code))),
                known(other.accuracy_m),
                known(None),
                lit(false),
                text(Some(other.needs.clone())),
            ]);
        }
        let names = ["route", "accuracy_m", "covers", "taken", "needs"];
        let columns = (1..).map(|at| format!("column{at}")).zip(names);
        let columns = columns.map(|(at, name)| datafusion::prelude::col(at).alias(name));
        let table = LogicalPlanBuilder::values(rows)?.project(columns)?.build()?;
        Ok(Arc::new(ViewTable::new(table, None)))
    }
}

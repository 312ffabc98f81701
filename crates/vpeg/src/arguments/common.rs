//! Points that are known in two planes.

use clap::Args;
use velvet_peg::Error;
use velvet_peg::fit::{CommonColumns, FitKind};

/// How points that are known in two planes are read and fitted.
#[derive(Debug, Args)]
pub(crate) struct CommonArguments {
    /// Mapping to fit: similarity (shift, turn, scale), affine (stretch and skew, too) or second-order.
    #[arg(long, value_name = "KIND", value_parser = kind)]
    pub(crate) fit: Option<FitKind>,
    /// Columns of the plane that is carried, such as pixel,line or site_x,site_y; by their names if not
    /// given.
    #[arg(long, value_name = "X,Y", value_parser = pair)]
    from_columns: Option<(String, String)>,
    /// Columns of the known coordinates, such as easting,northing; by their names if not given.
    #[arg(long, value_name = "X,Y", value_parser = pair)]
    to_columns: Option<(String, String)>,
}

fn kind(text: &str) -> Result<FitKind, String> {
    FitKind::named(text).ok_or_else(|| {
        let names: Vec<&str> = FitKind::ALL.iter().map(|kind| kind.name()).collect();
        format!("it is one of {}", names.join(", "))
    })
}

fn pair(text: &str) -> Result<(String, String), String> {
    match text.split_once(',') {
        Some((x, y)) if !x.trim().is_empty() && !y.trim().is_empty() => {
            Ok((x.trim().to_string(), y.trim().to_string()))
        }
        _ => Err("write two names of columns with a comma between".to_string()),
    }
}

impl CommonArguments {
    pub(crate) fn columns(&self) -> CommonColumns {
        CommonColumns { from: self.from_columns.clone(), to: self.to_columns.clone() }
    }

    /// The mapping asked for, or the plainest that so many points check.
    pub(crate) fn kind(&self, points: usize, plainest: FitKind) -> FitKind {
        self.fit.unwrap_or(match points {
            // Four points leave two coordinates over.
            4.. if plainest == FitKind::Affine => FitKind::Affine,
            _ => FitKind::Similarity,
        })
    }

    /// # Errors
    /// If an option was given that has no use without points.
    pub(crate) fn only_with_points(&self) -> Result<(), Error> {
        let given = self.fit.is_some() || self.from_columns.is_some() || self.to_columns.is_some();
        match given {
            true => {
                Err(Error::usage("--fit, --from-columns and --to-columns go with --points FILE"))
            }
            false => Ok(()),
        }
    }
}

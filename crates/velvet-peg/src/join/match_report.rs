//! How the keys of a layer and a table meet, and what is said of it.

use crate::advice::Advice;
use crate::examples::Examples;
use crate::notice::{Notice, NoticeKind};

/// How the keys of a layer and a table meet. Examples are the first of each kind.
#[derive(Clone, Debug, Default)]
pub struct MatchReport {
    /// Features of the layer.
    pub features: u64,
    /// Rows of the table.
    pub rows: u64,
    /// Features with their key in the table.
    pub features_met: u64,
    /// Rows with their key in the layer.
    pub rows_met: u64,
    /// Features whose key is not in the table.
    pub features_unmet: Examples,
    /// Rows whose key is not in the layer.
    pub rows_unmet: Examples,
    /// Features without a key.
    pub features_blank: u64,
    /// Rows without a key.
    pub rows_blank: u64,
    /// Keys that several features have.
    pub layer_duplicates: Examples,
    /// Keys that several rows have.
    pub table_duplicates: Examples,
    /// Of those, the ones that a feature has.
    pub duplicates_met: Examples,
    /// Keys that would meet without regard to capitals, blanks or leading zeros: the layer's,
    /// the table's, and what keeps them apart.
    pub near: Vec<(String, String, &'static str)>,
    /// Number of the near ones.
    pub near_count: u64,
    /// The types of the two columns in words, where they differ.
    pub types: Option<(&'static str, &'static str)>,
}

impl MatchReport {
    /// What of it matters to whoever uses the result.
    pub fn notices(&self) -> Vec<Notice> {
        let mut notices = Vec::new();
        if self.near_count > 0 {
            let pairs: Vec<String> =
                self.near.iter().map(|(a, b, why)| format!("`{a}` and `{b}` ({why})")).collect();
            notices.push(
                Notice::warning(
                    NoticeKind::Keys,
                    format!(
                        "{} keys do not meet but look the same: {}",
                        self.near_count,
                        pairs.join(", ")
                    ),
                )
                .count(self.near_count)
                .advise(Advice::LooseKeys),
            );
        }
        if self.features_unmet.count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Keys,
                    format!(
                        "keys of features that are not in the table: {}",
                        self.features_unmet.counted()
                    ),
                )
                .count(self.features_unmet.count),
            );
        }
        if self.rows_unmet.count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Keys,
                    format!("keys of the table that no feature has: {}", self.rows_unmet.counted()),
                )
                .count(self.rows_unmet.count),
            );
        }
        if self.features_blank + self.rows_blank > 0 {
            notices.push(
                Notice::note(
                    NoticeKind::Keys,
                    format!(
                        "without a key: {} features, {} rows",
                        self.features_blank, self.rows_blank
                    ),
                )
                .with("features", self.features_blank as f64, "")
                .with("rows", self.rows_blank as f64, ""),
            );
        }
        notices
    }
}

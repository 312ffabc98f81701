//! Sums that keep what rounding drops.
//!
//! Source: Neumaier (1974), "Rundungsfehleranalyse einiger Verfahren zur Summation endlicher
//! Summen", ZAMM 54, 39-51: the improved form of Kahan's compensated sum.

/// A running sum with its compensation.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Sum {
    total: f64,
    lost: f64,
}

impl Sum {
    pub(crate) fn add(&mut self, value: f64) {
        let sum = self.total + value;
        self.lost += if self.total.abs() >= value.abs() {
            (self.total - sum) + value
        } else {
            (value - sum) + self.total
        };
        self.total = sum;
    }

    pub(crate) fn value(&self) -> f64 {
        self.total + self.lost
    }
}

impl FromIterator<f64> for Sum {
    fn from_iter<I: IntoIterator<Item = f64>>(values: I) -> Sum {
        let mut sum = Sum::default();
        values.into_iter().for_each(|value| sum.add(value));
        sum
    }
}

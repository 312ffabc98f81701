//! What is said of many figures at once.

/// Count, sum, mean, median, extremes and standard deviation of figures.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Statistics {
    /// How many figures.
    pub count: usize,
    /// Their sum.
    pub sum: f64,
    /// Sum over count.
    pub mean: f64,
    /// The middle one, or the mean of the two in the middle.
    pub median: f64,
    /// The smallest.
    pub minimum: f64,
    /// The largest.
    pub maximum: f64,
    /// Standard deviation of a sample (over count − 1); 0 of a single figure.
    pub deviation: f64,
}

/// One figure of [`Statistics`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Statistic {
    /// The sum.
    Sum,
    /// The mean.
    Mean,
    /// The median.
    Median,
    /// The smallest figure.
    Minimum,
    /// The largest figure.
    Maximum,
    /// The standard deviation of a sample.
    Deviation,
}

impl Statistic {
    /// All, in the order in which tables list them.
    pub const ALL: [Statistic; 6] = [
        Statistic::Sum,
        Statistic::Mean,
        Statistic::Median,
        Statistic::Minimum,
        Statistic::Maximum,
        Statistic::Deviation,
    ];

    /// Its name in words: `mean`.
    pub fn name(self) -> &'static str {
        match self {
            Statistic::Sum => "sum",
            Statistic::Mean => "mean",
            Statistic::Median => "median",
            Statistic::Minimum => "minimum",
            Statistic::Maximum => "maximum",
            Statistic::Deviation => "sample standard deviation",
        }
    }
}

impl Statistics {
    /// One of its figures.
    pub fn figure(&self, of: Statistic) -> f64 {
        match of {
            Statistic::Sum => self.sum,
            Statistic::Mean => self.mean,
            Statistic::Median => self.median,
            Statistic::Minimum => self.minimum,
            Statistic::Maximum => self.maximum,
            Statistic::Deviation => self.deviation,
        }
    }

    /// Of these figures; all zero of none.
    ///
    /// ```
    /// use velvet_peg::measure::Statistics;
    /// let of = Statistics::of([2.0, 4.0, 4.0, 10.0]);
    /// assert_eq!((of.sum, of.mean, of.median, of.minimum, of.maximum), (20.0, 5.0, 4.0, 2.0, 10.0));
    /// assert_eq!(of.deviation, 12f64.sqrt());
    /// ```
    pub fn of(figures: impl IntoIterator<Item = f64>) -> Statistics {
        let mut sorted: Vec<f64> = figures.into_iter().collect();
        if sorted.is_empty() {
            return Statistics::default();
        }
        sorted.sort_by(f64::total_cmp);
        let count = sorted.len();
        let sum: f64 = sorted.iter().sum();
        let mean = sum / count as f64;
        let half = count / 2;
        let median = match count.is_multiple_of(2) {
            true => (sorted[half - 1] + sorted[half]) / 2.0,
            false => sorted[half],
        };
        let squares: f64 = sorted.iter().map(|v| (v - mean) * (v - mean)).sum();
        let deviation = if count > 1 { (squares / (count - 1) as f64).sqrt() } else { 0.0 };
        Statistics {
            count,
            sum,
            mean,
            median,
            minimum: sorted[0],
            maximum: sorted[count - 1],
            deviation,
        }
    }
}

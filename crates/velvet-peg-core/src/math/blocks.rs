//! Columns of numbers, replaced several at a time with what the processor has.

use super::lanes::{Lanes, WIDTH};
use super::number::Number;
#[cfg(feature = "wide")]
use super::wide::Wide;

/// What becomes of values that stand side by side in columns. `several` is to be inlined always, with all
/// that it calls: only what is inlined is compiled for wide registers.
pub(crate) trait Replacement<const COLUMNS: usize> {
    /// Of several at a time, or none if they have to be taken one by one.
    fn several<N: Number>(&self, values: [N; COLUMNS]) -> Option<[N; COLUMNS]>;

    /// Of one; none if there is no result.
    fn single(&self, values: [f64; COLUMNS]) -> Option<[f64; COLUMNS]>;
}

/// Replaces the values of columns, with the widest registers that the processor has. Where there is no
/// result, or one of the values is NaN, one of the results at least is NaN.
pub(crate) fn replace<const COLUMNS: usize>(
    columns: [&mut [f64]; COLUMNS],
    by: &impl Replacement<COLUMNS>,
) {
    let work = Work { columns, by };
    #[cfg(feature = "wide")]
    pulp::Arch::new().dispatch(work);
    #[cfg(not(feature = "wide"))]
    work.in_lanes();
}

/// Replaces the values of columns one by one, as [`replace`].
pub(crate) fn replace_singly<const COLUMNS: usize>(
    mut columns: [&mut [f64]; COLUMNS],
    single: impl Fn([f64; COLUMNS]) -> Option<[f64; COLUMNS]>,
) {
    let many = columns.iter().map(|column| column.len()).min().unwrap_or(0);
    for at in 0..many {
        let given = std::array::from_fn(|k| columns[k][at]);
        let is_given = given.iter().all(|value| !value.is_nan());
        let one = if is_given { single(given) } else { None };
        for (column, value) in columns.iter_mut().zip(one.unwrap_or([f64::NAN; COLUMNS])) {
            column[at] = value;
        }
    }
}

struct Work<'a, const COLUMNS: usize, R> {
    columns: [&'a mut [f64]; COLUMNS],
    by: &'a R,
}

impl<const COLUMNS: usize, R: Replacement<COLUMNS>> Work<'_, COLUMNS, R> {
    #[inline(always)]
    fn in_lanes(self) {
        self.run(WIDTH, Lanes::read, Lanes::write);
    }

    /// So many at a time.
    #[inline(always)]
    fn run<N: Number>(
        mut self,
        width: usize,
        read: impl Fn(&[f64]) -> N,
        write: impl Fn(N, &mut [f64]),
    ) {
        let many = self.columns.iter().map(|column| column.len()).min().unwrap_or(0);
        let mut at = 0;
        while at + width <= many {
            let next = at + width;
            match self.by.several(std::array::from_fn(|k| read(&self.columns[k][at..next]))) {
                Some(done) => {
                    for (column, values) in self.columns.iter_mut().zip(done) {
                        write(values, &mut column[at..next]);
                    }
                }
                None => self.singly(at, next),
            }
            at = next;
        }
        self.singly(at, many);
    }

    #[inline(never)]
    fn singly(&mut self, from: usize, to: usize) {
        let columns = self.columns.each_mut().map(|column| &mut column[from..to]);
        replace_singly(columns, |values| self.by.single(values));
    }
}

#[cfg(feature = "wide")]
impl<const COLUMNS: usize, R: Replacement<COLUMNS>> pulp::WithSimd for Work<'_, COLUMNS, R> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: pulp::Simd>(self, simd: S) {
        match S::F64_LANES {
            1 => self.in_lanes(),
            width => self.run(width, |values| Wide::read(simd, values), Wide::write),
        }
    }
}

//! The numbers of a raster, in the type that the file has.

use std::fmt;
use velvet_peg_core::raster::Sample;

/// What the numbers of a raster are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SampleType {
    /// Whole numbers of 8 bits.
    U8,
    /// Whole numbers of 8 bits with a sign.
    I8,
    /// Whole numbers of 16 bits.
    U16,
    /// Whole numbers of 16 bits with a sign.
    I16,
    /// Whole numbers of 32 bits.
    U32,
    /// Whole numbers of 32 bits with a sign.
    I32,
    /// Numbers with decimals, of 32 bits.
    F32,
    /// Numbers with decimals, of 64 bits.
    F64,
}

impl SampleType {
    /// Bits of a number.
    pub fn bits(self) -> u16 {
        match self {
            SampleType::U8 | SampleType::I8 => 8,
            SampleType::U16 | SampleType::I16 => 16,
            SampleType::U32 | SampleType::I32 | SampleType::F32 => 32,
            SampleType::F64 => 64,
        }
    }

    /// True for numbers with decimals.
    pub fn has_decimals(self) -> bool {
        matches!(self, SampleType::F32 | SampleType::F64)
    }

    /// The largest number; of those with decimals 1.
    pub fn largest(self) -> f64 {
        match self {
            SampleType::U8 => f64::from(u8::MAX),
            SampleType::I8 => f64::from(i8::MAX),
            SampleType::U16 => f64::from(u16::MAX),
            SampleType::I16 => f64::from(i16::MAX),
            SampleType::U32 => f64::from(u32::MAX),
            SampleType::I32 => f64::from(i32::MAX),
            SampleType::F32 | SampleType::F64 => 1.0,
        }
    }

    /// True if a number can be one of this type as it is.
    pub fn holds(self, value: f64) -> bool {
        let lowest = match self {
            SampleType::U8 | SampleType::U16 | SampleType::U32 => 0.0,
            SampleType::I8 => f64::from(i8::MIN),
            SampleType::I16 => f64::from(i16::MIN),
            SampleType::I32 => f64::from(i32::MIN),
            SampleType::F32 | SampleType::F64 => return true,
        };
        value.fract() == 0.0 && (lowest..=self.largest()).contains(&value)
    }
}

/// In words.
impl fmt::Display for SampleType {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            SampleType::U8 => "8-bit whole numbers",
            SampleType::I8 => "8-bit whole numbers with a sign",
            SampleType::U16 => "16-bit whole numbers",
            SampleType::I16 => "16-bit whole numbers with a sign",
            SampleType::U32 => "32-bit whole numbers",
            SampleType::I32 => "32-bit whole numbers with a sign",
            SampleType::F32 => "32-bit numbers with decimals",
            SampleType::F64 => "64-bit numbers with decimals",
        })
    }
}

/// Numbers, row by row, the bands of a pixel side by side.
#[derive(Clone, Debug, PartialEq)]
pub enum Samples {
    /// See [`SampleType::U8`].
    U8(Vec<u8>),
    /// See [`SampleType::I8`].
    I8(Vec<i8>),
    /// See [`SampleType::U16`].
    U16(Vec<u16>),
    /// See [`SampleType::I16`].
    I16(Vec<i16>),
    /// See [`SampleType::U32`].
    U32(Vec<u32>),
    /// See [`SampleType::I32`].
    I32(Vec<i32>),
    /// See [`SampleType::F32`].
    F32(Vec<f32>),
    /// See [`SampleType::F64`].
    F64(Vec<f64>),
}

/// Does the same with the numbers of a [`Samples`], whatever their type.
macro_rules! each_type {
    ($samples:expr, $numbers:ident => $work:expr) => {
        match $samples {
            $crate::raster::Samples::U8($numbers) => $work,
            $crate::raster::Samples::I8($numbers) => $work,
            $crate::raster::Samples::U16($numbers) => $work,
            $crate::raster::Samples::I16($numbers) => $work,
            $crate::raster::Samples::U32($numbers) => $work,
            $crate::raster::Samples::I32($numbers) => $work,
            $crate::raster::Samples::F32($numbers) => $work,
            $crate::raster::Samples::F64($numbers) => $work,
        }
    };
}
pub(super) use each_type;

impl Samples {
    /// So many times 0.
    pub fn zeros(kind: SampleType, count: usize) -> Samples {
        match kind {
            SampleType::U8 => Samples::U8(vec![0; count]),
            SampleType::I8 => Samples::I8(vec![0; count]),
            SampleType::U16 => Samples::U16(vec![0; count]),
            SampleType::I16 => Samples::I16(vec![0; count]),
            SampleType::U32 => Samples::U32(vec![0; count]),
            SampleType::I32 => Samples::I32(vec![0; count]),
            SampleType::F32 => Samples::F32(vec![0.0; count]),
            SampleType::F64 => Samples::F64(vec![0.0; count]),
        }
    }

    /// Their type.
    pub fn kind(&self) -> SampleType {
        match self {
            Samples::U8(_) => SampleType::U8,
            Samples::I8(_) => SampleType::I8,
            Samples::U16(_) => SampleType::U16,
            Samples::I16(_) => SampleType::I16,
            Samples::U32(_) => SampleType::U32,
            Samples::I32(_) => SampleType::I32,
            Samples::F32(_) => SampleType::F32,
            Samples::F64(_) => SampleType::F64,
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        each_type!(self, numbers => numbers.len())
    }

    /// True if there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The same numbers in another type: the nearest that it has.
    pub(super) fn into_kind(self, kind: SampleType) -> Samples {
        if self.kind() == kind {
            return self;
        }
        fn all<T: Sample>(samples: &Samples) -> Vec<T> {
            (0..samples.len()).map(|at| T::from_f64(samples.get(at))).collect()
        }
        match kind {
            SampleType::U8 => Samples::U8(all(&self)),
            SampleType::I8 => Samples::I8(all(&self)),
            SampleType::U16 => Samples::U16(all(&self)),
            SampleType::I16 => Samples::I16(all(&self)),
            SampleType::U32 => Samples::U32(all(&self)),
            SampleType::I32 => Samples::I32(all(&self)),
            SampleType::F32 => Samples::F32(all(&self)),
            SampleType::F64 => Samples::F64(all(&self)),
        }
    }

    /// The number at a place.
    ///
    /// # Panics
    /// If there is none.
    pub fn get(&self, at: usize) -> f64 {
        each_type!(self, numbers => numbers[at].to_f64())
    }

    /// The bytes of the numbers, the lowest first.
    pub(super) fn to_bytes(&self) -> Vec<u8> {
        fn of<T: Copy, const N: usize>(numbers: &[T], bytes: fn(T) -> [u8; N]) -> Vec<u8> {
            numbers.iter().flat_map(|number| bytes(*number)).collect()
        }
        match self {
            Samples::U8(numbers) => numbers.clone(),
            Samples::I8(numbers) => of(numbers, i8::to_le_bytes),
            Samples::U16(numbers) => of(numbers, u16::to_le_bytes),
            Samples::I16(numbers) => of(numbers, i16::to_le_bytes),
            Samples::U32(numbers) => of(numbers, u32::to_le_bytes),
            Samples::I32(numbers) => of(numbers, i32::to_le_bytes),
            Samples::F32(numbers) => of(numbers, f32::to_le_bytes),
            Samples::F64(numbers) => of(numbers, f64::to_le_bytes),
        }
    }

    /// Numbers of bytes, the lowest first.
    pub(super) fn of_bytes(kind: SampleType, bytes: &[u8]) -> Samples {
        fn of<T, const N: usize>(bytes: &[u8], number: fn([u8; N]) -> T) -> Vec<T> {
            let whole = bytes.chunks_exact(N);
            whole.map(|part| number(part.try_into().unwrap_or([0; N]))).collect()
        }
        match kind {
            SampleType::U8 => Samples::U8(bytes.to_vec()),
            SampleType::I8 => Samples::I8(of(bytes, i8::from_le_bytes)),
            SampleType::U16 => Samples::U16(of(bytes, u16::from_le_bytes)),
            SampleType::I16 => Samples::I16(of(bytes, i16::from_le_bytes)),
            SampleType::U32 => Samples::U32(of(bytes, u32::from_le_bytes)),
            SampleType::I32 => Samples::I32(of(bytes, i32::from_le_bytes)),
            SampleType::F32 => Samples::F32(of(bytes, f32::from_le_bytes)),
            SampleType::F64 => Samples::F64(of(bytes, f64::from_le_bytes)),
        }
    }
}

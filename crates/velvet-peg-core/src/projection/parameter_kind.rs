//! What the parameters of projections are measured in.

/// What a parameter is measured in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ParameterKind {
    /// An angle.
    Angle,
    /// A length.
    Length,
    /// A ratio, or a plain coefficient.
    Scale,
}

/// What a parameter of a projection is measured in.
pub fn kind_of_parameter(parameter: u32) -> ParameterKind {
    match parameter {
        8801 | 8802 | 8811..=8814 | 8818 | 8821..=8824 | 8830..=8835 | 1036 => ParameterKind::Angle,
        8806 | 8807 | 8816 | 8817 | 8826 | 8827 | 8836 | 8840 | 8617 | 8618 | 1039 => {
            ParameterKind::Length
        }
        _ => ParameterKind::Scale,
    }
}

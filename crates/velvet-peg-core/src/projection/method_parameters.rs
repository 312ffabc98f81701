//! Which parameters each method of projection takes, by EPSG code and in the registry's order.

/// EPSG codes of the parameters of a method; none if it is not one of [`super::METHODS`].
pub fn parameters_of(method: u32) -> Option<&'static [u32]> {
    const NATURAL: &[u32] = &[8801, 8802, 8806, 8807];
    const SCALED: &[u32] = &[8801, 8802, 8805, 8806, 8807];
    const TWO_PARALLELS: &[u32] = &[8821, 8822, 8823, 8824, 8826, 8827];
    const PARALLEL: &[u32] = &[8823, 8802, 8806, 8807];
    Some(match method {
        9807 | 1111 | 9808 | 9801 | 9826 | 9804 | 9810 | 9809 | 9841 | 9817 => SCALED,
        9802 | 9803 | 9822 => TWO_PARALLELS,
        9806 | 9833 | 9820 | 1027 | 1125 | 9832 | 9818 | 9827 | 9828 | 9823 | 1024 | 9831
        | 9811 => NATURAL,
        9805 | 9834 | 9835 | 1028 | 1029 => PARALLEL,
        1044 => &[8823, 8802, 8821, 8826, 8827],
        1051 => &[8821, 8822, 8823, 8824, 8826, 8827, 1038],
        1052 => &[8801, 8802, 8806, 8807, 1039],
        1078 => &[8802, 8806, 8807],
        1102 => &[8801, 8805, 8821, 8822, 8826, 8827],
        1130 => &[8811, 8812, 8813, 8815, 8816, 8817],
        9812 => &[8811, 8812, 8813, 8814, 8815, 8806, 8807],
        9813 => &[8811, 8812, 8813, 8815, 8806, 8807],
        9815 => &[8811, 8812, 8813, 8814, 8815, 8816, 8817],
        9816 => &[8821, 8822, 8826, 8827],
        9819 | 1041 => &[8811, 8833, 1036, 8818, 8819, 8806, 8807],
        1042 | 1043 => &[
            8811, 8833, 1036, 8818, 8819, 8806, 8807, 8617, 8618, 1026, 1027, 1028, 1029, 1030,
            1031, 1032, 1033, 1034, 1035,
        ],
        9824 => &[8801, 8830, 8831, 8805, 8806, 8807],
        9829 => &[8832, 8833, 8806, 8807],
        9830 => &[8832, 8833, 8826, 8827],
        9842 => &[8801, 8822, 8806, 8807],
        _ => return None,
    })
}

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
        8801 | 8802 | 8811..=8814 | 8818 | 8821..=8824 | 8830..=8833 | 1036 => ParameterKind::Angle,
        8806 | 8807 | 8816 | 8817 | 8826 | 8827 | 8617 | 8618 | 1039 => ParameterKind::Length,
        _ => ParameterKind::Scale,
    }
}

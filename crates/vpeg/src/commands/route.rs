//! Which way data was carried, and what is known of it.

use crate::show;
use velvet_peg::Converter;
use velvet_peg::convert::route_notices;

/// Says from where to where, by which operations, and what is worth knowing of them.
pub(super) fn route(converter: &Converter) {
    show::remark(&format!(
        "from {} ({})\n      to   {} ({})\n      by   {}",
        converter.source().label(),
        converter.source().unit_plural(),
        converter.target().label(),
        converter.target().unit_plural(),
        converter.route().summary()
    ));
    show::notices(&route_notices(converter));
}

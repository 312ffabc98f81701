//! How well a system matches what is asked for.

use super::index::{Index, System, Word};
use super::needle::Needle;
use super::words::{Query, Wanted};
use velvet_peg_epsg::{CoordinateSystemRow, CrsKind, CrsRow};

/// What is asked for, as words of the registry.
pub(super) struct Sought<'q> {
    index: &'static Index,
    wanted: Vec<(&'q Wanted, Option<Needle>)>,
    /// The words as they were typed, if all are words and the registry has each.
    typed: Option<Vec<Word>>,
    currency: Currency,
    depth: Option<Word>,
}

impl<'q> Sought<'q> {
    pub(super) fn of(query: &'q Query) -> Sought<'q> {
        let index = Index::get();
        let needle = |wanted: &'q Wanted| match wanted {
            Wanted::Word(term) | Wanted::Number(term, _) => Some(Needle::of(term, index)),
            Wanted::Degrees | Wanted::Space | Wanted::Geocentric | Wanted::Metres => None,
        };
        let wanted: Vec<_> = query.wanted.iter().map(|wanted| (wanted, needle(wanted))).collect();
        let typed = wanted.iter().map(|(_, needle)| needle.as_ref()?.typed).collect();
        let (currency, depth) = (Currency::of(index), index.word("depth"));
        Sought { index, wanted, typed, currency, depth }
    }

    /// The systems that match, each with its score: lower is better.
    pub(super) fn scores(&self) -> impl Iterator<Item = (u32, CrsRow)> {
        self.index.systems().iter().filter_map(|system| self.score(system))
    }

    fn needles(&self) -> impl Iterator<Item = &Needle> {
        self.wanted.iter().filter_map(|(_, needle)| needle.as_ref())
    }

    /// None if some word matches nothing. Only rows whose words match are decoded.
    fn score(&self, system: &System) -> Option<(u32, CrsRow)> {
        let (is_named, by_words) = (self.is_named(system), self.cost_of_words(system));
        if !is_named && by_words.is_none() {
            return None;
        }
        let row = CrsRow::find(system.code)?;
        let named = if is_named { of_its_own_name(&row) } else { None };
        let by_words = by_words.and_then(|cost| self.score_by_words(system, &row, cost));
        let score = [named, by_words].into_iter().flatten().min()?;
        Some((score, row))
    }

    /// True if another name of it is what is asked for, word for word.
    fn is_named(&self, system: &System) -> bool {
        let Some(typed) = &self.typed else { return false };
        self.index.aliases(system).any(|alias| alias == typed)
    }

    /// What it costs that the words asked for are found where they are, and how many words of the name they
    /// stand for; none if one is nowhere.
    fn cost_of_words(&self, system: &System) -> Option<(u32, usize)> {
        let name = self.index.of(system.name);
        let (mut cost, mut of_name) = (0, 0);
        for (wanted, needle) in &self.wanted {
            let Some(needle) = needle else { continue };
            cost += match wanted {
                Wanted::Number(_, number) if *number == system.code => 0,
                Wanted::Number(_, number) if is_zone(*number, system) => 1,
                Wanted::Number(..) => self.cost(needle, system)?,
                _ => {
                    let found = self.cost(needle, system)?;
                    of_name += needle.count_in(name);
                    found
                }
            };
        }
        Some((cost, of_name))
    }

    /// The score by all that is asked for, of what the words cost; none if the system is not of the kind or
    /// unit asked for.
    fn score_by_words(
        &self,
        system: &System,
        row: &CrsRow,
        (mut penalty, of_name): (u32, usize),
    ) -> Option<u32> {
        let name = self.index.of(system.name);
        for (wanted, _) in &self.wanted {
            penalty += match (wanted, row.kind) {
                (Wanted::Word(_) | Wanted::Number(..), _)
                | (Wanted::Degrees, CrsKind::Geographic2D)
                | (Wanted::Space, CrsKind::Geographic3D)
                | (Wanted::Geocentric, CrsKind::Geocentric) => 0,
                (Wanted::Degrees, CrsKind::Geographic3D) => 1,
                (Wanted::Metres, _) if counts_metres(row) => 0,
                (Wanted::Degrees | Wanted::Space | Wanted::Geocentric | Wanted::Metres, _) => {
                    return None;
                }
            };
        }
        // Words of the name that were not asked for make it a looser match; those of the datum only
        // where a datum was asked for. Otherwise its currency decides.
        let [datum, zone] = [system.named_datum, system.named_zone].map(|list| self.index.of(list));
        let asked = |words: &[Word]| self.needles().any(|one| one.cost_in(&[words]).is_some());
        penalty += match datum.is_empty() || asked(datum) {
            true => name.len().saturating_sub(of_name) as u32,
            false => zone.len().saturating_sub(of_name) as u32 + self.currency.of_datum(datum),
        };
        // Without a datum, latitude and longitude are mostly those of satellites.
        penalty += u32::from(self.needles().next().is_none() && row.code != WGS84) * 10;
        penalty += self.torn(name);
        // Depths are for those who say so.
        penalty += u32::from(self.depth.is_some_and(|depth| name.contains(&depth)));
        penalty += match row.kind {
            CrsKind::Projected | CrsKind::Geographic2D => 0,
            CrsKind::Geographic3D | CrsKind::Geocentric => 3,
            CrsKind::Compound => 9,
            _ => 8,
        };
        Some(penalty + if row.deprecated { 1000 } else { 0 })
    }

    /// What it costs that a term is found where it is; none if it is nowhere.
    fn cost(&self, needle: &Needle, system: &System) -> Option<u32> {
        let of = |list| self.index.of(list);
        let alias =
            || self.index.aliases(system).filter_map(|words| needle.cost_in(&[words])).min();
        needle
            .cost_in(&[of(system.name)])
            .or_else(|| alias().map(|cost| cost + 5))
            .or_else(|| needle.cost_in(&[of(system.datum)]).map(|cost| cost + 6))
            .or_else(|| {
                let words = [of(system.method), of(system.conversion)];
                needle.cost_in(&words).map(|cost| cost + 8)
            })
            .or_else(|| needle.cost_in(&[of(system.area)]).map(|cost| cost + 10))
    }

    /// How many pairs of words that were asked for one behind the other are not so in a name: they are
    /// meant so.
    fn torn(&self, name: &[Word]) -> u32 {
        let needles: Vec<&Needle> = self.needles().collect();
        let beside = |a: &Needle, b: &Needle| {
            name.windows(2)
                .any(|two| a.cost_in(&[&two[..1]]).is_some() && b.cost_in(&[&two[1..]]).is_some())
        };
        needles.windows(2).filter(|two| !beside(two[0], two[1])).count() as u32
    }
}

/// The system of latitudes and longitudes of WGS 84.
const WGS84: u32 = 4326;

/// The score of a system that is asked for by another name of its own; none for one that nobody means so.
fn of_its_own_name(row: &CrsRow) -> Option<u32> {
    match row.kind {
        _ if row.deprecated => None,
        CrsKind::Geographic2D => Some(1),
        CrsKind::Geographic3D | CrsKind::Geocentric => Some(2),
        CrsKind::Compound => None,
        _ => Some(3),
    }
}

/// True if a number is that of a system's zone of state plane (FIPS, 4601 for Washington North).
fn is_zone(number: u32, system: &System) -> bool {
    (101..=9999).contains(&number) && number == system.zone_number
}

/// True if the axes of a system count metres.
fn counts_metres(row: &CrsRow) -> bool {
    const METRE: u32 = 9001;
    let system = row.coordinate_system.and_then(CoordinateSystemRow::find);
    system.is_some_and(|system| system.axes.iter().all(|axis| axis.unit == Some(METRE)))
}

/// How current a realisation is, by the words of its name: the North American ones that
/// technicians meet.
struct Currency {
    nad83: Option<Word>,
    nad27: Option<Word>,
    wgs84: Option<Word>,
    year_2011: Option<Word>,
}

impl Currency {
    fn of(index: &Index) -> Currency {
        let [nad83, nad27, wgs84, year_2011] =
            ["nad83", "nad27", "wgs84", "2011"].map(|word| index.word(word));
        Currency { nad83, nad27, wgs84, year_2011 }
    }

    fn of_datum(&self, datum: &[Word]) -> u32 {
        let first = datum.first().copied();
        let is = |word: Option<Word>| word.is_some() && first == word;
        match () {
            () if is(self.nad83) && self.year_2011.is_some_and(|year| datum.contains(&year)) => 0,
            () if (is(self.nad83) || is(self.wgs84)) && datum.len() == 1 => 1,
            () if is(self.nad83) => 2,
            () if is(self.nad27) => 4,
            () => 3,
        }
    }
}

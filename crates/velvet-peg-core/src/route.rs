//! Planning how to get from one datum to another.
//!
//! Operations are looked for directly between the two datums (either way), then through one
//! other datum, then through two; the shortest chain that covers the area wins over longer
//! ones unless one of these is known twice as well, and among those of one length the best covered,
//! then the most accurate. A chain that
//! joins a zero shift to WGS 84, which stands where nobody knew better, with a shift of a metre or
//! two says two things of WGS 84 that cannot both be true: it is taken only where there is no other.
//! Rows that
//! cannot be run (a grid file, a method not computed yet) are kept and named, so that the
//! answer says what a better one would have needed.

mod known_rows;
mod missing;
mod named;
mod own;

use crate::crs::Side;
use crate::crs::{Crs, Datum};
use crate::datum::{Operation, Setting, Unavailable};
use crate::error::{Error, Kind, Result};
use crate::extent::{Bounds, Coverage, Regions, coverage_of};
use crate::position::Geographic;
use known_rows::{KnownRow, known_row};
use std::cmp::Ordering;
use std::collections::{HashMap, HashSet};
use std::rc::Rc;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use velvet_peg_epsg::{DatumLink, DatumRow, ensembles, links_of_datum};

/// How a position gets from one reference system to another, as far as datums go.
#[derive(Clone, Debug)]
pub struct Route {
    pub(crate) steps: Vec<Step>,
    /// Ways that were usable but not chosen, best first.
    pub alternatives: Vec<CandidateRoute>,
    /// Operations that could not be run and state a better accuracy than the chosen ones.
    pub unavailable: Vec<Unavailable>,
    /// True if the chosen operations cover the whole area asked for.
    pub covers_area: bool,
    /// True if the operations were named, not chosen.
    pub is_named: bool,
}

/// One way from a datum to another: operations run one after the other.
#[derive(Clone, Debug)]
pub struct CandidateRoute {
    /// The operations in the order they run.
    pub operations: Vec<Operation>,
    /// Share of the area asked for that all of them cover, 0 to 1.
    pub share: f64,
    pub(crate) steps: Vec<Step>,
}

impl CandidateRoute {
    /// What the way is known to, metres: the sum of what its operations state, or none where
    /// one of them states nothing.
    pub fn accuracy_m(&self) -> Option<f64> {
        self.operations.iter().map(Operation::accuracy_m).sum()
    }

    /// The operations and what they are known to, in one line.
    pub fn summary(&self) -> String {
        in_words(&self.operations)
    }
}

fn in_words(operations: &[Operation]) -> String {
    let names: Vec<String> = operations
        .iter()
        .map(|operation| {
            let code = operation.code().map_or(String::new(), |code| format!(" [EPSG:{code}]"));
            let reversed = if operation.is_reversed() { ", reversed" } else { "" };
            format!("{}{code}{reversed}", operation.name())
        })
        .collect();
    let known = match operations.iter().map(Operation::accuracy_m).sum::<Option<f64>>() {
        Some(0.0) => "exact by definition".to_string(),
        // A sum of decimals without the noise of its binary digits.
        Some(metres) => format!("known to {} m", (metres * 1e6).round() / 1e6),
        None => "accuracy not stated".to_string(),
    };
    format!("{} ({known})", names.join(", then "))
}

#[derive(Clone, Debug)]
pub(crate) struct Step {
    pub(crate) operation: Operation,
    pub(crate) from: Side,
    pub(crate) to: Side,
}

/// What to do when several operations would serve equally well.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Policy {
    /// Take the one that covers the area and states the best accuracy.
    #[default]
    Best,
    /// Refuse unless exactly one operation joins the two datums in the area.
    RequireUnique,
    /// Refuse where a more accurate operation exists that cannot be run: a file is missing, or an
    /// epoch.
    RequireBest,
}

impl Route {
    /// No operation is needed.
    fn of_one_datum() -> Route {
        Route {
            steps: Vec::new(),
            alternatives: Vec::new(),
            unavailable: Vec::new(),
            covers_area: true,
            is_named: false,
        }
    }

    /// Operations in the order they run; empty if both systems share a datum.
    pub fn operations(&self) -> impl Iterator<Item = &Operation> {
        self.steps.iter().map(|step| &step.operation)
    }

    /// What the route is known to, metres: 0 if both systems share a datum, the sum of what
    /// the operations state, or none where one of them states nothing.
    pub fn accuracy_m(&self) -> Option<f64> {
        self.operations().map(Operation::accuracy_m).sum()
    }

    /// True if the systems differ in datum and yet no number changes by it.
    pub fn is_unknown_shift(&self) -> bool {
        !self.steps.is_empty() && self.operations().all(Operation::is_null)
    }

    /// One line for messages: `same datum: exact`, or the operations and what they are
    /// known to.
    pub fn summary(&self) -> String {
        if self.steps.is_empty() {
            return "same datum: no shift, exact to rounding".to_string();
        }
        let words = in_words(&self.operations().cloned().collect::<Vec<_>>());
        if self.is_named { format!("{words}, as named") } else { words }
    }
}

pub(crate) fn plan(
    source: &Crs,
    target: &Crs,
    area: Option<&Bounds>,
    policy: Policy,
    operations: &[u32],
    setting: &Setting,
) -> Result<Route> {
    let lacks =
        |crs: &Crs| Error::unsupported(format!("{} stands on no geodetic datum", crs.label()));
    let from = source.datum().ok_or_else(|| lacks(source))?;
    let to = target.datum().ok_or_else(|| lacks(target))?;
    if from.is_same(to) {
        if !operations.is_empty() {
            let what = "stand on one datum: there is no operation to name between them";
            let (source, target) = (source.label(), target.label());
            return Err(Error::new(Kind::NoRoute, format!("{source} and {target} {what}")));
        }
        return Ok(Route::of_one_datum());
    }
    let wish = Wish { area, policy, operations, setting };
    match own::through_wgs84(from, to, wish)? {
        Some(route) => Ok(route),
        None => between(from, to, wish),
    }
}

/// What is asked of a route, beside where it leads.
#[derive(Clone, Copy)]
struct Wish<'a> {
    area: Option<&'a Bounds>,
    policy: Policy,
    /// Codes of the operations that are named.
    operations: &'a [u32],
    setting: &'a Setting,
}

/// The route between two datums that are not the same.
fn between(from: &Datum, to: &Datum, wish: Wish<'_>) -> Result<Route> {
    let Wish { area, policy, operations, setting } = wish;
    let (Some(from_code), Some(to_code)) = (from.code(), to.code()) else {
        let own = if from.code().is_none() { from } else { to };
        return Err(Error::new(
            Kind::NoRoute,
            format!(
                "{} is a datum that the registry does not have, so nothing is known of how it lies \
                 to {}",
                own.name(),
                if from.code().is_none() { to.name() } else { from.name() }
            ),
        ));
    };
    let mut planner = Planner::new(area, setting);
    let chains = planner.search(from_code, to_code);
    if policy == Policy::RequireUnique && chains.len() > 1 && operations.is_empty() {
        return Err(several_ways(&chains, from, to));
    }
    let mut ranked = chains.into_iter();
    let is_named = !operations.is_empty();
    let best = match is_named {
        true => named::named(from_code, to_code, operations, area, setting)?,
        false => ranked
            .next()
            .ok_or_else(|| missing::no_way(&mut planner, (from, from_code), (to, to_code)))?,
    };
    let known = best.accuracy();
    // Only what joins the two datums in question says that something better exists.
    let lacking = missing::better(&mut planner, from_code, to_code, known);
    if let Some(error) = lacks_epoch(&lacking, from, to, known).filter(|_| !is_named) {
        return Err(error);
    }
    if policy == Policy::RequireBest
        && let Some(better) = lacking.first()
    {
        return Err(Error::new(
            Kind::NoRoute,
            format!(
                "the best way is asked for, and {} [EPSG:{}] would be better than {}: it needs {}",
                better.name,
                better.code,
                in_words(&best.operations),
                better.needs
            ),
        ));
    }
    let others: Vec<CandidateRoute> = ranked
        .filter(|chain| !is_named || !chain.is_same(&best))
        .take(20)
        .map(|chain| {
            let (operations, share) = (chain.operations.clone(), chain.share);
            Ok(CandidateRoute { operations, share, steps: steps(from, to, chain)? })
        })
        .collect::<Result<_>>()?;
    Ok(Route {
        covers_area: best.cover == Coverage::Whole,
        steps: steps(from, to, best)?,
        alternatives: others,
        unavailable: lacking,
        is_named,
    })
}

/// Leaves out what contradicts itself, where there is anything else that is not worse than the
/// contradiction can be.
fn leave_contradictions(chains: &mut Vec<Chain>) {
    let best = |contradictory: bool| {
        let of_sort = chains.iter().filter(|chain| chain.contradictory == contradictory);
        let keys = of_sort.map(|chain| (chain.uncovered(), chain.accuracy()));
        keys.min_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)))
    };
    let Some((uncovered, known)) = best(false) else { return };
    let worse = best(true)
        .is_some_and(|(others, metres)| others <= uncovered && metres + STOPGAP_M < known);
    if !worse {
        chains.retain(|chain| !chain.contradictory);
    }
}

/// A step that is known to more than this is compared with ways of two.
const POOR_M: f64 = 1.0;

/// One poor step does not stand before two good ones: a longer way that is meant for as much of the
/// area comes first where it is known twice as well, by half a metre at least.
fn prefer_what_is_known_better(chains: &mut [Chain]) {
    let Some(first) = chains.first() else { return };
    let (uncovered, superseded, known) =
        (first.uncovered(), first.is_superseded(), first.accuracy());
    let better = |chain: &Chain| {
        chain.uncovered() <= uncovered
            && chain.is_superseded() <= superseded
            && chain.accuracy() * 2.0 <= known
            && known - chain.accuracy() >= 0.5
    };
    // Of several the most accurate; of equals the one that ranks first.
    let best = (0..chains.len())
        .filter(|at| better(&chains[*at]))
        .min_by(|a, b| chains[*a].accuracy().total_cmp(&chains[*b].accuracy()));
    if let Some(best) = best {
        chains[..=best].rotate_right(1);
    }
}

/// Refuses to choose among several ways.
fn several_ways(chains: &[Chain], from: &Datum, to: &Datum) -> Error {
    let names: Vec<String> = chains
        .iter()
        .map(|chain| {
            format!(
                "\n  {}",
                chain.operations.iter().map(Operation::name).collect::<Vec<_>>().join(", then ")
            )
        })
        .collect();
    Error::new(
        Kind::Ambiguous,
        format!(
            "{} ways lead from {} to {}:{}",
            chains.len(),
            from.name(),
            to.name(),
            names.concat()
        ),
    )
}

/// The error of a moving frame without an epoch, where an epoch would make decimetres of metres.
fn lacks_epoch(lacking: &[Unavailable], from: &Datum, to: &Datum, known: f64) -> Option<Error> {
    if let Some(better) = lacking.iter().find(|row| row.needs_epoch)
        && (from.is_dynamic() || to.is_dynamic())
        && known > 1.0
        && better.accuracy_m.is_some_and(|accuracy| accuracy < 0.5)
    {
        let moving = if from.is_dynamic() { from } else { to };
        return Some(Error::new(
            Kind::NoEpoch,
            format!(
                "coordinates on {} change with time: {} [EPSG:{}] needs their epoch; without one \
                 the change of datum is only known to {known} m",
                moving.name(),
                better.name,
                better.code
            ),
        ));
    }
    None
}

fn steps(from: &Datum, to: &Datum, chain: Chain) -> Result<Vec<Step>> {
    let mut sides = vec![from.side()];
    for hub in &chain.hubs {
        sides.push(Datum::from_epsg(*hub)?.side());
    }
    sides.push(to.side());
    Ok(chain
        .operations
        .into_iter()
        .zip(sides.windows(2))
        .map(|(operation, pair)| Step { operation, from: pair[0], to: pair[1] })
        .collect())
}

/// Operations in a row, and the datums between them.
struct Chain {
    operations: Vec<Operation>,
    hubs: Vec<u32>,
    cover: Coverage,
    /// Share of the area that every step covers.
    share: f64,
    /// It says of WGS 84 what cannot both be true.
    contradictory: bool,
}

/// A shift of less than this is no larger than what a zero shift to WGS 84 leaves open: the frames
/// of the last decades lie within some metres of each other.
const STOPGAP_M: f64 = 5.0;

/// True for the ensemble WGS 84 and its members.
fn is_wgs84(datum: u32) -> bool {
    const ENSEMBLE: u32 = 6326;
    let wgs84 = ensembles().iter().find(|ensemble| ensemble.code == ENSEMBLE);
    datum == ENSEMBLE || wgs84.is_some_and(|wgs84| wgs84.members.contains(&datum))
}

impl Chain {
    /// True if the same operations are run in the same directions.
    fn is_same(&self, other: &Chain) -> bool {
        let key = |operation: &Operation| (operation.code(), operation.is_reversed());
        self.hubs == other.hubs
            && self.operations.iter().map(key).eq(other.operations.iter().map(key))
    }

    /// True if the chain takes WGS 84 for one frame by a zero shift known to metres, and for another
    /// by a shift of no more than that.
    fn contradicts_itself(&self, from: u32, to: u32, area: Option<&Bounds>) -> bool {
        let mut datums = vec![from];
        datums.extend(&self.hubs);
        datums.push(to);
        let stopgap = self.operations.iter().zip(datums.windows(2)).any(|(operation, pair)| {
            operation.is_stopgap() && pair.iter().any(|datum| is_wgs84(*datum))
        });
        stopgap
            && self.operations.iter().zip(datums.windows(2)).any(|(operation, pair)| {
                let side = |code: u32| Datum::from_epsg(code).map(|datum| datum.side());
                let (Ok(from), Ok(to)) = (side(pair[0]), side(pair[1])) else { return false };
                if operation.is_null() {
                    return false;
                }
                let bounds = area.or_else(|| operation.extent().boxes().first());
                let Some(bounds) = bounds else { return false };
                let wide = if bounds.east < bounds.west { 360.0 } else { 0.0 };
                let lon = (bounds.west + bounds.east + wide) / 2.0;
                let lat = (bounds.south + bounds.north) / 2.0;
                let moved = operation.displacement_m(Geographic { lat, lon }, &from, &to);
                moved.is_some_and(|metres| metres < STOPGAP_M)
            })
    }

    /// Metres, without the noise of a sum; what states nothing counts as a kilometre.
    fn accuracy(&self) -> f64 {
        let known =
            self.operations.iter().map(|operation| operation.accuracy_m().unwrap_or(1000.0));
        (known.sum::<f64>() * 1e6).round() / 1e6
    }

    /// Hundredths of the area that it is not meant for.
    fn uncovered(&self) -> i32 {
        hundredths(1.0 - self.share)
    }

    fn is_superseded(&self) -> bool {
        self.operations.iter().any(|operation| operation.superseded)
    }

    /// Best covered first (by hundredths of the area), superseded rows last, then fewest steps,
    /// then most accurate, then the one that the registry entered first: of equals that is the one
    /// it prefers, and what a newer row supersedes stands behind already. The same for the way back.
    fn rank(&self) -> (i32, bool, usize, f64, Vec<u32>) {
        let mut entered: Vec<u32> = self.operations.iter().filter_map(Operation::code).collect();
        entered.sort_unstable();
        let steps = self.operations.len();
        (self.uncovered(), self.is_superseded(), steps, self.accuracy(), entered)
    }
}

fn hundredths(share: f64) -> i32 {
    (share * 100.0).round() as i32
}

/// An operation to another datum.
#[derive(Clone)]
struct Neighbour {
    datum: u32,
    operation: Operation,
    /// How much of the area it is meant for, and the share of it.
    cover: Coverage,
    share: f64,
}

struct Planner<'a> {
    area: Option<&'a Bounds>,
    /// The countries and states that it lies in.
    regions: Option<Regions>,
    setting: &'a Setting,
    neighbours: HashMap<u32, Rc<[Neighbour]>>,
    /// Rows of the area that cannot be run.
    lacking: Vec<Arc<KnownRow>>,
}

impl<'a> Planner<'a> {
    fn new(area: Option<&'a Bounds>, setting: &'a Setting) -> Planner<'a> {
        let regions = area.map(Regions::of);
        Planner { area, regions, setting, neighbours: HashMap::new(), lacking: Vec::new() }
    }

    /// Every way worth a look, best first.
    fn search(&mut self, from: u32, to: u32) -> Vec<Chain> {
        let mut chains: Vec<Chain> = Vec::new();
        for length in 1..=3 {
            let mut longer = self.chains(from, to, length);
            for chain in &mut longer {
                chain.contradictory = chain.contradicts_itself(from, to, self.area);
            }
            // Where a shorter way covers all, a longer one is told only if it is known better.
            let whole = chains.iter().filter(|c| c.cover == Coverage::Whole && !c.contradictory);
            if let Some(known) = whole.map(Chain::accuracy).reduce(f64::min) {
                longer.retain(|chain| chain.accuracy() < known);
            }
            chains.extend(longer);
            // A longer way is only worth a look where the shorter ones leave part uncovered, or where
            // one step is known to metres.
            let enough = |chain: &Chain| match length {
                1 => chain.cover == Coverage::Whole && chain.accuracy() <= POOR_M,
                _ => chain.cover <= Coverage::Part,
            };
            if chains.iter().any(|chain| enough(chain) && !chain.contradictory) {
                break;
            }
        }
        leave_contradictions(&mut chains);
        chains.sort_by(|a, b| a.rank().partial_cmp(&b.rank()).unwrap_or(Ordering::Equal));
        prefer_what_is_known_better(&mut chains);
        chains
    }

    fn chains(&mut self, from: u32, to: u32, length: usize) -> Vec<Chain> {
        let mut found = Vec::new();
        let empty = Chain {
            operations: Vec::new(),
            hubs: Vec::new(),
            cover: Coverage::Whole,
            share: 1.0,
            contradictory: false,
        };
        self.extend(empty, from, to, length, &mut found);
        found
    }

    fn extend(&mut self, chain: Chain, at: u32, to: u32, left: usize, found: &mut Vec<Chain>) {
        let steps = self.neighbours(at);
        // To a hub only the best operations count, each known better than those that are meant for as
        // much of the area or more; the last step keeps all.
        let mut seen: HashMap<(u32, bool), f64> = HashMap::new();
        for Neighbour { datum, operation, cover, share } in steps.iter() {
            let datum = *datum;
            let last = left == 1;
            if last != (datum == to) || chain.hubs.contains(&datum) {
                continue;
            }
            // But a zero shift and a shift are two things.
            let sort = (datum, operation.is_null());
            let known = operation.accuracy_m().unwrap_or(1000.0);
            let before = seen.get(&sort).is_some_and(|best| *best <= known);
            if (!last || !chain.operations.is_empty()) && before {
                continue;
            }
            seen.insert(sort, known);
            let cover = chain.cover.max(*cover);
            let share = chain.share.min(*share);
            let mut operations = chain.operations.clone();
            operations.push(operation.clone());
            let mut hubs = chain.hubs.clone();
            if last {
                let contradictory = false;
                found.push(Chain { operations, hubs, cover, share, contradictory });
            } else {
                hubs.push(datum);
                if left == 2 && !self.may_join(datum, to) {
                    continue;
                }
                let longer = Chain { operations, hubs, cover, share, contradictory: false };
                self.extend(longer, datum, to, left - 1, found);
            }
        }
    }

    /// Whether an operation may join two datums. Of a datum with few rows those that can be run are
    /// looked at; of one with many, as WGS 84 with a thousand, none is made ready for this answer.
    fn may_join(&mut self, datum: u32, to: u32) -> bool {
        const FEW: usize = 100;
        if links_of_datum(to).len() <= FEW || self.neighbours.contains_key(&to) {
            return self.neighbours(to).iter().any(|step| step.datum == datum);
        }
        self.share_a_row(datum, to)
    }

    /// Whether two datums have a row of the registry or an ensemble in common.
    fn share_a_row(&self, datum: u32, to: u32) -> bool {
        links_of_datum(datum).iter().any(|link| link.other == to)
            || tied(datum).iter().any(|(other, _)| *other == to)
    }

    /// How much of the area an operation is meant for, and the share of it.
    fn reach(&self, operation: &Operation) -> (Coverage, f64) {
        match (self.area, &self.regions) {
            (Some(area), Some(regions)) => reach(operation, area, regions),
            _ => (Coverage::Whole, 1.0),
        }
    }

    /// Usable operations from a datum, best first, each with the datum it leads to.
    fn neighbours(&mut self, datum: u32) -> Rc<[Neighbour]> {
        if let Some(found) = self.neighbours.get(&datum) {
            return found.clone();
        }
        let found: Rc<[Neighbour]> = self.read_neighbours(datum).into();
        self.neighbours.insert(datum, found.clone());
        found
    }

    fn read_neighbours(&mut self, datum: u32) -> Vec<Neighbour> {
        let mut found = Vec::new();
        let links = links_of_datum(datum);
        // What is meant for elsewhere is not read, nor any grid of it.
        let here = links.iter().filter(|link| {
            self.area.is_none_or(|area| coverage_of(&link.boxes, area) != Coverage::None)
        });
        let rows: Vec<(&DatumLink, Arc<KnownRow>)> = here
            .filter_map(|link| Some((link, known_row(link.operation, self.setting)?)))
            .collect();
        for (link, row) in &rows {
            match &row.made {
                Ok(operation) => found.push((link.other, operation.directed(link.reversed))),
                Err(_) => {
                    if !self.regions.as_ref().is_some_and(|of| row.extent.excludes_regions(of)) {
                        self.lacking.push(row.clone());
                    }
                }
            }
        }
        // What a usable newer row between the same datums supersedes stays behind it.
        let usable: HashSet<(u32, u32)> = found
            .iter()
            .filter_map(|(other, operation)| Some((operation.code()?, *other)))
            .collect();
        let is_superseded = |code: u32, other: u32| {
            let row = rows.iter().find(|(link, _)| link.operation == code);
            row.is_some_and(|(_, row)| {
                row.newer.iter().any(|newer| usable.contains(&(*newer, other)))
            })
        };
        for (other, operation) in &mut found {
            operation.superseded = operation.code().is_some_and(|code| is_superseded(code, *other));
        }
        found.extend(tied(datum).iter().cloned());
        // The share of the area is reckoned once for each.
        let with_share = |(datum, operation): (u32, Operation)| {
            let (cover, share) = self.reach(&operation);
            Neighbour { datum, operation, cover, share }
        };
        let mut found: Vec<Neighbour> = found.into_iter().map(with_share).collect();
        let key = |step: &Neighbour| {
            (
                step.operation.superseded,
                hundredths(1.0 - step.share),
                step.operation.accuracy_m().unwrap_or(1000.0),
                step.operation.code(),
            )
        };
        found.sort_by(|a, b| key(a).partial_cmp(&key(b)).unwrap_or(Ordering::Equal));
        found
    }
}

/// How much of an area an operation is meant for, and the share of it, 0 to 1. Where its box holds what
/// its words leave out, it is meant for none of it: kept, for where there is nothing else, as one that
/// covers no part.
fn reach(operation: &Operation, area: &Bounds, regions: &Regions) -> (Coverage, f64) {
    let boxed = operation.extent().coverage(area);
    if operation.extent().excludes_regions(regions) {
        return (if boxed == Coverage::Whole { Coverage::Part } else { boxed }, 0.0);
    }
    (boxed, operation.extent().covered_fraction(area))
}

/// Datums, each with the operation to it.
type Ties = Arc<[(u32, Operation)]>;

/// An ensemble and its members are taken as one, to the ensemble's accuracy.
fn tied(datum: u32) -> Ties {
    static KNOWN: OnceLock<Mutex<HashMap<u32, Ties>>> = OnceLock::new();
    let known = KNOWN.get_or_init(Mutex::default);
    // What was put in is whole, whatever became of a thread since.
    let mut known = known.lock().unwrap_or_else(PoisonError::into_inner);
    known.entry(datum).or_insert_with(|| ties_of(datum).into()).clone()
}

fn ties_of(datum: u32) -> Vec<(u32, Operation)> {
    let mut ties = Vec::new();
    for ensemble in ensembles() {
        let is_member = ensemble.members.contains(&datum);
        if ensemble.code != datum && !is_member {
            continue;
        }
        let Some(row) = DatumRow::find(ensemble.code) else { continue };
        let accuracy = row.ensemble_accuracy_m.map(|accuracy| accuracy.to_f64());
        let tie = || Operation::within_ensemble(row.name, accuracy);
        match is_member {
            true => ties.push((ensemble.code, tie())),
            false => ties.extend(ensemble.members.iter().map(|member| (*member, tie()))),
        }
    }
    ties
}

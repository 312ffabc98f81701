//! How many transformation rows of the registry can be run, by method: as they are, with the
//! epoch of the coordinates, with their grid file, or not, and why not.

use std::collections::BTreeMap;
use velvet_peg::Result;
use velvet_peg::registry::{OperationKind, OperationRow, method_name};
use velvet_peg::runs::{Needs, needs_of};

fn main() -> Result<()> {
    // Rows in all, run as they are, run for an epoch, run with a grid file.
    let mut methods: BTreeMap<u32, [usize; 4]> = BTreeMap::new();
    // What the first of a method's rows lacks that cannot be run.
    let mut lacking: BTreeMap<u32, (usize, String)> = BTreeMap::new();
    let rows = OperationRow::all().filter(|row| !row.deprecated);
    for row in rows.filter(|row| row.kind != OperationKind::Conversion) {
        let count = methods.entry(row.method.unwrap_or(0)).or_default();
        count[0] += 1;
        match needs_of(row.code)? {
            Needs::Nothing => count[1] += 1,
            Needs::Epoch => count[2] += 1,
            Needs::Files(_) => count[3] += 1,
            Needs::More(words) => {
                let words = format!("{} [EPSG:{}] needs {words}", row.name, row.code);
                lacking.entry(row.method.unwrap_or(0)).or_insert((0, words)).0 += 1;
            }
            _ => {}
        }
    }
    println!("{:>5} {:>5} {:>6} {:>6}  method", "rows", "run", "epoch", "file");
    let mut order: Vec<_> = methods.iter().collect();
    order.sort_by_key(|(_, count)| std::cmp::Reverse(count[0]));
    let mut total = [0; 4];
    for (code, count) in order {
        let name = method_name(*code).unwrap_or("concatenated operation");
        let [rows, run, epoch, file] = *count;
        println!("{rows:>5} {run:>5} {epoch:>6} {file:>6}  {name}");
        total = std::array::from_fn(|i| total[i] + count[i]);
    }
    println!("\n  not  the first that cannot be run");
    for (count, first) in lacking.values() {
        println!("{count:>5}  {first}");
    }
    println!();
    let [rows, run, epoch, file] = total;
    println!("{rows:>5} {run:>5} {epoch:>6} {file:>6}  together");
    println!("{:.1} % of the rows can be run", 100.0 * (run + epoch + file) as f64 / rows as f64);
    Ok(())
}

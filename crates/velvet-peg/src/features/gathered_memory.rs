//! What gathered vertices take in memory, also while features are made of them.

use crate::memory::Held;
use csv::StringRecord;

/// What a vertex takes in the geometry that is made of it, bytes.
const IN_GEOMETRY: usize = 24;

/// What its place in the order takes, bytes.
const OF_ORDER: usize = 16;

/// What a feature takes besides its vertices, its name and its values, bytes.
const BESIDE_FEATURE: usize = 800;

/// What a row that is no vertex takes, bytes.
const OF_REJECT: usize = 150;

/// Counts what is gathered.
#[derive(Debug)]
pub(super) struct GatheredMemory {
    /// What a vertex takes while its feature is made, bytes.
    in_making: usize,
    of_vertex: usize,
    /// Bytes that names and first values of the groups take.
    of_groups: usize,
    /// The vertices of each group, of all, and of the largest.
    sizes: Vec<usize>,
    vertices: usize,
    largest: usize,
    rejects: usize,
}

impl GatheredMemory {
    /// Of vertices of a type, that take so many bytes more each while their feature is made.
    pub(super) fn of<Vertex>(in_making: usize) -> GatheredMemory {
        GatheredMemory {
            in_making,
            // Half more while all are sorted.
            of_vertex: size_of::<Vertex>() * 3 / 2 + IN_GEOMETRY,
            of_groups: 0,
            sizes: Vec::new(),
            vertices: 0,
            largest: 0,
            rejects: 0,
        }
    }

    /// Vertices have a place in an order.
    pub(super) fn have_order(&mut self) {
        self.of_vertex += OF_ORDER;
    }

    /// A group begins.
    pub(super) fn group(&mut self, name: &str, values: &StringRecord) {
        let of_values = values.len() * (size_of::<String>() + 16) + values.as_slice().len();
        self.of_groups += BESIDE_FEATURE + 2 * name.len() + of_values;
        self.sizes.push(0);
    }

    /// A vertex of a group.
    pub(super) fn vertex(&mut self, group: usize) {
        self.vertices += 1;
        self.sizes[group] += 1;
        self.largest = self.largest.max(self.sizes[group]);
    }

    /// A row that is no vertex.
    pub(super) fn reject(&mut self) {
        self.rejects += 1;
    }

    /// What the rows so far take, and will take.
    pub(super) fn held(&self) -> Held {
        let bytes = self.vertices * self.of_vertex + self.of_groups + self.rejects * OF_REJECT;
        // Features are made one after the other. How large the largest will be, its beginning does not say.
        let besides = (self.largest * self.in_making) as u64;
        Held { count: (self.vertices + self.rejects) as u64, bytes: bytes as u64, besides }
    }
}

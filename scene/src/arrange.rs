//! Arrangements: many entities in the place of one.

use super::document::Triple;
use super::fault::Fault;
use glam::{IVec3, Quat, Vec3};
use rand::{Rng, RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::Deserialize;
use toml::Spanned;

/// Cells along the longest side of a room, for finding neighboring places.
const MOST_CELLS: f32 = 1e6;
/// Random tries to find room before an entity counts as one too many.
const TRIES: u32 = 1_000;

/// Several entities in the place of one, named `name-1`, `name-2` and so on: exactly one of `row`, `grid`, `ring` and `random`.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(super) struct ArrangeEntry {
    /// The number of copies in a row that begins at the entity's place, `step` apart.
    #[schemars(with = "Option<u64>")]
    row: Option<Spanned<u64>>,
    /// The numbers of copies along x, y and z from the entity's place on, `step` apart.
    #[schemars(with = "Option<[u64; 3]>")]
    grid: Option<Spanned<[u64; 3]>>,
    /// The number of copies on a circle of `radius` around the entity's place.
    #[schemars(with = "Option<u64>")]
    ring: Option<Spanned<u64>>,
    /// The number of copies at random, in a box of size `within` around the entity's place, or on a ring from `inner` to `radius`.
    #[schemars(with = "Option<u64>")]
    random: Option<Spanned<u64>>,
    /// From one to the next, in metres.
    #[schemars(with = "Option<Triple>")]
    step: Option<Spanned<Triple>>,
    /// In metres, above 0.
    #[schemars(with = "Option<f32>")]
    radius: Option<Spanned<f32>>,
    /// The inner radius of a random ring, in metres. Default: 0.
    #[schemars(with = "Option<f32>")]
    inner: Option<Spanned<f32>>,
    /// The axis of a ring, of any length but 0. Default: [0, 1, 0].
    #[schemars(with = "Option<Triple>")]
    axis: Option<Spanned<Triple>>,
    /// Whether the entities of a ring rotate about its axis with their places. Default: false.
    #[schemars(with = "Option<bool>")]
    turned: Option<Spanned<bool>>,
    /// The size of the box, in metres.
    #[schemars(with = "Option<Triple>")]
    within: Option<Spanned<Triple>>,
    /// The least distance between random entities, in metres. Default: 0.
    #[schemars(with = "Option<f32>")]
    spacing: Option<Spanned<f32>>,
    /// The seed of the random places. Default: 0.
    #[schemars(with = "Option<u64>")]
    seed: Option<Spanned<u64>>,
}

/// Where one of several goes, from where a single one would be.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Place {
    pub(super) offset: Vec3,
    pub(super) turn: Quat,
}

impl Place {
    fn at(offset: Vec3) -> Self {
        Self {
            offset,
            turn: Quat::IDENTITY,
        }
    }
}

/// The places of an arrangement.
enum Kind {
    Row(u64, Vec3),
    Grid([u64; 3], Vec3),
    Ring(u64, f32),
    Random(u64, Room),
}

enum Room {
    Box(Vec3),
    Ring(f32, f32),
}

impl ArrangeEntry {
    /// The number of places, if the arrangement is valid.
    pub(super) fn count(&self) -> u64 {
        let counts = [&self.row, &self.ring, &self.random];
        let single = counts.into_iter().flatten().map(|count| *count.get_ref());
        let grid = self.grid.iter().map(|counts| {
            let counts = counts.get_ref().iter();
            counts.fold(1_u64, |all, count| all.saturating_mul(*count))
        });
        single.chain(grid).max().unwrap_or(0)
    }

    /// All places, in order. The caller has checked that [`Self::count`] is within the limits.
    ///
    /// # Errors
    ///
    /// With all that is wrong; `whole` is the arrangement in the file.
    pub(super) fn places(&self, whole: &Spanned<Self>) -> Result<Vec<Place>, Vec<Fault>> {
        let mut faults = Vec::new();
        let kind = self.kind(whole, &mut faults);
        let axis = match &self.axis {
            None => Vec3::Y,
            Some(axis) => Vec3::from(*axis.get_ref())
                .try_normalize()
                .unwrap_or_else(|| {
                    let message = "the axis of this ring has no direction";
                    faults.push(Fault::new(
                        axis.span(),
                        message,
                        "write [0, 1, 0] for the y axis",
                    ));
                    Vec3::Y
                }),
        };
        let Some(kind) = kind.filter(|_| faults.is_empty()) else {
            return Err(faults);
        };
        match kind {
            Kind::Row(count, step) => {
                Ok((0..count).map(|at| Place::at(step * at as f32)).collect())
            }
            Kind::Grid([x, y, z], step) => Ok(grid([x, y, z], step)),
            Kind::Ring(count, radius) => Ok(self.ring(count, radius, axis)),
            Kind::Random(count, room) => self
                .random(count, &room, axis, whole)
                .map_err(|fault| vec![fault]),
        }
    }

    fn kind(&self, whole: &Spanned<Self>, faults: &mut Vec<Fault>) -> Option<Kind> {
        let mut kinds = Vec::new();
        let mut needs = |key: &str, kind: &str| {
            let message = format!("this {kind} lacks `{key}`");
            faults.push(Fault::new(
                whole.span(),
                message,
                format!("add `{key} = …`, in metres"),
            ));
        };
        let vector = |given: &Option<Spanned<Triple>>| {
            given.as_ref().map(|given| Vec3::from(*given.get_ref()))
        };
        let number = |given: &Option<Spanned<f32>>| given.as_ref().map(|given| *given.get_ref());
        if let Some(count) = &self.row {
            let step = vector(&self.step).unwrap_or_else(|| {
                needs("step", "row");
                Vec3::ZERO
            });
            kinds.push(("row", Kind::Row(*count.get_ref(), step)));
        }
        if let Some(counts) = &self.grid {
            let step = vector(&self.step).unwrap_or_else(|| {
                needs("step", "grid");
                Vec3::ZERO
            });
            kinds.push(("grid", Kind::Grid(*counts.get_ref(), step)));
        }
        if let Some(count) = &self.ring {
            let radius = number(&self.radius).unwrap_or_else(|| {
                needs("radius", "ring");
                1.0
            });
            kinds.push(("ring", Kind::Ring(*count.get_ref(), radius)));
        }
        if let Some(count) = &self.random {
            let room = match (vector(&self.within), number(&self.radius)) {
                (Some(size), _) => Room::Box(size),
                (None, Some(radius)) => Room::Ring(number(&self.inner).unwrap_or(0.0), radius),
                (None, None) => {
                    needs("within", "random arrangement");
                    Room::Box(Vec3::ZERO)
                }
            };
            kinds.push(("random", Kind::Random(*count.get_ref(), room)));
        }
        if kinds.len() != 1 {
            faults.push(Fault::new(
                whole.span(),
                format!("this arrangement is of {} kinds", kinds.len()),
                "give it exactly one of `row`, `grid`, `ring` and `random`",
            ));
            return None;
        }
        let (name, kind) = kinds.pop()?;
        self.refuse_idle_keys(name, matches!(kind, Kind::Random(_, Room::Box(_))), faults);
        self.refuse_odd_sizes(faults);
        Some(kind)
    }

    /// A key that means nothing for the kind is a slip.
    fn refuse_idle_keys(&self, kind: &str, is_box: bool, faults: &mut Vec<Fault>) {
        let keys = [
            (
                "step",
                self.step.as_ref().map(Spanned::span),
                matches!(kind, "row" | "grid"),
            ),
            (
                "radius",
                self.radius.as_ref().map(Spanned::span),
                kind == "ring" || kind == "random" && !is_box,
            ),
            (
                "inner",
                self.inner.as_ref().map(Spanned::span),
                kind == "random" && !is_box,
            ),
            (
                "axis",
                self.axis.as_ref().map(Spanned::span),
                kind == "ring" || kind == "random" && !is_box,
            ),
            (
                "turned",
                self.turned.as_ref().map(Spanned::span),
                kind == "ring",
            ),
            (
                "within",
                self.within.as_ref().map(Spanned::span),
                kind == "random",
            ),
            (
                "spacing",
                self.spacing.as_ref().map(Spanned::span),
                kind == "random",
            ),
            (
                "seed",
                self.seed.as_ref().map(Spanned::span),
                kind == "random",
            ),
        ];
        for (key, span, is_used) in keys {
            if let Some(span) = span.filter(|_| !is_used) {
                let room = if kind == "random" && is_box {
                    " in a box"
                } else {
                    ""
                };
                let message = format!("`{key}` means nothing for a {kind} arrangement{room}");
                faults.push(Fault::new(span, message, "leave it out"));
            }
        }
    }

    fn refuse_odd_sizes(&self, faults: &mut Vec<Fault>) {
        let mut refuse = |number: &Option<Spanned<f32>>, least: f32, what: &str| {
            if let Some(number) = number
                && *number.get_ref() < least
            {
                let message = format!("{what} of {} m is none", number.get_ref());
                faults.push(Fault::new(
                    number.span(),
                    message,
                    format!("write {least} or more"),
                ));
            }
        };
        let inner = self.inner.as_ref().map_or(0.0, |inner| *inner.get_ref());
        refuse(&self.inner, 0.0, "an inner radius");
        refuse(&self.radius, inner.max(0.0), "a radius");
        refuse(&self.spacing, 0.0, "a spacing");
        if let Some(within) = &self.within
            && within.get_ref().iter().any(|side| *side < 0.0)
        {
            let message = format!("a box cannot have the size {:?}", within.get_ref());
            faults.push(Fault::new(
                within.span(),
                message,
                "write sizes of 0 or more",
            ));
        }
    }

    fn ring(&self, count: u64, radius: f32, axis: Vec3) -> Vec<Place> {
        let out = outward(axis);
        let is_turned = self.turned.as_ref().is_some_and(|turned| *turned.get_ref());
        let places = (0..count).map(|at| {
            let turn =
                Quat::from_axis_angle(axis, std::f32::consts::TAU * at as f32 / count as f32);
            Place {
                offset: turn * (out * radius),
                turn: if is_turned { turn } else { Quat::IDENTITY },
            }
        });
        places.collect()
    }

    /// Random places, none of them closer to another than the spacing: a place that is too close is drawn again.
    fn random(
        &self,
        count: u64,
        room: &Room,
        axis: Vec3,
        whole: &Spanned<Self>,
    ) -> Result<Vec<Place>, Fault> {
        let spacing = self
            .spacing
            .as_ref()
            .map_or(0.0, |spacing| *spacing.get_ref());
        let seed = self.seed.as_ref().map_or(0, |seed| *seed.get_ref());
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        // By cells as large as the spacing: a place that is too close is in a neighboring cell.
        let mut taken: FxHashMap<IVec3, Vec<Vec3>> = FxHashMap::default();
        let mut places = Vec::new();
        // The numbers of very small cells would overflow, so that one cell would hold many places.
        let reach = match *room {
            Room::Box(size) => size.max_element(),
            Room::Ring(_, outer) => 2.0 * outer,
        };
        let side = spacing.max(reach / MOST_CELLS);
        let cell = |offset: Vec3| (offset / side).floor().as_ivec3();
        for _ in 0..count {
            let free = (0..TRIES).find_map(|_| {
                let offset = drawn(room, axis, &mut random);
                if spacing == 0.0 {
                    return Some(offset);
                }
                let around = (-1..=1).flat_map(|x| {
                    (-1..=1).flat_map(move |y| (-1..=1).map(move |z| IVec3::new(x, y, z)))
                });
                let mut near = around
                    .filter_map(|step| taken.get(&(cell(offset) + step)))
                    .flatten();
                let is_free = near.all(|other| other.distance(offset) >= spacing);
                is_free.then_some(offset)
            });
            let Some(offset) = free else {
                return Err(Fault::new(
                    whole.span(),
                    format!("only {} of {count} found room", places.len()),
                    "make the room larger, or the spacing smaller",
                ));
            };
            if spacing > 0.0 {
                taken.entry(cell(offset)).or_default().push(offset);
            }
            places.push(Place::at(offset));
        }
        Ok(places)
    }
}

fn grid([x, y, z]: [u64; 3], step: Vec3) -> Vec<Place> {
    let layers = (0..y).flat_map(|up| (0..z).map(move |deep| (up, deep)));
    let cells = layers.flat_map(|(up, deep)| (0..x).map(move |across| (across, up, deep)));
    cells
        .map(|(across, up, deep)| {
            Place::at(step * Vec3::new(across as f32, up as f32, deep as f32))
        })
        .collect()
}

/// The direction in which a ring begins: x for a ring around y.
fn outward(axis: Vec3) -> Vec3 {
    let least = if axis.x.abs() < 0.9 { Vec3::X } else { Vec3::Y };
    least.reject_from_normalized(axis).normalize()
}

fn drawn(room: &Room, axis: Vec3, random: &mut impl Rng) -> Vec3 {
    match *room {
        Room::Box(size) => {
            let share = Vec3::from_array(std::array::from_fn(|_| random.random_range(-0.5..=0.5)));
            size * share
        }
        Room::Ring(inner, outer) => {
            // By area, so that the middle is not crowded.
            let share: f32 = random.random();
            let radius = (inner * inner + share * (outer * outer - inner * inner)).sqrt();
            let angle = random.random_range(0.0..std::f32::consts::TAU);
            Quat::from_axis_angle(axis, angle) * (outward(axis) * radius)
        }
    }
}

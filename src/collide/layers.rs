//! Layers: who meets whom.

use crate::error::{Error, Kind};
use std::iter::Map;
use std::slice;

/// How many layers a world has at most.
const MOST_LAYERS: usize = 32;

/// A layer of a world; [`Layers`] hands them out. The default is the layer that meets every other.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Layer(u8);

impl Layer {
    /// Its bit in a set of layers.
    #[inline]
    pub(super) fn bit(self) -> u32 {
        1 << self.0
    }
}

/// The named layers and which of them meet: a global of every runtime.
///
/// Meeting is mutual. A new layer meets `default` and nothing else, not even itself, until [`Layers::meet`] says so.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut layers = Layers::default();
/// let truck = layers.add("truck")?;
/// let gate = layers.add("gate")?;
/// layers.meet(truck, gate)?;
/// assert!(layers.do_meet(gate, truck));
/// assert!(!layers.do_meet(truck, truck));
/// assert!(layers.do_meet(truck, Layer::default()));
/// assert_eq!(layers.find("gate"), Some(gate));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(PartialEq, Eq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(try_from = "saved::SavedLayers")
)]
pub struct Layers {
    names: Vec<String>,
    /// By layer: a bit for each layer that it meets.
    meets: Vec<u32>,
}

impl Clone for Layers {
    fn clone(&self) -> Self {
        Self {
            names: self.names.clone(),
            meets: self.meets.clone(),
        }
    }

    // Moments copy it in each frame, over a copy from before.
    fn clone_from(&mut self, other: &Self) {
        self.names.clone_from(&other.names);
        self.meets.clone_from(&other.meets);
    }
}

#[cfg(feature = "snapshot")]
mod saved {
    use super::{Layers, MOST_LAYERS};

    /// Layers of a file, which may be forged.
    #[derive(serde::Deserialize)]
    pub(super) struct SavedLayers {
        names: Vec<String>,
        meets: Vec<u32>,
    }

    impl TryFrom<SavedLayers> for Layers {
        type Error = &'static str;

        fn try_from(saved: SavedLayers) -> Result<Self, &'static str> {
            let SavedLayers { names, meets } = saved;
            let count = names.len();
            let is_mutual = |a: usize, b: usize| meets[a] >> b & 1 == meets[b] >> a & 1;
            let is_valid = names.first().is_some_and(|name| name == "default")
                && count <= MOST_LAYERS
                && meets.len() == count
                && meets.iter().all(|&met| u64::from(met) >> count == 0)
                && (0..count).all(|a| (0..a).all(|b| is_mutual(a, b) && names[a] != names[b]));
            match is_valid {
                true => Ok(Self { names, meets }),
                false => Err("the layers contradict each other"),
            }
        }
    }
}

/// As [`Layers::names`].
impl<'l> IntoIterator for &'l Layers {
    type Item = &'l str;
    type IntoIter = Map<slice::Iter<'l, String>, fn(&'l String) -> &'l str>;

    fn into_iter(self) -> Self::IntoIter {
        self.names.iter().map(String::as_str)
    }
}

impl Default for Layers {
    fn default() -> Self {
        Self {
            names: vec![String::from("default")],
            meets: vec![1],
        }
    }
}

impl Layers {
    /// Adds a layer, or finds the one that has this name already.
    ///
    /// # Errors
    ///
    /// If there are 32 layers already.
    pub fn add(&mut self, name: &str) -> Result<Layer, Error> {
        if let Some(layer) = self.find(name) {
            return Ok(layer);
        }
        if self.names.len() == MOST_LAYERS {
            return Err(Error::from(Kind::TooManyLayers {
                name: name.to_owned(),
                most: MOST_LAYERS,
            }));
        }
        let layer = Layer(self.names.len() as u8);
        self.names.push(name.to_owned());
        self.meets.push(0);
        self.meet(layer, Layer::default())?;
        Ok(layer)
    }

    /// The layer of a name.
    #[must_use]
    pub fn find(&self, name: &str) -> Option<Layer> {
        let position = self.names.iter().position(|known| known == name)?;
        Some(Layer(position as u8))
    }

    /// The name of a layer; `None` for a layer that these layers do not have.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let truck = Layers::default().add("truck")?;
    /// let others = Layers::default();
    /// assert_eq!(others.name(Layer::default()), Some("default"));
    /// assert_eq!(others.name(truck), None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn name(&self, layer: Layer) -> Option<&str> {
        self.names.get(usize::from(layer.0)).map(String::as_str)
    }

    /// The names of all layers, `default` first, then in the order in which they were added.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut layers = Layers::default();
    /// layers.add("truck")?;
    /// assert_eq!(layers.names().collect::<Vec<_>>(), ["default", "truck"]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn names(&self) -> impl ExactSizeIterator<Item = &str> {
        self.names.iter().map(String::as_str)
    }

    /// Lets two layers, or one with itself, meet.
    ///
    /// # Errors
    ///
    /// If these layers do not have one of the two: it was added to others. Nothing is changed then.
    pub fn meet(&mut self, a: Layer, b: Layer) -> Result<(), Error> {
        self.check(&[a, b])?;
        self.meets[usize::from(a.0)] |= b.bit();
        self.meets[usize::from(b.0)] |= a.bit();
        Ok(())
    }

    /// Fails if one of some layers was added to other layers.
    fn check(&self, layers: &[Layer]) -> Result<(), Error> {
        let foreign = |layer: &&Layer| usize::from(layer.0) >= self.names.len();
        match layers.iter().find(foreign) {
            None => Ok(()),
            Some(layer) => Err(Error::from(Kind::ForeignLayer {
                number: layer.0,
                known: self.names.join("`, `"),
            })),
        }
    }

    /// Lets two layers, or one with itself, pass through each other.
    ///
    /// # Errors
    ///
    /// As [`Layers::meet`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut layers = Layers::default();
    /// let gull = layers.add("gull")?;
    /// layers.part(Layer::default(), gull)?;
    /// assert!(!layers.do_meet(gull, Layer::default()));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn part(&mut self, a: Layer, b: Layer) -> Result<(), Error> {
        self.check(&[a, b])?;
        self.meets[usize::from(a.0)] &= !b.bit();
        self.meets[usize::from(b.0)] &= !a.bit();
        Ok(())
    }

    /// Whether two layers meet; `false` if these layers do not have one of the two.
    #[must_use]
    pub fn do_meet(&self, a: Layer, b: Layer) -> bool {
        self.met_by(a) & b.bit() != 0
    }

    /// The layers that a layer meets, as a set of bits; none for a layer that was added to other layers.
    #[inline]
    pub(super) fn met_by(&self, layer: Layer) -> u32 {
        self.meets.get(usize::from(layer.0)).copied().unwrap_or(0)
    }
}

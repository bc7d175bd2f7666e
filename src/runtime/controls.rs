//! Control inputs by name, from any source.

use std::collections::{BTreeMap, btree_map};

/// How far control inputs are moved: levers, buttons and sticks by names of your own. A global; add it to the world to use it.
///
/// Code that reads devices, or a scene file, sets controls between frames or in [`Phase::Intake`](crate::Phase::Intake); systems
/// read them. So the same system works with a user, a scene and a test. Each has a value, and counts as held
/// unless it is 0. What has changed since the frame before is known until the end of the frame; the runtime sees to that.
///
/// A control that was never set is at 0.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Controls;
///
/// struct Horns(u32);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Controls::default());
/// runtime.world_mut().set_global(Horns(0));
/// runtime.add_system(
///     System::named("horn")
///         .takes::<(Global<Controls>, GlobalMut<Horns>)>()
///         .runs(|(controls, mut horns)| horns.0 += u32::from(controls.was_pressed("horn"))),
/// )?;
/// runtime.world_mut().global_mut::<Controls>()?.press("horn");
/// runtime.run_frames(10)?;
/// assert!(runtime.world().global::<Controls>()?.is_held("horn"));
/// assert_eq!(runtime.world().global::<Horns>()?.0, 1);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(PartialEq, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Controls {
    controls: BTreeMap<String, Control>,
}

impl Clone for Controls {
    fn clone(&self) -> Self {
        Self {
            controls: self.controls.clone(),
        }
    }

    // Moments copy it in each frame, over a copy from before.
    fn clone_from(&mut self, other: &Self) {
        match self.controls.keys().eq(other.controls.keys()) {
            true => {
                let values = self.controls.values_mut().zip(other.controls.values());
                values.for_each(|(value, other)| *value = *other);
            }
            false => self.controls.clone_from(&other.controls),
        }
    }
}

#[derive(Clone, Copy, PartialEq, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
struct Control {
    now: f32,
    before: f32,
}

/// As [`Controls::iter`].
impl<'c> IntoIterator for &'c Controls {
    type Item = (&'c str, f32);
    type IntoIter = ControlIter<'c>;

    fn into_iter(self) -> ControlIter<'c> {
        ControlIter(self.controls.iter())
    }
}

/// Yields the controls; see [`Controls::iter`].
///
/// # Example
///
/// ```
/// let mut controls = gerust::runtime::Controls::default();
/// controls.set("slew", 0.5);
/// assert_eq!((&controls).into_iter().next(), Some(("slew", 0.5)));
/// ```
#[derive(Clone, Debug)]
pub struct ControlIter<'c>(btree_map::Iter<'c, String, Control>);

impl<'c> Iterator for ControlIter<'c> {
    type Item = (&'c str, f32);

    fn next(&mut self) -> Option<Self::Item> {
        let (name, control) = self.0.next()?;
        Some((name, control.now))
    }
}

impl Controls {
    fn of(&self, name: &str) -> Control {
        self.controls.get(name).copied().unwrap_or_default()
    }

    /// Moves a control to a number, such as -1 to 1 of a stick. One that is not finite counts as 0.
    pub fn set(&mut self, name: &str, to: f32) {
        let now = if to.is_finite() { to } else { 0.0 };
        match self.controls.get_mut(name) {
            Some(control) => control.now = now,
            None => {
                let control = Control { now, before: 0.0 };
                self.controls.insert(name.to_owned(), control);
            }
        }
    }

    /// Presses a button: moves it to 1.
    pub fn press(&mut self, name: &str) {
        self.set(name, 1.0);
    }

    /// Lets go of a control: moves it to 0.
    ///
    /// # Example
    ///
    /// ```
    /// let mut controls = gerust::runtime::Controls::default();
    /// controls.press("brake");
    /// controls.end_frame();
    /// controls.release("brake");
    /// assert!(controls.was_released("brake") && !controls.is_held("brake"));
    /// ```
    pub fn release(&mut self, name: &str) {
        self.set(name, 0.0);
    }

    /// Where a control is. O(log controls).
    #[must_use]
    pub fn value(&self, name: &str) -> f32 {
        self.of(name).now
    }

    /// Whether a control is anywhere but at 0.
    #[must_use]
    pub fn is_held(&self, name: &str) -> bool {
        self.of(name).now != 0.0
    }

    /// Whether a control is held that was not before this frame.
    #[must_use]
    pub fn was_pressed(&self, name: &str) -> bool {
        let control = self.of(name);
        control.now != 0.0 && control.before == 0.0
    }

    /// Whether a control is not held that was before this frame.
    #[must_use]
    pub fn was_released(&self, name: &str) -> bool {
        let control = self.of(name);
        control.now == 0.0 && control.before != 0.0
    }

    /// All controls that were ever moved, in alphabetical order, and where they are.
    ///
    /// # Example
    ///
    /// ```
    /// let mut controls = gerust::runtime::Controls::default();
    /// controls.set("slew", -0.5);
    /// controls.press("hoist");
    /// assert_eq!(controls.iter().collect::<Vec<_>>(), [("hoist", 1.0), ("slew", -0.5)]);
    /// ```
    pub fn iter(&self) -> impl Iterator<Item = (&str, f32)> {
        self.into_iter()
    }

    /// Saves the current values as the previous ones. The runtime calls it at the end of each frame; tests of single systems call it.
    pub fn end_frame(&mut self) {
        for control in self.controls.values_mut() {
            control.before = control.now;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_are_known_for_one_frame() {
        let mut controls = Controls::default();
        assert!(!controls.is_held("hoist") && !controls.was_pressed("hoist"));
        controls.press("hoist");
        assert!(controls.was_pressed("hoist"));
        controls.end_frame();
        assert!(controls.is_held("hoist") && !controls.was_pressed("hoist"));
        // Another number is no new grip.
        controls.set("hoist", 0.25);
        assert!(!controls.was_pressed("hoist") && !controls.was_released("hoist"));
        controls.end_frame();
        controls.release("hoist");
        assert!(controls.was_released("hoist"));
        controls.end_frame();
        assert!(!controls.was_released("hoist"));
    }

    #[test]
    fn what_is_no_number_is_at_rest() {
        let mut controls = Controls::default();
        controls.set("slew", f32::NAN);
        assert_eq!(controls.value("slew"), 0.0);
        controls.set("slew", f32::INFINITY);
        assert!(!controls.is_held("slew"));
    }
}

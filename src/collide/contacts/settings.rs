//! How contacts are found and posted.

use super::Contacts;

/// The settings of [`Contacts`].
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case")
)]
pub(crate) struct ContactSettings {
    /// Metres.
    pub(crate) margin: f32,
    pub(super) posts_held: bool,
    /// With the width that it has in a file, on every machine.
    most_pairs: u64,
}

impl Default for ContactSettings {
    fn default() -> Self {
        Self {
            margin: 0.001,
            posts_held: false,
            most_pairs: u64::MAX,
        }
    }
}

impl Contacts {
    /// Sets how far apart boxes may be and still touch, in metres.
    pub fn set_margin(&mut self, metres: f32) {
        self.settings.margin = metres.max(0.0);
    }

    /// How far apart boxes may be and still touch, in metres.
    ///
    /// # Example
    ///
    /// ```
    /// assert_eq!(gerust::Contacts::default().margin(), 0.001);
    /// ```
    #[must_use]
    pub fn margin(&self) -> f32 {
        self.settings.margin
    }

    pub(in crate::collide) fn most_pairs(&self) -> usize {
        usize::try_from(self.settings.most_pairs).unwrap_or(usize::MAX)
    }

    /// Limits the pairs of boxes that touch at the same time, and the pairs of dynamic bodies that may meet in a frame. Default: no limit.
    /// A frame with more fails: contacts stay those of the frame before, or dynamic bodies stay where they are.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().global_mut::<Contacts>()?.set_most_pairs(5);
    /// let sensor = Collider::sensor(Aabb::default());
    /// for _ in 0..3 {
    ///     runtime.world_mut().spawn((Transform::default(), sensor.clone()));
    /// }
    /// runtime.run_frames(1)?;
    /// // With a fourth at the same place there are 6 pairs.
    /// runtime.world_mut().spawn((Transform::default(), sensor));
    /// assert!(runtime.run_frames(1).is_err());
    /// runtime.world_mut().global_mut::<Contacts>()?.set_most_pairs(6);
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().global::<Contacts>()?.iter().len(), 6);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_most_pairs(&mut self, most: usize) {
        self.settings.most_pairs = most as u64;
    }

    /// Sets whether held contacts are posted as events in each frame, too; they are not unless set. They are in this
    /// list in any case, and where a hundred thousand boxes lie around, posting them costs as much as finding them.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// for _ in 0..2 {
    ///     runtime.world_mut().spawn((Transform::default(), Collider::sensor(Aabb::default())));
    /// }
    /// let mut posted = Vec::new();
    /// for post_held in [false, false, true] {
    ///     runtime.world_mut().global_mut::<Contacts>()?.set_held_events(post_held);
    ///     runtime.run_frames(1)?;
    ///     posted.push(runtime.world().posted::<Contact>().len());
    /// }
    /// assert_eq!(posted, [1, 0, 1]);
    /// assert_eq!(runtime.world().global::<Contacts>()?.iter().len(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_held_events(&mut self, post: bool) {
        self.settings.posts_held = post;
    }
}

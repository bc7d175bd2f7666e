//! Components attached to all descendants of an entity, and the order in which to draw.

use super::links::LinkNode;
use crate::error::{Error, Kind};
use crate::store::{Component, Entity, World};

/// In front of or behind its parent, for those who draw: entities with a number below zero come before their parent, all
/// others after it; children of one parent by their number, then in sibling order. Without one an entity counts as 0.
///
/// # Example
///
/// ```
/// use gerust::{World, space::DrawOrder};
///
/// let mut world = World::new();
/// let truck = world.spawn(("truck",));
/// let smoke = world.spawn_under(truck, ("smoke", DrawOrder(-1)))?;
/// let lamp = world.spawn_under(truck, ("lamp", DrawOrder(2)))?;
/// let cab = world.spawn_under(truck, ("cab",))?;
/// assert_eq!(world.in_draw_order(truck)?, [smoke, truck, cab, lamp]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Default)]
pub struct DrawOrder(pub i32);

impl World {
    /// An entity and everything below it, in the order in which to draw them; see [`DrawOrder`]. O(n log n).
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    pub fn in_draw_order(&self, top: Entity) -> Result<Vec<Entity>, Error> {
        self.refuse_stale(top, "drawn")?;
        enum Step {
            Open(Entity),
            Draw(Entity),
        }
        let order_of = |entity| match self.has::<DrawOrder>(entity) {
            true => self.get::<DrawOrder>(entity).map_or(0, |order| order.0),
            false => 0,
        };
        let mut drawn = Vec::new();
        // Pending work, last first.
        let mut steps = vec![Step::Open(top)];
        while let Some(step) = steps.pop() {
            let entity = match step {
                Step::Draw(entity) => {
                    drawn.push(entity);
                    continue;
                }
                Step::Open(entity) => entity,
            };
            let mut children: Vec<Entity> = self.children(entity).collect();
            // Stable, so that sibling order decides between equals.
            children.sort_by_key(|&child| order_of(child));
            let behind = children.partition_point(|&child| order_of(child) < 0);
            let in_front = children.split_off(behind);
            steps.extend(in_front.into_iter().rev().map(Step::Open));
            steps.push(Step::Draw(entity));
            steps.extend(children.into_iter().rev().map(Step::Open));
        }
        Ok(drawn)
    }

    /// Puts a copy of a component on everything below an entity, and returns how many there are. The entity itself is left
    /// out.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Panics
    ///
    /// As [`World::attach`].
    ///
    /// # Example
    ///
    /// ```
    /// #[derive(Clone)]
    /// struct Lit;
    ///
    /// let mut world = gerust::World::new();
    /// let mast = world.spawn(("mast",));
    /// let arm = world.spawn_under(mast, ("arm",))?;
    /// let lamp = world.spawn_under(arm, ("lamp",))?;
    /// assert_eq!(world.attach_below(mast, Lit)?, 2);
    /// assert!(world.has::<Lit>(lamp) && !world.has::<Lit>(mast));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn attach_below<T: Component + Clone>(
        &mut self,
        top: Entity,
        component: T,
    ) -> Result<usize, Error> {
        self.refuse_stale(top, "given components to hand down")?;
        let below: Vec<Entity> = self.descendants(top).collect();
        Ok(self.attach_many(below.into_iter().map(|entity| (entity, component.clone()))))
    }

    /// Posts an event for each entity below one, depth first, in sibling order.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// #[derive(Clone)]
    /// struct Shaken(Entity);
    ///
    /// let mut world = World::new();
    /// let mast = world.spawn(("mast",));
    /// let lamp = world.spawn_under(mast, ("lamp",))?;
    /// world.post_below(mast, Shaken)?;
    /// assert_eq!(world.posted::<Shaken>()[0].0, lamp);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn post_below<E: Component>(
        &mut self,
        top: Entity,
        mut event: impl FnMut(Entity) -> E,
    ) -> Result<(), Error> {
        self.refuse_stale(top, "asked to hand an event down")?;
        let below: Vec<Entity> = self.descendants(top).collect();
        for entity in below {
            self.post(event(entity));
        }
        Ok(())
    }

    /// The other children of an entity's parent, in sibling order; none for an entity without a parent. Allocates nothing.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let stack = world.spawn(("stack",));
    /// let lower = world.spawn_under(stack, ("lower",))?;
    /// let upper = world.spawn_under(stack, ("upper",))?;
    /// assert!(world.siblings(upper).eq([lower]));
    /// assert_eq!(world.siblings(stack).count(), 0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn siblings(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        let parent = self.has::<LinkNode>(entity).then(|| self.parent(entity));
        parent
            .flatten()
            .into_iter()
            .flat_map(|parent| self.children(parent))
            .filter(move |&sibling| sibling != entity)
    }

    fn refuse_stale(&self, entity: Entity, verb: &'static str) -> Result<(), Error> {
        match self.contains(entity) {
            true => Ok(()),
            false => Err(Error::from(Kind::StaleEntity { entity, verb })),
        }
    }
}

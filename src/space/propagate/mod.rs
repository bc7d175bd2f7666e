//! From local to world placement, parents before children, at a cost that follows what has changed.
//!
//! The store notes which rows of [`Transform`] were written, by any access. Entities without links are placed row by row.
//! Linked ones are listed in [`Order`], parents before children, so that a changed entity and everything below it are one
//! range, which is walked forward.

mod order;
#[cfg(feature = "parallel")]
mod spread;

use super::adrift::{Adrift, FiniteCheck};
use super::link::detach_links;
use super::links::LinkNode;
#[cfg(feature = "snapshot")]
use super::template::MadeFrom;
use super::transform::Transform;
use super::world_transform::WorldTransform;
use crate::error::Error;
use crate::schedule::{Phase, System};
use crate::store::{Entity, GlobalMut, Having, Lacking, Rows, TableRows, Unseen, World};
use smallvec::SmallVec;

pub(super) use order::Order;

/// Makes placement known to a world; does nothing the second time.
///
/// # Errors
///
/// If another type was registered under the name of one of the types of placement; then nothing was changed.
pub(crate) fn install(world: &mut World) -> Result<(), Error> {
    if world.find_global::<Order>().is_some() {
        return Ok(());
    }
    #[cfg(feature = "snapshot")]
    {
        world.register_unless_known::<Transform>("transform")?;
        world.compare_in_moments::<Transform>();
        world.register_unless_known::<LinkNode>("links")?;
        world.register_unless_known::<MadeFrom>("made-from")?;
        world.before_restore.push(super::links::check_links);
        world
            .after_restore
            .push(|world| world.ensure_global::<Order>().mark_stale());
    }
    world.ensure_global::<Order>();
    world.ensure_global::<Adrift>();
    world.set_farewell::<LinkNode>(detach_links);
    world.add_companion::<Transform, WorldTransform>();
    world.keep_unseen::<Transform>();
    Ok(())
}

type Placed<'w, C> = Rows<'w, (&'static Transform, &'static mut WorldTransform), C>;
/// The rows of one table, to be placed.
type PlacedTable<'s, 'w, C> =
    TableRows<'s, 'w, (&'static Transform, &'static mut WorldTransform), C>;
/// Tables that are held without an allocation.
const TABLES: usize = 16;

/// The two systems that place everything, in a phase and under names of the caller's choice.
pub(crate) fn placement_systems(phase: Phase, names: [&str; 2]) -> Vec<System> {
    vec![
        System::named(names[0])
            .phase(phase)
            .takes::<(
                Placed<Lacking<LinkNode>>,
                Unseen<Transform>,
                GlobalMut<Adrift>,
            )>()
            .runs(|(mut rows, unseen, mut adrift)| {
                let mut finite = FiniteCheck::default();
                for mut table in rows.by_table() {
                    place_apart(&mut table, &unseen, &mut finite);
                }
                adrift.0 |= finite.may_fail();
            }),
        System::named(names[1])
            .phase(phase)
            .after(names[0])
            .takes::<(
                GlobalMut<Order>,
                Rows<(Entity, &LinkNode)>,
                Placed<Having<LinkNode>>,
                Unseen<Transform>,
                GlobalMut<Adrift>,
            )>()
            .runs(|(mut order, links, mut rows, unseen, mut adrift)| {
                let locate = rows.locator();
                #[cfg(feature = "parallel")]
                let workers = rows.workers();
                let mut tables: SmallVec<[PlacedTable<'_, '_, Having<LinkNode>>; TABLES]> =
                    rows.by_table().collect();
                order.bring_up_to_date(&links, &tables, locate);
                for (number, table) in tables.iter().enumerate() {
                    match unseen.see_if_all(table.table) {
                        true => order.note_table(number),
                        false => unseen.see(table.table, |row| order.note(number, row)),
                    }
                }
                adrift.0 |= order.place(
                    &mut tables,
                    #[cfg(feature = "parallel")]
                    workers,
                );
            }),
    ]
}

/// Places what has changed among entities without links.
fn place_apart(
    table: &mut PlacedTable<'_, '_, Lacking<LinkNode>>,
    unseen: &Unseen<Transform>,
    finite: &mut FiniteCheck,
) {
    if unseen.see_if_all(table.table) {
        let (locals, worlds) = &mut table.slices;
        for (local, world) in locals.iter().zip(worlds.iter_mut()) {
            world.0 = local.affine();
            finite.look(&world.0);
        }
        table.mark_rows(0..table.slices.1.len());
        return;
    }
    unseen.see(table.table, |row| {
        let placed = table.slices.0[row].affine();
        finite.look(&placed);
        table.slices.1[row].0 = placed;
        table.mark_rows(row..row + 1);
    });
}

#[cfg(test)]
mod tests;

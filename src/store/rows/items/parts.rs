//! Parts that the patterns of single component types share.

/// What all patterns of a single component type have in common.
macro_rules! single {
    (asks: $asks:expr, writes: $writes:expr) => {
        const COLUMNS: usize = 1;

        fn declare(access: &mut Access) {
            access.add::<T>(ResourceKind::Component, $writes);
        }

        fn register(types: &mut ComponentTypes) {
            types.id_or_register::<T>();
        }

        fn describe(shape: &mut Shape) {
            if $asks {
                shape.must_have::<T>();
            }
        }

        fn matches(types: &ComponentTypes, table: &Table) -> bool {
            !$asks || types.table_has::<T>(table)
        }

        fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
            positions.push(position::<T>(types, table));
        }
    };
}

/// What patterns that only read have in common.
macro_rules! reading {
    () => {
        type Marks<'w> = ();

        fn marks(_: &ComponentTypes) {}

        #[inline(always)]
        fn has_marks((): &()) -> bool {
            false
        }

        #[inline(always)]
        fn mark_table((): &(), _: &[u32], _: u64) {}

        #[inline(always)]
        fn mark_row((): &(), _: &[u32], _: u32, _: u64) {}

        fn mark_rows((): &(), _: &[u32], _: std::ops::Range<usize>, _: u64) {}
    };
}

/// What patterns that write one component type have in common.
macro_rules! writing {
    () => {
        type Marks<'w> = TickGuard<'w>;

        fn marks<'w>(types: &'w ComponentTypes) -> TickGuard<'w> {
            ticks_of::<T>(types)
        }

        #[inline(always)]
        fn has_marks(marks: &TickGuard<'_>) -> bool {
            marks.is_some()
        }

        #[inline(always)]
        fn mark_table(marks: &TickGuard<'_>, positions: &[u32], tick: u64) {
            if let Some(ticks) = marks
                && positions[0] != NO_COLUMN
            {
                ticks.column(positions[0]).mark_all(tick);
            }
        }

        #[inline(always)]
        fn mark_row(marks: &TickGuard<'_>, positions: &[u32], row: u32, tick: u64) {
            if let Some(ticks) = marks
                && positions[0] != NO_COLUMN
            {
                ticks.column(positions[0]).mark(row, tick);
            }
        }

        fn mark_rows(
            marks: &TickGuard<'_>,
            positions: &[u32],
            rows: std::ops::Range<usize>,
            tick: u64,
        ) {
            if let Some(ticks) = marks
                && positions[0] != NO_COLUMN
            {
                ticks.column(positions[0]).mark_rows(rows, tick);
            }
        }
    };
}

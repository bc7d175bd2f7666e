use super::*;
use proptest::prelude::*;

fn grid() -> impl Strategy<Value = TileGrid> {
    let counts = (1_u32..7, 1_u32..5, 1_u32..7);
    let tile = (0.1_f32..3.0, 0.1_f32..3.0, 0.1_f32..3.0);
    (counts, tile, any::<u64>()).prop_map(|((x, y, z), tile, seed)| {
        let mut grid = TileGrid::new([x, y, z], tile.into()).expect("it has tiles");
        for number in 0..x * y * z {
            let at = [number % x, number / x % y, number / (x * y)];
            grid.set_solid(at, seed.rotate_left(number) & 1 == 1);
        }
        grid
    })
}

proptest! {
    #[test]
    fn a_region_finds_what_looking_at_all_tiles_finds(
        grid in grid(),
        place in (-1e4_f32..1e4, -20.0_f32..20.0, -20.0_f32..20.0),
        region in (-5.0_f32..20.0, -5.0_f32..20.0, -5.0_f32..20.0, 0.0_f32..9.0),
    ) {
        let place = Vec3::from(place);
        let placed = PlacedTiles::new(&grid, &Affine3A::from_translation(place));
        let corner = place + Vec3::new(region.0, region.1, region.2);
        let region = Aabb::from_corner(corner, Vec3::splat(region.3));
        let mut found = Vec::new();
        placed.touching(&grid, &region, |tile| found.push(tile));
        let wanted: Vec<Aabb> = grid.solid_tiles().map(|at| placed.tile(at)).filter(|tile| tile.touches(&region)).collect();
        prop_assert_eq!(found, wanted);
    }

    #[test]
    fn flush_tiles_share_their_faces_to_the_bit(x in 0_u32..10_000, place in -1e5_f32..1e5, size in 0.01_f32..9.0) {
        let placed = PlacedTiles { corner: Vec3::splat(place), tile: Vec3::splat(size), is_mirrored: [false; 3] };
        prop_assert_eq!(placed.tile([x, x, x]).max, placed.tile([x + 1, x + 1, x + 1]).min);
    }
}

#[test]
fn a_grid_without_sense_is_refused() {
    let text = |made: Result<TileGrid, Error>| made.expect_err("it is refused").to_string();
    let nothing: [&str; 0] = [];
    let plane = MapPlane::Ground;
    assert!(text(TileGrid::from_rows(nothing, Vec3::ONE, plane)).contains("no tiles"));
    assert!(text(TileGrid::from_rows(["", ""], Vec3::ONE, plane)).contains("no tiles"));
    assert!(text(TileGrid::from_rows(["##", "#"], Vec3::ONE, plane)).contains("row 2 has 1 tiles"));
    assert!(text(TileGrid::new([1; 3], Vec3::new(1.0, 0.0, 1.0))).contains("positive"));
    assert!(text(TileGrid::new([1; 3], Vec3::NAN)).contains("positive"));
    assert!(text(TileGrid::new([u32::MAX; 3], Vec3::ONE)).contains("more than"));
}

/// The stored tiles may have been changed since.
#[cfg(feature = "snapshot")]
#[test]
fn a_stored_grid_without_sense_is_refused() {
    let stored = |counts: &str, solid: &str| {
        let text = format!(r#"{{"tile":[1,1,1],"counts":{counts},"solid":{solid}}}"#);
        serde_json::from_str::<TileGrid>(&text)
    };
    let grid = stored("[2,1,3]", "[0,5]").expect("it makes sense");
    assert_eq!(grid.solid_count(), 2);
    for (counts, solid) in [
        ("[2,1,3]", "[6]"),
        ("[2,1,3]", "[4294967295]"),
        ("[0,1,3]", "[]"),
        ("[4294967295,4294967295,4294967295]", "[]"),
    ] {
        let error = stored(counts, solid).expect_err("it makes none");
        assert!(error.to_string().contains("tile"), "{error}");
    }
}

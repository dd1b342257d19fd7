//! Grids of tiles as JSON: what is accepted gives tiles that lie where they should.
#![no_main]

use rahmen::access::TileGrid;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| rahmen_fuzz::bounded(bytes, |_| {
    let Ok(grid) = serde_json::from_slice::<TileGrid>(bytes) else { return };
    let _ = (grid.count(), grid.columns(), grid.rows(), grid.overlaps());
    for tile in grid.tiles().take(1000) {
        assert!(!tile.region.size().is_empty());
    }
    let again: TileGrid = serde_json::from_value(serde_json::to_value(&grid).expect("plain numbers")).expect("its own");
    assert_eq!(again.count(), grid.count());
}));

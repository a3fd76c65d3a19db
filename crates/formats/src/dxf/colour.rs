//! The 255 indexed colours.

/// Colour of an index: nine named ones, 24 hues in ten shades, six greys.
pub(crate) fn indexed(index: usize) -> [u8; 3] {
    const NAMED: [[u8; 3]; 10] = [
        [0, 0, 0],
        [255, 0, 0],
        [255, 255, 0],
        [0, 255, 0],
        [0, 255, 255],
        [0, 0, 255],
        [255, 0, 255],
        [0, 0, 0],
        [128, 128, 128],
        [192, 192, 192],
    ];
    const VALUES: [f64; 5] = [255.0, 165.0, 127.0, 76.0, 38.0];
    const GREYS: [u8; 6] = [51, 91, 132, 173, 214, 255];
    match index {
        0..=9 => NAMED[index],
        10..=249 => {
            let hue = ((index / 10 - 1) * 15) as f64;
            let value = VALUES[index % 10 / 2];
            let floor = if index.is_multiple_of(2) { 0.0 } else { value / 2.0 };
            let channel = |shift: f64| {
                let h = (hue + shift).rem_euclid(360.0) / 60.0;
                let share = if h < 1.0 {
                    h
                } else if h < 3.0 {
                    1.0
                } else if h < 4.0 {
                    4.0 - h
                } else {
                    0.0
                };
                (floor + (value - floor) * share).round() as u8
            };
            [channel(120.0), channel(0.0), channel(240.0)]
        }
        250..=255 => [GREYS[index - 250]; 3],
        _ => [0, 0, 0],
    }
}

/// Colour of a packed 0xRRGGBB number.
pub(crate) fn packed(value: i64) -> [u8; 3] {
    [(value >> 16) as u8, (value >> 8) as u8, value as u8]
}

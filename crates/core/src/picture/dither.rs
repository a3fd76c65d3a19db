//! Greys to on and off.

use serde::{Deserialize, Serialize};

/// How grey levels are engraved.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Dither {
    /// As powers: for material that takes tones.
    #[default]
    Grey,
    /// Dots in a regular pattern (Bayer, "An optimum method for two-level rendition of continuous-tone pictures", 1973).
    Ordered,
    /// Errors carried to four neighbours (Floyd and Steinberg, "An adaptive algorithm for spatial greyscale", 1976).
    Diffused,
    /// Errors carried to twelve neighbours, calmer in flat tones (Jarvis, Judice and Ninke, 1976).
    Calm,
    /// Three quarters of the error carried to six neighbours: light and dark stay clean (Atkinson, 1984).
    Crisp,
    /// Dots that grow with the tone in a grid turned by 45°, as in newspapers.
    Newsprint,
}

/// Weights of an error, each with how many columns on and rows down it goes, and what they are shares of.
type Kernel = (&'static [(i64, usize, i32)], i32);

const DIFFUSED: Kernel = (&[(1, 0, 7), (-1, 1, 3), (0, 1, 5), (1, 1, 1)], 16);
const CALM: Kernel = (
    &[
        (1, 0, 7),
        (2, 0, 5),
        (-2, 1, 3),
        (-1, 1, 5),
        (0, 1, 7),
        (1, 1, 5),
        (2, 1, 3),
        (-2, 2, 1),
        (-1, 2, 3),
        (0, 2, 5),
        (1, 2, 3),
        (2, 2, 1),
    ],
    48,
);
const CRISP: Kernel = (&[(1, 0, 1), (2, 0, 1), (-1, 1, 1), (0, 1, 1), (1, 1, 1), (0, 2, 1)], 8);

/// Side of the ordered pattern and of a newspaper dot's cell, pixels.
const PATTERN: usize = 8;

impl Dither {
    /// All of them, as they are offered.
    pub const ALL: [Self; 6] = [Self::Grey, Self::Diffused, Self::Calm, Self::Crisp, Self::Ordered, Self::Newsprint];

    /// Name as shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Grey => "powers",
            Self::Ordered => "even pattern",
            Self::Diffused => "scattered dots",
            Self::Calm => "calm dots",
            Self::Crisp => "crisp dots",
            Self::Newsprint => "newsprint dots",
        }
    }
    /// Name in addresses.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Grey => "grey",
            Self::Ordered => "ordered",
            Self::Diffused => "diffused",
            Self::Calm => "calm",
            Self::Crisp => "crisp",
            Self::Newsprint => "newsprint",
        }
    }
    /// The one with this slug.
    pub fn from_slug(slug: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|d| d.slug() == slug)
    }

    /// Turns burns of 0 to 255, in rows of `width`, into 0 and 255; leaves them where powers are wanted. Pixels that burn
    /// nothing get no dot.
    pub(super) fn apply(self, burn: &mut [u8], width: usize) {
        match self {
            Self::Grey => {}
            Self::Ordered => pattern(burn, width, &ordered()),
            Self::Newsprint => pattern(burn, width, &newsprint()),
            Self::Diffused => diffuse(burn, width, DIFFUSED),
            Self::Calm => diffuse(burn, width, CALM),
            Self::Crisp => diffuse(burn, width, CRISP),
        }
    }
}

/// Thresholds of Bayer's pattern: the bits of x ⊕ y and y, interleaved from the lowest.
fn ordered() -> [[u8; PATTERN]; PATTERN] {
    std::array::from_fn(|y| {
        std::array::from_fn(|x| {
            let rank = (0..3).fold(0, |v, bit| v << 2 | ((x ^ y) >> bit & 1) << 1 | y >> bit & 1);
            ((rank as f64 + 0.5) * 255.0 / 64.0) as u8
        })
    })
}

/// Thresholds that fill a cell from two middles outward, so that dots stand in a grid turned by 45°.
fn newsprint() -> [[u8; PATTERN]; PATTERN] {
    let wave = |v: usize| ((v as f64 + 0.5) / PATTERN as f64 * std::f64::consts::TAU).cos();
    let mut cells: Vec<(f64, usize)> = (0..64).map(|i| (wave(i % 8) + wave(i / 8) + wave(i % 8) * 1e-6 * i as f64, i)).collect();
    cells.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut out = [[0; PATTERN]; PATTERN];
    for (rank, (_, i)) in cells.into_iter().enumerate() {
        out[i / 8][i % 8] = ((rank as f64 + 0.5) * 255.0 / 64.0) as u8;
    }
    out
}

fn pattern(burn: &mut [u8], width: usize, thresholds: &[[u8; PATTERN]; PATTERN]) {
    for (y, line) in burn.chunks_mut(width.max(1)).enumerate() {
        for (x, pixel) in line.iter_mut().enumerate() {
            *pixel = if *pixel > thresholds[y % PATTERN][x % PATTERN] { 255 } else { 0 };
        }
    }
}

/// Carries what rounding to on or off loses to pixels not yet set, there and back by rows as the head goes.
fn diffuse(burn: &mut [u8], width: usize, (weights, shares): Kernel) {
    let width = width.max(1);
    // Errors of this row and the next two, in shares.
    let mut errors = [vec![0_i32; width], vec![0; width], vec![0; width]];
    for (y, line) in burn.chunks_mut(width).enumerate() {
        let back = y % 2 == 1;
        for i in 0..line.len() {
            let x = if back { line.len() - 1 - i } else { i };
            if line[x] == 0 {
                continue;
            }
            let wanted = i32::from(line[x]) + errors[0][x] / shares;
            line[x] = if wanted > 127 { 255 } else { 0 };
            let error = wanted - i32::from(line[x]);
            for (on, down, weight) in weights {
                let to = x as i64 + if back { -on } else { *on };
                if (0..width as i64).contains(&to) {
                    errors[*down][to as usize] += error * weight;
                }
            }
        }
        errors.rotate_left(1);
        errors[2].fill(0);
    }
}

//! Colours: of the paper and what stands on it, of layers, of values, and of classes of numbers.
//!
//! Colours of values differ by at least 0.11 in OKLab (Ottosson, 2020) to eyes of all cones and
//! to those that lack the long or the middle ones, simulated as by Viénot, Brettel and Mollon
//! (1999); the test of palettes computes it. Ramps rise evenly in lightness, which everybody sees.

use super::options::Theme;

/// Red, green and blue.
pub(super) type Rgb = [u8; 3];

/// What is not data.
#[derive(Clone, Copy, Debug)]
pub(super) struct Paper {
    pub(super) page: Rgb,
    pub(super) ink: Rgb,
    pub(super) faint: Rgb,
    pub(super) water: Rgb,
    pub(super) land: Rgb,
    /// Where land and water are not told apart.
    pub(super) plain: Rgb,
    pub(super) grid: Rgb,
    pub(super) graticule: Rgb,
    pub(super) county: Rgb,
    pub(super) state: Rgb,
    pub(super) zone: Rgb,
    pub(super) name: Rgb,
    pub(super) context: (Rgb, Rgb),
    pub(super) flag: Rgb,
}

const LIGHT: Paper = Paper {
    page: [255, 255, 255],
    ink: [31, 33, 36],
    faint: [92, 96, 102],
    water: [224, 232, 238],
    land: [250, 248, 243],
    plain: [251, 250, 246],
    grid: [203, 199, 188],
    graticule: [141, 163, 182],
    county: [196, 187, 170],
    state: [140, 128, 108],
    zone: [150, 88, 140],
    name: [137, 128, 112],
    context: ([128, 128, 128], [225, 225, 225]),
    flag: [190, 20, 50],
};

const DARK: Paper = Paper {
    page: [22, 25, 29],
    ink: [233, 231, 225],
    faint: [164, 168, 174],
    water: [18, 26, 34],
    land: [35, 39, 44],
    plain: [30, 34, 39],
    grid: [62, 66, 72],
    graticule: [74, 96, 116],
    county: [72, 74, 78],
    state: [118, 118, 116],
    zone: [196, 140, 188],
    name: [138, 140, 142],
    context: ([150, 150, 150], [66, 66, 66]),
    flag: [255, 110, 120],
};

impl Paper {
    pub(super) fn of(theme: Theme) -> &'static Paper {
        match theme {
            Theme::Light => &LIGHT,
            Theme::Dark => &DARK,
        }
    }
}

/// Line or outline, and fill.
pub(super) type Pair = (Rgb, Rgb);

/// Colours of layers in their order: line or outline, and fill.
const LAYERS: [Pair; 6] = [
    ([122, 75, 0], [233, 196, 106]),
    ([0, 80, 140], [142, 202, 230]),
    ([155, 34, 38], [242, 166, 160]),
    ([45, 106, 79], [183, 216, 176]),
    ([90, 61, 138], [205, 183, 233]),
    ([60, 60, 60], [200, 200, 200]),
];

/// Colours of the layer of this number.
pub(super) fn layer(at: usize, theme: Theme) -> Pair {
    let (line, fill) = LAYERS[at % LAYERS.len()];
    match theme {
        Theme::Light => (line, fill),
        Theme::Dark => (fill, mixed(line, fill, 0.25)),
    }
}

/// Colours around one that was chosen.
pub(super) fn around(color: Rgb, theme: Theme) -> Pair {
    match theme {
        Theme::Light => (mixed(color, [0, 0, 0], 0.25), mixed(color, [255, 255, 255], 0.3)),
        Theme::Dark => (mixed(color, [255, 255, 255], 0.35), color),
    }
}

/// Colours of values.
pub(super) const VALUES: [Rgb; 8] = [
    [31, 63, 164],
    [247, 200, 61],
    [204, 102, 24],
    [42, 145, 160],
    [199, 131, 253],
    [34, 80, 13],
    [52, 232, 251],
    [160, 16, 94],
];

/// What is none of the values that have a colour, and what has no value.
pub(super) const OTHER: Rgb = [150, 146, 138];
pub(super) const NO_VALUE: Rgb = [214, 212, 207];

/// A colour between two, in OKLab.
pub(super) fn mixed(from: Rgb, to: Rgb, share: f64) -> Rgb {
    let (a, b) = (to_oklab(from), to_oklab(to));
    of_oklab(std::array::from_fn(|at| a[at] + (b[at] - a[at]) * share))
}

/// Colours of so many classes of numbers, from few to many.
pub(super) fn ramp(count: usize, theme: Theme) -> Vec<Rgb> {
    // From a light yellow over green to a deep blue; on dark paper the other way.
    const STOPS: [Rgb; 4] = [[246, 226, 138], [124, 184, 120], [26, 122, 138], [36, 40, 104]];
    let at = |share: f64| -> Rgb {
        let place = share * (STOPS.len() - 1) as f64;
        let stop = (place.floor() as usize).min(STOPS.len() - 2);
        mixed(STOPS[stop], STOPS[stop + 1], place - stop as f64)
    };
    let share = |class: usize| if count < 2 { 0.5 } else { class as f64 / (count - 1) as f64 };
    let colors = (0..count).map(|class| at(share(class)));
    match theme {
        Theme::Light => colors.collect(),
        Theme::Dark => colors.rev().collect(),
    }
}

/// `#rrggbb`.
pub(super) fn hex([r, g, b]: Rgb) -> String {
    format!("#{r:02x}{g:02x}{b:02x}")
}

fn to_oklab(color: Rgb) -> [f64; 3] {
    let [r, g, b] = color.map(|part| {
        let part = f64::from(part) / 255.0;
        if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
    });
    let l = (0.412_221_470_8 * r + 0.536_332_536_3 * g + 0.051_445_992_9 * b).cbrt();
    let m = (0.211_903_498_2 * r + 0.680_699_545_1 * g + 0.107_396_956_6 * b).cbrt();
    let s = (0.088_302_461_9 * r + 0.281_718_837_6 * g + 0.629_978_700_5 * b).cbrt();
    [
        0.210_454_255_3 * l + 0.793_617_785 * m - 0.004_072_046_8 * s,
        1.977_998_495_1 * l - 2.428_592_205 * m + 0.450_593_709_9 * s,
        0.025_904_037_1 * l + 0.782_771_766_2 * m - 0.808_675_766 * s,
    ]
}

fn of_oklab([lightness, a, b]: [f64; 3]) -> Rgb {
    let l = (lightness + 0.396_337_777_4 * a + 0.215_803_757_3 * b).powi(3);
    let m = (lightness - 0.105_561_345_8 * a - 0.063_854_172_8 * b).powi(3);
    let s = (lightness - 0.089_484_177_5 * a - 1.291_485_548 * b).powi(3);
    [
        4.076_741_662_1 * l - 3.307_711_591_3 * m + 0.230_969_929_2 * s,
        -1.268_438_004_6 * l + 2.609_757_401_1 * m - 0.341_319_396_5 * s,
        -0.004_196_086_3 * l - 0.703_418_614_7 * m + 1.707_614_701 * s,
    ]
    .map(|part| {
        let part = part.clamp(0.0, 1.0);
        let part =
            if part <= 0.003_130_8 { 12.92 * part } else { 1.055 * part.powf(1.0 / 2.4) - 0.055 };
        (part * 255.0).round() as u8
    })
}

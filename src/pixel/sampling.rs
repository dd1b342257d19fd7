//! How many colour differences there are for the lumas of a picture, and where they lie.

/// Chroma sampling ratio.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum ChromaSampling {
    /// 4:4:4: chroma at full size.
    #[default]
    Ratio444,
    /// 4:2:2: chroma at half the width.
    Ratio422,
    /// 4:2:0: chroma at half the width and half the height.
    Ratio420,
}

impl ChromaSampling {
    /// Lumas for each chroma, across and down.
    pub fn factors(self) -> (u32, u32) {
        match self {
            ChromaSampling::Ratio444 => (1, 1),
            ChromaSampling::Ratio422 => (2, 1),
            ChromaSampling::Ratio420 => (2, 2),
        }
    }
}

/// Where a chroma lies among its two lumas across; down it always lies between its two.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum ChromaSiting {
    /// On the left one: ITU-R BT.601 for 4:2:2, MPEG-2 and later (ITU-T H.273, chroma sample location type 0).
    #[default]
    Left,
    /// Between both: JPEG (ITU-T T.871), location type 1.
    Center,
}

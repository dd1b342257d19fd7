//! Layout of the components of a file that is written.

/// Size, sampling, and the blocks that follow from them.
#[derive(Debug, Clone)]
pub(super) struct McuLayout {
    /// Width and height in pixels.
    pub(super) size: (u16, u16),
    /// Sampling factors across and down, a component each.
    pub(super) factors: Vec<(usize, usize)>,
    /// The largest of them.
    pub(super) most: (usize, usize),
    /// MCUs across and down.
    pub(super) mcus: (usize, usize),
}

impl McuLayout {
    pub(super) fn new(size: (u16, u16), factors: Vec<(usize, usize)>) -> McuLayout {
        let most = factors.iter().fold((1, 1), |(h, v), f| (f.0.max(h), f.1.max(v)));
        let mcus = |side: u16, factor: usize| usize::from(side).div_ceil(factor.saturating_mul(8));
        McuLayout { size, most, mcus: (mcus(size.0, most.0), mcus(size.1, most.1)), factors }
    }

    /// Blocks of an MCU, all components together.
    pub(super) fn blocks_an_mcu(&self) -> usize {
        self.factors.iter().map(|f| f.0.saturating_mul(f.1)).fold(0usize, usize::saturating_add)
    }

    /// Blocks across and down where the samples of a component count.
    pub(super) fn blocks_of(&self, component: usize) -> (usize, usize) {
        let (h, v) = self.factors_of(component);
        let part = |whole: u16, most: usize, own: usize| {
            usize::from(whole).saturating_mul(own).div_ceil(most.max(1)).div_ceil(8)
        };
        (part(self.size.0, self.most.0, h), part(self.size.1, self.most.1, v))
    }

    pub(super) fn factors_of(&self, component: usize) -> (usize, usize) {
        self.factors.get(component).copied().unwrap_or((1, 1))
    }

    /// Where the blocks of MCU `mcu` are in its row of MCUs: component, and number in rows of blocks.
    pub(super) fn blocks_of_mcu(&self, mcu: usize) -> impl Iterator<Item = (usize, usize)> + '_ {
        self.factors.iter().enumerate().flat_map(move |(component, &(h, v))| {
            let across = self.mcus.0.saturating_mul(h);
            let first = mcu.saturating_mul(h);
            (0..v).flat_map(move |down| {
                let start = down.saturating_mul(across).saturating_add(first);
                (start..start.saturating_add(h)).map(move |at| (component, at))
            })
        })
    }
}

/// The coefficients of a row of MCUs in zigzag order, a component each, in rows of blocks.
pub(super) type Row = Vec<Vec<[i16; 64]>>;

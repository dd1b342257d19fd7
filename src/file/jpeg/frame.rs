//! The frame header (B.2.2): size, components and how they lie in the picture.

use super::coefficients::Coefficients;
use crate::error::{Error, Result};
use crate::frame::Size;

/// How coefficients are coded.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Coding {
    Baseline,
    Extended,
    Progressive,
}

/// One component: its sampling and what its blocks measure.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Component {
    pub(super) id: u8,
    /// Sampling factors across and down, 1 to 4.
    pub(super) h: u8,
    pub(super) v: u8,
    /// The quantiser.
    pub(super) quantiser: u8,
    /// Samples across and down that count.
    pub(super) width: u32,
    pub(super) height: u32,
    /// Blocks that samples lie in, across and down (a scan of this component alone has these).
    pub(super) blocks: (u32, u32),
    /// Blocks across and down in whole MCUs.
    pub(super) padded: (u32, u32),
}

/// What the frame header says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct FrameHeader {
    pub(super) size: Size,
    /// Bits a sample: 8 or 12.
    pub(super) bits: u8,
    pub(super) coding: Coding,
    pub(super) components: Vec<Component>,
    /// The largest sampling factors.
    pub(super) h: u8,
    pub(super) v: u8,
    /// MCUs across and down.
    pub(super) mcus: (u32, u32),
}

impl FrameHeader {
    /// From the body of a start-of-frame segment whose marker is `ff marker`. A height of 0 stands for one that is said
    /// later.
    pub(super) fn parse(marker: u8, body: &[u8]) -> Result<FrameHeader> {
        let coding = match marker {
            0xc0 => Coding::Baseline,
            0xc1 => Coding::Extended,
            0xc2 => Coding::Progressive,
            0xc3 => return Err(Error::not_supported("lossless JPEG (SOF3)")),
            0xc5..=0xc7 => return Err(Error::not_supported("hierarchical JPEG")),
            0xc9 => return Err(Error::not_supported("arithmetic-coded JPEG (SOF9, sequential)")),
            0xca => return Err(Error::not_supported("arithmetic-coded JPEG (SOF10, progressive)")),
            0xcb => return Err(Error::not_supported("arithmetic-coded lossless JPEG (SOF11)")),
            _ => return Err(Error::not_supported("hierarchical arithmetic-coded JPEG")),
        };
        let Some((&[bits, h0, h1, w0, w1, count], rest)) = body.split_first_chunk::<6>() else {
            return Err(Error::malformed("a frame header that is too short"));
        };
        let size = Size::new(u32::from(u16::from_be_bytes([w0, w1])), u32::from(u16::from_be_bytes([h0, h1])));
        match (coding, bits) {
            (_, 8) | (Coding::Extended | Coding::Progressive, 12) => {}
            _ => return Err(Error::malformed(format!("samples of {bits} bits; there are 8, and 12 beyond baseline"))),
        }
        if size.width == 0 {
            return Err(Error::malformed("a width of 0"));
        }
        let (parts, rest) = rest.as_chunks::<3>();
        if parts.len() != usize::from(count) || !rest.is_empty() {
            return Err(Error::malformed(format!("a frame header whose length does not fit its {count} components")));
        }
        if !matches!(count, 1 | 3 | 4) {
            return Err(Error::not_supported(format!("JPEG of {count} components; there are 1, 3 and 4")));
        }
        let mut components = Vec::new();
        for &[id, sampling, quantiser] in parts {
            let (h, v) = (sampling >> 4, sampling & 15);
            if !(1..=4).contains(&h) || !(1..=4).contains(&v) || quantiser > 3 {
                let line = format!("component {id} with sampling {h}x{v} and quantiser {quantiser}");
                return Err(Error::malformed(line));
            }
            if components.iter().any(|c: &Component| c.id == id) {
                return Err(Error::malformed(format!("two components with the number {id}")));
            }
            let (width, height, blocks, padded) = (0, 0, (0, 0), (0, 0));
            components.push(Component { id, h, v, quantiser, width, height, blocks, padded });
        }
        // A single component is never sampled less than itself.
        if let [one] = components.as_mut_slice() {
            (one.h, one.v) = (1, 1);
        }
        let most = |of: fn(&Component) -> u8| components.iter().map(of).max().unwrap_or(1);
        let (h, v) = (most(|c| c.h), most(|c| c.v));
        let mut frame = FrameHeader { size, bits, coding, components, h, v, mcus: (0, 0) };
        frame.measure();
        Ok(frame)
    }

    /// The height, where it was said later.
    pub(super) fn set_height(&mut self, height: u32) {
        self.resize(Size::new(self.size.width, height));
    }

    /// The same components in another size.
    pub(super) fn resize(&mut self, size: Size) {
        self.size = size;
        self.measure();
    }

    fn measure(&mut self) {
        let (h, v) = (u32::from(self.h), u32::from(self.v));
        let Size { width, height } = self.size;
        self.mcus = (width.div_ceil(h.saturating_mul(8)), height.div_ceil(v.saturating_mul(8)));
        for c in &mut self.components {
            let (ch, cv) = (u32::from(c.h), u32::from(c.v));
            c.width = width.saturating_mul(ch).div_ceil(h);
            c.height = height.saturating_mul(cv).div_ceil(v);
            c.blocks = (c.width.div_ceil(8), c.height.div_ceil(8));
            c.padded = (self.mcus.0.saturating_mul(ch), self.mcus.1.saturating_mul(cv));
        }
    }

    /// Bytes that all coefficients take, where blocks become `n` x `n` samples.
    pub(super) fn coefficient_bytes(&self, n: u32) -> u64 {
        let blocks = |c: &Component| u64::from(c.padded.0).saturating_mul(u64::from(c.padded.1));
        self.components
            .iter()
            .map(blocks)
            .fold(0u64, u64::saturating_add)
            .saturating_mul(Coefficients::bytes_a_block(n))
    }

    /// How colour is sampled, in the trade's words.
    pub(super) fn sampling(&self) -> String {
        let [first, rest @ ..] = self.components.as_slice() else { return String::new() };
        let all_alike = rest.iter().take(2).all(|c| (c.h, c.v) == (1, 1));
        match (rest.is_empty(), all_alike, first.h, first.v) {
            (true, ..) => String::new(),
            (_, true, 1, 1) => ", 4:4:4".to_string(),
            (_, true, 2, 1) => ", 4:2:2".to_string(),
            (_, true, 2, 2) => ", 4:2:0".to_string(),
            (_, true, 1, 2) => ", 4:4:0".to_string(),
            (_, true, 4, 1) => ", 4:1:1".to_string(),
            _ => {
                let factors: Vec<String> = self.components.iter().map(|c| format!("{}x{}", c.h, c.v)).collect();
                format!(", sampled {}", factors.join(" "))
            }
        }
    }

    pub(super) fn coding_name(&self) -> &'static str {
        match self.coding {
            Coding::Baseline => "baseline",
            Coding::Extended => "extended sequential",
            Coding::Progressive => "progressive",
        }
    }
}

//! Tone as steps: curves that are known, curves found from the picture itself, fewer levels, equalising over tiles.

mod adaptive;
mod find;
mod known;
mod part;
mod quantize;

pub use adaptive::EqualizeAdaptive;
pub use find::{Find, FindTone, Found};
pub use known::Retone;
pub use part::Part;
pub use quantize::Quantize;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flow::Step;
    use crate::flow::{Chain, PictureSink, PictureSource, apply as apply_steps};
    use crate::frame::{Frame, Picture, Pixels, Region, Size};
    use crate::pixel::{Gray, Rgb};
    use crate::tone::{AdaptiveRules, Basis, Dither, EqualizeBy, QuantizeRules, StretchBy};
    use std::sync::Arc;

    fn picture() -> Picture {
        // Tall enough for several strips of a chain.
        Frame::from_fn(Size::new(300, 9000), |x, y| Rgb::new((x + y / 40) as u8, (y / 37) as u8, (x / 2) as u8))
            .unwrap()
            .into()
    }

    #[test]
    fn strips_give_what_the_whole_gives() {
        let mask: Pixels = Frame::from_fn(Size::new(300, 9000), |x, _| Gray::new((x % 256) as u8)).unwrap().into();
        let part = Part {
            region: Some(Region::new(10..200, 50..8000).unwrap()),
            mask: Some(Arc::new(mask)),
            everywhere: false,
        };
        let steps: Vec<Box<dyn Fn() -> Box<dyn Step>>> = vec![
            Box::new(|| Box::new(Retone::negative())),
            Box::new(|| Box::new(FindTone::new(Find::Equalize(EqualizeBy::Cumulative), Basis::EachChannel))),
            Box::new(|| Box::new(FindTone::new(Find::Equalize(EqualizeBy::Pinned), Basis::GRAY_VALUE))),
            Box::new({
                let part = part.clone();
                move || {
                    Box::new(
                        FindTone::new(Find::Stretch(StretchBy::Levels(20.0, 200.0)), Basis::Together)
                            .part(part.clone()),
                    )
                }
            }),
            Box::new(|| Box::new(Quantize::new(QuantizeRules::bits(2).dither(Dither::Ordered)))),
            Box::new(|| Box::new(Quantize::as_codes(QuantizeRules::bits(3).dither(Dither::Diffusion)))),
            Box::new(|| Box::new(EqualizeAdaptive::new(AdaptiveRules::default()))),
        ];
        for step in steps {
            let whole = apply_steps(picture(), &[step().as_ref()]).unwrap();
            let mut chain = Chain::new(Box::new(PictureSource::new(picture())), vec![step()]).unwrap();
            let mut sink = PictureSink::new(chain.facts()).unwrap();
            chain.run_into(&mut sink).unwrap();
            assert!(sink.into_picture().unwrap() == whole, "{}", step().name());
            assert!(whole != picture());
        }
        let outside = apply_steps(
            picture(),
            &[&FindTone::new(Find::Stretch(StretchBy::Levels(20.0, 200.0)), Basis::Together).part(part)],
        )
        .unwrap();
        let (old, new) = (picture(), outside);
        let (old, new) = (old.view::<Rgb<u8>>().unwrap(), new.view::<Rgb<u8>>().unwrap());
        assert!(
            old[(150, 10)] == new[(150, 10)] && old[(127, 60)] == new[(127, 60)] && old[(150, 60)] != new[(150, 60)]
        );
    }
}

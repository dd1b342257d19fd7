//! ICC profiles: any bytes are a profile or a named error, and what is a profile goes both ways.
#![no_main]

use libfuzzer_sys::fuzz_target;
use rahmen::color::{ColorSpace, Profile, SpaceRules, to_space};
use rahmen::{Frame, Rgb, Size};

fuzz_target!(|bytes: &[u8]| {
    let Ok(profile) = Profile::parse(bytes) else { return };
    let _ = (profile.description().len(), profile.version(), profile.space());
    let frame = Frame::from_fn(Size::new(16, 2), |x, y| Rgb::new((x * 17) as u8, (y * 255) as u8, 128)).unwrap();
    let there = to_space(frame.view(), profile.clone(), ColorSpace::SRGB, &SpaceRules::default());
    if let Ok(there) = there {
        let _ = to_space(there.view(), ColorSpace::SRGB, profile.clone(), &SpaceRules::default());
    }
    let floats = frame.view().map(|p| p.map(|v| f32::from(v) / 255.0)).unwrap();
    if let Ok(there) = to_space(floats.view(), profile.clone(), ColorSpace::SRGB, &SpaceRules::default()) {
        let _ = to_space(there.view(), ColorSpace::SRGB, profile, &SpaceRules::default());
    }
});

rahmen_fuzz::change_by_structure!();

//! `gray`: colour turned into gray by weights with a name.

use crate::fail::Done;
use crate::make::{Context, Making, Steps};
use clap::Args;
use rahmen::color::{ColorSpace, GrayWeights};
use rahmen::{Facts, flow};

/// The words of `gray`.
#[derive(Debug, Args)]
pub(crate) struct Gray {
    /// Weights of red, green and blue: bt709, bt601, bt2020, mean, luminance, r, g, b, or three numbers
    #[arg(long, value_name = "WEIGHTS", default_value = "bt709", value_parser = weights, allow_hyphen_values = true)]
    weights: GrayWeights,
}

pub(crate) fn weights(word: &str) -> Result<GrayWeights, String> {
    Ok(match word {
        "bt709" => GrayWeights::Bt709,
        "bt601" => GrayWeights::Bt601,
        "bt2020" => GrayWeights::Bt2020,
        "mean" => GrayWeights::Mean,
        "luminance" => GrayWeights::Luminance(ColorSpace::SRGB),
        "r" => GrayWeights::Channel(0),
        "g" => GrayWeights::Channel(1),
        "b" => GrayWeights::Channel(2),
        own => {
            let parts: Option<Vec<f64>> = own.split(',').map(|p| p.trim().parse().ok()).collect();
            let own: [f64; 3] = parts.and_then(|p| p.try_into().ok()).ok_or(
                "weights are bt709, bt601, bt2020, mean, luminance, r, g, b, or three numbers such as 0.3,0.6,0.1",
            )?;
            GrayWeights::Custom(own)
        }
    })
}

impl Making for Gray {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let weights = match self.weights {
            GrayWeights::Luminance(_) => GrayWeights::luminance_of(&input.metadata),
            named => named,
        };
        Ok(vec![Box::new(flow::ToGray::new(weights).threads(context.shared.threads()))])
    }

    fn remark(&self, input: &Facts, output: &Facts) -> Option<String> {
        (input.pixel_format == output.pixel_format).then(|| "it was gray already".to_string())
    }
}

//! One program for all fuzz targets: the variable `FUZZ_TARGET` names the one that runs. With `FUZZ_SEEDS` it lays
//! out the inputs that the search begins with, in that folder, and ends.
#![no_main]

mod seeds;
mod targets;

use libfuzzer_sys::{Corpus, fuzz_target};
use std::sync::OnceLock;

static TARGET: OnceLock<targets::Target> = OnceLock::new();

fuzz_target!(
    init: {
        if let Some(folder) = std::env::var_os("FUZZ_SEEDS") {
            let laid_out = seeds::lay_out(folder.as_ref());
            laid_out.as_ref().err().inspect(|error| eprintln!("the seeds: {error}"));
            std::process::exit(laid_out.is_err().into());
        }
        let name = std::env::var("FUZZ_TARGET").unwrap_or_default();
        let Some(target) = targets::named(&name) else {
            eprintln!("FUZZ_TARGET names one of {}", targets::names().join(", "));
            std::process::exit(2);
        };
        let _ = TARGET.set(target);
        // A panic of a crate below that the library turns into an error is none here.
        let ends = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |panic| {
            if !velvet_peg::panics_are_caught() {
                ends(panic);
            }
        }));
        velvet_peg::limit_threads(std::num::NonZeroUsize::new(1));
    },
    |data: &[u8]| -> Corpus {
        if let Some(target) = TARGET.get() {
            target(data);
        }
        Corpus::Keep
    }
);

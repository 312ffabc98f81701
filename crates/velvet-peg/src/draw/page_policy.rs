//! The policy of pages: what a browser lets them run and ask for.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use sha2::{Digest, Sha256};

/// The content security policy of a page with one script and one style sheet in it: it runs these, and
/// asks for nothing from anywhere. `images` says that it holds images.
pub(crate) fn page_policy(script: &str, style: &str, images: bool) -> String {
    let hash = |text: &str| format!("'sha256-{}'", STANDARD.encode(Sha256::digest(text)));
    format!(
        "default-src 'none'; script-src {}; style-src {}; {}base-uri 'none'; form-action 'none'",
        hash(script),
        hash(style),
        if images { "img-src data:; " } else { "" }
    )
}

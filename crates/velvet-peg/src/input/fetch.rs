//! What is fetched from an `http(s)` address, and where it may come from.
//!
//! The host that is named is asked, wherever it is. A redirect leads to other public hosts, and never from
//! `https` to `http`: an answer of the network must not choose what is asked inside of the machine's own.

use super::locate::{Located, lay_down};
use crate::error::{Error, Kind, Result};
use std::io;
use std::net::IpAddr;
use std::path::Path;
use std::sync::Mutex;
use std::time::Duration;
use ureq::config::Config;
use ureq::http::Uri;
use ureq::unversioned::resolver::{DefaultResolver, ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::{DefaultConnector, NextTimeout};

/// Most bytes that are fetched.
const MOST_BYTES: u64 = 2 << 30;
/// Longest that fetching may take.
const LONGEST: Duration = Duration::from_secs(300);
/// Most redirects that are followed.
const MOST_REDIRECTS: u32 = 5;

/// Finds hosts, and refuses those that a redirect must not lead to.
#[derive(Debug, Default)]
struct Hosts {
    finder: DefaultResolver,
    /// Scheme and host of the address that was named.
    named: Mutex<Option<(String, String)>>,
}

impl Resolver for Hosts {
    fn resolve(
        &self,
        uri: &Uri,
        config: &Config,
        timeout: NextTimeout,
    ) -> std::result::Result<ResolvedSocketAddrs, ureq::Error> {
        let refused = |text: String| {
            Err(ureq::Error::Io(io::Error::new(io::ErrorKind::PermissionDenied, text)))
        };
        let part = |part: Option<&str>| part.unwrap_or_default().to_ascii_lowercase();
        let asked = (part(uri.scheme_str()), part(uri.host()));
        let mut named = self.named.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let (scheme, host) = named.get_or_insert_with(|| asked.clone());
        if scheme == "https" && asked.0 != "https" {
            return refused(format!("it leads from https to {}", asked.0));
        }
        let found = self.finder.resolve(uri, config, timeout)?;
        let inside = found.iter().any(|address| is_inside(address.ip()));
        if *host != asked.1 && inside {
            return refused(format!("it leads to {}, which is no public host", asked.1));
        }
        Ok(found)
    }
}

/// True if an address is one of this machine or of a network of one's own.
fn is_inside(address: IpAddr) -> bool {
    match address {
        IpAddr::V4(v4) => {
            let [first, second, ..] = v4.octets();
            // Shared by the customers of a provider (RFC 6598).
            let shared = first == 100 && (64..128).contains(&second);
            let own = v4.is_loopback() || v4.is_private() || v4.is_link_local();
            own || shared || first == 0 || v4.is_broadcast() || v4.is_multicast()
        }
        IpAddr::V6(v6) => match v6.to_ipv4_mapped() {
            Some(v4) => is_inside(IpAddr::V4(v4)),
            None => {
                let own = v6.is_unique_local() || v6.is_unicast_link_local();
                own || v6.is_loopback() || v6.is_unspecified() || v6.is_multicast()
            }
        },
    }
}

/// Fetches what is at an address and lays it down; `shown` is the address for messages.
pub(super) fn fetch(shown: &Path, address: &str) -> Result<Located> {
    let failed = |error: ureq::Error| {
        let text = match error {
            ureq::Error::Io(error) if error.kind() == io::ErrorKind::PermissionDenied => {
                format!("is not fetched: {error}; name that address itself if it is meant")
            }
            error => format!("cannot be fetched: {error}"),
        };
        Error::new(Kind::File, text).in_file(shown)
    };
    let config = ureq::Agent::config_builder()
        .timeout_global(Some(LONGEST))
        .timeout_connect(Some(Duration::from_secs(20)))
        .max_redirects(MOST_REDIRECTS)
        // A host may close a connection just when a redirect to it would use it again.
        .max_idle_connections(0)
        .user_agent("velvet-peg")
        .build();
    let agent = ureq::Agent::with_parts(config, DefaultConnector::default(), Hosts::default());
    let mut answer = agent.get(address).call().map_err(failed)?;
    if let Some(length) = answer.body().content_length().filter(|length| *length > MOST_BYTES) {
        return Err(Error::data(format!(
            "holds {length} bytes, more than the {MOST_BYTES} that are fetched: download it and \
             name the file"
        ))
        .in_file(shown));
    }
    // The name of the file in the address, without what follows a question mark.
    let bare = address.split(['?', '#']).next().unwrap_or(address);
    let name = bare.rsplit('/').next().unwrap_or_default();
    let stem = Path::new(name).file_stem().and_then(|s| s.to_str()).filter(|s| !s.is_empty());
    let mut body = answer.body_mut().with_config().limit(MOST_BYTES).reader();
    let bare = Path::new(bare);
    let mut located = lay_down(bare, stem.unwrap_or("layer"), &mut body)
        .map_err(|error| error.shown_as(bare, shown))?;
    located.shown = shown.to_path_buf();
    Ok(located)
}

//! Ways into pages that are not public: extra headers, cookies, HTTP basic authentication, and
//! steps before the measured load. All of it belongs to the request for a recording and is never
//! kept with it.

use crate::RecordError;
use crate::protocol::{CALL, Client, Event};
use crate::steps::Step;
use crate::trace_context::TraceContext;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use serde_json::{Value, json};

/// What opens the page. Its values are masked in everything that is kept.
#[derive(Clone, Default, PartialEq, Eq)]
pub struct Access {
    /// Headers sent with every request to the page's own host, by name and value.
    pub headers: Vec<(String, String)>,
    /// Cookies set for the page's address before each load, by name and value.
    pub cookies: Vec<(String, String)>,
    /// User and password for HTTP basic authentication at the page's own host (RFC 7617).
    pub basic: Option<(String, String)>,
    /// Where the steps before the load begin; the page's own address where it is not said.
    pub log_in_at: Option<String>,
    /// What is done there, in the profile of the load that follows.
    pub log_in: Vec<Step>,
}

// Values must not reach a log by way of a debug print.
impl std::fmt::Debug for Access {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Access({} headers, {} cookies, {} steps)", self.headers.len(), self.cookies.len(), self.log_in.len())
    }
}

impl Access {
    /// Reads `Name: value` lines.
    pub fn parse_headers(text: &str) -> Result<Vec<(String, String)>, RecordError> {
        pairs(text, ':', "a header", "X-Preview: harbour")
    }

    /// Reads `name=value` lines.
    pub fn parse_cookies(text: &str) -> Result<Vec<(String, String)>, RecordError> {
        pairs(text, '=', "a cookie", "session=abc")
    }

    /// Reads `user:password`.
    pub fn parse_basic(text: &str) -> Result<Option<(String, String)>, RecordError> {
        if text.trim().is_empty() {
            return Ok(None);
        }
        let wrong = || RecordError::Other("Basic authentication is written as `user:password`.".into());
        text.trim().split_once(':').map(|(user, word)| Some((user.to_owned(), word.to_owned()))).ok_or_else(wrong)
    }

    /// Everything in it that nobody may read later.
    #[must_use]
    pub fn secrets(&self) -> Vec<String> {
        let mut found: Vec<String> = self.headers.iter().chain(&self.cookies).map(|(_, value)| value.clone()).collect();
        if let Some((user, word)) = &self.basic {
            found.push(STANDARD.encode(format!("{user}:{word}")));
            found.push(word.clone());
        }
        found.extend(self.log_in.iter().filter_map(|step| match step {
            Step::Type(_, text) => Some(text.clone()),
            _ => None,
        }));
        found.retain(|secret| !secret.is_empty());
        found
    }

    fn sent_headers(&self) -> Vec<(String, String)> {
        let mut headers = self.headers.clone();
        if let Some((user, word)) = &self.basic {
            headers.push(("Authorization".into(), format!("Basic {}", STANDARD.encode(format!("{user}:{word}")))));
        }
        headers
    }

    /// Has a session send them, and the trace that the load is part of. Only requests to the page's own host are held
    /// for it, which costs each about a millisecond: a third party must not get the headers. For the trace alone only
    /// what servers make as a rule is held, documents and data; files that they only hand out have no work to tell of.
    pub(crate) async fn prepare(
        &self,
        client: &Client,
        session: &str,
        url: &str,
        trace: Option<&TraceContext>,
    ) -> Result<(), RecordError> {
        for (name, value) in &self.cookies {
            let cookie = json!({"name": name, "value": value, "url": url});
            client.call(Some(session), "Network.setCookie", cookie, CALL).await?;
        }
        let kinds: &[Option<&str>] = match (self.sent_headers().is_empty(), trace) {
            (false, _) => &[None],
            (true, Some(_)) => &[Some("Document"), Some("XHR"), Some("Fetch")],
            (true, None) => return Ok(()),
        };
        let host = url::Url::parse(url).ok().and_then(|u| u.host_str().map(str::to_owned)).unwrap_or_default();
        let patterns: Vec<Value> = ["http", "https"]
            .iter()
            .flat_map(|scheme| [format!("{scheme}://{host}/*"), format!("{scheme}://{host}:*")])
            .flat_map(|pattern| {
                kinds.iter().map(move |kind| match kind {
                    Some(kind) => json!({"urlPattern": pattern, "resourceType": kind}),
                    None => json!({"urlPattern": pattern}),
                })
            })
            .collect();
        client.call(Some(session), "Fetch.enable", json!({"patterns": patterns}), CALL).await.map(|_| ())
    }

    /// Lets a held request go on, with the headers if it is to the page's own host.
    pub(crate) fn pass(&self, client: &Client, event: &Event, page: &str, trace: Option<&TraceContext>) {
        let mut go = json!({"requestId": event.params["requestId"]});
        if let Some(headers) = self.headers_for(&event.params["request"], page, trace) {
            go["headers"] = headers.into();
        }
        client.tell(event.session.as_deref(), "Fetch.continueRequest", go);
    }

    /// All headers of a request, ours among them; `None` where it goes to another host. The browser's
    /// patterns are matched against the whole address, in which a host may stand for a user's name.
    fn headers_for(&self, asked: &Value, page: &str, trace: Option<&TraceContext>) -> Option<Vec<Value>> {
        let host = |url: &str| url::Url::parse(url).ok().and_then(|u| u.host_str().map(str::to_owned));
        if host(asked["url"].as_str()?)? != host(page)? {
            return None;
        }
        let mut headers: Vec<(String, String)> = asked["headers"]
            .as_object()
            .into_iter()
            .flatten()
            .map(|(name, value)| (name.clone(), value.as_str().unwrap_or("").to_owned()))
            .collect();
        let mut ours = self.sent_headers();
        ours.extend(trace.map(|trace| ("traceparent".to_owned(), trace.header())));
        headers.retain(|(name, _)| !ours.iter().any(|(own, _)| own.eq_ignore_ascii_case(name)));
        headers.extend(ours);
        Some(headers.iter().map(|(name, value)| json!({"name": name, "value": value})).collect())
    }
}

fn pairs(text: &str, between: char, what: &str, example: &str) -> Result<Vec<(String, String)>, RecordError> {
    text.lines()
        .map(str::trim)
        .filter(|line| !line.is_empty())
        .map(|line| {
            let name_of =
                |name: &str| !name.is_empty() && !name.contains(|c: char| c.is_whitespace() || c.is_control());
            line.split_once(between)
                .map(|(name, value)| (name.trim().to_owned(), value.trim().to_owned()))
                .filter(|(name, _)| name_of(name))
                // The line itself may be a secret and is not repeated.
                .ok_or_else(|| RecordError::Other(format!("One line is not {what}; write for example `{example}`.")))
        })
        .collect()
}

/// Whether what is blocked is a whole host: the link refuses it then, to documents of inner frames too,
/// which the browser's own blocking by address lets pass.
#[must_use]
pub fn is_host(blocked: &str) -> bool {
    !blocked.contains(['*', '/', ':'])
}

/// The patterns by which the browser blocks a host (with what lies below it) or a part of addresses.
#[must_use]
pub fn block_patterns(blocked: &str) -> Vec<String> {
    let blocked = blocked.trim();
    if blocked.contains('*') || blocked.contains("://") {
        return vec![blocked.to_owned()];
    }
    match blocked.split_once('/') {
        Some(_) => vec![format!("*://{blocked}*"), format!("*.{blocked}*")],
        None => vec![
            format!("*://{blocked}/*"),
            format!("*://{blocked}:*"),
            format!("*://*.{blocked}/*"),
            format!("*://*.{blocked}:*"),
        ],
    }
}

/// What is to be blocked, from a text with lines, commas or spaces between.
pub fn parse_blocked(text: &str) -> Result<Vec<String>, RecordError> {
    let found: Vec<String> =
        text.split([',', '\n', ' ']).map(str::trim).filter(|b| !b.is_empty()).map(str::to_owned).collect();
    if found.len() > 50 || found.iter().any(|b| b.len() > 500) {
        return Err(RecordError::Other("At most 50 hosts or addresses can be blocked, of 500 characters each.".into()));
    }
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_cookies_and_passwords_are_read_and_never_repeated() {
        assert_eq!(
            Access::parse_headers("X-Preview: har:bour\n\nX-Two:  b ").expect("headers"),
            [("X-Preview".to_owned(), "har:bour".to_owned()), ("X-Two".to_owned(), "b".to_owned())]
        );
        for wrong in ["s3cret", "a s3cret: b", ": s3cret"] {
            let error = Access::parse_headers(wrong).expect_err(wrong).to_string();
            assert!(!error.contains("s3cret"), "{error}");
        }
        let access = Access {
            cookies: Access::parse_cookies("id=s3cret=x").expect("a cookie"),
            basic: Access::parse_basic("ann:pass:word").expect("a pair"),
            log_in: Step::parse_all("type #word open sesame\nclick #go").expect("steps"),
            ..Access::default()
        };
        assert_eq!(access.secrets(), ["s3cret=x", "YW5uOnBhc3M6d29yZA==", "pass:word", "open sesame"]);
        assert!(!format!("{access:?}").contains("s3cret"));
        assert!(Access::parse_basic("ann").is_err());
    }

    #[test]
    fn headers_go_to_the_pages_own_host_alone() {
        let access = Access {
            headers: vec![("X-Preview".into(), "harbour".into())],
            basic: Some(("ann".into(), "word".into())),
            ..Access::default()
        };
        let page = "https://www.skerryline.test/account";
        let to = |url: &str| {
            let asked = json!({"url": url, "headers": {"Accept": "*/*", "x-preview": "the page's own"}});
            access.headers_for(&asked, page, None)
        };
        let sent = to("https://www.skerryline.test:8443/a.js?b=c").expect("the same host");
        let sent: Vec<(&str, &str)> =
            sent.iter().filter_map(|h| Some((h["name"].as_str()?, h["value"].as_str()?))).collect();
        assert_eq!(
            sent,
            [("Accept", "*/*"), ("X-Preview", "harbour"), ("Authorization", "Basic YW5uOndvcmQ=")],
            "ours take the place of the page's"
        );
        for elsewhere in [
            "https://static.skerryline.test/a.js",
            "https://www.skerryline.test:x@parleydock.test/a.js",
            "https://www.skerryline.test.parleydock.test/a.js",
            "not an address",
        ] {
            assert_eq!(to(elsewhere), None, "{elsewhere}");
        }
        let trace = TraceContext::random();
        let asked =
            json!({"url": "https://www.skerryline.test/api/tides", "headers": {"traceparent": "the page's own"}});
        let sent = Access::default().headers_for(&asked, page, Some(&trace)).expect("the same host");
        let [only] = sent.as_slice() else { panic!("{sent:?}") };
        assert!(only["value"].as_str().is_some_and(|v| v.contains(&trace.id())), "{only}");
        let elsewhere = json!({"url": "https://static.skerryline.test/api/tides", "headers": {}});
        assert_eq!(Access::default().headers_for(&elsewhere, page, Some(&trace)), None);
    }

    #[test]
    fn a_host_is_blocked_with_what_lies_below_it_and_an_address_by_its_beginning() {
        assert!(block_patterns("chat.parleydock.test").contains(&"*://*.chat.parleydock.test/*".to_owned()));
        assert_eq!(
            block_patterns("www.skerryline.test/plugins/gull-stats/")[0],
            "*://www.skerryline.test/plugins/gull-stats/*"
        );
        assert_eq!(block_patterns("*/ads.js"), ["*/ads.js"]);
        assert_eq!(parse_blocked("a.test, b.test\nc.test").expect("three").len(), 3);
        assert!(parse_blocked(&"x ".repeat(51)).is_err());
    }
}

//! What a scripted user does once the page is quiet: one step a line, such as `click #more`.

use crate::RecordError;
use crate::protocol::Client;
use serde_json::{Value, json};
use std::str::FromStr;
use std::time::Duration;

const LIMIT: Duration = Duration::from_secs(15);

/// One thing a user does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// `click SELECTOR`: a click, or a tap on a phone.
    Click(String),
    /// `type SELECTOR TEXT`: a click, then the text key by key.
    Type(String, String),
    /// `wait MS`: nothing for a while.
    Wait(u64),
}

impl std::fmt::Display for Step {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Click(selector) => write!(f, "click {selector}"),
            Self::Type(selector, text) => write!(f, "type {selector} {text}"),
            Self::Wait(ms) => write!(f, "wait {ms}"),
        }
    }
}

impl FromStr for Step {
    type Err = RecordError;

    fn from_str(line: &str) -> Result<Self, RecordError> {
        let line = line.trim();
        let (what, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
        let rest = rest.trim();
        let wrong = || {
            RecordError::Other(format!(
                "“{what}” is no step; write for example `click #more`, `type #name Ann` or `wait 500`."
            ))
        };
        match what {
            "click" if !rest.is_empty() => Ok(Self::Click(rest.to_owned())),
            "type" => {
                let (selector, text) = rest.split_once(char::is_whitespace).ok_or_else(wrong)?;
                Ok(Self::Type(selector.to_owned(), text.trim().to_owned()))
            }
            "wait" => rest.parse().ok().filter(|ms| *ms <= 30_000).map(Self::Wait).ok_or_else(wrong),
            _ => Err(wrong()),
        }
    }
}

impl Step {
    /// Steps of a text, one a line; empty lines are passed over.
    pub fn parse_all(text: &str) -> Result<Vec<Self>, RecordError> {
        text.lines().filter(|l| !l.trim().is_empty()).map(str::parse).collect()
    }

    /// The step as it is kept: what it types is as long as it was, and no more is told of it.
    #[must_use]
    pub fn masked(&self) -> Self {
        match self {
            Self::Type(selector, text) => {
                Self::Type(selector.clone(), text.chars().map(|c| if c.is_whitespace() { c } else { 'x' }).collect())
            }
            other => other.clone(),
        }
    }

    /// The step without what it types, which may be a secret.
    #[must_use]
    pub fn without_text(&self) -> String {
        match self {
            Self::Type(selector, _) => format!("type {selector} …"),
            other => other.to_string(),
        }
    }

    /// Does it, and waits until the page has painted the answer.
    pub(crate) async fn act(&self, client: &Client, session: &str, world: i64, touch: bool) -> Result<(), RecordError> {
        match self {
            Self::Click(selector) => click(client, session, world, selector, touch).await?,
            Self::Type(selector, text) => {
                click(client, session, world, selector, touch).await?;
                for letter in text.chars().take(200) {
                    let key = json!({"type": "keyDown", "text": letter.to_string(), "key": letter.to_string()});
                    client.call(Some(session), "Input.dispatchKeyEvent", key, LIMIT).await?;
                    let up = json!({"type": "keyUp", "key": letter.to_string()});
                    client.call(Some(session), "Input.dispatchKeyEvent", up, LIMIT).await?;
                }
            }
            Self::Wait(ms) => {
                tokio::time::sleep(Duration::from_millis(*ms)).await;
                return Ok(());
            }
        }
        // Two frames: the one that shows the answer, and the one after it.
        let painted =
            "new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done, 60))))";
        let ask = json!({"expression": painted, "contextId": world, "awaitPromise": true});
        client.call(Some(session), "Runtime.evaluate", ask, LIMIT).await.map(|_| ())
    }
}

async fn click(client: &Client, session: &str, world: i64, selector: &str, touch: bool) -> Result<(), RecordError> {
    let quoted = Value::from(selector).to_string();
    let find = format!(
        "(() => {{ const e = document.querySelector({quoted}); if (!e) return null; e.scrollIntoView({{ block: 'center', behavior: 'instant' }}); const b = e.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; }})()"
    );
    let ask = json!({"expression": find, "contextId": world, "returnByValue": true});
    let answer = client.call(Some(session), "Runtime.evaluate", ask, LIMIT).await?;
    let place = &answer["result"]["value"];
    let (Some(x), Some(y)) = (place[0].as_f64(), place[1].as_f64()) else {
        return Err(RecordError::Other(format!("The step “click {selector}” found no such element.")));
    };
    if touch {
        let down = json!({"type": "touchStart", "touchPoints": [{"x": x, "y": y}]});
        client.call(Some(session), "Input.dispatchTouchEvent", down, LIMIT).await?;
        let up = json!({"type": "touchEnd", "touchPoints": []});
        return client.call(Some(session), "Input.dispatchTouchEvent", up, LIMIT).await.map(|_| ());
    }
    for what in ["mousePressed", "mouseReleased"] {
        let event = json!({"type": what, "x": x, "y": y, "button": "left", "clickCount": 1});
        client.call(Some(session), "Input.dispatchMouseEvent", event, LIMIT).await?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_are_read_line_by_line() {
        let steps = Step::parse_all("click #more > b\n\n type #name Ann of Gull \nwait 200").expect("steps");
        assert_eq!(
            steps,
            [Step::Click("#more > b".into()), Step::Type("#name".into(), "Ann of Gull".into()), Step::Wait(200)]
        );
        let kept = Step::parse_all(&steps[1].masked().to_string()).expect("a step");
        assert_eq!(kept, [Step::Type("#name".into(), "xxx xx xxxx".into())]);
        for wrong in ["click", "type #name", "wait long", "jump"] {
            assert!(Step::parse_all(wrong).is_err(), "{wrong}");
        }
    }
}

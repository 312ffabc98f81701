//! A browser that is driven as a person would drive it (W3C WebDriver).

use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Lines};
use std::path::Path;
use std::process::{Child, ChildStdout, Command, Stdio};

pub(crate) struct Browser {
    driver: Child,
    session: String,
    /// What the driver writes has to be taken.
    _output: Lines<BufReader<ChildStdout>>,
    _profile: tempfile::TempDir,
}

const FLAGS: [&str; 9] = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--window-size=1280,800",
];

/// What a person who does not see, or not well, would stumble over.
const STUMBLES: &str = "
    const wrong = [];
    const named = (e) => (e.getAttribute('aria-label') || e.textContent.trim()
        || (e.id && document.querySelector(`label[for='${e.id}']`)?.textContent) || e.closest('label')?.textContent);
    for (const e of document.querySelectorAll('button, input, select, a, canvas')) if (!named(e)) wrong.push(`no name: ${e.outerHTML}`);
    for (const e of document.querySelectorAll('[aria-labelledby], [aria-describedby]'))
        for (const id of (e.getAttribute('aria-labelledby') || e.getAttribute('aria-describedby')).split(' '))
            if (!document.getElementById(id)) wrong.push(`no element ${id}`);
    const ids = [...document.querySelectorAll('[id]')].map((e) => e.id);
    if (new Set(ids).size !== ids.length) wrong.push('an id twice');
    if (!document.documentElement.lang || !document.title) wrong.push('no language or title');
    const levels = [...document.querySelectorAll('h1, h2, h3')].map((h) => Number(h.tagName[1]));
    if (levels[0] !== 1 || levels.some((l, i) => i && l > levels[i - 1] + 1)) wrong.push(`headings ${levels}`);
    const light = (c) => { const p = c.match(/[\\d.]+/g).slice(0, 3).map((v) => v / 255).map((v) => v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
        return 0.2126 * p[0] + 0.7152 * p[1] + 0.0722 * p[2]; };
    for (const theme of ['light', 'dark']) {
        document.documentElement.dataset.theme = theme;
        for (const e of document.querySelectorAll('body *')) {
            if (![...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim()) || !e.offsetParent) continue;
            let back = e, color;
            do { color = getComputedStyle(back).backgroundColor; back = back.parentElement; } while (back && /, 0\\)|transparent/.test(color));
            const [a, b] = [light(getComputedStyle(e).color), light(color)];
            const ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
            if (ratio < 4.5) wrong.push(`${theme}: contrast ${ratio.toFixed(2)} of ${e.tagName} ${e.textContent.slice(0, 20)}`);
        }
    }
    return wrong;
";

impl Browser {
    /// None where there is no browser, which is said; on the build machine it is a failure.
    pub(crate) fn start() -> Option<Browser> {
        let driver = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn();
        let Ok(mut driver) = driver else {
            assert!(std::env::var_os("CI").is_none(), "no browser: .ci/browser installs one");
            eprintln!("skipped: there is no chromedriver to drive a browser with (.ci/browser)");
            return None;
        };
        let mut output = BufReader::new(driver.stdout.take().unwrap()).lines();
        let port = output.by_ref().map_while(Result::ok).find_map(|line| {
            let rest = line.split("started successfully on port ").nth(1)?;
            rest.trim_end_matches('.').parse::<u16>().ok()
        });
        let profile = tempfile::tempdir().unwrap();
        let mut args: Vec<String> = FLAGS.map(String::from).to_vec();
        args.push(format!("--user-data-dir={}", profile.path().display()));
        let at = format!("http://127.0.0.1:{}/session", port.expect("a port"));
        let wanted = json!({ "capabilities": { "alwaysMatch": {
            "goog:chromeOptions": { "args": args },
            "goog:loggingPrefs": { "browser": "ALL" },
        } } });
        let made = post(&at, &wanted);
        let session = format!("{at}/{}", made["sessionId"].as_str().expect("a session"));
        Some(Browser { driver, session, _output: output, _profile: profile })
    }

    fn tell(&self, command: &str, body: &Value) -> Value {
        post(&format!("{}/{command}", self.session), body)
    }

    /// Opens a page without a map that moves.
    pub(crate) fn load(&self, page: &Path) {
        self.tell("url", &json!({ "url": format!("file://{}", page.display()) }));
    }

    /// Everything has a name, headings follow one another, and colours stand apart.
    pub(crate) fn is_for_everybody(&self) {
        let found = self.run(STUMBLES);
        assert_eq!(found.as_array().unwrap().len(), 0, "{found:#}");
    }

    pub(crate) fn open(&self, page: &Path) {
        self.load(page);
        // Until it is drawn.
        for _ in 0..200 {
            if self.run("return document.getElementById('map').dataset.ms ?? null") != Value::Null {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        panic!("{} is not drawn: {:?}", page.display(), self.said());
    }

    /// What a script gives back.
    pub(crate) fn run(&self, script: &str) -> Value {
        self.tell("execute/sync", &json!({ "script": script, "args": [] }))
    }

    pub(crate) fn text(&self, id: &str) -> String {
        let script = format!("return document.getElementById('{id}').innerText");
        self.run(&script).as_str().unwrap_or_default().to_string()
    }

    /// Moves the pointer to pixels of the window, and presses it there if asked for.
    pub(crate) fn pointer(&self, kind: &str, path: &[(f64, f64)], press: bool) {
        let to = |(x, y): (f64, f64)| json!({ "type": "pointerMove", "x": x.round(), "y": y.round(), "duration": 30 });
        let mut actions = vec![to(path[0])];
        if press {
            actions.push(json!({ "type": "pointerDown", "button": 0 }));
            actions.extend(path[1..].iter().copied().map(to));
            actions.push(json!({ "type": "pointerUp", "button": 0 }));
        }
        let source = json!({ "type": "pointer", "id": kind, "parameters": { "pointerType": kind }, "actions": actions });
        self.tell("actions", &json!({ "actions": [source] }));
    }

    pub(crate) fn wheel(&self, (x, y): (f64, f64), delta: i32) {
        let scroll = json!({ "type": "scroll", "x": x.round() as i64, "y": y.round() as i64, "deltaX": 0, "deltaY": delta, "duration": 0, "origin": "viewport" });
        let source = json!({ "type": "wheel", "id": "wheel", "actions": [scroll] });
        self.tell("actions", &json!({ "actions": [source] }));
    }

    /// Presses keys one after the other.
    pub(crate) fn keys(&self, keys: &[&str]) {
        let press = |key: &&str| {
            [json!({ "type": "keyDown", "value": key }), json!({ "type": "keyUp", "value": key })]
        };
        let actions: Vec<Value> = keys.iter().flat_map(press).collect();
        let source = json!({ "type": "key", "id": "keys", "actions": actions });
        self.tell("actions", &json!({ "actions": [source] }));
    }

    /// What the browser said of the page: errors, and what its policy forbade.
    pub(crate) fn said(&self) -> Vec<String> {
        let log = self.tell("se/log", &json!({ "type": "browser" }));
        let lines = log.as_array().cloned().unwrap_or_default();
        lines.iter().filter_map(|line| line["message"].as_str().map(String::from)).collect()
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = ureq::delete(&self.session).call();
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

/// The value that the driver answers with.
fn post(at: &str, body: &Value) -> Value {
    let agent: ureq::Agent =
        ureq::Agent::config_builder().http_status_as_error(false).build().into();
    let mut answer = agent
        .post(at)
        .header("content-type", "application/json")
        .send(body.to_string())
        .unwrap_or_else(|error| panic!("{at}: {error}"));
    let text = answer.body_mut().with_config().limit(1 << 28).read_to_string().unwrap();
    let mut answer: Value = serde_json::from_str(&text).unwrap();
    assert!(answer["value"]["error"].is_null(), "{at}: {answer}");
    answer["value"].take()
}

//! One headless Chromium through ChromeDriver; tests take turns.
#![allow(dead_code, missing_docs)]

use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// How long a test waits for what must come. On a machine that is busy with something else it comes late.
const MOST_S: u64 = 150;

/// What is waited for is looked for after so long, then ever less often: looking keeps the page from its work.
const FIRST_PAUSE: Duration = Duration::from_millis(60);
const LAST_PAUSE: Duration = Duration::from_millis(200);

pub struct Browser {
    pub page: Client,
    driver: Child,
    pub downloads: tempfile::TempDir,
}

#[derive(Debug)]
struct Raw {
    path: &'static str,
    body: Value,
}

impl WebDriverCompatibleCommand for Raw {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/{}", session.unwrap_or_default(), self.path))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(self.body.to_string()))
    }
}

/// Counts what the page has asked for and not been answered, before any script of its own runs.
const COUNTS_REQUESTS: &str = "(() => {
    let open = 0;
    const fetched = window.fetch;
    window.openRequests = () => open;
    window.fetch = (...asked) => { open++; return fetched(...asked).finally(() => { open--; }); };
})()";

impl Browser {
    pub async fn open(width: u32, height: u32) -> Self {
        Self::opened([width, height], json!({ "browser": "ALL" })).await
    }

    /// One whose requests are written down as well. The driver then takes in every piece of sound that the page is sent, which costs more
    /// than the page itself.
    pub async fn watched(width: u32, height: u32) -> Self {
        Self::opened([width, height], json!({ "browser": "ALL", "performance": "ALL" })).await
    }

    async fn opened([width, height]: [u32; 2], logged: Value) -> Self {
        let (driver, port) =
            (0..5).find_map(|_| started_driver()).expect("chromedriver starts (Debian package chromium-driver)");
        let downloads = tempfile::tempdir().expect("a folder");
        let arguments = [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-dev-shm-usage",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--enable-unsafe-swiftshader",
            "--autoplay-policy=no-user-gesture-required",
        ];
        let mut arguments: Vec<String> = arguments.iter().map(ToString::to_string).collect();
        // Nothing to the browser: its process is known by it.
        arguments.push(format!("--known-by={}", downloads.path().display()));
        let wanted = json!({
            // Chromium without the windows that nobody sees: half the processor's time (Debian package chromium-headless-shell).
            "goog:chromeOptions": { "binary": "/usr/bin/chromium-headless-shell", "args": arguments, "prefs": { "download.default_directory": downloads.path(), "intl.accept_languages": "en-GB" } },
            "goog:loggingPrefs": logged,
        });
        let page = ClientBuilder::new(HttpConnector::new())
            .capabilities(wanted.as_object().expect("an object").clone())
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .expect("a browser session");
        let made = Self { page, driver, downloads };
        made.resize(width, height).await;
        made.cdp("Page.addScriptToEvaluateOnNewDocument", json!({ "source": COUNTS_REQUESTS })).await;
        made
    }

    pub async fn cdp(&self, command: &str, params: Value) -> Value {
        let raw = Raw { path: "goog/cdp/execute", body: json!({ "cmd": command, "params": params }) };
        self.page.issue_cmd(raw).await.expect("a devtools answer")
    }

    /// Leaves the page for an empty one. The driver gives up when the page navigates by itself meanwhile, which says nothing of either.
    pub async fn leave(&self) {
        for _ in 0..5 {
            match self.page.goto("about:blank").await {
                Err(e) if e.to_string().contains("aborted by navigation") => {}
                other => return other.expect("an empty page"),
            }
        }
        panic!("the driver gave up leaving five times");
    }

    pub async fn resize(&self, width: u32, height: u32) {
        let metrics = json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
        self.cdp("Emulation.setDeviceMetricsOverride", metrics).await;
    }

    /// Errors the page logged since the last call.
    pub async fn errors(&self) -> Vec<String> {
        let entries =
            self.page.issue_cmd(Raw { path: "se/log", body: json!({ "type": "browser" }) }).await.expect("the log");
        let entries = entries.as_array().cloned().unwrap_or_default();
        entries
            .iter()
            .filter(|e| e["level"] == "SEVERE")
            .map(|e| e["message"].as_str().unwrap_or("").to_string())
            .collect()
    }

    /// Addresses the page asked for since the last call; of one that is [`Self::watched`].
    pub async fn requested(&self) -> Vec<String> {
        let entries =
            self.page.issue_cmd(Raw { path: "se/log", body: json!({ "type": "performance" }) }).await.expect("the log");
        let entries = entries.as_array().cloned().unwrap_or_default();
        let messages = entries.iter().filter_map(|e| serde_json::from_str::<Value>(e["message"].as_str()?).ok());
        messages
            .filter(|m| m["message"]["method"] == "Network.requestWillBeSent")
            .filter_map(|m| m["message"]["params"]["request"]["url"].as_str().map(str::to_owned))
            .collect()
    }

    pub async fn find(&self, css: &str) -> fantoccini::elements::Element {
        let wait = self.page.wait().at_most(Duration::from_secs(MOST_S));
        match wait.for_element(Locator::Css(css)).await {
            Ok(found) => found,
            Err(e) => panic!("{css}: {e}\n{}", self.seen().await),
        }
    }

    /// What the page is and shows, and what the server says of the session's work, for whoever reads why a test failed.
    async fn seen(&self) -> String {
        let page = "const session = location.pathname.match(/^\\/sessions\\/[^/]+/);
            const told = (what) => {
                const asked = new XMLHttpRequest();
                asked.open('GET', `/api${session}/${what}`, false);
                try { asked.send() } catch (e) { return `${e}` }
                return `${what}: ${asked.status} ${asked.responseText.slice(0, 3000)}`;
            };
            const text = document.body?.innerText || document.documentElement.outerHTML;
            return [location.href, document.readyState, text, ...(session ? ['jobs', 'check'].map(told) : [])].join('\\n')";
        let page =
            self.page.execute(page, vec![]).await.map_or_else(|e| e.to_string(), |v| v.as_str().unwrap_or("").into());
        format!("{page}\n{:?}", self.errors().await)
    }

    /// Clicks as a person does: once it can be pressed, and again where the page moved under the hand.
    pub async fn click(&self, css: &str) {
        let began = Instant::now();
        loop {
            let element = self.find(css).await;
            let open = element.is_enabled().await.unwrap_or(false);
            let clicked = if open { element.click().await.map_err(|e| e.to_string()) } else { Err("disabled".into()) };
            match clicked {
                Ok(()) => return,
                Err(e) if began.elapsed() > Duration::from_secs(MOST_S) => panic!("{css}: {e}\n{}", self.seen().await),
                Err(e) if ["disabled", "intercepted", "stale"].iter().any(|w| e.contains(w)) => {}
                Err(e) => panic!("{css}: {e}"),
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    pub async fn js(&self, script: &str) -> Value {
        self.page.execute(script, vec![]).await.unwrap_or_else(|e| panic!("{script}: {e}"))
    }

    /// Presses a key on the page itself.
    pub async fn key(&self, key: &str) {
        self.js("document.activeElement?.blur()").await;
        self.find("body").await.send_keys(key).await.expect("a key");
    }

    /// Waits until a script gives something true, and gives it.
    pub async fn until(&self, what: &str, script: &str) -> Value {
        let began = Instant::now();
        let mut pause = FIRST_PAUSE;
        loop {
            let got = self.js(script).await;
            if !matches!(got, Value::Null | Value::Bool(false)) {
                return got;
            }
            if began.elapsed() > Duration::from_secs(MOST_S) {
                panic!("waited in vain: {what}\n{}", self.seen().await);
            }
            tokio::time::sleep(pause).await;
            pause = (pause * 5 / 4).min(LAST_PAUSE);
        }
    }

    /// Waits until nothing has been asked for, written or moved for a quarter of a second; ten seconds at most, for what never rests.
    pub async fn settled(&self) {
        let quiet = "const done = arguments[arguments.length - 1];
            const moving = () => document.getAnimations().filter(a => a.playState === 'running' && a.effect.getComputedTiming().iterations !== Infinity).length;
            const waiting = () => window.openRequests?.() ?? 0;
            const seen = () => [performance.getEntriesByType('resource').length, document.body.innerHTML.length, document.body.innerText, moving()].join();
            let before = seen(), same = 0;
            const began = performance.now();
            const look = () => {
                const now = seen();
                same = now === before && waiting() === 0 ? same + 1 : 0;
                before = now;
                if (same >= 5 || performance.now() - began > 10000) done(true); else setTimeout(look, 50);
            };
            setTimeout(look, 50)";
        self.page.execute_async(quiet, vec![]).await.expect("the page answers");
    }

    /// Nothing went wrong in the page; what did is named.
    pub async fn no_errors(&self) {
        let errors = self.errors().await;
        assert!(errors.is_empty(), "{errors:?}");
    }

    pub async fn picture(&self, path: &std::path::Path) {
        let png = self.page.screenshot().await.expect("a picture");
        std::fs::write(path, png).expect("written");
    }

    pub async fn close(self) {
        let _ = self.page.clone().close().await;
    }
}

/// Also where a test fails in between: nothing of it is left running beside the tests that follow.
impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        let known_by = self.downloads.path().display().to_string();
        let processes = std::fs::read_dir("/proc").into_iter().flatten().flatten();
        for process in processes {
            let line = std::fs::read(process.path().join("cmdline")).unwrap_or_default();
            if String::from_utf8_lossy(&line).contains(&known_by) {
                let _ = Command::new("kill").arg(process.file_name()).stderr(Stdio::null()).status();
            }
        }
    }
}

/// A driver that listens, and its port. It takes a free port of IPv4 and ends without a word where the same one of IPv6 is in use: several that start
/// at once now and then meet so.
fn started_driver() -> Option<(Child, String)> {
    let mut command = Command::new("chromedriver");
    let mut driver = command.arg("--port=0").stdout(Stdio::piped()).stderr(Stdio::null()).spawn().ok()?;
    let mut lines = BufReader::new(driver.stdout.take()?).lines();
    loop {
        let Some(line) = lines.next() else {
            let _ = driver.wait();
            return None;
        };
        if let Some(rest) = line.ok()?.split("was started successfully on port ").nth(1) {
            // Somebody has to read on, or the driver stops when the pipe is full.
            std::thread::spawn(move || for _ in lines {});
            return Some((driver, rest.trim_end_matches('.').to_string()));
        }
    }
}

//! A page in a real browser without a window, driven over the browser's own protocol through two named pipes.

use serde_json::{Value, json};
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// The browser, if this machine has one. Where everything has to be tested there must be one.
fn browser() -> Option<&'static str> {
    let has =
        |name: &&str| Command::new(name).arg("--version").stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok();
    let found = ["chromium", "chromium-browser"].into_iter().find(has);
    assert!(found.is_some() || std::env::var_os("CI").is_none(), "chromium is missing: apt-get install chromium");
    if found.is_none() {
        eprintln!("skipped: no chromium on this machine");
    }
    found
}

/// A page.
pub struct Page {
    child: Child,
    to: File,
    from: File,
    read: Vec<u8>,
    last: u64,
    session: Option<String>,
    events: Vec<Value>,
    _folder: tempfile::TempDir,
}

impl Drop for Page {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Page {
    /// Opens a file in a window of this size and waits until it says that it is ready. `None` where there is no browser.
    pub fn open(file: &str, (width, height): (u32, u32), dark: bool) -> Option<Page> {
        let browser = browser()?;
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str| folder.path().join(name);
        assert!(Command::new("mkfifo").args([path("to"), path("from")]).status().unwrap().success());
        let script = "exec \"$0\" --headless --no-sandbox --disable-gpu --hide-scrollbars --no-first-run --disable-dev-shm-usage \
                      --remote-debugging-pipe --user-data-dir=\"$3\" about:blank 3<\"$1\" 4>\"$2\"";
        let mut command = Command::new("sh");
        command.args(["-c", script, browser]).args([path("to"), path("from"), path("profile")]);
        let child = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        // Each end waits for the other, in this order.
        let to = File::options().write(true).open(path("to")).unwrap();
        let from = File::open(path("from")).unwrap();
        let mut page =
            Page { child, to, from, read: Vec::new(), last: 0, session: None, events: Vec::new(), _folder: folder };
        let target = page.call("Target.createTarget", json!({"url": "about:blank"}));
        let attached = page.call("Target.attachToTarget", json!({"targetId": target["targetId"], "flatten": true}));
        page.session = attached["sessionId"].as_str().map(str::to_string);
        for domain in ["Page", "Runtime", "Log", "Network"] {
            page.call(&format!("{domain}.enable"), json!({}));
        }
        let size = json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        page.call("Emulation.setDeviceMetricsOverride", size);
        let scheme = if dark { "dark" } else { "light" };
        page.call(
            "Emulation.setEmulatedMedia",
            json!({"features": [{"name": "prefers-color-scheme", "value": scheme}]}),
        );
        let url = format!("file://{}", Path::new(file).canonicalize().unwrap().display());
        page.call("Page.navigate", json!({"url": url}));
        page.wait_for("document.documentElement?.dataset.ready === 'true'");
        Some(page)
    }

    fn call(&mut self, method: &str, params: Value) -> Value {
        self.last += 1;
        let mut message = json!({"id": self.last, "method": method, "params": params});
        if let Some(session) = &self.session {
            message["sessionId"] = json!(session);
        }
        self.to.write_all(format!("{message}\0").as_bytes()).unwrap();
        loop {
            let answer = self.next();
            if answer["id"] == self.last {
                assert!(answer["error"].is_null(), "{method}: {answer}");
                return answer["result"].clone();
            }
            self.events.push(answer);
        }
    }

    fn next(&mut self) -> Value {
        loop {
            if let Some(end) = self.read.iter().position(|b| *b == 0) {
                let message: Vec<u8> = self.read.drain(..=end).collect();
                return serde_json::from_slice(&message[..end]).unwrap();
            }
            let mut part = [0; 65_536];
            let n = self.from.read(&mut part).unwrap();
            assert!(n > 0, "the browser has ended");
            self.read.extend_from_slice(&part[..n]);
        }
    }

    /// What an expression gives.
    pub fn js(&mut self, expression: &str) -> Value {
        let wanted = json!({"expression": expression, "returnByValue": true, "awaitPromise": true});
        let answer = self.call("Runtime.evaluate", wanted);
        assert!(answer["exceptionDetails"].is_null(), "{expression}: {answer}");
        answer["result"]["value"].clone()
    }

    pub fn text(&mut self, expression: &str) -> String {
        self.js(expression).as_str().unwrap_or_default().to_string()
    }

    /// Waits until an expression is true.
    pub fn wait_for(&mut self, expression: &str) {
        let begun = Instant::now();
        while self.js(expression) != true {
            assert!(begun.elapsed() < Duration::from_secs(60), "{expression}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Left, top, width and height of an element.
    pub fn place(&mut self, selector: &str) -> [f64; 4] {
        let found = self.js(&format!(
            "(() => {{ const r = document.querySelector({selector:?}).getBoundingClientRect(); return [r.x, r.y, r.width, r.height]; }})()"
        ));
        [0, 1, 2, 3].map(|i| found[i].as_f64().unwrap())
    }

    /// A mouse event; `buttons`: 1 where the left one is held.
    pub fn mouse(&mut self, kind: &str, (x, y): (f64, f64), buttons: u32, shift: bool) {
        let button = if kind == "mouseMoved" { "none" } else { "left" };
        let modifiers = if shift { 8 } else { 0 };
        self.call(
            "Input.dispatchMouseEvent",
            json!({"type": kind, "x": x, "y": y, "button": button, "buttons": buttons, "modifiers": modifiers, "clickCount": 1}),
        );
    }

    pub fn wheel(&mut self, (x, y): (f64, f64), delta: f64) {
        self.call(
            "Input.dispatchMouseEvent",
            json!({"type": "mouseWheel", "x": x, "y": y, "deltaX": 0, "deltaY": delta}),
        );
    }

    pub fn key(&mut self, key: &str, shift: bool) {
        for kind in ["keyDown", "keyUp"] {
            let modifiers = if shift { 8 } else { 0 };
            self.call("Input.dispatchKeyEvent", json!({"type": kind, "key": key, "modifiers": modifiers}));
        }
    }

    /// What went wrong in the page, and what it asked for besides itself.
    pub fn complaints(&mut self) -> Vec<String> {
        // Whatever is on its way has come once this is answered.
        self.js("1");
        let wrong = |e: &&Value| {
            let method = e["method"].as_str().unwrap_or_default();
            let asked = e["params"]["request"]["url"].as_str().unwrap_or_default();
            match method {
                "Runtime.exceptionThrown" | "Runtime.consoleAPICalled" => true,
                "Log.entryAdded" => true,
                "Network.requestWillBeSent" => {
                    !(asked.ends_with(".html") || asked.starts_with("data:") || asked.starts_with("blob:"))
                }
                _ => false,
            }
        };
        self.events.iter().filter(wrong).map(ToString::to_string).collect()
    }
}

//! A real browser without a window, and what the tests ask of it.

use fantoccini::actions::{InputSource, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use http::Method;
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tempfile::TempDir;
use url::{ParseError, Url};

/// Set where a browser must be there, so that its tests cannot be left out unseen.
const REQUIRED: &str = "GERUST_TESTS_NEED_BROWSER";

/// How long the driver has to end by itself, and three times this the page to show something.
const PATIENCE: Duration = Duration::from_secs(10);

pub(crate) struct Browser {
    driver: Child,
    port: u16,
    pub(crate) page: Client,
    _profile: TempDir,
}

/// A program on the path.
fn on_path(name: &str) -> Option<PathBuf> {
    let path = std::env::var_os("PATH")?;
    let mut places = std::env::split_paths(&path).map(|folder| folder.join(name));
    places.find(|place| place.is_file())
}

impl Browser {
    /// `None` where there is no browser, which is said.
    pub(crate) async fn start() -> Option<Self> {
        let (Some(driver), Some(chromium)) = (on_path("chromedriver"), on_path("chromium")) else {
            assert!(
                std::env::var_os(REQUIRED).is_none(),
                "{REQUIRED} is set, and chromium or chromedriver is not on the path"
            );
            eprintln!(
                "SKIPPED: chromium and chromedriver are not on the path, so no page was opened"
            );
            return None;
        };
        let mut driver = Command::new(driver)
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver starts");
        let port = port_of(&mut driver);
        let profile = tempfile::tempdir().expect("there is room");
        let user_data = format!("--user-data-dir={}", profile.path().display());
        let options = json!({
            "goog:loggingPrefs": {"browser": "ALL"},
            "goog:chromeOptions": {
                "binary": chromium,
                "args": [
                    "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-sync",
                    "--disable-background-networking", "--disable-component-update", "--disable-dev-shm-usage",
                    user_data,
                ],
            },
        });
        let options = options.as_object().expect("an object").clone();
        let page = ClientBuilder::new(HttpConnector::new())
            .capabilities(options)
            .connect(&format!("http://localhost:{port}"))
            .await
            .expect("the browser starts");
        let browser = Self {
            driver,
            port,
            page,
            _profile: profile,
        };
        browser.set_size(1280, 800).await;
        Some(browser)
    }

    pub(crate) async fn open(&self, page: &Path) {
        let url = Url::from_file_path(page).expect("the path is absolute");
        self.page
            .goto(url.as_str())
            .await
            .expect("the page is there");
    }

    /// The size of the page itself; an option of the browser would set that of a window.
    pub(crate) async fn set_size(&self, width: u32, height: u32) {
        let size =
            json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.tell("Emulation.setDeviceMetricsOverride", size).await;
    }

    pub(crate) async fn set_dark(&self, is_dark: bool) {
        let value = if is_dark { "dark" } else { "light" };
        let features = json!({"features": [{"name": "prefers-color-scheme", "value": value}]});
        self.tell("Emulation.setEmulatedMedia", features).await;
    }

    async fn tell(&self, command: &str, parameters: Value) {
        let body = json!({"cmd": command, "params": parameters});
        let sent = self
            .page
            .issue_cmd(Own {
                path: "goog/cdp/execute",
                body,
            })
            .await;
        sent.expect("the driver knows it");
    }

    /// What the page has written on the console since the last time, errors of scripts and of loading included.
    pub(crate) async fn console(&self) -> Vec<String> {
        let body = json!({"type": "browser"});
        let told = self
            .page
            .issue_cmd(Own {
                path: "se/log",
                body,
            })
            .await;
        let told = told.expect("the driver knows it");
        let lines = told.as_array().expect("a list").iter();
        lines.map(|line| line["message"].to_string()).collect()
    }

    pub(crate) async fn find(&self, selector: &str) -> Element {
        let found = self.page.find(Locator::Css(selector)).await;
        found.unwrap_or_else(|error| panic!("{selector}: {error}"))
    }

    pub(crate) async fn text_of(&self, selector: &str) -> String {
        self.find(selector).await.text().await.expect("it has text")
    }

    /// The value of an expression in the page.
    pub(crate) async fn value(&self, expression: &str) -> Value {
        let script = format!("return ({expression});");
        let value = self.page.execute(&script, vec![]).await;
        value.unwrap_or_else(|error| panic!("{expression}: {error}"))
    }

    /// Waits until an expression is true: the page draws when the browser lets it.
    pub(crate) async fn wait_until(&self, expression: &str) {
        let start = Instant::now();
        while start.elapsed() < 3 * PATIENCE {
            if self.value(expression).await == Value::Bool(true) {
                return;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("it never came true: {expression}");
    }

    /// Moves the pointer to a place within an element, as shares of its width and height, and clicks there if wanted.
    pub(crate) async fn point_at(&self, selector: &str, share: (f64, f64), is_click: bool) {
        let script =
            format!("document.querySelector('{selector}').scrollIntoView({{block: 'center'}})");
        self.page
            .execute(&script, vec![])
            .await
            .expect("it is there");
        let area = self.value(&format!(
            "(() => {{ const area = document.querySelector('{selector}').getBoundingClientRect(); return [area.left, area.top, area.width, area.height]; }})()"
        )).await;
        let number = |at: usize| area[at].as_f64().expect("a number");
        let (x, y) = (
            number(0) + number(2) * share.0,
            number(1) + number(3) * share.1,
        );
        let mut mouse = MouseActions::new("mouse".to_owned());
        mouse = mouse.then(PointerAction::MoveTo {
            duration: None,
            x: x.round(),
            y: y.round(),
        });
        if is_click {
            mouse = mouse
                .then(PointerAction::Down { button: 0 })
                .then(PointerAction::Up { button: 0 });
        }
        self.page
            .perform_actions(mouse)
            .await
            .expect("the pointer moves");
    }
}

impl Drop for Browser {
    /// Asks the driver to end, also after a test that failed: it takes the browser with it, which outlives a driver that is killed.
    fn drop(&mut self) {
        let asked = TcpStream::connect(("localhost", self.port)).and_then(|mut driver| {
            driver.write_all(b"GET /shutdown HTTP/1.1\r\nHost: localhost\r\n\r\n")?;
            // The content of the answer does not matter, but it must be read.
            driver.set_read_timeout(Some(PATIENCE))?;
            driver.read(&mut [0; 512])
        });
        let start = Instant::now();
        while asked.is_ok() && start.elapsed() < PATIENCE {
            if let Ok(Some(_)) = self.driver.try_wait() {
                return;
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        // If it has gone already, there is nothing left to end.
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

/// The port that the driver has chosen, which it prints.
fn port_of(driver: &mut Child) -> u16 {
    let output = driver.stdout.take().expect("it is piped");
    let lines = BufReader::new(output).lines();
    let port = lines.map_while(Result::ok).find_map(|line| {
        let (_, port) = line.split_once("started successfully on port ")?;
        port.trim_end_matches('.').parse().ok()
    });
    port.expect("chromedriver says its port")
}

/// A command of this driver that the standard does not have.
#[derive(Debug)]
struct Own {
    path: &'static str,
    body: Value,
}

impl WebDriverCompatibleCommand for Own {
    fn endpoint(&self, base: &Url, session: Option<&str>) -> Result<Url, ParseError> {
        base.join(&format!(
            "session/{}/{}",
            session.unwrap_or_default(),
            self.path
        ))
    }

    fn method_and_body(&self, _: &Url) -> (Method, Option<String>) {
        (Method::POST, Some(self.body.to_string()))
    }
}

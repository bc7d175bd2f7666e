//! The page of `gerust report`, in a real browser.

#[path = "../common/black_box.rs"]
mod black_box;
mod browser;
#[path = "../common/mod.rs"]
mod common;

use browser::Browser;
use common::{gerust, json_of, root};
use fantoccini::key::Key;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

const QUAY: &str = "scenes/quay.toml";

/// Writes a report of a scene.
fn write_report(scene: &str, more: &[&str], page: &Path) {
    let output = gerust()
        .args(["report", scene])
        .args(more)
        .arg("-o")
        .arg(page)
        .output()
        .expect("it starts");
    let told = String::from_utf8_lossy(&output.stderr);
    assert!(page.is_file(), "{told}");
}

/// A browser with the report of the quay, which is written once; `None` where there is no browser.
async fn quay() -> Option<Browser> {
    static PAGE: OnceLock<PathBuf> = OnceLock::new();
    let browser = Browser::start().await?;
    let page = PAGE.get_or_init(|| {
        let page = Path::new(env!("CARGO_TARGET_TMPDIR")).join("quay.html");
        write_report(QUAY, &[], &page);
        page
    });
    browser.open(page).await;
    Some(browser)
}

/// The frame that the page says is chosen.
async fn chosen(browser: &Browser) -> u64 {
    let text = browser.text_of("#chosen").await;
    let number = text.split_whitespace().nth(1).expect("frame N of M");
    number.parse().expect("a number")
}

/// A number that changes with what the canvas shows.
async fn picture(browser: &Browser) -> Value {
    browser
        .value("document.getElementById('picture').toDataURL()")
        .await
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn the_slider_takes_everything_to_its_frame() {
    let Some(browser) = quay().await else {
        return;
    };
    assert_eq!(browser.console().await, [""; 0]);
    let data = "JSON.parse(document.getElementById('data').textContent)";
    let slowest = browser
        .value(&format!("{data}.run['frame-time']['worst-frame']"))
        .await;
    assert_eq!(chosen(&browser).await, slowest.as_u64().expect("a frame"));

    let slider = browser.find("#slider").await;
    slider
        .send_keys(&Key::Home.to_string())
        .await
        .expect("it takes keys");
    assert_eq!(chosen(&browser).await, 0);
    let loaded = picture(&browser).await;
    assert!(browser.text_of("#figures").await.contains("As loaded"));

    slider
        .send_keys(&Key::End.to_string())
        .await
        .expect("it takes keys");
    slider
        .send_keys(&Key::Left.to_string())
        .await
        .expect("it takes keys");
    assert_eq!(chosen(&browser).await, 599);
    assert_ne!(picture(&browser).await, loaded);
    let seen = json_of(gerust().args([
        "inspect", QUAY, "contacts", "--at", "599", "--format", "json",
    ]));
    let contacts = seen["contacts"].as_array().expect("a list").len();
    let note = browser.text_of("#scene-note").await;
    assert!(
        note.starts_with("After frame 599, 9.98 s: 44 entities"),
        "{note}"
    );
    assert!(note.contains(&format!(", {contacts} contacts")), "{note}");
    browser
        .wait_until("document.getElementById('threads-note').textContent.startsWith('Frame 599,')")
        .await;
    assert!(browser.text_of("#figures").await.starts_with("Frame 599: "));
    assert_eq!(browser.console().await, [""; 0]);
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn pointing_at_the_chart_shows_figures_and_a_click_chooses() {
    let Some(browser) = quay().await else {
        return;
    };
    let mut frames = Vec::new();
    for share in [0.25, 0.75] {
        browser
            .point_at("#chart .u-over", (share, 0.5), false)
            .await;
        browser.wait_until(&format!(
            "Math.abs(parseInt(document.querySelector('#figures h3').textContent.slice(6)) - 600 * {share}) < 10"
        )).await;
        let shown = browser.text_of("#figures h3").await;
        let (frame, time) = shown
            .trim_start_matches("Frame ")
            .split_once(": ")
            .expect("Frame N: time");
        let column = frame.parse::<usize>().expect("a number") - 1;
        // The time is that of the frame: the sum of its parts.
        let whole = browser.value(&format!(
            "JSON.parse(document.getElementById('data').textContent).times.times.reduce((sum, part) => sum + part[{column}], 0)"
        )).await;
        let milliseconds = milliseconds(time);
        let whole = whole.as_f64().expect("a number");
        assert!(
            (milliseconds / whole - 1.0).abs() < 0.01,
            "{shown}: {whole} ms"
        );
        frames.push(column as u64 + 1);
    }
    browser.point_at("#chart .u-over", (0.75, 0.5), true).await;
    assert_eq!(chosen(&browser).await, frames[1]);

    // What ran, when pointed at.
    browser
        .point_at("#timeline rect.block.s", (0.5, 0.5), false)
        .await;
    browser
        .wait_until("document.getElementById('block').textContent.includes('(system)')")
        .await;
    let told = browser.text_of("#block").await;
    assert!(
        told.contains(" µs, from ") || told.contains(" ms, from "),
        "{told}"
    );
    assert_eq!(browser.console().await, [""; 0]);
}

fn milliseconds(time: &str) -> f64 {
    let (number, unit) = time.split_once(' ').expect("a number and a unit");
    let number: f64 = number.parse().expect("a number");
    match unit {
        "µs" => number / 1e3,
        "ms" => number,
        other => panic!("{other} is no unit"),
    }
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn an_entity_is_found_by_name_and_by_a_click_with_contacts_and_values() {
    let Some(browser) = quay().await else {
        return;
    };
    browser
        .page
        .execute("document.getElementById('slider').focus()", vec![])
        .await
        .expect("it runs");
    let slider = browser.find("#slider").await;
    slider
        .send_keys(&Key::Home.to_string())
        .await
        .expect("it takes keys");
    slider
        .send_keys(&Key::Right.to_string().repeat(200))
        .await
        .expect("it takes keys");
    assert_eq!(chosen(&browser).await, 200);
    let search = browser.find("#search").await;
    search.send_keys("truck-1").await.expect("it takes keys");
    let list = browser.find("#entities").await;
    list.send_keys(&Key::Down.to_string())
        .await
        .expect("it takes keys");
    let told = browser.text_of("#entity").await;
    let seen = json_of(gerust().args([
        "inspect", QUAY, "entity", "truck-1", "--at", "200", "--format", "json",
    ]));
    assert!(told.starts_with("truck-1\n"), "{told}");
    for other in seen["touches"].as_array().expect("a list") {
        assert!(told.contains(other.as_str().expect("a name")), "{told}");
    }
    assert!(
        told.contains("mass 1\n") && told.contains("motion dynamic\n"),
        "{told}"
    );
    let at = &seen["components"]["transform"]["translation"];
    let at: Vec<f64> = at
        .as_array()
        .expect("three")
        .iter()
        .filter_map(Value::as_f64)
        .collect();
    let shown = browser.value(
        "[...document.querySelectorAll('#entity tr')].find((row) => row.cells[0].textContent === 'translation').cells[1].textContent.split(', ').map(Number)"
    ).await;
    for (axis, wanted) in at.iter().enumerate() {
        let shown = shown[axis].as_f64().expect("a number");
        assert!(
            (shown - wanted).abs() < 1e-3,
            "{shown} and {wanted} along {axis}"
        );
    }
    // A contact is listed as a button that selects the other entity.
    let other = browser.find("#entity table button.plain").await;
    let name = other.text().await.expect("it has text");
    other.click().await.expect("it can be clicked");
    assert_eq!(browser.text_of("#entity h3").await, name);
    // The chosen entity is marked in the picture; a click elsewhere chooses another entity or none.
    browser.point_at("#picture", (0.02, 0.05), true).await;
    browser
        .wait_until("document.querySelector('#entity h3') === null")
        .await;
    browser.point_at("#picture", (0.5, 0.62), true).await;
    browser
        .wait_until("document.querySelector('#entity h3') !== null")
        .await;
    assert_eq!(browser.console().await, [""; 0]);
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn everything_goes_by_keyboard() {
    let Some(browser) = quay().await else {
        return;
    };
    let chart = browser.find("#chart").await;
    chart
        .send_keys(&Key::Home.to_string())
        .await
        .expect("it takes keys");
    chart
        .send_keys(&Key::Right.to_string().repeat(3))
        .await
        .expect("it takes keys");
    assert_eq!(chosen(&browser).await, 3);
    // Playing continues by itself until it is stopped.
    let play = browser.find("#play").await;
    play.send_keys(&Key::Enter.to_string())
        .await
        .expect("it takes keys");
    browser
        .wait_until("parseInt(document.getElementById('chosen').textContent.slice(6)) > 12")
        .await;
    play.send_keys(&Key::Enter.to_string())
        .await
        .expect("it takes keys");
    let stopped = chosen(&browser).await;
    browser
        .page
        .execute_async("setTimeout(arguments[0], 300)", vec![])
        .await
        .expect("it waits");
    assert_eq!(chosen(&browser).await, stopped);
    // The greatest figure of a column comes on top.
    let button = browser
        .find("#names-table th.number:nth-child(5) button")
        .await;
    button
        .send_keys(&Key::Enter.to_string())
        .await
        .expect("it takes keys");
    let sorted = browser
        .value("document.querySelector('#names-table th:nth-child(5)').getAttribute('aria-sort')")
        .await;
    assert_eq!(sorted, "descending");
    let first = browser
        .text_of("#names-table tbody tr:first-child td:first-child")
        .await;
    let greatest = browser.value(
        "JSON.parse(document.getElementById('data').textContent).profile.names.reduce((a, b) => a['self-ms'] >= b['self-ms'] ? a : b).name"
    ).await;
    assert_eq!(greatest, first.as_str());
    // A system of the plan tells what it waits for.
    let node = browser.find("#graph .node[data-name='move: bodies']").await;
    node.send_keys(&Key::Tab.to_string())
        .await
        .expect("it takes keys");
    let previous = "document.activeElement.dataset.name";
    assert_ne!(browser.value(previous).await, "move: bodies");
    browser
        .wait_until("document.getElementById('edge').textContent.includes(' in the mean')")
        .await;
    assert_eq!(browser.console().await, [""; 0]);
}

/// The contrast of two colors by the formula of the Web Content Accessibility Guidelines 2.2, in the page.
const CONTRAST: &str = "((names) => {
    const light = (name) => {
        const probe = document.createElement('span');
        probe.style.color = `var(--${name})`;
        document.body.append(probe);
        const parts = getComputedStyle(probe).color.match(/[0-9.]+/g).slice(0, 3).map((part) => part / 255);
        probe.remove();
        const [r, g, b] = parts.map((part) => (part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4));
        return 0.2126 * r + 0.7152 * g + 0.0722 * b;
    };
    const [a, b] = names.map(light);
    return (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
})";

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn it_fits_a_narrow_screen_and_can_be_read_in_light_and_dark() {
    let Some(browser) = quay().await else {
        return;
    };
    for (width, height) in [(1280, 800), (390, 844)] {
        browser.set_size(width, height).await;
        browser.wait_until(&format!(
            "document.documentElement.scrollWidth <= {width} && document.querySelector('#chart canvas').clientWidth < {width}"
        )).await;
    }
    let side_by_side = "document.getElementById('figures').getBoundingClientRect().top < document.querySelector('#chart').getBoundingClientRect().bottom";
    assert_eq!(browser.value(side_by_side).await, false);
    browser.set_size(1280, 800).await;
    browser.wait_until(side_by_side).await;

    let mut papers = Vec::new();
    for is_dark in [false, true] {
        browser.set_dark(is_dark).await;
        for text in ["ink", "soft", "teal", "vermilion", "blue"] {
            for ground in ["paper", "sheet"] {
                let contrast = browser
                    .value(&format!("{CONTRAST}(['{text}', '{ground}'])"))
                    .await;
                let contrast = contrast.as_f64().expect("a number");
                assert!(
                    contrast >= 4.5,
                    "{text} on {ground}, dark {is_dark}: {contrast}"
                );
            }
        }
        papers.push(
            browser
                .value("getComputedStyle(document.body).backgroundColor")
                .await,
        );
    }
    assert_ne!(papers[0], papers[1]);
    assert_eq!(browser.console().await, [""; 0]);
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn what_failed_and_how_it_compares_is_shown_and_nothing_is_loaded() {
    let Some(browser) = Browser::start().await else {
        return;
    };
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("short.toml");
    // A name that would end the data of the page if it were written as it is.
    std::fs::write(&scene, "title = \"a </script><b> crate\"\nframes = 90\n\n[[entities]]\nname = \"crate\"\ntransform = { translation = [0, 5, 0] }\n\n[[expect]]\nframe = 80\nposition = { entity = \"crate\", is = [0, 6, 0] }\n")
        .expect("it can be written");
    let scene = scene.to_str().expect("it is text");
    let before = folder.path().join("before.json");
    let before = before.to_str().expect("it is text");
    gerust()
        .args(["profile", scene, "--save", before])
        .assert()
        .code(0);
    let page = folder.path().join("report.html");
    write_report(scene, &["--against", before], &page);
    browser.open(&page).await;
    assert_eq!(browser.text_of("#title").await, "a </script><b> crate");
    assert_eq!(
        browser.text_of("#verdict").await,
        "Failed: 1 of 1 expectations"
    );
    let failure = browser.text_of("#expectation-list").await;
    assert!(
        failure.contains("wanted") && failure.contains("found"),
        "{failure}"
    );
    let rows = browser
        .value("document.querySelectorAll('#comparison tbody tr').length")
        .await;
    assert!(rows.as_u64().expect("a number") > 5, "{rows}");
    assert_eq!(
        browser
            .value("document.getElementById('comparison').hidden")
            .await,
        false
    );
    assert_eq!(
        browser
            .value("performance.getEntriesByType('resource').length")
            .await,
        0
    );
    assert_eq!(browser.console().await, [""; 0]);
    // Had there been anything, it would have been told.
    let script = "console.error('a slip'); setTimeout(() => { throw new Error('a fault'); })";
    browser.page.execute(script, vec![]).await.expect("it runs");
    browser.wait_until("true").await;
    let told = browser.console().await.concat();
    assert!(
        told.contains("a slip") && told.contains("a fault"),
        "{told}"
    );
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn the_report_of_every_scene_opens_without_errors() {
    let Some(browser) = Browser::start().await else {
        return;
    };
    let folder = tempfile::tempdir().expect("there is room");
    let page = folder.path().join("report.html");
    let mut opened = 0;
    for entry in std::fs::read_dir(root().join("scenes")).expect("it is there") {
        let path = entry.expect("it can be read").path();
        if !path.is_file() {
            continue;
        }
        let scene = path.to_str().expect("it is text");
        // The long form takes all.
        let is_sample = ["shots.toml", "visitors.toml"]
            .iter()
            .any(|name| scene.ends_with(name));
        if !is_sample && !cfg!(feature = "stress") {
            continue;
        }
        write_report(scene, &["--every", "8"], &page);
        browser.open(&page).await;
        browser
            .find("#forth")
            .await
            .click()
            .await
            .expect("it can be clicked");
        assert!(
            browser.text_of("#verdict").await.starts_with("Held"),
            "{scene}"
        );
        assert_eq!(browser.console().await, [""; 0], "{scene}");
        opened += 1;
    }
    assert!(opened >= if cfg!(feature = "stress") { 14 } else { 2 });
}

#[tokio::test]
#[cfg_attr(not(has_browser), ignore = "there is no chromium and chromedriver")]
async fn a_recording_shows_what_it_has() {
    let Some(browser) = Browser::start().await else {
        return;
    };
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR"));
    let (file, page) = (folder.join("box.rec"), folder.join("box.html"));
    black_box::write_black_box(&file);
    write_report(file.to_str().expect("it is text"), &[], &page);
    browser.open(&page).await;
    assert_eq!(browser.console().await, [""; 0]);
    assert_eq!(chosen(&browser).await, 30, "the frame that failed");
    let facts = browser.text_of("#facts").await;
    assert!(
        facts.contains("frame 0 is frame 20 of the program"),
        "{facts}"
    );
    assert!(facts.contains("Unknown"), "{facts}");
    let failed = browser.text_of("#expectation-list").await;
    assert!(failed.contains("the water is gone"), "{failed}");
    assert!(browser.text_of("#figures").await.starts_with("Frame 30: "));

    let (file, page) = (folder.join("cranes.rec"), folder.join("cranes.html"));
    gerust()
        .args(["run", "scenes/cranes.toml", "--record"])
        .arg(&file)
        .assert()
        .code(0);
    write_report(file.to_str().expect("it is text"), &[], &page);
    browser.open(&page).await;
    assert_eq!(browser.console().await, [""; 0]);
    for (part, is_hidden) in [
        ("frames", true),
        ("threads", true),
        ("scene", false),
        ("plan", false),
    ] {
        let hidden = browser
            .value(&format!("document.getElementById('{part}').hidden"))
            .await;
        assert_eq!(hidden, is_hidden, "{part}");
    }
    let drawn = picture(&browser).await;
    browser
        .find("#slider")
        .await
        .send_keys(&Key::Home.to_string())
        .await
        .expect("it takes keys");
    assert_eq!(chosen(&browser).await, 0);
    assert_ne!(picture(&browser).await, drawn);
}

//! Views, trails, links and pictures that move, drawn for real.

use assert_cmd::Command;
use image::codecs::gif::GifDecoder;
use image::{AnimationDecoder, RgbImage};
use predicates::str::contains;
use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

/// A cart that drives, a crane with a hook below it, and a wall.
const SCENE: &str = r#"
title = "a yard"
frames = 60
[[entities]]
name = "wall"
transform = { translation = [8, 2, 0] }
collider = { size = [1, 4, 8] }
[[entities]]
name = "cart"
transform = { translation = [-8, 1, 0] }
collider = { size = [2, 2, 2] }
body = { velocity = [20, 0, 0], gravity-scale = 0 }
[[entities]]
name = "crane"
transform = { translation = [0, 9, 0] }
[[entities]]
name = "hook"
parent = "crane"
transform = { translation = [0, -4, 0] }
"#;

struct Yard {
    folder: TempDir,
    scene: PathBuf,
}

impl Yard {
    fn new(text: &str) -> Self {
        let folder = tempfile::tempdir().expect("there is room");
        let scene = folder.path().join("yard.toml");
        std::fs::write(&scene, text).expect("there is room");
        Self { folder, scene }
    }

    fn command(&self, arguments: &[&str], output: &Path) -> Command {
        let mut command = Command::cargo_bin("gerust").expect("cargo has built it");
        command.arg("draw").arg(&self.scene).args(arguments);
        // Large pictures take long to paint.
        if !arguments.contains(&"--size") {
            command.args(["--size", "640x400"]);
        }
        command.arg("-o").arg(output);
        command
    }

    fn draw(&self, arguments: &[&str], name: &str) -> PathBuf {
        let output = self.folder.path().join(name);
        self.command(arguments, &output).assert().success();
        output
    }

    fn svg(&self, arguments: &[&str]) -> String {
        let path = self.draw(arguments, "x.svg");
        std::fs::read_to_string(path).expect("it was written")
    }

    fn png(&self, arguments: &[&str]) -> RgbImage {
        let path = self.draw(arguments, "x.png");
        image::open(path).expect("it is a picture").to_rgb8()
    }
}

/// How many dots look like a color.
fn dots(picture: &RgbImage, color: [u8; 3]) -> usize {
    let near = |dot: &image::Rgb<u8>| dot.0.iter().zip(color).all(|(a, b)| a.abs_diff(b) < 30);
    picture.pixels().filter(|dot| near(dot)).count()
}

const VERMILION: [u8; 3] = [213, 62, 0];

#[test]
fn the_slanted_view_shows_three_faces_and_a_scale() {
    let yard = Yard::new(SCENE);
    let slanted = yard.svg(&["--view", "slanted", "--at", "0"]);
    assert!(slanted.contains("slanted (from +x, +y and +z)"));
    assert!(
        !slanted.contains("from above"),
        "nothing else was asked for"
    );
    // Each box has three faces, each covered and filled.
    assert_eq!(slanted.matches("<polygon").count(), 2 * 3 * 2);
    assert!(
        slanted.contains("\n2 m") || slanted.contains("\n5 m"),
        "{slanted}"
    );
    let all = yard.svg(&["--view", "side,top,slanted", "--at", "0"]);
    for view in ["from the side", "from above", "slanted"] {
        assert!(all.contains(view), "{view}");
    }
}

#[test]
fn trails_links_and_normals_are_lines() {
    let yard = Yard::new(SCENE);
    let lines = |arguments: &[&str]| yard.svg(arguments).matches("<polyline").count();
    let plain = lines(&["--view", "side", "--at", "30"]);
    assert_eq!(
        lines(&["--view", "side", "--at", "30", "--links"]),
        plain + 2
    );
    assert_eq!(
        lines(&["--view", "side", "--at", "30", "--trail"]),
        plain + 2
    );
    // At the end the cart stands at the wall.
    let (apart, touching) = (yard.png(&["--at", "0"]), yard.png(&["--at", "60"]));
    assert!(dots(&touching, VERMILION) > dots(&apart, VERMILION));
}

#[test]
fn flat_scenes_are_drawn_flat() {
    let flat = Yard::new(&SCENE.replace("frames = 60", "frames = 60\ndimensions = 2"));
    assert!(!flat.svg(&["--at", "0"]).contains("from above"));
    assert!(Yard::new(SCENE).svg(&["--at", "0"]).contains("from above"));
}

#[test]
fn tiles_are_drawn_as_a_grid() {
    let yard = Yard::new(
        r###"
title = "a maze"
frames = 1
[[entities]]
name = "maze"
transform = { translation = [-3, 0, -3] }
[entities.collider.tiles]
tile = [2.0, 2.0, 2.0]
rows = ["##.", "#..", "#.#"]
"###,
    );
    let polygons = |view| {
        let drawn = yard.svg(&["--view", view, "--at", "0"]);
        let lines = drawn.matches("<polyline").count();
        (drawn.matches("<polygon").count(), lines)
    };
    // Five tiles from above; three columns of them from the side.
    let (above, lines_above) = polygons("top");
    let (side, lines_side) = polygons("side");
    assert_eq!((above, side), (5, 3));
    // Four lines each way part nine tiles, free ones as well; from the side four and two.
    assert_eq!(lines_above - above, lines_side - side + 2);
}

#[test]
fn a_picture_moves_as_the_scene_does() {
    let yard = Yard::new(SCENE);
    let path = yard.draw(
        &[
            "--from", "0", "--to", "40", "--every", "10", "--size", "480x320", "--view", "side",
        ],
        "yard.gif",
    );
    let file = BufReader::new(File::open(path).expect("it was written"));
    let decoder = GifDecoder::new(file).expect("it is a picture that moves");
    let frames = decoder
        .into_frames()
        .collect_frames()
        .expect("all are whole");
    assert_eq!(frames.len(), 5);
    assert_ne!(frames[0].buffer().as_raw(), frames[4].buffer().as_raw());
    let (numerator, denominator) = frames[0].delay().numer_denom_ms();
    // Ten frames of a sixtieth; the format counts hundredths of a second.
    assert!(
        (150..=180).contains(&(numerator / denominator)),
        "{numerator}/{denominator}"
    );
}

#[test]
fn a_recording_is_drawn_as_its_scene() {
    let yard = Yard::new(SCENE);
    let recording = yard.folder.path().join("yard.rec");
    let mut record = Command::cargo_bin("gerust").expect("cargo has built it");
    record
        .arg("run")
        .arg(&yard.scene)
        .arg("--record")
        .arg(&recording);
    record.assert().success();
    let arguments = ["--at", "20,60", "--trail"];
    let of_scene = yard.png(&arguments);
    let replayed = Yard {
        scene: recording,
        ..yard
    };
    assert!(of_scene == replayed.png(&arguments));
}

#[test]
fn invalid_requests_to_draw_are_reported() {
    let yard = Yard::new(SCENE);
    let told = |arguments: &[&str], name: &str, message: &str| {
        let output = yard.folder.path().join(name);
        let mut command = yard.command(arguments, &output);
        command.assert().code(2).stderr(contains(message));
        assert!(!output.exists());
    };
    told(
        &["--from", "9"],
        "x.png",
        "is no .gif, and nothing else moves",
    );
    told(
        &["--from", "9", "--to", "3"],
        "x.gif",
        "frame 9 comes after frame 3",
    );
    told(&["--to", "61"], "x.gif", "it ends at frame 60");
    told(&["--at", "3", "--to", "9"], "x.gif", "cannot be used with");
    told(&["--view", "below"], "x.png", "invalid value 'below'");
}

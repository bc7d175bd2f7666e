//! The kinds of errors of scenes and recordings, for programs that react to some of them.

/// The kind of a [`SceneError`](super::SceneError).
///
/// # Example
///
/// ```
/// use gerust_scene::{Registry, Scene, SceneErrorKind};
///
/// let error = Scene::load("no/such/scene.toml", &Registry::standard()).unwrap_err();
/// assert_eq!(error.kind(), SceneErrorKind::Unreadable);
/// let error = Scene::parse("titel = 'a scene'", "a.toml", &Registry::standard()).unwrap_err();
/// assert_eq!(error.kind(), SceneErrorKind::Faulty);
/// ```
#[non_exhaustive]
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum SceneErrorKind {
    /// The file cannot be read.
    Unreadable,
    /// The file has faults; see [`SceneError::faults`](super::SceneError::faults).
    Faulty,
}

/// The kind of a [`RecordingError`](super::RecordingError).
///
/// # Example
///
/// ```
/// use gerust_scene::{Recording, RecordingErrorKind};
///
/// let error = Recording::from_bytes(b"title = 'a scene'".to_vec(), "quay.toml").unwrap_err();
/// assert_eq!(error.kind(), RecordingErrorKind::NoRecording);
/// ```
#[non_exhaustive]
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum RecordingErrorKind {
    /// The file cannot be read.
    Unreadable,
    /// The file does not begin like a recording.
    NoRecording,
    /// A newer version wrote the file.
    Newer,
    /// The recording ends before the frame.
    NoSuchFrame,
    /// The file is damaged at the frame.
    Damaged,
}

/// The kind of a [`ResumeError`](super::ResumeError).
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Recording, RecordingWriter, Registry, ResumeErrorKind, Scene};
///
/// let registry = Registry::standard();
/// let scene = Scene::parse("title = 't'\nframes = 1\n", "t.toml", &registry)?;
/// let run = scene.start(Runtime::new())?;
/// let bytes = RecordingWriter::begin(Vec::new(), &run)?.finish(&run)?;
/// let recording = Recording::from_bytes(bytes, "t.rec")?;
/// let error = recording.restore_into(&mut Runtime::new(), &registry, 7).unwrap_err();
/// assert_eq!(error.kind(), ResumeErrorKind::Recording);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[non_exhaustive]
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum ResumeErrorKind {
    /// The recording cannot be read at the frame.
    Recording,
    /// The runtime cannot be restored.
    Runtime,
}

/// The kind of a [`ShrinkError`](super::ShrinkError).
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Registry, ShrinkErrorKind, Shrinker};
///
/// let registry = Registry::standard();
/// let mut shrinker = Shrinker::new(&registry, || Ok(Runtime::new()));
/// let error = shrinker.shrink("title = 't'\nframes = 1\n", "t.toml").unwrap_err();
/// assert_eq!(error.kind(), ShrinkErrorKind::HasNoFailure);
/// ```
#[non_exhaustive]
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum ShrinkErrorKind {
    /// The scene was not loaded; see [`ShrinkError::scene_error`](super::ShrinkError::scene_error).
    Scene,
    /// All expectations of the scene hold.
    HasNoFailure,
    /// The file is no TOML.
    NoToml,
}

#[cfg(test)]
mod tests {
    use crate::{
        Recording, RecordingErrorKind, RecordingWriter, Registry, ResumeErrorKind, Scene,
        ShrinkErrorKind, Shrinker,
    };
    use gerust::prelude::*;

    const TEXT: &str = "title = 't'\nframes = 3\n[[entities]]\nname = 'gull'\n";

    fn recording() -> Recording {
        let scene = Scene::parse(TEXT, "t.toml", &Registry::standard()).expect("it is valid");
        let mut run = scene.start(Runtime::new()).expect("it starts");
        let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("it begins");
        while run.run_frame().expect("nothing fails") {
            writer.note(&run).expect("it is written");
        }
        let bytes = writer.finish(&run).expect("it is written");
        Recording::from_bytes(bytes, "t.rec").expect("it was written just now")
    }

    #[test]
    fn a_frame_that_is_not_there_has_its_kind() {
        let recording = recording();
        let error = recording.events(9).expect_err("its last is 3");
        assert_eq!(error.kind(), RecordingErrorKind::NoSuchFrame);
        let mut runtime = Runtime::new();
        let error = recording.restore_into(&mut runtime, &Registry::standard(), 9);
        let error = error.expect_err("its last is 3");
        assert_eq!(error.kind(), ResumeErrorKind::Recording);
        assert_eq!(
            error.to_string(),
            "t.rec has no frame 9: its last is 3; choose one up to that"
        );
    }

    #[test]
    fn a_scene_that_holds_or_has_faults_cannot_shrink() {
        let registry = Registry::standard();
        let mut shrinker = Shrinker::new(&registry, || Ok(Runtime::new()));
        let error = shrinker.shrink(TEXT, "t.toml").expect_err("nothing fails");
        assert_eq!(error.kind(), ShrinkErrorKind::HasNoFailure);
        let error = shrinker
            .shrink("titel = 3", "t.toml")
            .expect_err("it has faults");
        assert_eq!(error.kind(), ShrinkErrorKind::Scene);
    }
}

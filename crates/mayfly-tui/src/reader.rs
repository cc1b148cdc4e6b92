//! Reading the level's texts beside the screen.
//!
//! Not here: when they are read ([`crate::workspace`]).
//!
//! Invariant: what is read changes nothing; of several texts that wait only the last is read.

use crate::workspace::Load;
use mayfly_lang::analysis::Analysis;
use mayfly_lang::check::file_at;
use std::sync::Arc;
use std::sync::mpsc::{self, Receiver, Sender};

/// Names and texts of the files, the level's own first.
pub type Texts = Vec<(String, String)>;

/// Bytes of the thread's stack: a text that is nested as deep as may be is read on it.
const STACK: usize = 32 << 20;

struct Job {
    version: u64,
    texts: Texts,
    load: Load,
    before: Option<Arc<Analysis>>,
}

/// The thread that reads.
pub struct Reader {
    jobs: Option<Sender<Job>>,
    done: Receiver<(u64, Arc<Analysis>)>,
}

impl Reader {
    /// Begins to wait for texts.
    pub fn begin() -> Self {
        let (jobs, waiting) = mpsc::channel::<Job>();
        let (send, done) = mpsc::channel();
        let work = move || {
            while let Ok(mut job) = waiting.recv() {
                while let Ok(later) = waiting.try_recv() {
                    job = later;
                }
                let a = Arc::new(read(&job.texts, &job.load, job.before.as_ref()));
                if send.send((job.version, a)).is_err() {
                    return;
                }
            }
        };
        let thread = std::thread::Builder::new().stack_size(STACK).spawn(work);
        Self { jobs: thread.is_ok().then_some(jobs), done }
    }

    /// Has texts read; false where there is no thread for it.
    pub fn send(&self, version: u64, texts: Texts, load: Load, before: Option<Arc<Analysis>>) -> bool {
        let job = Job { version, texts, load, before };
        self.jobs.as_ref().is_some_and(|j| j.send(job).is_ok())
    }

    /// What was read since, with the version of its texts.
    pub fn done(&self) -> Option<(u64, Arc<Analysis>)> {
        self.done.try_recv().ok()
    }
}

/// Reads texts; a file that is used and not among them is loaded.
pub fn read(texts: &Texts, load: &Load, before: Option<&Arc<Analysis>>) -> Analysis {
    let (name, text) = texts.first().map_or(("", ""), |(n, t)| (n, t));
    let mut used = |path: &str| match file_at(texts.iter().map(|(n, _)| n.as_str()), path) {
        Some(n) => Ok(texts[n].1.clone()),
        None => load(path),
    };
    match before {
        Some(a) => a.again(name, text, &mut used),
        None => Analysis::of(name, text, &mut used),
    }
}

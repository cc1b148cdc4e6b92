//! Reading the level's texts beside the screen.
//!
//! Not here: when they are read ([`crate::workspace`]).
//!
//! Invariant: what is read changes nothing; of several texts that wait only the last is read.

use mayfly_lang::analysis::Analysis;
use mayfly_lang::check::{Checked, LoadError, file_at};
use mayfly_lang::diagnostic::Diagnostic;
use mayfly_lang::services::outline::{Word, words};
use std::ops::Range;
use std::sync::Arc;
use std::sync::mpsc::{self, Receiver, Sender};

/// Reads a file of the level's folder that is used and not known yet.
pub type Load = Arc<dyn Fn(&str) -> Result<String, LoadError> + Send + Sync>;

/// Names and texts of the files, the level's own first.
pub type Texts = Vec<(String, String)>;

/// Bytes of the thread's stack: a text that is nested as deep as may be is read on it.
const STACK: usize = 32 << 20;

/// What is known of texts: the analysis, and the sort of each word by its files.
pub struct Known {
    pub analysis: Arc<Analysis>,
    pub words: Vec<Vec<(Range<usize>, Word)>>,
}

/// What was found out.
pub enum Done {
    /// What is wrong, by the files' names.
    Wrong(Vec<(String, Diagnostic)>),
    /// All that is to be known.
    Known(Known),
}

enum Job {
    Read {
        version: u64,
        texts: Texts,
        load: Load,
        before: Option<Arc<Analysis>>,
    },
    /// What is no longer needed: a long text's analysis takes its time to go.
    Drop(Arc<Analysis>),
}

/// The thread that reads.
pub struct Reader {
    jobs: Option<Sender<Job>>,
    done: Receiver<(u64, Done)>,
}

impl Reader {
    /// Begins to wait for texts.
    pub fn begin() -> Self {
        let (jobs, waiting) = mpsc::channel::<Job>();
        let (send, done) = mpsc::channel();
        let work = move || {
            while let Ok(mut job) = waiting.recv() {
                while let Ok(later) = waiting.try_recv() {
                    if matches!(later, Job::Read { .. }) || matches!(job, Job::Drop(_)) {
                        job = later;
                    }
                }
                let (version, texts, load, before) = match job {
                    Job::Read { version, texts, load, before } => (version, texts, load, before),
                    Job::Drop(analysis) => {
                        drop(analysis);
                        continue;
                    }
                };
                let mut tell = |c: &Checked| {
                    let name = |d: &Diagnostic| c.sources.get(d.span.file as usize).map(|s| s.name.clone());
                    let all = c.diagnostics.iter().filter_map(|d| Some((name(d)?, d.clone()))).collect();
                    let _ = send.send((version, Done::Wrong(all)));
                };
                let known = read_telling(&texts, &load, before.as_ref(), &mut tell);
                drop(before);
                if send.send((version, Done::Known(known))).is_err() {
                    return;
                }
            }
        };
        let thread = std::thread::Builder::new().stack_size(STACK).spawn(work);
        Self { jobs: thread.is_ok().then_some(jobs), done }
    }

    /// Has texts read; false where there is no thread for it.
    pub fn send(&self, version: u64, texts: Texts, load: Load, before: Option<Arc<Analysis>>) -> bool {
        let job = Job::Read { version, texts, load, before };
        self.jobs.as_ref().is_some_and(|j| j.send(job).is_ok())
    }

    /// Lets go of what is no longer needed, beside the screen.
    pub fn forget(&self, analysis: Arc<Analysis>) {
        if let Some(jobs) = &self.jobs {
            let _ = jobs.send(Job::Drop(analysis));
        }
    }

    /// What was found since, with the version of its texts.
    pub fn done(&self) -> Option<(u64, Done)> {
        self.done.try_recv().ok()
    }
}

/// Reads texts; a file that is used and not among them is loaded.
pub fn read(texts: &Texts, load: &Load, before: Option<&Arc<Analysis>>) -> Known {
    read_telling(texts, load, before, &mut |_| {})
}

fn read_telling(texts: &Texts, load: &Load, before: Option<&Arc<Analysis>>, tell: &mut dyn FnMut(&Checked)) -> Known {
    let (name, text) = texts.first().map_or(("", ""), |(n, t)| (n, t));
    let mut used = |path: &str| match file_at(texts.iter().map(|(n, _)| n.as_str()), path) {
        Some(n) => Ok(texts[n].1.clone()),
        None => load(path),
    };
    let analysis = Analysis::telling(name, text, &mut used, before.map(|a| &**a), tell);
    let words = (0..analysis.files.len() as u16).map(|n| words(&analysis, n)).collect();
    Known { analysis: Arc::new(analysis), words }
}

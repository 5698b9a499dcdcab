//! What can be wrong with a file, in one sentence each.

/// Why a file could not be read.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum FormatError {
    #[error("{name} is empty.")]
    Empty { name: String },
    #[error("{name} is neither a recording archive (zip), nor a HAR, nor a trace: {why}.")]
    NotKnown { name: String, why: String },
    #[error("{name} is not valid JSON at line {line}, column {column}: {why}.")]
    Json { name: String, line: usize, column: usize, why: String },
    #[error("{name} is cut off: the JSON ends too early, at line {line}, column {column}.")]
    CutOff { name: String, line: usize, column: usize },
    #[error("{name} is JSON, but at {place} there is {found} where {wanted} belongs.")]
    Shape { name: String, place: String, found: String, wanted: String },
    #[error("{name} unpacks to more than {limit}; it was not read further.")]
    TooLarge { name: String, limit: String },
    #[error(
        "{name} would take more than {limit} of memory to read; it was not read further. A larger budget can be set."
    )]
    OverBudget { name: String, limit: String },
    #[error("{name} takes longer than {seconds} s to read; it was not read further.")]
    TooSlow { name: String, seconds: u64 },
    #[error("{name} was not read further: nobody waits for it any more.")]
    Left { name: String },
    #[error("{name} is text in UTF-16; HARs and traces are UTF-8 (RFC 8259). Saved as UTF-8 it can be read.")]
    Utf16 { name: String },
    #[error("{name} nests its values hundreds of levels deep at line {line}; no trace does.")]
    TooDeep { name: String, line: usize },
    #[error("{name} cannot be unpacked: {why}.")]
    Unpack { name: String, why: String },
    #[error("{name} in the archive: {why}.")]
    Archive { name: String, why: String },
    #[error("{name} holds nothing that can be shown: {why}.")]
    Nothing { name: String, why: String },
    #[error(
        "{har} and {trace} are not of the same load: the trace is of {url}, and no page of the HAR begins with it."
    )]
    Apart { har: String, trace: String, url: String },
    #[error("{name} holds no OTLP traces: {why}.")]
    NoSpans { name: String, why: String },
    #[error("{name} cannot be read as a profile, from line {line} on: {why}.")]
    Profile { name: String, line: usize, why: String },
    #[error("{name} is no profile in the callgrind format: no line “events:” tells what is counted.")]
    NotAProfile { name: String },
    #[error("{name} is a profile of a server: it is added to a page, on the screen of its server's work.")]
    OfAServer { name: String },
    #[error("Writing failed: {0}.")]
    Write(String),
}

impl FormatError {
    pub(crate) fn json(name: &str, error: &serde_json::Error) -> Self {
        let (line, column) = (error.line(), error.column());
        if error.is_eof() {
            return Self::CutOff { name: name.to_owned(), line, column };
        }
        let text = error.to_string();
        let why = text.split(" at line ").next().unwrap_or(&text).to_owned();
        Self::Json { name: name.to_owned(), line, column, why }
    }
}

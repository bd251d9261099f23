//! What the command line prints.

/// Prints a line. When nobody reads any more (`marea check DIR --json | head`) the program ends quietly with status 0: the reader
/// has what it wanted.
#[macro_export]
macro_rules! say {
    ($($told:tt)*) => {{
        use std::io::Write as _;
        if let Err(e) = writeln!(std::io::stdout().lock(), $($told)*) {
            std::process::exit(if e.kind() == std::io::ErrorKind::BrokenPipe { 0 } else { 2 });
        }
    }};
}

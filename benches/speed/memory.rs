//! How much memory is resident, as the system tells it.

/// The largest resident memory so far, in bytes.
pub(crate) fn peak() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    Some(line.split_whitespace().nth(1)?.parse::<u64>().ok()? << 10)
}

/// Starts counting the largest again, and gives where it starts.
pub(crate) fn peak_again() -> Option<u64> {
    std::fs::write("/proc/self/clear_refs", "5").ok()?;
    peak()
}

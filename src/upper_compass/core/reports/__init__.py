"""One file a report."""

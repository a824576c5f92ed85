"""Open formats out and in."""

"""The core's columnar frames, kept in step with the store."""

"""HTTP: who may do what, validation, the core's answers as JSON."""

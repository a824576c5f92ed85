"""The rules and the computation: Polars and plain data in, plain data out.

Nothing here knows of the web, of SQL, of files, of settings or of the time of day. `docs/rules.md` is the text that this package follows.
"""

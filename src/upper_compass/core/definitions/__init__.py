"""Models: what a site, its hits, goals and reports are made of. Nothing is computed here but tests of texts."""

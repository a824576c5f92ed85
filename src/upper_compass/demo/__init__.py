"""Fennmoor Mill: a made-up shop with courses, recipes and guides. Its history, from one seed, and its live sample site. `docs/demo.md` lists what is planted."""

"""Fennmoor Mill: a made-up shop with courses and recipes. Its history, from one seed, and its live site; `docs/demo.md` lists what is planted."""

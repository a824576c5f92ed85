"""Measurements, as ratios in one run; `docs/performance.md` holds the figures."""

"""Upper Compass: which channels and pages drive conversions."""

__version__ = "0.1.0"

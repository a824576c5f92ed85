"""The way of a hit: check, mark robots and own traffic, enrich, write. Nothing is answered before it is safe."""

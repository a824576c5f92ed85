"""A measurement runs with the allocators set as the application sets them, which counts from the start of a process only."""

import os
import sys

from upper_compass.run.supervising import HEAP


def as_started(module: str) -> None:
    """Start the module of that name again, unless its process was started as the application is. A library may have put something before a setting."""
    if not all(os.environ.get(name, "").endswith(value) for name, value in HEAP.items()):
        os.execve(sys.executable, [sys.executable, "-m", module, *sys.argv[1:]], os.environ | HEAP)

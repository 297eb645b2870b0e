"""The machine that the package runs on: its memory, and its processors."""

from __future__ import annotations

import os
import re
from contextlib import suppress
from pathlib import Path

from eager_otter.errors import RequestError

USUAL_MEMORY = 8 << 30
SHARE, MOST = 0.25, 512 << 20  # of the memory there is, and at most so many bytes
_LIMITS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")
SIZE = re.compile(r"(\d+(?:\.\d+)?)\s*(B|kB|MB|GB|TB)?", re.IGNORECASE)
UNITS = {"": 1, "B": 1, "KB": 10**3, "MB": 10**6, "GB": 10**9, "TB": 10**12}
LEAST = 10**6


def memory_to_use() -> int:
    """Return how many bytes may be taken for what is kept of the data, where nobody said: a part of what there is."""
    return min(MOST, int(SHARE * memory()))


def bytes_in(text: str | int) -> int:
    """Read a size such as "500 MB", "2GB" or a number of bytes. Raises RequestError.

    >>> bytes_in("500 MB"), bytes_in("1.5GB"), bytes_in(4_000_000)
    (500000000, 1500000000, 4000000)
    """
    found = SIZE.fullmatch(str(text).strip())
    size = 0 if found is None else int(float(found[1]) * UNITS[(found[2] or "").upper()])
    if size < LEAST:
        raise RequestError(f"Memory is a size such as 500 MB or 2 GB, at least 1 MB; found {text!r}.")
    return size


def memory() -> int:
    """Return how much memory there is, in bytes: of the machine, or less where this process is limited."""
    sizes = []
    with suppress(AttributeError, ValueError, OSError):
        sizes.append(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))
    for limit in _LIMITS:
        with suppress(OSError, ValueError):
            sizes.append(int(Path(limit).read_text("ascii")))
    with suppress(ImportError, OSError, ValueError):
        import resource

        soft, _ = resource.getrlimit(resource.RLIMIT_AS)
        sizes += [soft] if soft != resource.RLIM_INFINITY else []
    return min(sizes, default=USUAL_MEMORY)


def processors() -> int:
    """Return how many processors this process may use."""
    with suppress(AttributeError, OSError):
        return max(1, len(os.sched_getaffinity(0)))
    return os.cpu_count() or 1

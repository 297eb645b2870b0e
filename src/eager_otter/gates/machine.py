"""The machine that the package runs on: its memory, and its processors."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

USUAL_MEMORY = 8 << 30
SHARE, MOST = 0.25, 512 << 20  # of the memory there is, and at most so many bytes
_LIMITS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")
_given: list[int] = []


def memory_to_use() -> int:
    """Return how many bytes may be taken for what is kept of the data: as was said, else a part of what there is."""
    return _given[-1] if _given else min(MOST, int(SHARE * memory()))


def use_memory(most: int | None) -> None:
    """Say how many bytes may be taken; None for the usual."""
    _given[:] = [] if most is None else [most]


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

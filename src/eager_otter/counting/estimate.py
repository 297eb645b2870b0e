"""What long work will take, told before it begins: the first parts are counted to see."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import field
from itertools import islice
from typing import Any, TypeVar

from eager_otter.counting.passes import Pass
from eager_otter.counting.running import PART_BYTES, InTurn, Processes, Runner, Tell, needs_of
from eager_otter.data import files
from eager_otter.data.partition import columns_for, parts_of
from eager_otter.data.responses import Responses, code_bytes
from eager_otter.dataclass import dataclass
from eager_otter.looks.words import counted

S = TypeVar("S")
LONG = 60  # parts from which on an estimate is worth the two that are counted for it
PROBED = 2
PROCESS_BYTES = 160_000_000  # that a process takes before it reads anything
WHOLE_COLUMNS = 3  # numbers that are held of all rows: weights, who is counted, ids while they are checked
GAIN = 0.7  # of a process beside others, as they share the memory and have to start


@dataclass(frozen=True, slots=True, kw_only=True)
class Estimate:
    """About what counting takes: `seconds` and bytes of `memory`, for `rows` of so many `columns`, by `workers`."""

    rows: int
    columns: int
    workers: int
    seconds: float
    memory: float

    def __str__(self) -> str:
        by = "" if self.workers == 1 else f", by {self.workers} workers"
        return (
            f"{self.rows:,} rows of {counted(self.columns, 'column')}: about {duration(self.seconds)} and "
            f"{math.ceil(self.memory / 1e8) / 10:.1f} GB of memory{by}"
        )


def duration(seconds: float) -> str:
    """Write about how long something takes.

    >>> duration(42.0), duration(100.0), duration(600.0), duration(9000.0)
    ('50 seconds', '2 minutes', '10 minutes', '2.5 hours')
    """
    if seconds <= 90:
        return f"{max(10, 10 * math.ceil(seconds / 10))} seconds"
    if seconds <= 90 * 60:
        return counted(math.ceil(seconds / 60), "minute")
    return f"{math.ceil(seconds / 360) / 10:g} hours"


@dataclass(frozen=True, slots=True, eq=False)
class Estimating:
    """A way to count that tells, before the first long count, about what it will take."""

    runner: Runner
    told: Callable[[Estimate], None]
    _done: list[bool] = field(default_factory=list)

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts: see `Runner.count`."""
        if not self._done and responses.in_parts and responses.rows >= LONG * files.PART_ROWS:
            self._done.append(True)
            estimate = estimated(self.runner, one_pass, responses)
            if estimate is not None:
                self.told(estimate)
        return self.runner.count(one_pass, responses, tell)


def estimated(runner: Runner, one_pass: Pass[Any], responses: Responses) -> Estimate | None:
    """Count the first parts, and tell what all of them take; None for a runner that is not of this machine."""
    match runner:
        case InTurn():
            workers = 1
        case Processes(workers):
            pass
        case _:
            return None
    names, numbers, as_read = needs_of(one_pass)
    start = time.perf_counter()
    parts = parts_of(responses, names, numbers, as_read)
    for at_hand in islice(parts, PROBED):
        at_hand.used(one_pass.of)
    parts.close()
    columns = len(columns_for(responses, names, [*numbers, *as_read]))
    number = math.ceil(responses.rows / files.PART_ROWS)
    seconds = (time.perf_counter() - start) / PROBED * number / max(1.0, GAIN * workers)
    part = files.PART_ROWS * columns * PART_BYTES
    kept = responses.rows * code_bytes(responses.codebook) if responses.kept_codes else responses.room
    memory = workers * PROCESS_BYTES + workers * part + kept + WHOLE_COLUMNS * 8 * responses.rows
    return Estimate(rows=responses.rows, columns=columns, workers=workers, seconds=seconds, memory=memory)

"""The ways to count all parts of the data: one after the other, by several processes, or by a cluster.

Whichever it is, the parts are the same, and what was counted of them is added in the same order: blocks of parts, each
from its first part on, then the blocks from the first one on. So all ways give the same bits.
"""

from __future__ import annotations

import signal
import sys
import weakref
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import field, replace
from functools import reduce
from itertools import groupby, islice
from pathlib import Path
from types import ModuleType
from typing import TYPE_CHECKING, Any, Generic, Protocol, TypeVar, cast

from eager_otter.codebook.model import Codebook
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.counting.passes import Pass, TwoPasses
from eager_otter.counting.population import Choice, choose
from eager_otter.data import files
from eager_otter.data.files import PartedFile, RowsOf, Source
from eager_otter.data.partition import AtHand, columns_for, parts_of, settle_edges
from eager_otter.data.responses import Responses, code_bytes, columns_of
from eager_otter.dataclass import dataclass
from eager_otter.errors import COPIES, DataError, MachineProblem, OtterError
from eager_otter.gates.machine import processors
from eager_otter.looks.words import counted

if TYPE_CHECKING:
    from concurrent.futures import Future, ProcessPoolExecutor

S = TypeVar("S")
F = TypeVar("F")  # what stands for a share that was started
Tell = Callable[[int, int], None]  # told how many rows have been counted, of how many
BLOCK_PARTS = 4  # parts that are counted in one go by one process
PART_BYTES = 12  # that an answer takes while its part is counted, about: as read, and as encoded
HANDED = 2  # shares that another process is given at a time: the one it counts, and the next
LONG_WORK = 100_000_000  # answers from which on several processes are worth their start


class Runner(Protocol):
    """A way to count all parts of the data."""

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts, and add what was counted. Raises what counting a part raises, MachineProblem."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Share:
    """Some rows of the data and how to read them: a block of parts, for another process.

    `file` holds the rows from `first` to `end`, of `rows` in all; `more` is an Arrow table of columns beside it,
    `edges` are those of bands of equal size, `blank` (rows,) tells rows that hold nothing. `copies` are the addresses
    that files are called by which are copies on this machine.
    """

    codebook: Codebook
    file: PartedFile
    source: Source
    first: int
    end: int
    rows: int
    more: Any
    edges: dict[str, FloatArray]
    blank: BoolArray | None
    part_rows: int
    fingerprint: files.Fingerprint
    copies: dict[Path, Path]

    def responses(self) -> Responses:
        """Return the responses of these rows. Raises FileProblem where the file is not the one it was."""
        COPIES.update(self.copies)
        if self.fingerprint:
            files.check_same(self.file, self.fingerprint)
        files.PART_ROWS = self.part_rows
        rows = self.end - self.first
        return Responses(
            self.codebook,
            self.more,
            self.source,
            rows,
            RowsOf(self.file, self.first, self.end),
            blank=self.blank,
            first=self.first,
            in_parts=rows > self.part_rows,
            kept_codes=False,
            _edges=dict(self.edges),
        )


def count_share(one_pass: Pass[S], share: Share) -> S:
    """Count a block of parts, from its first part on."""
    responses = share.responses()
    parts = parts_of(responses, *needs_of(one_pass))
    return reduce(one_pass.added, (part.used(one_pass.of) for part in parts))


def needs_sharing(responses: Responses) -> bool:
    """Return whether responses are read part by part and make several blocks."""
    return responses.in_parts and responses.rows > BLOCK_PARTS * files.PART_ROWS


def shares_of(one_pass: Pass[Any], responses: Responses) -> list[Share]:
    """Cut responses of a file that can be read anywhere into blocks of parts."""
    file = responses.file_in_parts
    names, weights, as_read = needs_of(one_pass)
    settle_edges(responses, names)
    wanted = set(columns_for(responses, names, [*weights, *as_read]))
    more = responses.table.select(
        [name for name in responses.table.column_names if name in wanted | set(weights)]
    )
    edges = dict(responses.known_edges())
    codebook = replace(responses.codebook, origin=None)
    size = BLOCK_PARTS * files.PART_ROWS
    fingerprint = files.check_same(file, responses.fingerprint, responses.known_source)
    source = responses.known_source or Source(name=file.place, rows=responses.rows)  # of messages, there
    copies = {path: COPIES[path] for path in file.paths if path in COPIES}
    shares = []
    for first in range(0, responses.rows, size):
        end = min(first + size, responses.rows)
        shares.append(
            Share(
                codebook=codebook,
                file=file,
                source=source,
                first=first,
                end=end,
                rows=responses.rows,
                more=more.slice(first, end - first),
                edges=edges,
                blank=None if responses.blank is None else responses.blank[first:end],
                part_rows=files.PART_ROWS,
                fingerprint=fingerprint,
                copies=copies,
            )
        )
    return shares


def needs_of(one_pass: Pass[Any]) -> tuple[list[str], list[str], list[str]]:
    """Return the questions that a pass needs, its columns of weights, and columns as they stand in the data."""
    weights = {choice.weight for choice in one_pass.choices() if choice.weight is not None}
    return list(dict.fromkeys(one_pass.names())), sorted(weights), list(dict.fromkeys(one_pass.as_read()))


def in_order(
    shares: Iterable[Share],
    ahead: int,
    start: Callable[[Share], F],
    result: Callable[[F], S],
    tell: Tell | None,
) -> Iterator[S]:
    """Start shares, at most so many ahead, so that finished states do not pile up; give their states in order."""
    waiting: deque[tuple[Share, F]] = deque()
    left = iter(shares)
    while True:
        waiting.extend((share, start(share)) for share in islice(left, ahead - len(waiting)))
        if not waiting:
            return
        share, started = waiting.popleft()
        yield result(started)
        if tell is not None:
            tell(share.end, share.rows)


@dataclass(frozen=True, slots=True)
class InTurn:
    """One part after the other, in this process."""

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts: see `Runner.count`."""
        done = 0

        def of(at_hand: AtHand) -> S:
            nonlocal done
            state = at_hand.used(one_pass.of)
            done += at_hand.part.rows
            if tell is not None:
                tell(done, responses.rows)
            return state

        parts, block = parts_of(responses, *needs_of(one_pass)), BLOCK_PARTS * files.PART_ROWS
        blocks = groupby(parts, lambda at_hand: at_hand.part.first // block)
        return reduce(one_pass.added, (reduce(one_pass.added, map(of, inside)) for _, inside in blocks))


@dataclass(frozen=True, slots=True, eq=False)
class Along:
    """A way to count that takes a pass along with the first one, so that it costs no reading of its own."""

    runner: Runner
    along: Pass[Any]
    _counted: list[Any] = field(default_factory=list)

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts: see `Runner.count`."""
        if one_pass == self.along:
            if not self._counted:
                self._counted.append(self.runner.count(self.along, responses, tell))
            return cast(S, self._counted[0])
        if self._counted:
            return self.runner.count(one_pass, responses, tell)
        state, beside = self.runner.count(TwoPasses(one=one_pass, other=self.along), responses, tell)
        self._counted.append(beside)
        return cast(S, state)


@dataclass(slots=True, weakref_slot=True, eq=False)
class Processes:
    """Several processes of this machine, this one among them; the others start with the first long count."""

    workers: int
    _pool: list[ProcessPoolExecutor] = field(default_factory=list)

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts: see `Runner.count`."""
        if self.workers < 2 or not needs_sharing(responses):
            return InTurn().count(one_pass, responses, tell)
        from concurrent.futures.process import BrokenProcessPool

        shared = _Shared(one_pass, self._started(), self.workers - 1)
        shares = shares_of(one_pass, responses)
        try:
            return reduce(
                one_pass.added, in_order(shares, 2 * self.workers + 1, shared.start, shared.result, tell)
            )
        except BrokenProcessPool as error:
            self._pool.clear()
            raise MachineProblem(
                f"One of the {self.workers} processes that counted was ended from outside, most likely for lack "
                "of memory. Run with fewer workers, or make fewer tables at once."
            ) from error

    def _started(self) -> ProcessPoolExecutor:
        if not self._pool:
            import multiprocessing
            from concurrent.futures import ProcessPoolExecutor

            context = multiprocessing.get_context("spawn")
            pool = ProcessPoolExecutor(self.workers - 1, mp_context=context, initializer=_ignore_interrupts)
            weakref.finalize(self, pool.shutdown, wait=False, cancel_futures=True)
            self._pool.append(pool)
        return self._pool[0]


class _Shared(Generic[S]):
    """Shares of the work of a pass: `others` processes of a pool take them, and this one while it waits for them.

    What was handed out is not called back, so the pool is given no more than keeps its processes at work.
    """

    def __init__(self, one_pass: Pass[S], pool: ProcessPoolExecutor, others: int) -> None:
        self._pass, self._pool, self._others = one_pass, pool, others
        self._left: deque[_Taken[S]] = deque()  # that nobody has begun, in their order
        self._handed: list[Future[S]] = []

    def start(self, share: Share) -> _Taken[S]:
        """Take on a share: it is handed to the pool now or later, or counted here."""
        taken: _Taken[S] = _Taken(share)
        self._left.append(taken)
        self._hand_out()
        return taken

    def result(self, taken: _Taken[S]) -> S:
        """Return what was counted of a share; until it is known, count others here. Raises what counting raised."""
        from concurrent.futures import wait

        while taken.known is None or not taken.known.done():
            self._hand_out()
            if self._left:
                self._count_here(self._left.popleft())
            elif taken.known is not None:
                wait([taken.known], timeout=0.5)  # wake up now and then, so that an interrupt is heard
        return taken.known.result()

    def _hand_out(self) -> None:
        """Give the pool what keeps each of its processes at work, and one share each for when that is done."""
        self._handed = [future for future in self._handed if not future.done()]
        while self._left and len(self._handed) < HANDED * self._others:
            taken = self._left.popleft()
            with _without_main():
                taken.known = self._pool.submit(count_share, self._pass, taken.share)
            self._handed.append(taken.known)

    def _count_here(self, taken: _Taken[S]) -> None:
        from concurrent.futures import Future

        taken.known = Future()
        try:
            taken.known.set_result(count_share(self._pass, taken.share))
        except (OtterError, MemoryError) as error:  # told in its turn, as if it was counted elsewhere
            taken.known.set_exception(error)


@dataclass(slots=True, eq=False)
class _Taken(Generic[S]):
    """A share that was taken on, and where what is counted of it becomes `known`; None while nobody has begun."""

    share: Share
    known: Future[S] | None = None


@contextmanager
def _without_main() -> Iterator[None]:
    """Let processes start without the script that runs here, which they would run once more; they need only ours."""
    script = sys.modules["__main__"]
    sys.modules["__main__"] = ModuleType("__main__")
    try:
        yield
    finally:
        sys.modules["__main__"] = script


def _ignore_interrupts() -> None:
    """Leave interrupts to the process that started this one."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def lack_of_memory(responses: Responses) -> str:
    """Say that there is too little memory to count, how much a part takes, and what to do."""
    names = columns_of(responses.codebook)
    part = files.PART_ROWS * len(names) * PART_BYTES / 1e6
    kept = responses.rows * code_bytes(responses.codebook) / 1e6 if responses.kept_codes else 0.0
    at_once = (
        f"About {part:,.0f} MB are needed for {files.PART_ROWS:,} rows of {counted(len(names), 'column')}"
    )
    more = f", and {kept:,.0f} MB for the codes of all {responses.rows:,} rows" if kept > part / 10 else ""
    return (
        f"There is not enough memory to count this. {at_once}{more}. Keep less with --memory, take fewer --workers, "
        "make fewer tables at once (--only), or name fewer questions in the codebook."
    )


@dataclass(frozen=True, slots=True)
class OverAll:
    """Goes over all parts of responses in one way, of which a `choice` of people is counted; `tell` is told of rows."""

    runner: Runner
    responses: Responses
    choice: Choice
    tell: Tell | None = None

    def __call__(self, one_pass: Pass[S]) -> S:
        """Count all parts. Raises MachineProblem, DataError; of all rows where a part has wrong weights."""
        try:
            return self.runner.count(one_pass, self.responses, self.tell)
        except MemoryError as error:
            raise MachineProblem(lack_of_memory(self.responses)) from error
        except DataError:
            choose(self.responses, self.choice)
            raise


def runner_for(workers: int | None, responses: Responses, *, once: bool = False) -> Runner:
    """Choose how to count responses: by so many processes; None: by all processors, where the work is long.

    Processes keep no codes of answers for the next time; so where these would be kept, several are taken only where the
    data are counted `once`.
    """
    if workers is None:
        long = responses.rows * len(columns_of(responses.codebook)) >= LONG_WORK
        workers = processors() if long and (once or not responses.kept_codes) else 1
    return Processes(workers) if workers > 1 else InTurn()

"""A plan made again as its files change: only what changed, and the last good tables while something is wrong."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path

from eager_otter.dataclass import dataclass
from eager_otter.errors import OtterError
from eager_otter.gates.reading import packaged_text
from eager_otter.looks.words import counted, first_of
from eager_otter.plan.plan import Plan
from eager_otter.report.report import Report
from eager_otter.report.running import run
from eager_otter.report.webpage import PageCache, Pieces, TablePiece, pieces_of

RENEW = "renew.js"
REMEMBERED = 8  # pages of which a browser may show one, as it is told of the next
MOST_CHANGED = 40  # tables that are put into a page one by one; where more changed, it is loaded anew
NAMED = 6  # tables that are named of those made again
WAITING = 25.0  # seconds that somebody waits for news before being told that there are none


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """What is to be seen of a plan now.

    `number` counts the times that it was made; `pieces` are the web page of the last good tables, None where there were
    none yet; `mistake` says what is wrong, "" for nothing; `told` says what was made; `changed` are the ids of the
    tables that were made again, in order.
    """

    number: int
    pieces: Pieces | None
    mistake: str
    told: str
    changed: tuple[str, ...] = ()

    @property
    def page(self) -> str:
        """The web page of the last good tables; "" where there were none yet."""
        return "" if self.pieces is None else self.pieces.text


@dataclass(frozen=True, slots=True)
class Changes:
    """What of a page differs from an earlier one: those of its tables that do, by their place (from 0)."""

    number: int
    pieces: Pieces
    tables: Mapping[int, TablePiece]


class LiveSession:
    """The tables of a plan, as they are now.

    `read` reads the plan with what the command line says; `refresh` makes it again, and `wait` waits until somebody
    did, from any thread. `left_out` says what of the plan is not shown.
    """

    def __init__(self, path: Path, read: Callable[[Path], Plan]) -> None:
        self.path, self.read = path, read
        self.shown = Shown(number=0, pieces=None, mistake="", told="")
        self.inputs: tuple[Path, ...] = (path,)
        self.left_out: tuple[str, ...] = ()
        self.report: Report | None = None
        self._cache = PageCache()
        self._before: dict[int, Pieces] = {}  # the pages that a browser may still show, by number
        self._changed = threading.Condition()

    def refresh(self) -> Shown:
        """Make again what changed in plan, codebook or data; a mistake keeps the last good tables."""
        start = time.perf_counter()
        number = self.shown.number + 1
        try:
            plan = self.read(self.path)
            self.inputs, self.left_out = plan.inputs, _left_out(plan)
            report = run(replace(plan, findings=0, audit=False, for_each=None), before=self.report)
            pieces = pieces_of(report, self._cache, packaged_text("eager_otter.live", "page", RENEW))
        except OtterError as error:
            return self._show(replace(self.shown, number=number, mistake=str(error), told="", changed=()))
        before = () if self.report is None else self.report.tables
        kept = {id(table.lines) for table in before}  # in other looks, a table still has its lines
        changed = tuple(table.id for table in report.tables if id(table.lines) not in kept)
        gone = {table.id for table in before} - {table.id for table in report.tables}
        told = _told(changed, len(gone), len(report.tables), time.perf_counter() - start)
        self.report = report
        self._before[number] = pieces
        self._before = dict(list(self._before.items())[-REMEMBERED:])
        return self._show(Shown(number=number, pieces=pieces, mistake="", told=told, changed=changed))

    def changes(self, since: int) -> Changes | None:
        """Return what of the page differs from that with a number; None where all of it has to be loaded."""
        with self._changed:
            now, before = self.shown, self._before.get(since)
        if now.pieces is None or before is None or before.shell != now.pieces.shell:
            return None
        if before.said != now.pieces.said or [one.id for one in before.tables] != [
            one.id for one in now.pieces.tables
        ]:
            return None
        both = enumerate(zip(before.tables, now.pieces.tables, strict=True))
        other = {place: after for place, (piece, after) in both if after != piece}
        return None if len(other) > MOST_CHANGED else Changes(now.number, now.pieces, other)

    def wait(self, after: int, seconds: float = WAITING) -> Shown:
        """Wait for what is made after the given number, so many seconds at most; gives what is to be seen then."""
        with self._changed:
            self._changed.wait_for(lambda: self.shown.number > after, seconds)
            return self.shown

    def _show(self, shown: Shown) -> Shown:
        with self._changed:
            self.shown = shown
            self._changed.notify_all()
        return shown

    def watched(self) -> tuple[Path, ...]:
        """List the files whose change makes the tables again; the plan is always one."""
        return tuple(dict.fromkeys((self.path, *self.inputs)))


def _left_out(plan: Plan) -> tuple[str, ...]:
    """Say what a run of the plan makes, and the live page does not."""
    said = []
    if plan.findings or plan.audit:
        said.append("The main findings and the audit are left out here; eager-otter run makes them.")
    if plan.for_each is not None:
        said.append(
            f"This is the report of all people; eager-otter run makes one for each {plan.for_each.question}."
        )
    return tuple(said)


def _told(changed: tuple[str, ...], gone: int, tables: int, seconds: float) -> str:
    """Say what was made again, and how fast."""
    if len(changed) == tables:
        what = counted(tables, "table")
    elif changed:
        what = f"{counted(len(changed), 'table')} made again: {first_of(changed, NAMED)}"
    else:
        what = "no table changed"
    lost = f"; {counted(gone, 'table')} gone" if gone else ""
    return f"{what}{lost} ({seconds:.2f} s)"

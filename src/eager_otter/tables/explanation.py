"""The working of one cell, as data."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from eager_otter.dataclass import dataclass
from eager_otter.gates.viewed import Saved


@dataclass(frozen=True, slots=True, kw_only=True)
class TestWorking:
    """One comparison of the cell with another column: both figures, bases, the statistic and the verdict.

    `figure` and `other_figure` are percents or means, `difference` the first minus the second, in points or units;
    `effective` and `other_effective` the effective bases; `shared` is the number of respondents in both. `error` is the
    standard error of the difference, as the test takes it; `low` and `high` are the ends of its interval at the first
    level. `variance` and `other_variance` are those of means, `pooled` the pooled share (0 to 1) of percents; `parts`
    make the square of the error, in shares or units: first + second − 2 × third, the third of those who are in both;
    None where the test takes another variance. `level` is the strictest confidence percent reached. Numbers are None
    where there is no test.
    """

    __test__ = False  # not a test case, whatever its name

    other: str
    figure: float | None
    other_figure: float | None
    effective: float | None
    other_effective: float | None
    shared: int
    difference: float | None
    error: float | None
    low: float | None
    high: float | None
    statistic: float | None
    degrees: float | None
    p_value: float | None
    adjusted: float | None
    variance: float | None
    other_variance: float | None
    pooled: float | None
    parts: tuple[float, float, float] | None
    level: float | None
    mark: str
    sentence: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step from all rows read to those in the cell: respondents before and after it."""

    what: str
    before: int
    after: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Explanation(Saved):
    """The working of one cell, as data; `str()` gives it in words.

    `summary` says in one plain line what the figure is and what it differs from. `value` is at full precision (None
    where there is none), `shown` the text in the table. `formula` is in symbols, `worked` the same with the numbers of
    `terms` in it; `also` works out the variance of a mean, or tells the values around a quantile.

    `table` is its id, `title` its title; `row`, `column` and `figure` name the cell. `steps` tell who is counted, step
    by step; `tests` how it was compared with each other column; `notes` what else holds for the cell.
    """

    table: str
    title: str
    row: str
    column: str
    figure: str
    shown: str
    value: float | None
    steps: tuple[Step, ...]
    formula: str
    worked: str
    terms: tuple[tuple[str, float], ...]
    tests: tuple[TestWorking, ...]
    notes: tuple[str, ...] = ()
    summary: str = ""
    also: tuple[str, ...] = ()

    def __repr__(self) -> str:
        return f"<Explanation of {self.table!r}, {self.row} × {self.column}: {self.figure} {self.shown}>"

    def __str__(self) -> str:
        head = f"{self.title}\n{self.row} × {self.column}: {self.figure} {self.shown}".rstrip()
        parts = [head, *([self.summary] if self.summary else []), "Who is counted"]
        width = max((len(step.what) for step in self.steps), default=0)
        parts += [f"  {step.what:<{width}}  {step.before:>9,} → {step.after:,}" for step in self.steps]
        parts += ["The figure", f"  {self.formula}", *([f"  {self.worked}"] if self.worked else [])]
        parts += [f"  {text}" for text in self.also]
        parts += ["Tests"] if self.tests or self.notes else []
        parts += [f"  {test.sentence}" for test in self.tests]
        parts += [f"  {note}" for note in self.notes]
        return "\n".join(parts)

    def as_dict(self) -> dict[str, Any]:
        """Return it as plain mappings and lists, as for JSON."""
        return asdict(self)

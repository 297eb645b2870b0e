"""Remarks made while a file was read: nothing is left out or taken for blank without a word."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field

from eager_otter.dataclass import dataclass
from eager_otter.looks.words import ENGLISH, Words, said

SHOWN = 5
BLANK_ROWS = "blank rows"


@dataclass(frozen=True, slots=True, kw_only=True)
class Remark:
    """One thing noticed in a file of responses.

    `slip` is its short name, `text` says it with places to fill from `values`, in English; `remedy` is what to do.
    `columns` are those whose figures it touches, none where it touches all; `count` tells how often it was seen.
    With `severe`, figures are likely to be wrong. `of_tables` says whether readers of tables are told. `wave` is the
    label of the file among several; "" for the only one.
    """

    slip: str
    text: str
    values: Mapping[str, str | int] = field(default_factory=dict)
    remedy: str
    columns: tuple[str, ...] = ()
    count: int = 0
    severe: bool = False
    of_tables: bool = True
    wave: str = ""

    def said(self, say: Words = ENGLISH) -> str:
        """Say it to readers."""
        text = say(self.text, **self.values)
        return f"{self.wave}: {text}" if self.wave else text


def named(places: Sequence[str]) -> str:
    """Name the first of some places, and say how many more there are.

    >>> named(["B2", "B7"]), named([f"row {k}" for k in range(1, 8)])
    ('B2, B7', 'row 1, row 2, row 3, row 4, row 5 and 2 more')
    """
    more = len(places) - SHOWN
    return ", ".join(places[:SHOWN]) + (f" and {more:,} more" if more > 0 else "")


def short_records(lines: Sequence[str]) -> Remark:
    """Tell of records that are shorter than their definition says, by their lines."""
    return Remark(
        slip="short record",
        text=said(
            "{count} {count:record is|records are} shorter than the definition says ({where}); what is missing "
            "there counts as blank."
        ),
        values={"count": len(lines), "where": named(lines)},
        remedy="Export the data again, without cutting blanks at the ends of lines.",
        count=len(lines),
    )


def fewer_mentions(wave: str, question: str, absent: Sequence[str], columns: Sequence[str]) -> Remark:
    """Tell of a file of several that lacks the last columns of mentions of a question."""
    return Remark(
        slip="fewer mentions",
        text=said("{question} has fewer columns here, without {columns}: nobody gave so many mentions."),
        values={"question": question, "columns": named(absent)},
        remedy="Nothing, if nobody could or did give so many; else say under 'changes' what they are called there.",
        columns=tuple(columns),
        count=len(absent),
        wave=wave,
    )


def blank_lines(count: int) -> Remark:
    """Tell of blank lines, which are never respondents."""
    return Remark(
        slip=BLANK_ROWS,
        text=said("{count} blank {count:row is|rows are} left out."),
        values={"count": count},
        remedy="Nothing, if the file was meant to have them; else export it again.",
        count=count,
    )

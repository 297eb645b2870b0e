"""The changes between two results: in the terminal, as JSON, as a workbook."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

from rich.console import Group, RenderableType

from eager_otter.comparing.causes import Cause
from eager_otter.comparing.comparing import KINDS, Change, Comparison
from eager_otter.gates.terminal import Text
from eager_otter.gates.text import as_json as json_text
from eager_otter.looks.theme import STANDARD
from eager_otter.looks.words import counted
from eager_otter.report.grids import plain_grid
from eager_otter.report.sheets import Book, head_style, plain_style
from eager_otter.tables.request import Digits
from eager_otter.tables.rounding import rounded
from eager_otter.version import __version__

HEADS = ("Kind", "Table", "Row", "Column", "Figure", "Before", "After", "Moved")
DIGITS = Digits(percent=2, count=2, mean=4)


def compare_view(comparison: Comparison, *, most: int = 40) -> RenderableType:
    """Summarise a comparison and list its changes, at most so many of them."""
    checked = f"{counted(comparison.figures, 'figure')} of {counted(comparison.tables, 'table')} compared"
    beyond = f", tolerance {comparison.tolerance:g}" if comparison.tolerance else ""
    causes = _causes_view(comparison)
    if not comparison.changes:
        return Group(*causes, Text(f"No difference: {checked}{beyond}.", style="bold"))
    summary = plain_grid()
    summary.add_column("What changed")
    summary.add_column("How often", justify="right")
    for kind, count in comparison.counts().items():
        summary.add_row(kind, f"{count:,}")
    detail = plain_grid()
    for head in HEADS:
        right = head in ("Before", "After", "Moved")
        detail.add_column(head, justify="right" if right else "left", overflow="fold")
    for change in sorted(comparison.changes, key=_importance)[:most]:
        detail.add_row(*(Text(text) for text in _texts(change)))
    parts: list[RenderableType] = [
        *causes,
        Text(f"{checked}{beyond}.", style="bold"),
        Text(),
        summary,
        Text(),
        detail,
    ]
    if len(comparison.changes) > most:
        parts.append(
            Text(
                f"and {len(comparison.changes) - most:,} more; --most shows more, --output writes all.",
                style="dim",
            )
        )
    return Group(*parts)


MOST_TABLES = 4  # named where a cause touches more
CAUSE_HEADS = ("Cause", "What", "Before", "After", "Tables")


def _causes_view(comparison: Comparison) -> list[RenderableType]:
    """List what the two reports were made of that differs, or say why that cannot be told."""
    if comparison.causes is None:
        return [Text(comparison.why_not, style="yellow"), Text()] if comparison.why_not else []
    if not comparison.causes:
        return [Text("Made of the same: data, codebook, plan and versions that touch figures."), Text()]
    grid = plain_grid()
    for head in CAUSE_HEADS:
        grid.add_column(head, overflow="fold")
    for cause in comparison.causes:
        grid.add_row(*(Text(text) for text in _cause_texts(cause)))
    return [grid, Text()]


def _cause_texts(cause: Cause) -> tuple[str, ...]:
    shown = ", ".join(cause.tables[:MOST_TABLES]) or ("none" if cause.of_no_table else "all")
    more = len(cause.tables) - MOST_TABLES
    return (
        cause.kind,
        cause.what,
        cause.before,
        cause.after,
        f"{shown} and {more} more" if more > 0 else shown,
    )


LAST: tuple[str, ...] = ("mark changed", "base changed")  # what the reader wants least, and there is most of


def _importance(change: Change) -> tuple[object, ...]:
    """Order changes: structure first, then letters, then figures, the largest move first; bases last."""
    kind = len(KINDS) + LAST.index(change.kind) if change.kind in LAST else KINDS.index(change.kind)
    return kind, -abs(change.moved or 0.0), change.table


def _texts(change: Change) -> tuple[str, ...]:
    moved = change.moved
    return (
        change.kind,
        change.table,
        change.row,
        change.column,
        change.figure,
        _text(change.before, change.figure),
        _text(change.after, change.figure),
        "" if moved is None else f"{rounded(moved, DIGITS.of(change.figure)):+,f}",
    )


def _text(value: float | str | None, figure: str) -> str:
    if value is None:
        return ""
    return value if isinstance(value, str) else f"{rounded(value, DIGITS.of(figure)):,f}"


def as_json(comparison: Comparison) -> str:
    """Return a comparison as JSON: counts, and every change."""
    body = {
        "maker": f"eager-otter {__version__}",
        "tables": comparison.tables,
        "figures": comparison.figures,
        "tolerance": comparison.tolerance,
        "causes": None if comparison.causes is None else [asdict(cause) for cause in comparison.causes],
        "causes unknown": comparison.why_not,
        "counts": comparison.counts(),
        "changes": [change.as_dict() for change in comparison.changes],
    }
    return json_text(body, indent=2)


def write_workbook(comparison: Comparison, path: Path) -> None:
    """Write a comparison as .xlsx: a summary, and a sheet with every change."""
    book = Book(path, "Comparison")
    plain, head = plain_style(STANDARD), head_style(STANDARD)
    summary, detail = book.sheet("Summary"), book.sheet("Changes")
    summary.text(0, 0, "What changed", {**plain, "bold": True, "font_size": 14, "font_color": STANDARD.river})
    summary.text(
        1,
        0,
        f"{counted(comparison.figures, 'figure')} of {counted(comparison.tables, 'table')} compared",
        plain,
    )
    summary.text(3, 0, "What changed", head)
    summary.text(3, 1, "How often", {**head, "align": "right"})
    for row, (kind, count) in enumerate(comparison.counts().items(), 4):
        summary.text(row, 0, kind, plain)
        summary.number(row, 1, count, {**plain, "num_format": "#,##0"})
    end = 6 + len(comparison.counts())
    if comparison.causes is None:
        summary.text(end, 0, comparison.why_not, plain)
    for column, text in enumerate(CAUSE_HEADS if comparison.causes else ()):
        summary.text(end, column, text, head)
    for row, cause in enumerate(comparison.causes or (), end + 1):
        for column, text in enumerate(_cause_texts(cause)):
            summary.text(row, column, text, {**plain, "text_wrap": True, "valign": "top"})
    summary.widths([40, 30, 40, 40, 40] if comparison.causes else [40, 12])
    for column, text in enumerate(HEADS):
        detail.text(0, column, text, {**head, "align": "right" if column > 4 else "left"})
    for row, change in enumerate(comparison.changes, 1):
        texts = (change.kind, change.table, change.row, change.column, change.figure)
        for column, text in enumerate(texts):
            detail.text(row, column, text, plain)
        for column, value in ((5, change.before), (6, change.after), (7, change.moved)):
            if isinstance(value, str):
                detail.text(row, column, value, {**plain, "align": "right"})
            elif value is not None:
                places = DIGITS.of(change.figure)
                number = "#,##0" + ("." + "0" * places if places else "")
                shape = f"+{number};-{number}" if column == 7 else number
                detail.number(row, column, value, {**plain, "num_format": shape})
    detail.widths([17, 22, 34, 26, 18, 14, 14, 12])
    detail.freeze(1, 0)
    detail.print_set_up(title="Changes", rows=(0, 0), columns=0, breaks=(), wide=1)
    book.close()

"""The outputs there are, an entry each: how a file ends, what writes it, by what mark it is ours, what it can show."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from eager_otter.dataclass import dataclass
from eager_otter.gates.ours import (
    JSON_HEADS,
    MAKER,
    begins_with,
    ends_with,
    has_our_head,
    in_package,
    in_parquet,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Output:
    """A kind of file that a report is written as.

    `writer` is the module in `report` whose `write` makes it, "" for pictures, which `chart` makes one by one; `mark`
    tells whether a file is ours. `tidy` outputs hold tables as records, not as people read them. `shows` names the
    settings of a plan that have an effect in it, beside its tables; `extra` is the extra to install that it needs. One
    that `is_text` can be shown on the standard output.
    """

    ending: str
    writer: str
    mark: Callable[[Path], bool]
    tidy: bool = False
    shows: tuple[str, ...] = ()
    extra: str = ""
    is_text: bool = False


OUTPUTS = (
    Output(ending=".xlsx", writer="workbook", mark=in_package, shows=("workbook", "findings", "audit")),
    Output(
        ending=".html",
        writer="webpage",
        is_text=True,
        mark=begins_with(rb'<meta name="generator" content="' + MAKER + rb'">'),
        shows=("findings",),
    ),
    Output(
        ending=".pdf",
        writer="pdf",
        mark=ends_with(rb"\n% made with " + MAKER + rb"\n"),
        shows=("findings",),
        extra="pdf",
    ),
    Output(ending=".pptx", writer="slides", mark=in_package, shows=("findings", "slides"), extra="slides"),
    Output(ending=".csv", writer="tidy", mark=has_our_head, tidy=True, is_text=True, shows=("tidy",)),
    Output(ending=".parquet", writer="tidy", mark=in_parquet, tidy=True, shows=("tidy",)),
    Output(
        ending=".json", writer="tidy", mark=begins_with(JSON_HEADS), tidy=True, is_text=True, shows=("tidy",)
    ),
    Output(
        ending=".md",
        writer="plain",
        is_text=True,
        mark=ends_with(rb"\S " + MAKER.replace(rb"-", rb"\\?-").replace(rb"\.", rb"\\?\.")),
        shows=("findings",),
    ),
    Output(ending=".txt", writer="plain", mark=ends_with(rb"\S " + MAKER), is_text=True),
    Output(ending=".png", writer="", mark=begins_with(rb"Software\0" + MAKER), extra="charts"),
    Output(
        ending=".svg",
        writer="",
        mark=begins_with(rb"<dc:title>" + MAKER + rb"</dc:title>"),
        extra="charts",
    ),
)
MANIFEST = "manifest.json"  # beside the outputs of a plan: what they were made of
BY_ENDING = {output.ending: output for output in OUTPUTS}
TEXTS = (
    "txt",
    *(one.ending[1:] for one in OUTPUTS if one.is_text and one.ending != ".txt"),
)  # the usual one first
ENDINGS = tuple(output.ending for output in OUTPUTS if output.writer)  # of what a report is written as


SETTINGS_OF_OUTPUTS = tuple(dict.fromkeys(name for output in OUTPUTS for name in output.shows))


def endings_that_show(setting: str) -> tuple[str, ...]:
    """Name the endings of outputs in which a setting of a plan has an effect."""
    return tuple(output.ending for output in OUTPUTS if setting in output.shows)


def install_line(extra: str) -> str:
    """Return the line that installs what an extra needs."""
    return f"pip install 'eager-otter[{extra}]'"


def is_ours(path: Path) -> bool:
    """Return whether a file holds the mark of this package for its kind; an empty file may be replaced.

    A kind of file that has no room for a mark is never taken for ours.
    """
    try:
        if path.stat().st_size == 0:
            return True
        output = BY_ENDING.get(path.suffix.lower())
        return output is not None and output.mark(path)
    except OSError:
        return True  # whatever is wrong with it is told when it is written

"""A plan, checked: where the data are, who is counted, which tables are wanted, where they go."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from eager_otter.codebook.model import Codebook
from eager_otter.data.opening import Reading
from eager_otter.documents.checking import Text
from eager_otter.documents.options import option
from eager_otter.documents.yaml_nodes import is_yaml
from eager_otter.errors import Problem
from eager_otter.gates.viewed import Viewed
from eager_otter.looks.theme import STANDARD, LettersPlace, Theme
from eager_otter.looks.words import ENGLISH, Words, counted
from eager_otter.tables.note import NotesLength
from eager_otter.tables.request import Banner, TableRequest

SheetsPer = Literal["per table", "per section", "one"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Acceptance:
    """A slip that the analyst lets be, with the reason; `where` may hold * for any."""

    slip: str
    where: str
    because: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SlideRules:
    """How slides are made: on the layouts of a template, with charts or tables."""

    template: Path | None = None
    show: Literal["chart", "table"] = option("show", "chart", Literal["chart", "table"])


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkbookRules:
    """How a workbook is laid out: which tables share a sheet, where letters stand, whether tables have charts.

    `letters` is None where the theme says it.
    """

    sheets: SheetsPer = option("sheets", "per table", SheetsPer)
    letters: LettersPlace | None = option("letters", None, LettersPlace)
    charts: bool = option("charts", False, bool)


@dataclass(frozen=True, slots=True, kw_only=True)
class TidyRules:
    """What files of records hold beside figures: the tests of whole tables, or not."""

    whole_tables: bool = option("whole tables", False, bool)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Plan(Viewed):
    """Everything a report is made from.

    `narrowed` is the plan's own filter where another one on top of it makes `filter`; `conditions` are words of its
    own for filters and bases (text by expression). `weight` is None for an unweighted report. Paths are ready to open;
    `author` stands in the properties of outputs; `notes` is how long the notes under tables are, `output_notes` where
    an output has them otherwise. `file_date` says whether outputs tell when the data file was last changed. `findings`
    is how many notable differences the report lists; `hints` tell what is better written otherwise today; `files` are
    the plan's own and those it includes. `theme` and `words` are as loaded, the wording of the theme in the words;
    `theme_name` and `language` are how the plan names them.

    `data` and `codebook` are what tables are made of, `reading` how the data are read, `requests` the tables in order,
    by the `banners` of these names; `standard` is what a table is that says nothing else. `path` is the plan's own,
    `title` that of the report. `audit` says whether outputs show the audit, `accepted` which slips it lets be;
    `slides`, `workbook` and `tidy` are settings of these outputs.
    """

    data: Path
    codebook: Codebook
    requests: tuple[TableRequest, ...]
    path: Path = Path("plan.yaml")
    title: str = ""
    author: str = option("author", "", Text)
    reading: Reading = field(default_factory=Reading)
    filter: str | None = None
    narrowed: str | None = None
    conditions: Mapping[str, str] = field(default_factory=dict)
    weight: str | None = None
    banners: Mapping[str, Banner] = field(default_factory=dict)
    notes: NotesLength = option("notes", "short", NotesLength)
    file_date: bool = option("file date", True, bool)
    outputs: tuple[Path, ...] = ()
    output_notes: Mapping[Path, NotesLength] = field(default_factory=dict)
    standard: TableRequest = field(default_factory=TableRequest)
    findings: int = option("findings", 0, Annotated[int, Field(ge=0)])
    audit: bool = option("audit", False, bool)
    theme: Theme = STANDARD
    theme_name: str = ""
    words: Words = ENGLISH
    language: str = ""
    slides: SlideRules = SlideRules()
    workbook: WorkbookRules = option("workbook", WorkbookRules(), WorkbookRules)
    tidy: TidyRules = option("tidy", TidyRules(), TidyRules)
    accepted: tuple[Acceptance, ...] = ()
    hints: tuple[Problem, ...] = ()
    files: tuple[Path, ...] = ()

    def __repr__(self) -> str:
        return f"<Plan {self.title!r}: {counted(len(self.requests), 'table')} of {self.data.name}>"

    def __len__(self) -> int:
        return len(self.requests)

    @property
    def inputs(self) -> tuple[Path, ...]:
        """All files that a report of the plan is made from, as far as the plan names them."""
        looks = (self.theme.logo, *(self.theme.font_files or ()), self.slides.template)
        named = [Path(name) for name in (self.theme_name, self.language) if is_yaml(name)]
        own = (
            *self.files,
            *self.codebook.files,
            self.data,
            *named,
            *(path for path in looks if path is not None),
        )
        return tuple(dict.fromkeys(own))

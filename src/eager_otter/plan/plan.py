"""A plan, checked: where the data are, who is counted, which tables are wanted, where they go."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import field
from pathlib import Path
from typing import Annotated, Any, Literal

from eager_otter.codebook.model import Codebook
from eager_otter.data.opening import Reading
from eager_otter.data.waves import Waves
from eager_otter.dataclass import dataclass
from eager_otter.documents.options import option
from eager_otter.documents.origin import Origin
from eager_otter.documents.part import Limits, Text
from eager_otter.documents.settled import Settings, checked
from eager_otter.documents.values import values_of
from eager_otter.documents.yaml_nodes import is_yaml
from eager_otter.errors import Problem, RequestError, UnknownName, name_of
from eager_otter.gates.cache import Cache
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
    """How a workbook is laid out: which tables share a sheet, where letters are, whether tables have charts.

    `letters` is None where the theme says it.
    """

    sheets: SheetsPer = option("sheets", "per table", SheetsPer)
    letters: LettersPlace | None = option("letters", None, LettersPlace)
    charts: bool = option("charts", False, bool)


@dataclass(frozen=True, slots=True, kw_only=True)
class TidyRules:
    """The contents of files of records beside figures: the tests of whole tables, or not."""

    whole_tables: bool = option("whole tables", False, bool)


@dataclass(frozen=True, slots=True, kw_only=True)
class ForEach(Settings):
    """A report for each answer of a `question`: of those in `keep` (codes; None: all).

    `differs` holds, by the code of an answer, what its report says otherwise, by the keys of a plan.
    """

    question: str
    keep: tuple[str, ...] | None = None
    differs: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Plan(Viewed):
    """Everything a report is made from.

    `narrowed` is the plan's own filter where another one on top of it makes `filter`; `conditions` are words of its
    own for filters and bases (text by expression). `weight` is None for an unweighted report; the answers of
    the question `equal_waves` all have the same sum of weights; `for_each` tells of which answers there is a report
    each. Paths are ready to open;
    `author` is in the properties of outputs; `notes` is how long the notes under tables are, `output_notes` where
    an output has them otherwise. `file_date` says whether outputs tell when the data file was last changed. `findings`
    is how many notable differences the report lists; `hints` tell what is better written otherwise today; `files` are
    the plan's own and those it includes. `theme` and `words` are as loaded, the wording of the theme in the words;
    `theme_name` and `language` are how the plan names them.

    `origin` is what it can be changed and written back from; None where there is nothing of the kind. `cache` is where
    columns of data that are slow to read are kept for the next time; None: nowhere.

    `data` (a path, or several files that are one survey) and `codebook` are what tables are made of, `reading` how one
    file is read, `requests` the tables in order,
    by the `banners` of these names; `standard` is what a table is that says nothing else. `path` is the plan's own,
    `title` that of the report. `audit` says whether outputs show the audit, `accepted` which slips it lets be;
    `slides`, `workbook` and `tidy` are settings of these outputs.
    """

    data: Path | Waves
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
    for_each: ForEach | None = None
    equal_waves: str | None = option("equal waves", None, Text | None)
    banners: Mapping[str, Banner] = field(default_factory=dict)
    notes: NotesLength = option("notes", "short", NotesLength)
    file_date: bool = option("file date", True, bool)
    outputs: tuple[Path, ...] = ()
    output_notes: Mapping[Path, NotesLength] = field(default_factory=dict)
    standard: TableRequest = field(default_factory=TableRequest)
    findings: int = option("findings", 0, Annotated[int, Limits(ge=0)])
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
    origin: Origin[Plan] | None = None
    cache: Cache | None = field(default=None, compare=False)

    def __repr__(self) -> str:
        return f"<Plan {self.title!r}: {counted(len(self.requests), 'table')} of {self.data_name}>"

    def __len__(self) -> int:
        return len(self.requests)

    @property
    def data_name(self) -> str:
        """The name of the file of responses, or how many files they are."""
        return name_of(self.data) if isinstance(self.data, Path) else self.data.name

    @property
    def inputs(self) -> tuple[Path, ...]:
        """All files that a report of the plan is made from, as far as the plan names them."""
        looks = (self.theme.logo, *(self.theme.font_files or ()), self.slides.template)
        named = [Path(name) for name in (self.theme_name, self.language) if is_yaml(name)]
        files = (
            *self.files,
            *self.codebook.files,
            *(self.data.files if isinstance(self.data, Waves) else (self.data,)),
            *named,
            *(path for path in looks if path is not None),
        )
        return tuple(dict.fromkeys(files))

    @checked
    def definition(self) -> dict[str, Any]:
        """Return what its own file says, as mappings and lists, without what that includes: `plan_of` takes it.

        Raises RequestError for a plan that was put together from its parts.
        """
        data = self._origin().document().data
        return deepcopy(data) if isinstance(data, dict) else {}

    @checked
    def with_definition(self, definition: Mapping[str, object]) -> Plan:
        """Return the plan that says something else, as `definition()` gives it and a program has changed it.

        Everything that is the same stays as it is written, with its comments. Raises RequestError, and DocumentError
        with every mistake.

        `definition` is all that the plan's own file says.
        """
        origin = self._origin()
        return origin.changed({origin.path: values_of(definition).data})

    @checked
    def with_table(self, entry: str | Mapping[str, object], *, after: str = "") -> Plan:
        """Return the plan with one entry more under `tables`; `save` writes it back.

        Raises UnknownName, RequestError, and DocumentError with every mistake.

        Example: `plan.with_table({"question": "liking", "figures": ["column percent", "mean"]}, after="named")`.

        `entry` is what a plan would say there: the name of a question, or a mapping. It follows the entry that has
        `after` as its id, question or grid; "" for the end.
        """
        said = self.definition()
        tables = list(said.get("tables") or [])
        place = len(tables)
        if after:
            places = [k for k, table in enumerate(tables) if after in _ids(table)]
            if not places:
                raise UnknownName("table", after, sorted({i for t in tables for i in _ids(t)}), "the plan")
            place = places[-1] + 1
        return self.with_definition({**said, "tables": [*tables[:place], entry, *tables[place:]]})

    @checked
    def with_banner(
        self, name: str, banner: Sequence[object] | Mapping[str, object], *, replace: bool = False
    ) -> Plan:
        """Return the plan with one named banner more; `save` writes it back.

        Raises RequestError where there is one of that name already, and DocumentError with every mistake.

        `name` is what tables call it, `banner` what a plan would say of it: a list of groups, or a mapping. With
        `replace` it takes the place of one of the same name.
        """
        said = self.definition()
        banners = dict(said.get("banners") or {})
        if name in banners and not replace:
            raise RequestError(f"There is a banner {name!r} already; say replace=True to write it anew.")
        written = banner if isinstance(banner, Mapping) else list(banner)
        return self.with_definition({**said, "banners": {**banners, name: written}})

    @checked
    def with_codebook(self, codebook: Codebook) -> Plan:
        """Return the plan of another `codebook`: one that a program has changed. Raises DocumentError."""
        return self._origin().with_beside(codebook)

    @checked
    def save(self, path: str | Path | None = None, *, force: bool = False) -> Path:
        """Write it back to the file it was read from; comments and order stay as they were written.

        One made in Python is written as YAML; `plan_text` spells a plan out. Raises RequestError where no path is
        known or it is in another folder than the plan's, from which its paths start, and FileProblem, also where the
        file has been changed since it was read.

        `path` writes it to another file; with `force` one that is there is replaced. Returns the path.
        """
        return self._origin().save(None if path is None else Path(path), force=force, bound=True)

    def _origin(self) -> Origin[Plan]:
        if self.origin is None:
            raise RequestError("This plan has nothing to change: it was neither read nor made by plan_of().")
        return self.origin


def _ids(entry: object) -> list[str]:
    """Return the ids that an entry under tables goes by: its own, else its question, or what else it shows."""
    if isinstance(entry, str):
        return [entry]
    if not isinstance(entry, Mapping):
        return []
    if "id" in entry:
        return [str(entry["id"])]
    return [str(entry[key]) for key in ("question", "grid") if key in entry]

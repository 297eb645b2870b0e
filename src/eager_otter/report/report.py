"""A report: all tables of a plan, and where they come from. `run` makes one, `save` writes it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import field, replace
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from eager_otter.asking.survey import Survey
from eager_otter.data.files import Source
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.errors import FileProblem, OtterError, RequestError, UnknownName, shown_path
from eager_otter.gates.outputs import BY_ENDING, ENDINGS, MANIFEST
from eager_otter.gates.viewed import Viewed
from eager_otter.gates.writing import check_targets, write_each
from eager_otter.looks.theme import STANDARD, Theme, load_theme
from eager_otter.looks.words import ENGLISH, Words, counted
from eager_otter.plan.plan import Plan
from eager_otter.tables.note import NotesLength
from eager_otter.tables.request import Banner, BannerGroup, interval_level
from eager_otter.tables.table import Table
from eager_otter.version import __version__

if TYPE_CHECKING:
    import pandas as pd

    from eager_otter.asking.notable import Findings, Notable
    from eager_otter.audit.slip import Audit
    from eager_otter.report.method import MethodPart
    from eager_otter.tables.explanation import Explanation

Progress = Callable[[str, int, int], None]  # told what is being done, how much of it is done, of how much


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Report(Viewed):
    """Finished tables in the order of the plan, with the facts that every output states.

    `audit` is what the outputs show of the data's audit; `audited`, where the audit was made already, is what the
    manifest tells of it.

    `title` and `author` are as the plan says, `tables` the finished ones; `source`, `filter` and `weight` tell what
    they are of. `outputs` are where `save` writes, with `notes` of this length, or that of `output_notes`. `plan` and
    `survey` are what it was made from, None for one put together by hand; `notable` are its findings; `theme` and
    `words` are how it looks and speaks.
    """

    title: str
    tables: tuple[Table, ...]
    source: Source
    filter: str | None = None
    weight: str | None = None
    outputs: tuple[Path, ...] = ()
    plan: Plan | None = None
    survey: Survey | None = None
    notable: tuple[Notable, ...] = ()
    theme: Theme = STANDARD
    audit: Audit | None = None
    audited: Audit | None = None
    words: Words = ENGLISH
    author: str = ""
    notes: NotesLength = "short"
    output_notes: Mapping[Path, NotesLength] = field(default_factory=dict)

    def __repr__(self) -> str:
        return f"<Report {self.title!r}: {counted(len(self.tables), 'table')}; {self.provenance}>"

    def __len__(self) -> int:
        return len(self.tables)

    def __iter__(self) -> Iterator[Table]:
        return iter(self.tables)

    def __getitem__(self, name: str) -> Table:
        return self.table(name)

    def _ipython_key_completions_(self) -> list[str]:
        return [table.id for table in self.tables]

    @property
    def provenance(self) -> str:
        """One line that tells where the figures come from: data, filter, weight, version. No clock in it."""
        say = self.words
        return say(
            "Data: {source}; filter: {filter}; weight: {weight}; made with {maker}",
            source=_source_text(self.source, say),
            filter=self.filter_words or say("none"),
            weight=self.weight or say("none"),
            maker=f"eager-otter {__version__}",
        )

    @property
    def filter_words(self) -> str:
        """The filter in a reader's words; "" where there is none."""
        if self.filter is None or self.survey is None:
            return self.filter or ""
        return self.survey.conditions.said(self.filter)

    @property
    def shown_title(self) -> str:
        """The title of the report on its outputs: its title, else "Tables"."""
        return self.title or self.words("Tables")

    @checked
    def table(self, name: str) -> Table:
        """Return a table by its id, `name`. Raises UnknownName."""
        for table in self.tables:
            if table.id == name:
                return table
        raise UnknownName("table", name, [table.id for table in self.tables], "the report")

    @checked
    def explain(self, table: str, row: str, column: str, figure: str | None = None) -> Explanation:
        """Return the working of a cell of a table: see `Table.explain`. Raises UnknownName, RequestError.

        `table` is an id; `row`, `column` and `figure` are what `Table.explain` takes.
        """
        return self.table(table).explain(row, column, figure)

    @checked
    def findings(
        self,
        *,
        waves: str | None = None,
        most: int | None = 25,
        least: float = 0.2,
        level: float | None = None,
    ) -> Findings:
        """Rank the notable differences: each cell against everyone else, the largest effect first.

        With `waves`, the question of waves, every table is set by it instead, and each wave against the one before.
        `least` is the smallest effect (Cohen's h or d), `level` a confidence percent (None: the plan's first, else 95),
        held after correcting for all cells looked at; columns below a minimum base stay out. Raises RequestError for a
        report that was not made from a plan, UnknownName.

        Example: `for one in report.findings(most=10): print(one.sentence)`.
        """
        from eager_otter.asking.notable import notable_differences, requests_against

        if self.plan is None or self.survey is None:
            raise RequestError(
                "This report was not made from a plan, so its differences cannot be looked for."
            )
        plan, survey = self.plan, self.survey
        if waves is None:
            requests = requests_against(plan.requests, "rest")
        else:
            survey.codebook.question(waves)
            banner = Banner(groups=(BannerGroup(question=waves),), name=waves)
            requests = requests_against(plan.requests, "previous", banner)
        usual = interval_level(plan.standard.levels)
        return notable_differences(
            survey.tables(requests),
            survey.codebook,
            level=usual if level is None else level,
            least=least,
            most=most,
        )

    @checked
    def records(self, table: str, row: str, column: str, figure: str | None = None) -> pd.DataFrame:
        """List the respondents behind a cell: row number (from 1), id where there is one, and all columns of the data.

        Raises UnknownName, and RequestError for a report that was not made from a plan.

        `table` is an id; `row`, `column` and `figure` are what `Table.explain` takes.
        """
        import pandas as pd

        if self.plan is None or self.survey is None:
            raise RequestError(
                "This report was not made from a plan, so the respondents cannot be found again."
            )
        (request,) = [one for one in self.plan.requests if one.id == self.table(table).id]
        rows = self.survey.people(request, row, column, figure)
        responses = self.survey.responses
        names = responses.all_columns()
        texts = responses.as_text(names)
        return pd.DataFrame(
            {
                "row": rows + 1,
                **{name: np.array(text, object)[rows] for name, text in zip(names, texts, strict=True)},
            }
        )

    @checked
    def chart(self, table: str, path: str | Path, *, group: str = "", force: bool = False) -> Path:
        """Draw a table as .png or .svg: the columns of a banner group, or the usual ones.

        Without `force`, a file that was not made by this package is not replaced. Raises UnknownName, RequestError,
        FileProblem, MissingPackage without Matplotlib.

        `table` is an id, `path` where the picture is written, `group` a banner group by label or question.
        """
        from eager_otter.report.picture import picture_of

        return picture_of(self.table(table), self.theme, self.provenance, group=group).save(path, force=force)

    @property
    def method(self) -> tuple[MethodPart, ...]:
        """How the tables were counted and tested: whole sentences by subject, each with the tables it is true of."""
        from eager_otter.report.method import method_of

        return method_of(self.tables, self.words)

    @checked
    def save(
        self,
        *paths: str | Path,
        progress: Progress | None = None,
        force: bool = False,
        notes: NotesLength | None = None,
        manifest: bool | None = None,
    ) -> list[Path]:
        """Write the report to files, by their endings, or to the plan's outputs when none is named.

        A file that is there and was not made by this package is replaced only with `force`, one that the report is made
        from never. `notes` is how long the notes under tables are ("short", "full", "none"; None: as the plan says).
        With `manifest`, `manifest.json` is written beside them, in the folder of the first: what the report was made
        of, for comparisons; left out, it is written with the outputs of a plan, and not with files named here.
        All are written beside their places first and then put there: each is whole or as it was, and what one writer
        cannot write does not stop the others. Gives the paths. Raises RequestError for an ending that is not known,
        FileProblem naming the files that cannot be written, when the others are.

        `paths` end in what outputs end in; `progress` receives what is being written, how much of it is done, of how
        much.
        """
        wanted = [Path(path) for path in paths] or list(self.outputs)
        if not wanted:
            raise RequestError("Nothing to write: name a file, or list outputs in the plan.")
        beside_them = [wanted[0].parent / MANIFEST] if self._has_manifest(manifest, paths) else []
        self.check_outputs([*wanted, *beside_them], force=force)
        writers = [
            (path, self._writer(path, notes, _step(progress, path, k, len(wanted))))
            for k, path in enumerate(wanted)
        ]
        written, problems = write_each(writers, force=True)
        if beside_them and written:
            from eager_otter.report.manifest import save_manifest

            save_manifest(self, written, force=True)
        if problems:
            raise _joined(problems, written)
        return wanted

    @checked
    def check_outputs(self, paths: Sequence[Path], *, force: bool) -> None:
        """Refuse files that the report may not be written to. Raises RequestError, FileProblem: see `save`.

        `paths` are those to be written to; with `force`, also files that were not made by this package.
        """
        for path in paths:
            if path.name != MANIFEST:
                _check_ending(path)
        check_targets(paths, inputs=self.inputs, force=force)

    @property
    def inputs(self) -> tuple[Path, ...]:
        """All files that it is made from."""
        file = None if self.survey is None else self.survey.responses.file
        return (*(() if self.plan is None else self.plan.inputs), *(() if file is None else file.paths))

    def _writer(
        self, path: Path, notes: NotesLength | None, begin: Callable[[], None]
    ) -> Callable[[Path], None]:
        """Make the function that writes an output to a path."""

        def write(part: Path) -> None:
            begin()
            tidy = BY_ENDING[path.suffix.lower()].tidy
            length = notes or self.output_notes.get(path, self.notes)
            _module_for(path).write(replace(self if tidy else self.displayed, notes=length), part)

        return write

    def _has_manifest(self, manifest: bool | None, paths: Sequence[str | Path]) -> bool:
        """Return whether a manifest is written: as asked, else with the outputs of a plan. Raises RequestError."""
        if manifest and self.plan is None:
            raise RequestError("This report was not made from a plan, so it has no manifest.")
        return (not paths and self.plan is not None) if manifest is None else manifest

    @property
    def displayed(self) -> Report:
        """The report with its tables as people read them: see `Table.displayed`."""
        return replace(self, tables=tuple(table.displayed for table in self.tables))


def with_new_headings(tables: Sequence[Table]) -> Iterator[tuple[Table, str]]:
    """Go through tables, each with the heading that begins with it, "" where none does."""
    heading = ""
    for table in tables:
        yield table, "" if table.heading == heading else table.heading
        heading = table.heading


def _source_text(source: Source, say: Words) -> str:
    """Return where responses came from."""
    name = say("{count} {count:file|files}", count=len(source.each)) if source.each else source.name
    parts = [name, source.how, say("{count} {count:row|rows}", count=source.rows)]
    parts.append(say("file of {time} UTC", time=source.changed) if source.changed else "")
    parts.append(f"SHA-256 {source.fingerprint}…" if source.fingerprint else "")
    parts.append(say("version {version}", version=source.version) if source.version else "")
    return ", ".join(part for part in parts if part)


def _step(progress: Progress | None, path: Path, number: int, of: int) -> Callable[[], None]:
    """Make the function that says which file is being written."""
    return lambda: None if progress is None else progress(f"Writing {path.name}", number, of)


def _joined(problems: Sequence[OtterError], written: Sequence[Path]) -> OtterError:
    """Make one error of what was wrong with some outputs, and say which others were written."""
    if len(problems) == 1 and not written:
        return problems[0]
    lines = [str(problem) for problem in problems]
    if written:
        lines.append(f"Written all the same: {', '.join(shown_path(path) for path in written)}.")
    return FileProblem("\n".join(lines))


def _module_for(path: Path) -> Any:
    return import_module(f"eager_otter.report.{BY_ENDING[path.suffix.lower()].writer}")


def _check_ending(path: Path) -> None:
    if path.suffix.lower() not in ENDINGS:
        known = ", ".join(ENDINGS)
        raise RequestError(
            f"{path.name}: no output ends in {path.suffix or 'nothing'!r}. Known endings: {known}."
        )


@checked
def report_of(
    tables: Sequence[Table],
    *,
    title: str = "",
    author: str = "",
    theme: str | Theme = STANDARD,
    notes: NotesLength = "short",
) -> Report:
    """Put `tables` that a survey made into a report, in this order, to be saved as one.

    `title` and `author` are on it; `notes` is how long the notes under tables are. Each table keeps its id, or is
    given one after its question. `theme` is one that ships, a YAML file or a `Theme`. What the foot of outputs says of
    data, filters and weight is that of the tables, and empty where they differ. Raises RequestError for no table,
    UnknownName, FileProblem, DocumentError.

    Example: `report_of([survey.table("liking"), survey.table("spend")], title="Two").save("two.xlsx")`.
    """
    if not tables:
        raise RequestError("A report needs a table; none was given.")
    facts = [table.facts for table in tables if table.facts is not None]
    sources = list(dict.fromkeys(one.source for one in facts if one.source is not None))
    filters = {" and ".join(step.wording for step in one.filters if step is not one.base) for one in facts}
    weights = {one.weight for one in facts}
    names: dict[str, int] = {}
    named = []
    for table in tables:
        name = table.id or table.question
        names[name] = names.get(name, 0) + 1
        named.append(replace(table, id=name if names[name] == 1 else f"{name}-{names[name]}"))
    return Report(
        title=title or (tables[0].title if len(tables) == 1 else ""),
        tables=tuple(named),
        source=_source_of_all(sources),
        filter=(filters.pop() or None) if len(filters) == 1 else None,
        weight=weights.pop() if len(weights) == 1 else None,
        theme=theme if isinstance(theme, Theme) else load_theme(theme),
        words=tables[0].words,
        author=author,
        notes=notes,
    )


def _source_of_all(sources: Sequence[Source]) -> Source:
    """Return the source of tables; of several, their names and all their rows."""
    if len(sources) == 1:
        return sources[0]
    return Source(name=", ".join(one.name for one in sources), rows=sum(one.rows for one in sources))


def report_of_plan(plan: Plan, survey: Survey, tables: Sequence[Table]) -> Report:
    """Put the finished tables of a plan's requests into its report."""
    return Report(
        title=plan.title,
        tables=tuple(tables),
        source=survey.source if plan.file_date else replace(survey.source, changed=""),
        filter=plan.filter,
        weight=survey.weight,
        outputs=plan.outputs,
        plan=plan,
        survey=survey,
        theme=plan.theme,
        words=plan.words,
        author=plan.author,
        notes=plan.notes,
        output_notes=plan.output_notes,
    )

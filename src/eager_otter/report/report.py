"""A report: all tables of a plan, and where they come from. `run` makes one, `save` writes it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from eager_otter.asking.notable import Findings, Notable, notable_differences, requests_against
from eager_otter.asking.survey import Survey
from eager_otter.audit.auditing import audit_plan
from eager_otter.audit.questionnaires import audit_unread
from eager_otter.audit.slip import Audit
from eager_otter.codebook.expression import parse
from eager_otter.codebook.model import Codebook
from eager_otter.codebook.unchanged import alike_as_a_whole, unchanged
from eager_otter.comparing.manifest import MANIFEST
from eager_otter.counting.running import Runner, runner_for
from eager_otter.data.files import Source, source_of
from eager_otter.data.opened import open_responses
from eager_otter.data.opening import Reading
from eager_otter.data.waves import Waves
from eager_otter.documents.settled import checked
from eager_otter.drafting.questionnaires import check_questionnaires
from eager_otter.errors import FileProblem, OtterError, RequestError, UnknownName, shown_path
from eager_otter.gates.machine import bytes_in
from eager_otter.gates.outputs import BY_ENDING, ENDINGS
from eager_otter.gates.reading import is_file
from eager_otter.gates.viewed import Viewed
from eager_otter.gates.writing import check_targets, write_each
from eager_otter.looks.theme import STANDARD, Theme, load_theme
from eager_otter.looks.words import ENGLISH, Words, counted
from eager_otter.plan.asked import CallReader
from eager_otter.plan.plan import Plan
from eager_otter.plan.reading import read_plan
from eager_otter.report.view import StandardViewer
from eager_otter.tables.note import NotesLength
from eager_otter.tables.request import Banner, BannerGroup, interval_level
from eager_otter.tables.table import Table
from eager_otter.version import __version__
from eager_otter.weighing.reading import targets_of
from eager_otter.weighing.weighing import Wanted, Weighting
from eager_otter.weighing.weighing import weigh as make_weights

if TYPE_CHECKING:
    import pandas as pd

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
def open_survey(codebook: str | Path | Codebook, data: Any, *, reading: Reading | None = None) -> Survey:
    """Open a survey: a codebook (or the path of one), and its responses.

    `codebook` may also be the path of one; `data` are a path, or a frame of pandas, Polars, Arrow or anything that
    gives itself as a stream of Arrow. Paths end in .csv, .xlsx, .ods, .parquet, .json, .jsonl or, for triple-s, .xml.
    `reading` names a sheet, delimiter, encoding, decimal sign or two rows of headings where the file does not tell.

    It is weighted by the codebook's weight, if it names one. Raises FileProblem, DocumentError (every mistake
    in the codebook), DataError.

    Example: `open_survey("codebook.yaml", "responses.csv").table("heard_of", banner="region")`.
    """
    from eager_otter.codebook.reading import read_codebook

    book = codebook if isinstance(codebook, Codebook) else read_codebook(codebook)
    if isinstance(data, Waves):
        check_questionnaires(book, data)
    survey = Survey(
        responses=open_responses(book, data, reading), viewer=StandardViewer(), reader=CallReader()
    )
    return survey if book.weight is None else survey.weighted_by(book.weight)


def survey_of(plan: Plan, memory: int | None = None) -> Survey:
    """Open the survey of a plan, with its filter and weight; `memory` is what may be kept of the data, in bytes.

    Raises FileProblem, DataError, RequestError.
    """
    if isinstance(plan.data, Waves):
        check_questionnaires(plan.codebook, plan.data)
    responses = open_responses(plan.codebook, plan.data, plan.reading, memory)
    survey = Survey(
        responses=responses,
        filter=plan.filter,
        weight=plan.weight,
        viewer=StandardViewer(plan.theme, plan.notes),
        words=plan.words,
        reader=CallReader(plan.banners),
        own_conditions=plan.conditions,
    )
    survey.population()
    return survey if plan.equal_waves is None else survey.with_equal_waves(plan.equal_waves)


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


@checked
def run(
    plan: str | Path | Plan,
    *,
    progress: Progress | None = None,
    before: Report | None = None,
    workers: int | None = None,
    memory: int | str | None = None,
    cluster: Any = None,
) -> Report:
    """Make the report of a plan; write it with `Report.save()`.

    `plan` is one, or the path of one; `progress` receives what is being done, how much of it is done, of how much.

    `before` is an earlier report: while data and codebook are the same, nothing is read again, and only tables that are
    wanted differently are made again.

    A long file of data is counted by `workers` processes (None: as many as there are processors, where that is worth
    it), or on a `cluster`: the address of a Dask scheduler, or a client of it. `memory` is what may be kept of the data
    meanwhile ("500 MB", or bytes; None: as fits the machine). Figures do not depend on any of these.

    Raises FileProblem, DocumentError (every mistake in plan and codebook, before data are read), DataError,
    RequestError, ExpressionError.
    """
    if not isinstance(plan, Plan):
        plan = read_plan(plan)
    if progress is not None:
        progress(f"Reading {plan.data.name}", 0, 1)
    if plan.for_each is not None:
        raise RequestError(
            f"The plan makes a report for each answer of {plan.for_each.question}: run each of `plans_for_each(plan)`."
        )
    earlier = None if before is None else _survey_before(before, plan)
    survey = (
        survey_of(plan, None if memory is None else bytes_in(memory))
        if earlier is None
        else replace(
            earlier,
            filter=plan.filter,
            weight=plan.weight,
            words=plan.words,
            reader=CallReader(plan.banners),
            own_conditions=plan.conditions,
            viewer=StandardViewer(plan.theme, plan.notes),
        )
    )
    if earlier is not None:  # else opening it has seen to it that somebody is counted
        survey.population()
    survey = replace(
        survey,
        runner=_runner(survey, workers, cluster),
        counting=None if progress is None else partial(progress, "Counting rows"),
    )
    ready = {} if before is None or earlier is None else _tables_before(before, plan)
    missing = [request for request in plan.requests if request.id not in ready]
    done = None if progress is None else _counting(progress, len(missing))
    new = survey.tables(missing, done) if missing else []
    by_id = ready | {request.id: table for request, table in zip(missing, new, strict=True)}
    report = report_of_plan(plan, survey, [by_id[request.id] for request in plan.requests])
    if plan.audit:
        report = replace(report, audit=audit_plan(plan, survey))
    if not plan.findings:
        return report
    if progress is not None:
        progress("Looking for notable differences", len(missing), len(missing))
    return replace(report, notable=report.findings(most=plan.findings))


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


def _runner(survey: Survey, workers: int | None, cluster: Any) -> Runner:
    """Choose who counts. Raises RequestError, MachineProblem, MissingPackage."""
    if workers is not None and (not isinstance(workers, int) or isinstance(workers, bool) or workers < 1):
        raise RequestError(f"Workers are a whole number from 1 up; found {workers!r}.")
    if cluster is None:
        return runner_for(workers, survey.responses)
    if workers is not None:
        raise RequestError("A cluster has its own workers; leave workers out, or the cluster.")
    from eager_otter.counting.cluster import cluster_at

    return cluster_at(cluster)


def _survey_before(before: Report, plan: Plan) -> Survey | None:
    """Return the survey of an earlier report where the data and codebook are still the same."""
    old, survey = before.plan, before.survey
    if old is None or survey is None:
        return None
    if plan.equal_waves is not None or old.equal_waves is not None:
        return None
    if (old.data, old.reading) != (plan.data, plan.reading):
        return None
    if not isinstance(plan.data, Path) or not is_file(plan.data):
        return None
    if source_of(plan.data, survey.source.rows).fingerprint != survey.source.fingerprint:
        return None
    if _same_codebook(old, plan):
        return survey
    responses = survey.responses.under(plan.codebook)
    return None if responses is None else replace(survey, responses=responses)


def _same_codebook(old: Plan, plan: Plan) -> bool:
    """Return whether two plans have the same codebook, in the same language."""
    same = bool(plan.codebook.digest) and old.codebook.digest == plan.codebook.digest
    return same and (not plan.codebook.translations or old.words.language == plan.words.language)


def _tables_before(before: Report, plan: Plan) -> dict[str, Table]:
    """Return the tables of an earlier report that are wanted again, by id, where the same people are counted alike."""
    old = before.plan
    if old is None or _counted_alike(old) != _counted_alike(plan):
        return {}
    same = None if _same_codebook(old, plan) else unchanged(old.codebook, plan.codebook)
    if same is not None and not alike_as_a_whole(old.codebook, plan.codebook):
        return {}
    known = {request.id: (request, table) for request, table in zip(old.requests, before.tables, strict=True)}
    viewer = StandardViewer(plan.theme, plan.notes)
    reusable = {}
    for request in plan.requests:
        rests_on = set() if same is None else {*request.questions_named(), *_named_by(plan)}
        if (
            request.id in known
            and known[request.id][0] == request
            and (same is None or rests_on <= same | set(plan.codebook.grids))
        ):
            table = known[request.id][1]
            reusable[request.id] = table if table.viewer == viewer else replace(table, viewer=viewer)
    return reusable


def _named_by(plan: Plan) -> set[str]:
    """Return the questions that the filter of a plan names."""
    return set() if plan.filter is None else parse(plan.filter).names()


def _counted_alike(plan: Plan) -> tuple[object, ...]:
    """Return what a table takes from its plan beside its own request."""
    return plan.filter, plan.weight, plan.conditions


@checked
def run_audit(plan: str | Path | Plan) -> Audit:
    """Check the data of a `plan` against its codebook: all slips, the worst first, and the recode tables.

    Several files whose codebooks differ in what nobody has said are not read: these differences are the slips then.

    Raises what `run` raises.
    """
    checked = plan if isinstance(plan, Plan) else read_plan(plan)
    unread = audit_unread(checked)
    if unread is not None:
        return unread
    survey = survey_of(checked)
    return audit_plan(checked, replace(survey, runner=_runner(survey, None, None)))


@checked
def weigh(
    survey: Survey,
    targets: Mapping[str, Mapping[str, float]],
    *,
    cap: float | None = None,
    total: float | None = None,
    within: str | None = None,
    start: str | None = None,
    counts: bool = False,
    mean_where_unanswered: bool = False,
) -> Weighting:
    """Make weights for the respondents whom a survey counts, by raking to targets per question.

    `targets` gives shares (adding up to 100) or, with `counts`, counts of the answers of each question, by code or
    label. `cap` is the largest weight over the mean, `total` what the weights add up to (None: mean 1), `within` a
    question each answer of which is raked for itself, `start` a column of starting weights; with
    `mean_where_unanswered`, those without an answer to a question of the targets keep the mean weight. Weights of rows
    that are not counted are 0. Raises RequestError, UnknownName, DataError.

    Example: `weigh(survey, {"gender": {"A woman": 51, "A man": 49}}).weights`.
    """
    wanted = Wanted(
        targets=targets_of(targets),
        counts=counts,
        cap=cap,
        total=total,
        start=start,
        within=within,
        mean_where_unanswered=mean_where_unanswered,
    )
    return make_weights(survey.responses, wanted, survey.responses.filtered(survey.filter))


def _counting(progress: Progress, tables: int) -> Callable[[int], None]:
    return lambda done: progress("Making tables", done, tables)

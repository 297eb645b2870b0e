"""Read a plan and its codebook; report every mistake in both before any data are read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from pathlib import Path

from eager_otter.codebook.model import Codebook
from eager_otter.codebook.reading import read_codebook
from eager_otter.codebook.translating import in_language as codebook_in
from eager_otter.data.opening import Reading
from eager_otter.data.waves import Wave, WaveChanges, Waves, month_of, waves_of, with_waves
from eager_otter.documents.including import with_included
from eager_otter.documents.options import given
from eager_otter.documents.origin import Origin
from eager_otter.documents.settled import checked
from eager_otter.documents.values import values_of
from eager_otter.documents.yaml_nodes import Document, Place, compose, is_yaml, read_yaml
from eager_otter.errors import DocumentError, FileProblem, OtterError, UnknownName, name_of, shown_path
from eager_otter.gates.reading import is_stored, relative, resolved
from eager_otter.gates.storage import data_matching
from eager_otter.looks.catalogue import load_words
from eager_otter.plan.asked_for import AskedFor, tables_asked_for
from eager_otter.plan.banners import BannerReading
from eager_otter.plan.context import Context
from eager_otter.plan.file import AcceptFile, DataPart, ForEachFile, PlanFile, ReadingPart, WavePart
from eager_otter.plan.plan import Acceptance, ForEach, Plan, SlideRules
from eager_otter.plan.settings import SettingsReading
from eager_otter.plan.tables import TablesReading
from eager_otter.plan.translating import in_own_language

NO_WEIGHT = "none"
JOINED_LISTS = ("tables", "accept")  # entries of included files come first
JOINED_MAPPINGS = ("banners", "conditions")


@checked
def read_plan(path: str | Path) -> Plan:
    """Read a plan, what it includes, and the codebook it names.

    Raises FileProblem when one cannot be read, DocumentError with every mistake of both.

    `path` is that of a YAML file.
    """
    document = read_yaml(Path(path), "plan")
    return _plan(document, Origin.of(document, _of_origin, named=True))


@checked
def plan_from_text(text: str, folder: str | Path = ".") -> Plan:
    """Return the plan of a YAML `text`; paths in it start from `folder`. Raises what `read_plan` raises."""
    document = compose(text, Path(folder) / "plan")
    return _plan(document, Origin.of(document, _of_origin, named=False))


@checked
def plan_of(
    settings: Mapping[str, object], *, codebook: Codebook | None = None, folder: str | Path = "."
) -> Plan:
    """Return the plan of some `settings`: what a plan file says, as mappings and lists.

    `codebook` is that of the plan where the settings name none; paths start from `folder`. Raises FileProblem, and
    DocumentError with every mistake, each named by its place: `tables[0].figures`.

    Example: `plan_of({"data": "responses.csv", "codebook": "codebook.yaml", "tables": ["liking"]})`.
    """
    document = values_of(settings)
    document.path = Path(folder) / "plan"
    if codebook is not None and isinstance(document.data, dict) and "codebook" not in document.data:
        document.data["codebook"] = "" if codebook.path is None else relative(codebook.path, Path(folder))
    return _plan(document, replace(Origin.of(document, _of_origin, named=False), beside=codebook))


def read_plan_for(asked: AskedFor, path: Path) -> Plan:
    """Read a plan with only the tables that are asked for once.

    Raises what `read_plan` does, UnknownName, and RequestError with every mistake in the settings.
    """
    document = read_yaml(path, "plan")
    return _plan(document, Origin.of(document, _of_origin, named=True), asked)


def plan_of_files_for(asked: AskedFor, codebook: Path, data: Path) -> Plan:
    """Return a plan of a codebook and data without any other settings, with the tables that are asked for."""
    document = values_of({"data": str(data), "codebook": str(codebook), "tables": [{"each": "all"}]})
    document.path = Path("plan")
    return _plan(document, Origin.of(document, _of_origin, named=False), asked)


def _of_origin(origin: Origin[Plan]) -> Plan:
    """Read the plan again from what it comes from, with the codebook where it was given one."""
    return _plan(origin.document(), origin)


def only_tables(plan: Plan, ids: Sequence[str]) -> Plan:
    """Keep only some tables of a plan, by id or pattern, and no list of findings.

    Raises UnknownName for one that fits none.
    """
    known = [request.id for request in plan.requests]
    for name in ids:
        if not any(fnmatchcase(one, name) for one in known):
            raise UnknownName("table", name, known, "the plan")
    kept = [request for request in plan.requests if any(fnmatchcase(request.id, name) for name in ids)]
    return replace(plan, requests=tuple(kept), findings=0, audit=False)


def in_language(plan: Plan, language: str, folder: Path = Path()) -> Plan:
    """Say the fixed words of a plan's tables in another language: "en", "de" or a catalogue, its path from `folder`.

    Labels and texts follow, where the codebook has a translation for it.

    Raises UnknownName, FileProblem, DocumentError.
    """
    words = load_words(language, folder).rephrased(plan.theme.wording)
    said = replace(
        plan,
        words=words,
        language=_from_folder(language, folder),
        standard=replace(plan.standard, words=words),
        requests=tuple(replace(request, words=words) for request in plan.requests),
    )
    return in_own_language(said)


def _from_folder(name: str, folder: Path) -> str:
    """Return what ships by its name, and a file by its whole path, so that it is found from anywhere."""
    return str(resolved(folder) / name) if is_yaml(name) else name


def _plan(document: Document, origin: Origin[Plan], asked: AskedFor | None = None) -> Plan:
    codebook: Codebook | None = origin.beside
    context = Context(with_included(document, lists=JOINED_LISTS, mappings=JOINED_MAPPINGS))
    head = context.part(PlanFile, context.document.data, ())
    if codebook is None:
        context.read_codebook()
    else:
        context.codebook = codebook
    data = None if head is None else _data(head.data, context)
    banners = BannerReading(context)
    settings = SettingsReading(context, banners)
    theme = context.theme()
    words = context.words(theme)
    standard = settings.standard(theme, words)
    if context.codebook is not None:
        context.codebook = codebook_in(context.codebook, words.language)
    tables = TablesReading(context, settings, standard)
    requests = tables.requests()
    plan_filter = context.text("filter")
    if plan_filter is not None:
        context.check_expression(plan_filter, ("filter",))
    if head is not None and head.equal_waves is not None:
        equal = context.question(head.equal_waves, ("equal waves",))
        if equal is not None and not equal.is_of.of_one_answer:
            context.mistake(
                ("equal waves",), f"{equal.name} is of kind {equal.kind}; a single question was expected."
            )
    each = None if head is None or head.for_each is None else _for_each(head.for_each, context)
    conditions: dict[str, str] = {} if head is None else head.conditions
    for expression in conditions:
        context.check_expression(expression, ("conditions", expression))
    if context.problems or head is None or context.codebook is None or data is None:
        raise DocumentError(context.problems)
    if asked is not None:
        requests = tables_asked_for(asked, context, tables, requests)
    folder = document.path.parent
    weight = head.weight if head.weight is not None else context.codebook.weight
    weight = None if weight == NO_WEIGHT else weight
    plan = Plan(
        path=document.path,
        origin=origin,
        title=head.title or context.codebook.title,
        **given(head, Plan),
        data=data,
        reading=_reading(head.data),
        codebook=replace(context.codebook, weight=weight),
        filter=head.filter,
        weight=weight,
        for_each=each,
        banners=banners.banners,
        requests=tuple(requests),
        conditions=conditions,
        outputs=tuple(folder / output.file for output in head.outputs),
        output_notes={
            folder / output.file: output.notes for output in head.outputs if output.notes is not None
        },
        standard=standard,
        theme=theme,
        theme_name=_from_folder(head.theme, folder),
        words=words,
        language=_from_folder(head.language, folder),
        slides=SlideRules(
            template=None if head.slides.template is None else folder / head.slides.template,
            **given(head.slides, SlideRules),
        ),
        accepted=tuple(
            Acceptance(slip=_slip_named(context, entry, k), where=entry.where, because=entry.because)
            for k, entry in enumerate(head.accept)
        ),
        hints=tuple(sorted(set(context.hints))),
        files=context.document.files,
    )
    return in_own_language(plan)


NOT_OF_ONE_REPORT = ("data", "codebook", "include", "for each")  # what all reports of a plan have in common


def _for_each(part: ForEachFile, context: Context) -> ForEach | None:
    """Check of which answers there is a report each, and which of them differ."""
    question = context.question(part.question, ("for each",))
    if question is None:
        return None
    if not question.is_of.of_answers:
        context.mistake(("for each",), f"{question.name} is of kind {question.kind} and has no answers.")
        return None
    keep = [context.answer(question, name, ("for each", "keep", k)) for k, name in enumerate(part.keep or [])]
    differs = {}
    for name, own in part.differs.items():
        place: Place = ("for each", "differs", name)
        code = context.answer(question, name, place)
        if code is not None:
            differs[code] = own
        if code is not None and part.keep is not None and code not in keep:
            context.mistake(place, f"{name!r} is not among the answers to keep, so this would do nothing.")
        for key in own:
            if key in NOT_OF_ONE_REPORT:
                context.mistake(
                    (*place, key), f"{key} is the same for all reports of a plan; take it out.", key=True
                )
    return ForEach(
        question=question.name,
        keep=None if part.keep is None else tuple(code for code in keep if code is not None),
        differs=differs,
    )


def _reading(part: ReadingPart) -> Reading:
    return Reading(
        sheet=part.sheet,
        delimiter=part.delimiter,
        encoding=part.encoding,
        decimal=part.decimal,
        heading_rows=part.heading_rows,
        headings_from_row=part.headings_from_row,
    )


def _data(part: DataPart, context: Context) -> Path | Waves | None:
    """Return the file of a plan, or its several files, of which the codebook learns; None for mistakes."""
    folder = context.document.path.parent
    if part.file is not None:
        return folder / part.file
    entries = part.files
    if isinstance(entries, str):
        try:
            found = data_matching(folder, entries)
        except OtterError as error:
            context.refused(("data", "files"), error)
            return None
        if not found:
            where = "" if is_stored(folder / entries) else f"; looked in {shown_path(folder)}"
            context.mistake(("data", "files"), f"no file fits {entries!r}{where}.")
        waves = tuple(
            Wave(data=path, label=name_of(path).partition(".")[0], reading=_reading(part)) for path in found
        )
    else:
        waves = tuple(
            _wave(entry, folder, _own_codebook(entry, k, context), _date(entry, k, context))
            for k, entry in enumerate(entries or ())
        )
    several = Waves(waves=waves, question=part.question, label=part.label)
    if not waves or context.codebook is None:
        return several
    try:
        checked_waves = waves_of(several)
        assert checked_waves is not None
        context.codebook = with_waves(context.codebook, checked_waves)
    except OtterError as error:
        context.refused(("data",), error)
        context.mistaken |= {part.question}
        return None
    return checked_waves


def _own_codebook(entry: WavePart, place: int, context: Context) -> Codebook | None:
    """Read the codebook of one of several files; its problems join the others."""
    if entry.codebook is None:
        return None
    try:
        return read_codebook(context.document.path.parent / entry.codebook)
    except DocumentError as error:
        context.problems += error.problems
    except FileProblem as error:
        context.refused(("data", "files", place, "codebook"), error)
    return None


def _date(entry: WavePart, place: int, context: Context) -> str:
    """Return the month of one of several files, "" where none is said; what is wrong with it joins the problems."""
    try:
        return month_of(entry.date, entry.label or "date") if entry.date else ""
    except OtterError as error:
        context.refused(("data", "files", place, "date"), error)
    return ""


def _wave(entry: WavePart, folder: Path, codebook: Codebook | None, date: str) -> Wave:
    changes = entry.changes
    return Wave(
        data=folder / entry.file,
        label=entry.label or name_of(Path(entry.file)).partition(".")[0],
        reading=_reading(entry),
        codebook=codebook,
        date=date,
        changes=WaveChanges(
            columns=changes.columns,
            codes=changes.codes,
            not_asked=tuple(changes.not_asked),
            not_offered={name: tuple(answers) for name, answers in changes.not_offered.items()},
        ),
    )


def _slip_named(context: Context, entry: AcceptFile, place: int) -> str:
    """Return the slip that an entry accepts, also where it is called as version 0.1 did."""
    if entry.finding is not None:
        context.hint(("accept", place, "finding"), "'finding' is called 'slip' now; write that.", key=True)
    return entry.slip or entry.finding or ""

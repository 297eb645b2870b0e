"""Options that several commands share, and how to open what they name."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click
from click.core import ParameterSource

from eager_otter.errors import FileProblem, Problem, RequestError, one_of, shown_path
from eager_otter.gates.outputs import TEXTS
from eager_otter.gates.reading import is_file, is_folder
from eager_otter.gates.streams import echo

if TYPE_CHECKING:
    from eager_otter.asking.survey import Survey
    from eager_otter.gates.cache import Cache
    from eager_otter.plan.plan import Plan
    from eager_otter.report.report import Report
    from eager_otter.tables.note import NotesLength

F = TypeVar("F", bound=Callable[..., Any])
UNSAID = (None, ParameterSource.DEFAULT, ParameterSource.DEFAULT_MAP)  # what nobody gave in this line
CACHE, TOLD = "EAGER_OTTER_CACHE", "cache told"
# What a mistake on the command line most often comes from: blanks that the shell parts words at.
BLANKS_IN_QUOTES = (
    "What holds blanks or < > ( ) stands in quotes: --filter 'age >= 35', -b 'region within wave'."
)
OPERATORS = ("and", "or", "not", "in", "within", "ge", "le", "gt", "lt", "eq", "of", "to", "is")


def parted_words(words: Sequence[str]) -> str:
    """Return a sentence on quotes, on a line of its own, where words may be parts of an expression; "" otherwise."""
    parts = any(
        word.lower() in OPERATORS or word[:1].isdigit() or any(sign in word for sign in "<>=()&|+")
        for word in words
    )
    return f"\n{BLANKS_IN_QUOTES}" if parts else ""


plan_option = click.option(
    "--plan",
    "-p",
    "plan_path",
    type=click.Path(path_type=Path),
    default=Path("plan.yaml"),
    show_default=True,
    help="The plan that names codebook and data.",
)
codebook_option = click.option(
    "--codebook", type=click.Path(path_type=Path), help="A codebook, instead of the plan's; needs --data."
)
data_option = click.option(
    "--data", type=click.Path(path_type=Path), help="A file of responses, instead of the plan's."
)
filter_option = click.option(
    "--filter",
    "filter_text",
    metavar="EXPRESSION",
    help="Count only those who satisfy it, of those whom the plan's filter keeps: 'age >= 18 and region == \"North\"'.",
)
everyone_option = click.option(
    "--no-filter",
    is_flag=True,
    help="Leave the plan's filter out; with --filter, that one replaces it.",
)
weight_option = click.option(
    "--weight", metavar="COLUMN", help="Weight by this column, instead of the plan's; 'none' for unweighted."
)


language_option = click.option(
    "--language",
    metavar="LANGUAGE",
    help="Speak this language instead of the plan's: en, de, or a catalogue (.yaml); labels too, where the codebook "
    "translates them.",
)


def people_options(command: F) -> F:
    """Add the options that change whose data a plan counts, and with what weight; `changed` takes what they say."""
    for option in reversed((data_option, filter_option, everyone_option, weight_option)):
        command = option(command)
    return command


def machine_options(command: F) -> F:
    """Add the options that say who counts long data, and how much memory that may take."""
    for option in reversed(
        (
            click.option(
                "--workers",
                type=click.IntRange(min=1),
                metavar="N",
                help="Count long data by so many processes. Default: by all processors, where that is worth it.",
            ),
            click.option(
                "--memory",
                metavar="SIZE",
                help="How much may be kept of the data meanwhile: 500MB, 2GB. Default: as fits the machine.",
            ),
            click.option(
                "--cluster",
                metavar="ADDRESS",
                help="Count long data on the cluster of the Dask scheduler at this address: tcp://host:8786.",
            ),
        )
    ):
        command = option(command)
    return command


def _named_cache(context: click.Context, _: click.Parameter, value: str | None) -> None:
    from eager_otter.gates.cache import cache_at

    context.meta[CACHE] = cache_at(value)


def cache_option(command: F) -> F:
    """Add the option that says where columns are kept; `kept_in` gives what it says."""
    return click.option(
        "--cache",
        metavar="FOLDER",
        envvar=CACHE,
        expose_value=False,
        callback=_named_cache,
        help="Keep columns of files that are slow to read in this folder, for the next time; 'off': nowhere. Default: "
        f"as {CACHE} says, else the user's folder for such files (eager-otter cache).",
    )(command)


def kept_in() -> Cache | None:
    """Return where columns of slow files are kept, as command line or environment say; say at the end what was kept."""
    from eager_otter.gates.cache import cache_at

    context = click.get_current_context()
    if CACHE not in context.meta:
        context.meta[CACHE] = cache_at(os.environ.get(CACHE) or None)
    cache: Cache | None = context.meta[CACHE]
    if cache is not None and TOLD not in context.meta:
        context.meta[TOLD] = True
        context.call_on_close(lambda: _tell_kept(cache))
    return cache


def _tell_kept(cache: Cache) -> None:
    for text in cache.told:
        echo(text, err=True)


def notes_option(command: F) -> F:
    """Add the option that says how long the notes under tables are."""
    return click.option(
        "--notes",
        type=click.Choice(["short", "full", "none"]),
        help="Notes under tables: in a few lines, in full, or only what explains a mark. Default: as the plan says, "
        "else short.",
    )(command)


def force_option(command: F) -> F:
    """Add the option that lets a command replace files that eager-otter did not make."""
    return click.option(
        "--force",
        is_flag=True,
        callback=_noting,
        help="Replace files that eager-otter did not make. What the command reads is never replaced.",
    )(command)


def _noting(context: click.Context, _: click.Parameter, value: bool) -> bool:
    """Let files without a mark that this program wrote be known again, while nobody has changed them."""
    from eager_otter.gates.writing import NOTED

    token = NOTED.set(kept_in())
    context.call_on_close(lambda: NOTED.reset(token))
    return value


def renamed_option(old: str, new: str) -> Callable[[F], F]:
    """Refuse an option under the name it had in version 0.1, and name what it is called now."""

    def tell(context: click.Context, _: click.Parameter, value: object) -> None:
        if value:
            raise RequestError(f"{old} is called {new} now; write that.")

    return click.option(old, hidden=True, multiple=True, expose_value=False, callback=tell)


class FigureOption(click.Option):
    """An option whose help lists the figures there are, which are loaded when it is read."""

    def get_help_record(self, ctx: click.Context) -> tuple[str, str] | None:
        """Return the option and its help."""
        from eager_otter.figures.registry import EXAMPLE, all_figures

        self.help = f"What to show: {', '.join(figure.name for figure in all_figures())}, {EXAMPLE}."
        return super().get_help_record(ctx)


def inputs_of(survey: Survey, plan: Plan | None) -> list[Path]:
    """List the files that a survey is read from, and its plan."""
    file = survey.responses.file
    read = (
        *(() if plan is None else plan.inputs),
        *survey.codebook.files,
        *(() if file is None else file.paths),
    )
    return list(dict.fromkeys(read))


def manifest_option(command: F) -> F:
    """Add the option that writes a manifest beside what a command writes."""
    return click.option(
        "--manifest",
        is_flag=True,
        help="Write manifest.json beside it as well: what the figures were made of.",
    )(command)


def source_options(command: F) -> F:
    """Add the options that say which survey, all of it."""
    return plan_option(codebook_option(data_option(command)))


def survey_options(command: F) -> F:
    """Add the options that say which survey, who is counted and how weighted."""
    return plan_option(codebook_option(people_options(command)))


def opened(
    plan_path: Path,
    codebook: Path | None,
    data: Path | None,
    filter_text: str | None = None,
    no_filter: bool = False,
    weight: str | None = None,
    *,
    whole: bool = False,
) -> tuple[Survey, Plan | None]:
    """Open the survey that the options name, and its plan where there is one; say who is counted on stderr.

    With `whole`, everybody in the data is looked at, whatever filter and weight plan and codebook have.
    """
    from eager_otter.report.opening import open_survey, survey_of

    if codebook is not None:
        plan = None
        survey = open_survey(codebook, data_beside_codebook(data), cache=kept_in())
        survey = survey.weighted_by(None) if whole else survey
        if filter_text is not None:
            survey = survey.filtered(filter_text)
        survey = survey if weight is None else survey.weighted_by(None if weight == "none" else weight)
    else:
        named = read_named_plan(plan_path)
        plan = changed(named, data, filter_text, no_filter or whole, "none" if whole else weight)
        survey = survey_of(plan)
    if not whole:
        tell_who_is_counted(survey, plan, filter_text)
    elif filter_text is not None and survey.responses.filtered(filter_text).all():
        echo(f"Note: the filter leaves nobody out: {filter_text}", err=True)
    return survey, plan


def data_beside_codebook(data: Path | None) -> Path:
    """Return the data that go with --codebook, which stands for a plan. Raises RequestError."""
    if data is None:
        raise RequestError("--codebook needs --data: name the file of responses as well.")
    refuse_given("With --codebook there is no plan", "plan_path", "no_filter")
    return data


def refuse_given(why: str, *names: str) -> None:
    """Refuse options of the running command that were given and would do nothing. Raises RequestError."""
    context = click.get_current_context()
    given = [
        option
        for option in context.command.params
        if option.name in names and context.get_parameter_source(option.name) not in UNSAID
    ]
    if given:
        shown = ", ".join(option.opts[0] if option.opts else str(option.name) for option in given)
        raise RequestError(f"{why}, so {shown} would do nothing; leave it out.")


def tell_hints(plan: Plan, before: Collection[Problem] = ()) -> None:
    """Say on stderr what in a plan and its codebook is better written otherwise, or may be meant so."""
    for hint in plan.hints:
        if hint not in before:
            echo(f"Note: {hint}", err=True)


def tell_who_is_counted(survey: Survey, plan: Plan | None, filter_text: str | None) -> None:
    """Say on stderr when a filter leaves nobody out, and when unfinished interviews are counted."""
    if plan is not None:
        tell_hints(plan)
    for note in () if plan is None else _notes_on_language(plan):
        echo(f"Note: {note}", err=True)
    for note in notes_on_people(survey, plan, filter_text):
        echo(f"Note: {note}", err=True)


def _notes_on_language(plan: Plan) -> Iterator[str]:
    """Say what has no translation in the language of the report, where the codebook has one."""
    if not plan.codebook.translations:
        return
    from eager_otter.gates.text import shortened
    from eager_otter.plan.translating import untranslated_in

    lacking = untranslated_in(plan)
    if lacking:
        language, shown = plan.words.language, ", ".join(repr(shortened(text, 40)) for text in lacking[:3])
        more = " …" if len(lacking) > 3 else ""
        are = "text is" if len(lacking) == 1 else "texts are"
        yield (
            f"{len(lacking):,} {are} not translated ({language}) and shown as written: {shown}{more}. All of them: "
            f"eager-otter words --plan {shown_path(plan.path)} --language {language}"
        )


def notes_on_people(survey: Survey, plan: Plan | None, filter_text: str | None) -> Iterator[str]:
    """Return what is to be known of who is counted."""
    responses = survey.responses
    yield from (remark.said() for remark in responses.remarks)
    rows = responses.filtered(survey.filter)
    if survey.filter is not None:
        before = responses.filtered(None if plan is None else plan.narrowed)
        if rows.sum() == before.sum():
            yield f"the filter leaves nobody out: {filter_text or survey.filter}"
    finished = survey.codebook.finished
    if finished is None:
        return
    accepted = (
        plan is not None
        and filter_text is None
        and any(entry.slip == "unfinished interviews" for entry in plan.accepted)
    )
    unfinished = rows & ~responses.chosen_by(finished)
    if unfinished.any() and not accepted:
        count = survey.responses.people(unfinished)
        are = (
            "respondent is counted whose interview is"
            if count == 1
            else "respondents are counted whose interview is"
        )
        yield f"{count:,} {are} unfinished (finished: {finished.text})."


def changed(
    plan: Plan, data: Path | None, filter_text: str | None, no_filter: bool, weight: str | None
) -> Plan:
    """Put what the command line says in the place of what the plan says; a filter narrows the plan's."""
    from eager_otter.codebook.expression import parse
    from eager_otter.codebook.meaning import check_expression
    from eager_otter.data.opening import Reading

    if data is not None:
        if not isinstance(plan.data, Path):
            raise RequestError("The plan's data are several files; name another one there, in its list.")
        plan = replace(plan, data=data, reading=Reading())
    if no_filter:
        plan = replace(plan, filter=None)
    if filter_text is not None:
        check_expression(parse(filter_text), plan.codebook.questions)  # its mistakes are told of it alone
        both = filter_text if plan.filter is None else f"({plan.filter}) and ({filter_text})"
        plan = replace(plan, filter=both, narrowed=plan.filter)
    if weight is not None:
        column = None if weight == "none" else weight
        plan = replace(plan, weight=column, codebook=replace(plan.codebook, weight=column))
    return plan


STDOUT = "-"


def written_out(report: Report, output: str, shape: str | None, notes: NotesLength | None) -> None:
    """Write a report to a file, or with "-" to the standard output, in the `shape` that a file's ending would say.

    Raises RequestError, FileProblem.
    """
    if output != STDOUT:
        if shape is not None:
            raise RequestError("--format goes with -o -; a file is written by its ending.")
        (path,) = report.save(Path(output), notes=notes)
        echo(shown_path(path))
        return
    if (shape or TEXTS[0]) not in TEXTS:
        raise RequestError(f"--format: the standard output takes {one_of(TEXTS)}; found {shape!r}.")
    from eager_otter.gates.streams import pass_on
    from eager_otter.gates.temporary import TemporaryFolder

    folder = TemporaryFolder()
    (path,) = report.save(folder.path / f"tables.{shape or TEXTS[0]}", notes=notes, manifest=False)
    pass_on(path)


def stdout_format_option(command: F) -> F:
    """Add the option that says what is written on the standard output; `written_out` takes it."""
    return click.option(
        "--format",
        "shape",
        metavar="FORMAT",
        help=f"What -o - writes: {', '.join(TEXTS)}; the first where none is named.",
    )(command)


def spoken(plan: Plan, language: str | None) -> Plan:
    """Put the language of the command line in the place of the plan's."""
    from eager_otter.plan.reading import in_language

    return plan if language is None else in_language(plan, language)


NAMED_BY_OPTION = "name it with --plan, or name a codebook and data with --codebook and --data"
NAMED_AFTER = "name it after the command"


def read_named_plan(
    plan_path: Path, named: str = NAMED_BY_OPTION, read: Callable[[Path], Plan] | None = None
) -> Plan:
    """Read a plan; say what else there is, as it is `named` in this command, where the usual one is not there.

    `read` reads it, where more than that is to be done.
    """
    from eager_otter.plan.reading import read_plan

    if plan_path == Path("plan.yaml") and not is_file(plan_path) and not is_folder(plan_path):
        raise FileProblem(f"plan.yaml: no such file here. Go to the folder of your plan, or {named}.")
    if (
        not plan_path.suffix
        and not is_file(plan_path)
        and not is_folder(plan_path)
        and is_file(Path("plan.yaml"))
    ):
        raise FileProblem(
            f"{plan_path}: no such file; a plan is expected here. A table of plan.yaml is shown by eager-otter look "
            f"{plan_path}."
        )
    return replace((read or read_plan)(plan_path), cache=kept_in())

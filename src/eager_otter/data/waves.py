"""Several files as one survey: waves or countries, each with what differs in it from the common codebook."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import field, replace
from pathlib import Path
from typing import Any

from eager_otter.codebook.expression import Both, Expression, Operand, Value, Within, as_operand
from eager_otter.codebook.model import Answer, Codebook, CodeColumn, Merged, Offered, Question, TickColumns
from eager_otter.codebook.periods import read_day
from eager_otter.data.opening import Reading
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import Settings
from eager_otter.errors import RequestError, UnknownName, name_of, nearest
from eager_otter.gates.numbers import number_of
from eager_otter.gates.reading import is_stored
from eager_otter.looks.words import counted

MONTH = re.compile(r"\d{4}-(0[1-9]|1[0-2])", re.ASCII)
DAY = re.compile(r"\d{4}-\d\d-\d\d", re.ASCII)


@dataclass(frozen=True, slots=True, kw_only=True)
class WaveChanges(Settings):
    """What differs in one of several files from the common codebook; on the left is always what this file has.

    `columns` are names of columns in this file, with the names that the codebook has for them; `codes` are codes in
    this file, by question, with the codes that the codebook has for them; a code that is not named stays. Questions
    that were `not_asked` (or all items of a grid) have no columns here, or blank ones; answers that were `not_offered`,
    by question, as codes or labels, were given by nobody.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    codes: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    not_asked: tuple[str, ...] = ()
    not_offered: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    def given(self) -> dict[str, Any]:
        """Return what was said, by the keys that it has in a plan."""
        values: dict[str, Any] = {
            "columns": dict(self.columns),
            "codes": {name: dict(codes) for name, codes in self.codes.items()},
            "not asked": list(self.not_asked),
            "not offered": {name: list(answers) for name, answers in self.not_offered.items()},
        }
        return {key: value for key, value in values.items() if value}


@dataclass(frozen=True, slots=True, kw_only=True)
class Wave(Settings):
    """One of several files (or frames) of a survey.

    `data` and `reading` are as for `open_survey`; `label` names it in tables; `changes` say what differs in it. `date`
    is the month it is of ("2026-03"), for tests against the wave a year before; "" for none. Where it has a `codebook`
    of its own, all that differs there in a way that would change figures has to be said.
    """

    data: Any
    label: str
    reading: Reading | None = None
    changes: WaveChanges = field(default_factory=WaveChanges)
    codebook: Codebook | None = None
    date: str = ""

    @property
    def name(self) -> str:
        """The name of its file, or its label for a frame."""
        return name_of(self.data) if isinstance(self.data, Path) else self.label


@dataclass(frozen=True, slots=True, kw_only=True)
class Waves(Settings):
    """Several files that are one survey, one after the other: waves of a tracker, countries.

    They make a `question`, which tells them apart; its answers are the labels of `waves`, in their order, and its
    `label` heads the columns. Where the codebook has a question of that name, the labels are found among its answers.
    """

    waves: tuple[Wave, ...]
    question: str = "wave"
    label: str = "Wave"

    @property
    def name(self) -> str:
        """All of them in a word or two."""
        return counted(len(self.waves), "file")

    @property
    def beside(self) -> Path:
        """A path beside the first file, for what is written beside the data."""
        first = next(iter(self.paths), Path("responses"))
        return first.with_name(f"{self.question}s{first.suffix}")

    @property
    def files(self) -> tuple[Path, ...]:
        """All files that are read: those of data, and the codebooks beside them."""
        books = (wave.codebook.files for wave in self.waves if wave.codebook is not None)
        return (*self.paths, *(path for book in books for path in book))

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files of data that are named."""
        return tuple(wave.data for wave in self.waves if isinstance(wave.data, Path))


def path_beside(data: Path | Waves) -> Path:
    """Return a path of this machine, for what is written beside data: of an address, its name in this folder."""
    path = data if isinstance(data, Path) else data.beside
    return Path(name_of(path)) if is_stored(path) else path


def waves_of(data: Any) -> Waves | None:
    """Return several files that are meant, None for one. Raises RequestError for none, or a label twice."""
    if not isinstance(data, Waves):
        return None
    if not data.question.strip() or "`" in data.question:
        raise RequestError(f"The question that the files make needs a name; found {data.question!r}.")
    labels = [wave.label for wave in data.waves]
    if not labels:
        raise RequestError("Waves need at least one file, each with a label.")
    twice = next((label for k, label in enumerate(labels) if label in labels[:k]), None)
    if twice is not None:
        raise RequestError(f"Two waves have the label {twice!r}; each needs one of its own.")
    waves = tuple(
        replace(
            wave,
            data=Path(wave.data) if isinstance(wave.data, str) else wave.data,
            date=month_of(wave.date, wave.label) if wave.date else "",
        )
        for wave in data.waves
    )
    places = [(wave.data, wave.reading) for wave in waves if isinstance(wave.data, Path)]
    again = next((path for k, (path, how) in enumerate(places) if (path, how) in places[:k]), None)
    if again is not None:
        raise RequestError(
            f"{again.name} is listed twice; its rows would be counted twice. Take one of them out."
        )
    return replace(data, waves=waves)


def month_of(date: str, label: str) -> str:
    """Return the month of the date of a wave: as it is, or that of a day. Raises RequestError.

    >>> month_of("2026-03", "Spring"), month_of("2026-03-31", "Spring")
    ('2026-03', '2026-03')
    """
    if MONTH.fullmatch(date):
        return date
    with suppress(RequestError):
        if DAY.fullmatch(date) and read_day(date):
            return date[:7]
    raise RequestError(f"{label}: its date is a month, such as 2026-03, or a day of it; found {date!r}.")


def wave_codes(codebook: Codebook, waves: Waves) -> tuple[str, ...]:
    """Return the code of each wave: as the codebook has them, else 1, 2, 3 … Raises RequestError."""
    known = codebook.questions.get(waves.question)
    if known is None:
        return tuple(str(k) for k in range(1, len(waves.waves) + 1))
    if not isinstance(known.source, CodeColumn) or known.columns != (waves.question,) or not known.answers:
        raise RequestError(
            f"The question {waves.question!r} that the files make is in the codebook as another one; it has to be a "
            f"single question with the column {waves.question!r} there. Or give the question of the files another name."
        )
    codes = []
    for wave in waves.waves:
        same = (answer for answer in known.answers if answer.label == wave.label)
        answer = next(same, None) or known.find(wave.label)
        if answer is None:
            labels = [one.label for one in known.answers]
            raise RequestError(
                f"{wave.name}: no answer {wave.label!r} in the question {waves.question!r} of the codebook."
                f"{nearest(wave.label, labels)} It has {', '.join(labels)}."
            )
        codes.append(answer.code)
    if len(set(codes)) < len(codes):
        raise RequestError(f"Two waves have the same answer in the question {waves.question!r}.")
    return tuple(codes)


def with_waves(codebook: Codebook, waves: Waves) -> Codebook:
    """Return the codebook of all files: with the question that tells them apart, and who was asked what.

    Where a question was not asked in some of them, it is asked of the others only. Raises RequestError, UnknownName for
    changes that name what the codebook does not have.
    """
    codes = wave_codes(codebook, waves)
    for wave in waves.waves:
        check_changes(codebook, wave)
    questions = dict(codebook.questions)
    if waves.question not in questions:
        answers = tuple(
            Answer(code=code, label=wave.label) for code, wave in zip(codes, waves.waves, strict=True)
        )
        made = Question(
            name=waves.question,
            text=waves.label,
            label=waves.label,
            kind="single",
            answers=answers,
            source=CodeColumn(waves.question),
        )
        questions = {waves.question: made, **questions}
    dates = {code: wave.date for code, wave in zip(codes, waves.waves, strict=True) if wave.date}
    questions[waves.question] = replace(questions[waves.question], dates=dates)
    coded = dict(zip(codes, waves.waves, strict=True))
    for name, question in list(questions.items()):
        asked_in = tuple(code for code, wave in coded.items() if name not in not_asked(codebook, wave))
        without = {code: gone for code, wave in coded.items() if (gone := not_offered(question, wave))}
        if len(asked_in) == len(codes) and not without:
            continue
        asked = question.asked
        if len(asked_in) < len(codes):
            asked = _in_waves(asked, waves.question, asked_in)
        offered = Offered(
            question=waves.question,
            waves=codes,
            labels=tuple(wave.label for wave in waves.waves),
            asked=frozenset(asked_in),
            without=without,
        )
        questions[name] = replace(question, asked=asked, offered=offered)
    for name, question in list(questions.items()):
        if isinstance(question.source, Merged):
            questions[name] = _merged_offered(question, question.source, questions[question.source.of])
    return replace(codebook, questions=questions)


def _merged_offered(question: Question, made: Merged, of: Question) -> Question:
    """Say of a merged question what is said of that which it is made of: an answer is offered with all its members."""
    if of.offered is None:
        return question
    grouped = {code for group in made.groups for code in group}
    groups = [
        *made.groups,
        *([tuple(a.code for a in of.valid if a.code not in grouped)] if made.rest else []),
    ]
    without = {
        wave: frozenset(
            answer.code
            for answer, own in zip(question.answers, groups, strict=True)
            if own and gone.issuperset(own)
        )
        for wave, gone in of.offered.without.items()
    }
    return replace(question, offered=replace(of.offered, without=without))


def _in_waves(asked: Expression | None, name: str, codes: Sequence[str]) -> Expression:
    """Narrow the routing of a question to some waves."""
    within = Within(Operand(name, False, 0), tuple(Value(code, number_of(code), 0) for code in codes))
    text = f"{as_operand(name)} in ({', '.join(codes)})"
    if asked is None:
        return Expression(text, within)
    if within in ((asked.node, *asked.node.parts) if isinstance(asked.node, Both) else (asked.node,)):
        return asked  # it says so already
    return Expression(f"({asked.text}) and {text}", Both((asked.node, within)))


def not_asked(codebook: Codebook, wave: Wave) -> frozenset[str]:
    """Return the questions that a wave did not ask, those of a grid one by one."""
    names: set[str] = set()
    for name in wave.changes.not_asked:
        names.update(codebook.grids[name].items if name in codebook.grids else (name,))
    return frozenset(names)


def check_changes(codebook: Codebook, wave: Wave) -> None:
    """Check that changes name what the codebook has. Raises RequestError, UnknownName."""
    changes, place = wave.changes, f"{wave.name}: changes"
    known = [*codebook.questions, *codebook.grids]
    for name in changes.not_asked:
        if name not in known:
            raise UnknownName("question", name, known, f"the codebook ({place}: not asked)")
        for one in codebook.grids[name].items if name in codebook.grids else (name,):
            if not codebook.questions[one].columns:
                of = ", ".join(codebook.questions[one].made_of)
                raise RequestError(
                    f"{place}: not asked: {one} is made from other questions ({of}); say it of those."
                )
    for what, by_question in (("codes", changes.codes), ("not offered", changes.not_offered)):
        for name in by_question:
            question = codebook.questions.get(name)
            if question is None:
                raise UnknownName("question", name, codebook.questions, f"the codebook ({place}: {what})")
            if not question.answers or not question.columns:
                raise RequestError(
                    f"{place}: {what}: {name} has no answers of its own that a code could stand for."
                )
    for name, codes in changes.codes.items():
        question = codebook.questions[name]
        if isinstance(question.source, TickColumns):
            raise RequestError(
                f"{place}: codes: {name} has a column per answer; say under columns what they are called here."
            )
        for code, common in codes.items():
            if common not in question.by_code and not question.missing.has(common):
                listed = ", ".join(f"{one.code} ({one.label})" for one in question.answers[:8])
                raise RequestError(
                    f"{place}: codes: {name}: {code} is {common!r} in the codebook, which has no such code; it has "
                    f"{listed}."
                )
    for name, answers in changes.not_offered.items():
        question = codebook.questions[name]
        for one in answers:
            if question.find(one) is None:
                raise UnknownName(
                    "answer", one, [a.label for a in question.answers], f"{name} ({place}: not offered)"
                )
    twice = [name for name, count in _counts(changes.columns.values()).items() if count > 1]
    if twice:
        raise RequestError(f"{place}: columns: two columns are {twice[0]!r}; one was expected.")


def _counts(names: Iterable[str]) -> dict[str, int]:
    counts: dict[str, int] = {}
    for name in names:
        counts[name] = counts.get(name, 0) + 1
    return counts


def not_offered(question: Question, wave: Wave) -> frozenset[str]:
    """Return the codes of the answers that a wave did not offer."""
    found = (question.find(name) for name in wave.changes.not_offered.get(question.name, ()))
    return frozenset(answer.code for answer in found if answer is not None)

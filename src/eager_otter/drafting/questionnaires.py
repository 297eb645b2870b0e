"""What differs between the codebook of one of several files and the common one, worst first; the changes to write."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from eager_otter.codebook.model import Answer, Codebook, Question, TickColumns
from eager_otter.codebook.translating import as_written
from eager_otter.data.waves import Wave, WaveChanges, Waves, not_asked, not_offered
from eager_otter.dataclass import dataclass
from eager_otter.drafting.yaml_text import inside, listed, mapped, scalar
from eager_otter.errors import RequestError
from eager_otter.looks.words import counted

DifferenceKind = Literal[
    "same code, other label",
    "same label, other code",
    "other kind of question",
    "other columns",
    "scale of other length",
    "answer not offered",
    "answer added",
    "question not asked",
    "question added",
    "asked after all",
    "wording",
]
KINDS: tuple[DifferenceKind, ...] = (
    "same code, other label",
    "same label, other code",
    "other kind of question",
    "other columns",
    "asked after all",
    "answer not offered",
    "question not asked",
    "scale of other length",
    "answer added",
    "question added",
    "wording",
)
HARMLESS: tuple[DifferenceKind, ...] = ("scale of other length", "answer added", "question added", "wording")


@dataclass(frozen=True, slots=True, kw_only=True)
class WaveDifference:
    """One difference between the codebook of a wave and the common one.

    `wave` is the label of the wave, `kind` says what differs, `question` is its name, `text` says it in words, and
    `remedy` what to do.
    """

    wave: str
    kind: DifferenceKind
    question: str
    text: str
    remedy: str = ""

    @property
    def serious(self) -> bool:
        """Whether figures would be wrong, or a file cannot be read, as long as nothing is said of it."""
        return self.kind not in HARMLESS


@dataclass(frozen=True, slots=True, kw_only=True)
class Questionnaire:
    """The comparison of a wave's codebook with the common one: the `differences`, worst first, that its changes leave.

    `changes` are those of the `wave` with what is proposed of the rest, to be looked at and written into the plan.
    """

    wave: Wave
    differences: tuple[WaveDifference, ...]
    changes: WaveChanges

    @property
    def serious(self) -> tuple[WaveDifference, ...]:
        """The differences that change figures as long as nothing is said of them."""
        return tuple(one for one in self.differences if one.serious)

    @property
    def is_proposal(self) -> bool:
        """Whether anything is proposed that the plan does not say yet."""
        return self.changes != self.wave.changes

    def proposal(self) -> str:
        """Write the changes as they would stand beside the file in the plan: lines of YAML."""
        return "\n".join(["changes:", *(f"  {line}" for line in _written(self.changes))])


def compare_questionnaires(common: Codebook, own: Codebook, wave: Wave, made: str) -> Questionnaire:
    """Compare the codebook of a wave, `own`, with the `common` one, as far as the changes of the `wave` do not say.

    The question that tells the waves apart, which is `made`, is in no file.

    Questions are the same by their names; answers by their codes, and by their labels but for case and punctuation.
    Nothing is matched by this: it only says what differs, and proposes what to write.
    """
    common, own = as_written(common), as_written(own)
    found: list[WaveDifference] = []
    columns = dict(wave.changes.columns)
    codes = {name: dict(moved) for name, moved in wave.changes.codes.items()}
    gone = list(wave.changes.not_asked)
    lacking = {name: list(answers) for name, answers in wave.changes.not_offered.items()}
    silent = not_asked(common, wave)
    for question in common:
        if not question.columns or question.name == made:
            continue
        there = own.questions.get(question.name)
        if there is None:
            if question.name not in silent:
                gone.append(question.name)
                found.append(_difference(wave, "question not asked", question, "it is not in this codebook"))
            continue
        if question.name in silent:
            found.append(
                _difference(
                    wave,
                    "asked after all",
                    question,
                    "it is listed under 'not asked', and is in this codebook",
                )
            )
            continue
        if there.kind != question.kind or type(there.source) is not type(question.source):
            what = f"{there.kind} here, {question.kind} in the common codebook"
            found.append(_difference(wave, "other kind of question", question, what))
            continue
        for mine, theirs in _other_columns(question, there, columns):
            columns[theirs] = mine
            found.append(_difference(wave, "other columns", question, f"{theirs!r} here is {mine!r}"))
        compared = _Answers(question, there, wave)
        found += compared.differences()
        if compared.moved:
            codes[question.name] = {**codes.get(question.name, {}), **compared.moved}
        if compared.lacking:
            lacking.setdefault(question.name, []).extend(compared.lacking)
        if _plain(there.text) != _plain(question.text):
            found.append(
                _difference(
                    wave,
                    "wording",
                    question,
                    f"{there.text!r} here, {question.text!r} in the common codebook",
                )
            )
    found += [
        _difference(wave, "question added", question, "it is not in the common codebook")
        for question in own
        if question.columns and question.name not in common.questions
    ]
    return Questionnaire(
        wave=wave,
        differences=tuple(sorted(found, key=lambda one: KINDS.index(one.kind))),
        changes=WaveChanges(
            columns=columns,
            codes=codes,
            not_asked=_with_grids(common, gone),
            not_offered={name: tuple(answers) for name, answers in lacking.items()},
        ),
    )


REMEDIES: Mapping[DifferenceKind, str] = {
    "same code, other label": "Say under codes what it is, also where it is the same answer, as in {3: 3}; else give "
    "it a code of its own in the common codebook.",
    "same label, other code": "Say it under codes.",
    "other kind of question": "Give it another name in one of the codebooks.",
    "other columns": "Say it under columns.",
    "asked after all": "Take it out of 'not asked'.",
    "answer not offered": "Say it under 'not offered'.",
    "question not asked": "Say it under 'not asked'.",
    "scale of other length": "Means are of other scales; compare percents, or give scores.",
    "answer added": "Add it to the common codebook, and under 'not offered' of the others.",
    "question added": "Add it to the common codebook, and under 'not asked' of the others.",
    "wording": "",
}


def _with_grids(common: Codebook, names: Sequence[str]) -> tuple[str, ...]:
    """Name a grid instead of all of its items."""
    left = dict.fromkeys(names)
    for grid in common.grids.values():
        if all(item in left for item in grid.items):
            left = dict.fromkeys(grid.name if name in grid.items else name for name in left)
    return tuple(left)


def _difference(wave: Wave, kind: DifferenceKind, question: Question, text: str) -> WaveDifference:
    return WaveDifference(
        wave=wave.label, kind=kind, question=question.name, text=text, remedy=REMEDIES[kind]
    )


def _plain(text: str) -> str:
    """Return a text without case, blanks and punctuation."""
    return "".join(c for c in text.casefold() if c.isalnum() or c in "+-<>")


def _columns_by(question: Question) -> dict[str, str]:
    """Return the columns of a question by what they are of: an answer's label, or a place."""
    if isinstance(question.source, TickColumns):
        labels = {answer.code: answer.label for answer in question.answers}
        return {_plain(labels[code]): column for code, column in question.source.columns}
    return {str(k): column for k, column in enumerate(question.columns)}


def _other_columns(
    question: Question, there: Question, renamed: Mapping[str, str]
) -> Iterator[tuple[str, str]]:
    """Go through the columns that have other names in a wave: the common name, and its own."""
    mine, theirs = _columns_by(question), _columns_by(there)
    for key, column in theirs.items():
        if key in mine and renamed.get(column, column) != mine[key]:
            yield mine[key], column


class _Answers:
    """Compares the answers of a question in a wave with the common ones."""

    def __init__(self, question: Question, there: Question, wave: Wave) -> None:
        self.question, self.there, self.wave = question, there, wave
        self.said = dict(wave.changes.codes.get(question.name, {}))
        self.moved: dict[str, str] = {}
        self.lacking: list[str] = []
        self.by_columns = isinstance(question.source, TickColumns)

    def differences(self) -> Iterator[WaveDifference]:
        """Go through what differs, and note the codes that moved, and the answers that were not offered."""
        question, there = self.question, self.there
        by_label = {_plain(answer.label): answer for answer in question.answers}
        covered: set[str] = set()
        for answer in there.answers:
            common = self._common(answer, by_label)
            if common is not None:
                covered.add(common.code)
            elif not self.by_columns:  # what a code of two labels is, is asked
                covered.add(answer.code)
            yield from self._one(answer, common)
        said = not_offered(question, self.wave)
        for answer in question.answers:
            if answer.code not in covered and answer.code not in said:
                self.lacking.append(answer.label)
                yield _difference(
                    self.wave, "answer not offered", question, f"{answer.label!r} is not in this codebook"
                )
        if question.scale and len(question.scores()) != len(there.scores()):
            what = f"{len(there.scores())} steps here, {len(question.scores())} in the common codebook"
            yield _difference(self.wave, "scale of other length", question, what)

    def _common(self, answer: Answer, by_label: Mapping[str, Answer]) -> Answer | None:
        """Return the common answer that one of a wave is: as the changes say, else of its label, else None."""
        if not self.by_columns and answer.code in self.said:
            place = self.question.by_code.get(self.said[answer.code])
            return None if place is None else self.question.answers[place]
        return by_label.get(_plain(answer.label))

    def _one(self, answer: Answer, common: Answer | None) -> Iterator[WaveDifference]:
        question = self.question
        if not self.by_columns and answer.code in self.said:
            return
        place = question.by_code.get(answer.code)
        at_code = None if place is None else question.answers[place]
        if common is None and at_code is not None and not self.by_columns:
            what = f"{answer.code} is {answer.label!r} here, {at_code.label!r} in the common codebook"
            yield _difference(self.wave, "same code, other label", question, what)
        elif common is None:
            yield _difference(
                self.wave,
                "answer added",
                question,
                f"{answer.code} ({answer.label!r}) is not in the common codebook",
            )
        elif common.code != answer.code and not self.by_columns:
            self.moved[answer.code] = common.code
            what = f"{answer.label!r} is {answer.code} here, {common.code} in the common codebook"
            yield _difference(self.wave, "same label, other code", question, what)
        elif common.label != answer.label:
            yield _difference(
                self.wave,
                "wording",
                question,
                f"{answer.label!r} here, {common.label!r} in the common codebook",
            )


def _written(changes: WaveChanges) -> Iterator[str]:
    """Write changes as lines of YAML."""
    if changes.columns:
        yield f"columns: {mapped({own: inside(common) for own, common in changes.columns.items()})}"
    if changes.codes:
        yield "codes:"
        for name, moved in changes.codes.items():
            yield f"  {scalar(name)}: {mapped({own: inside(common) for own, common in moved.items()})}"
    if changes.not_asked:
        yield f"not asked: {listed(changes.not_asked)}"
    if changes.not_offered:
        yield "not offered:"
        for name, answers in changes.not_offered.items():
            yield f"  {scalar(name)}: {listed(answers)}"


def compare_waves(common: Codebook, waves: Waves) -> tuple[Questionnaire, ...]:
    """Compare the codebook of each file that has one of its own with the `common` one."""
    return tuple(
        compare_questionnaires(common, wave.codebook, wave, waves.question)
        for wave in waves.waves
        if wave.codebook is not None
    )


def check_questionnaires(codebook: Codebook, waves: Waves) -> None:
    """Check that all that differs in the codebooks of several files is said. Raises RequestError."""
    for compared in compare_waves(codebook, waves):
        serious = compared.serious
        if serious:
            first, more = serious[0], len(serious) - 1
            also = f", and {counted(more, 'thing')} more" if more else ""
            raise RequestError(
                f"{compared.wave.name}: its codebook differs from the common one in what its changes do not say: "
                f"{first.question}: {first.kind} ({first.text}){also}. See all, and what to "
                "write, with: eager-otter waves"
            )


def worst_first(compared: Sequence[Questionnaire]) -> list[WaveDifference]:
    """List the differences of several waves, worst first."""
    every = [one for each in compared for one in each.differences]
    return sorted(every, key=lambda one: KINDS.index(one.kind))

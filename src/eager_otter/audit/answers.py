"""Slips in the answers: unknown codes, stray ticks, none beside others, broken routing, numbers far out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import field

import numpy as np

from eager_otter.audit.looking import none_beside
from eager_otter.audit.seen import FarSeen, QuestionSeen, Touched
from eager_otter.audit.slip import Severity, Slip, answers_named, note, warning
from eager_otter.codebook.model import Banded, Codebook, Derived, Periods, Question, TickColumns
from eager_otter.data.encoding import own_words_hint
from eager_otter.dataclass import dataclass
from eager_otter.looks.words import most_frequent

FEWEST_FOR_SPREAD = 20


def people_text(count: int) -> str:
    """Count people in words.

    >>> people_text(1), people_text(1200)
    ('1 respondent', '1,200 respondents')
    """
    return f"{count:,} respondent{'' if count == 1 else 's'}"


@dataclass(frozen=True, slots=True)
class TickTexts:
    """What tick columns hold beside ticks: by column, where it is never ticked, and stray ones in those that are."""

    never: Mapping[int, frozenset[str]]
    stray: Mapping[int, frozenset[str]]


def tick_texts(question: Question, seen: QuestionSeen) -> TickTexts:
    """Find the texts in tick columns that are neither a tick nor what usually means no."""
    source = question.source
    never: dict[int, frozenset[str]] = {}
    stray: dict[int, frozenset[str]] = {}
    if isinstance(source, TickColumns):
        usual = _usual_no(
            source,
            [one for one, answer in zip(seen.ticks, question.answers, strict=True) if not answer.write_in],
        )
        for k, (column, answer) in enumerate(zip(seen.ticks, question.answers, strict=True)):
            if answer.write_in:
                continue
            words = set(source.ticked) | {answer.label}
            held = set(column) - {""}
            others = frozenset(text for text in held - words - usual if not question.missing.has(text))
            if others:
                (stray if held & words else never)[k] = others
    return TickTexts(never, stray)


def _usual_no(source: TickColumns, columns: Sequence[Counter[str]]) -> set[str]:
    """Say which values mean no: those declared, else the most frequent one that is not ticked."""
    if source.unticked is not None:
        return set(source.unticked)
    counts: dict[str, int] = {}
    for column in columns:
        for text, count in column.items():
            if text and text not in source.ticked:
                counts[text] = counts.get(text, 0) + count
    return {max(sorted(counts), key=lambda text: counts[text])} if counts else set()


@dataclass(frozen=True, slots=True)
class AnswerSlips:
    """Tells the slips of what was seen of all questions; `row_name` names a row by its number.

    `again` says whom the texts of tick columns touch, by question and column; None for all columns with stray ones.
    `of_several_files` says whether the responses are, each of which may have codes of its own.
    """

    codebook: Codebook
    row_name: Callable[[int], str]
    again: Mapping[tuple[str, int | None], Touched]
    of_several_files: bool = False
    _shared: dict[str, bool] = field(
        default_factory=dict
    )  # the codebook's missing codes: whether anybody has them

    def slips(self, seen_of: Mapping[str, QuestionSeen]) -> Iterator[Slip]:
        """Go through all slips in the answers."""
        for question in self.codebook:
            seen = seen_of[question.name]
            yield from self._of(question, seen)
            yield from self._routing(question, seen)
            if isinstance(question.source, Derived):
                yield from self._otherwise(question, question.source, seen)
            yield from self._missing_nobody_has(question, seen)
        for name, shared_slips in self._shared.items():
            if not shared_slips:
                yield self._idle_missing("codebook", name)

    def slip(
        self,
        slip: str,
        severity: Severity,
        where: str,
        who: Touched | None,
        message: str,
        remedy: str,
        found: Iterable[str] = (),
    ) -> Iterator[Slip]:
        """Return a slip where anybody is touched; {n} in the message stands for how many."""
        if who is not None and who.people:
            yield Slip(
                name=slip,
                severity=severity,
                where=where,
                message=message.replace("{n}", people_text(who.people)),
                remedy=remedy,
                count=who.people,
                respondents=tuple(map(self.row_name, who.rows)),
                found=tuple(found),
            )

    def _of(self, question: Question, seen: QuestionSeen) -> Iterator[Slip]:
        texts = tick_texts(question, seen)
        yield from self._ticks(question, texts)
        yield from self.slip(
            "same mention twice", "warning", question.name, seen.touched.get("same mention twice"),
            "{n} gave the same mention twice; it counts once.",
            "Nothing, if it was said twice; else check the coding.",
        )  # fmt: skip
        if question.is_of.of_one_answer:
            yield from self._unknown_codes(question, seen)
        elif question.is_of.several:
            yield from self._unknown_mentions(question, seen)
            yield from self._none_and_others(question, seen)
        if question.is_of.of_answers:
            yield from self._nobody(question, seen, set(texts.never))
        if seen.far is not None:
            yield from self._far_out(question, seen.far)
        if not question.is_of.of_texts and not seen.valid:
            yield warning(
                "question nobody answered",
                question.name,
                "Nobody gave a valid answer.",
                "Check the name of its column, its codes and the filter.",
            )

    # --- single and multiple ----------------------------------------------------------------------------

    def _unknown_codes(self, question: Question, seen: QuestionSeen) -> Iterator[Slip]:
        unknown = _listed(seen.unknown)
        if isinstance(question.source, Banded | Periods):
            yield from self.slip(
                "value in no band", "error", question.name, seen.touched["value in no band"],
                f"{{n}} gave a value of {question.made_of[0]} that lies in no band: {unknown}.",
                "Widen the bands, or list the value under 'missing' of the number.",
            )  # fmt: skip
        else:
            yield from self.slip(
                "unknown code", "error", question.name, seen.touched.get("unknown code"),
                f"{{n}} gave a code that the codebook does not know (in all rows: {unknown}); "
                "they are out of the base.",
                self._unknown_remedy,
                [code for code, _ in most_frequent(seen.unknown)],
            )  # fmt: skip

    @property
    def _unknown_remedy(self) -> str:
        known = "Add the code to the answers, or list it under 'missing'."
        return (
            f"{known} Where one file has other codes, say so under its 'changes' (codes)."
            if self.of_several_files
            else known
        )

    def _unknown_mentions(self, question: Question, seen: QuestionSeen) -> Iterator[Slip]:
        if isinstance(question.source, TickColumns) or not seen.unknown:
            return
        yield Slip(
            name="unknown code",
            severity="error",
            where=question.name,
            message=(
                f"Mentions that the codebook does not know, in all rows: {_listed(seen.unknown)}; they are not counted."
            ),
            remedy=self._unknown_remedy,
            count=seen.unknown.total(),
            found=tuple(code for code, _ in most_frequent(seen.unknown)),
        )

    def _nobody(self, question: Question, seen: QuestionSeen, never: set[int]) -> Iterator[Slip]:
        assert seen.given is not None
        nobody = [
            answer
            for k, (answer, rows) in enumerate(zip(question.answers, seen.given.tolist(), strict=True))
            if not rows and k not in never
        ]
        if nobody and len(nobody) < len(question.answers):
            labels = answers_named(nobody[:8])
            yield note(
                "answer nobody gave",
                question.name,
                f"Nobody gave: {labels}.",
                "Nothing, if that can be; else check its code.",
            )

    def _none_and_others(self, question: Question, seen: QuestionSeen) -> Iterator[Slip]:
        none = none_beside(question)
        if none is None:
            return
        labels = ", ".join(question.answers[k].label for k in none[0])
        yield from self.slip(
            "none beside others", "warning", question.name, seen.touched["none beside others"],
            f"{{n}} gave {labels} beside other answers.",
            "Decide which holds and correct the data; both are counted as they stand.",
        )  # fmt: skip

    # --- ticks ------------------------------------------------------------------------------------------

    def _ticks(self, question: Question, texts: TickTexts) -> Iterator[Slip]:
        """Tell the tick columns that never hold the ticked code but others, and stray values of the rest."""
        source = question.source
        if not isinstance(source, TickColumns):
            return
        for k, others in texts.never.items():
            ticked, shown = ", ".join(source.ticked), ", ".join(repr(value) for value in sorted(others))
            yield from self.slip(
                "tick never found", "error", question.name, self.again[question.name, k],
                f"Column {source.columns[k][1]} never holds the ticked code {ticked}, but {shown}, with {{n}}.",
                "Correct 'ticked', or the column; as it stands nobody counts as having ticked it."
                + own_words_hint(others),
            )  # fmt: skip
        if texts.stray:
            values = frozenset().union(*texts.stray.values())
            shown = ", ".join(repr(value) for value in sorted(values)[:8])
            yield from self.slip(
                "stray tick", "warning", question.name, self.again[question.name, None],
                f"{{n}} gave a value that is neither ticked nor not: {shown}; it counts as not ticked.",
                "Add it to 'ticked' or 'unticked', or correct the data." + own_words_hint(values),
            )  # fmt: skip

    # --- rules and missing codes -------------------------------------------------------------------------

    def _otherwise(self, question: Question, source: Derived, seen: QuestionSeen) -> Iterator[Slip]:
        """Count the people whom the last rule takes in and leaves out."""
        label, rule = source.rules[-1]
        if rule is not None:
            return
        word = "everyone else" if source.everyone else "otherwise"
        if not seen.taken.people:
            yield warning(
                "otherwise that nobody reaches",
                question.name,
                f"{label!r} ({word}) takes in nobody: the rules before it leave nobody over.",
                "Take it out, or correct the rules.",
            )
            return
        text = f"{label!r} ({word}) takes in {people_text(seen.taken.people)}"
        if seen.without and source.everyone:
            text += f", {seen.without:,} of them without an answer to any question of the rules"
        elif seen.without:
            text += (
                f" and leaves out {people_text(seen.without)} without an answer to any question of the rules"
            )
        yield note(
            "what otherwise takes in",
            question.name,
            f"{text}.",
            "Nothing, if that is meant; 'everyone else' takes everybody who is left, 'otherwise' those who answered.",
        )

    def _missing_nobody_has(self, question: Question, seen: QuestionSeen) -> Iterator[Slip]:
        """Tell missing codes of a question's own list that match nobody; remember those of the codebook's."""
        missing = question.missing
        if not question.columns:
            return
        for name in missing.names:
            if missing.shared:
                self._shared[name] = self._shared.get(name, False) or name in seen.held
            elif name not in seen.held and question.grid is None:
                yield self._idle_missing(question.name, name)

    def _idle_missing(self, where: str, name: str) -> Slip:
        return note(
            "missing code nobody has",
            where,
            f"Nobody has the missing code {name}.",
            "Nothing, if that can be; else check how it is written.",
        )

    # --- routing and numbers ----------------------------------------------------------------------------

    def _routing(self, question: Question, seen: QuestionSeen) -> Iterator[Slip]:
        if question.asked is None:
            return
        rule = question.asked.text
        yield from self.slip(
            "routing broken", "error", question.name, seen.touched["routing broken"],
            f"{{n}} answered though not asked (asked if {rule}).",
            "Correct 'asked' or the data; as it stands they are in the base.",
        )  # fmt: skip
        yield from self.slip(
            "asked but blank", "warning", question.name, seen.touched["asked but blank"],
            f"{{n}} left it blank though asked (asked if {rule}).",
            "Check the routing; as it stands they are out of the base.",
        )  # fmt: skip

    def _far_out(self, question: Question, far: FarSeen) -> Iterator[Slip]:
        """Look for values such as 99 or 9999 that lie far beyond all others: missing codes nobody declared."""
        if far.values < FEWEST_FOR_SPREAD:
            return
        for code, who in far.codes.items():
            others = [float(other) for other in far.codes if other != code]
            size, top = max([far.size, *others]), max([far.top, *others])
            if np.isfinite(size) and code > 2 * size:
                yield from self.slip(
                    "number far out", "warning", question.name, who,
                    f"{{n}} gave {code}, where all others reach to {top:g}: a missing code?",
                    "List it under 'missing' of this question, if it is one.",
                )  # fmt: skip


def _listed(unknown: Mapping[str, int]) -> str:
    return ", ".join(f"{code} ({count:,})" for code, count in most_frequent(unknown)[:10])

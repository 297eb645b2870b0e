"""Questions as they are asked: single, multiple response, grids, rankings, and answers derived by rules."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Literal, Protocol

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.expression import Expression
from eager_otter.codebook.file import (
    AnswerFile,
    DeriveFile,
    GridFile,
    MultiFile,
    NetFile,
    QuestionPart,
    RankingFile,
    SingleFile,
)
from eager_otter.codebook.missing import Missing, read_missing
from eager_otter.codebook.model import (
    Answer,
    CodeColumn,
    Derived,
    Grid,
    JoinedColumn,
    MentionColumns,
    RankAmong,
    TickColumns,
    scores_of,
)
from eager_otter.codebook.nets import NetBuilder
from eager_otter.documents.yaml_nodes import Place

OTHERWISE, EVERYONE = "otherwise", "everyone else"


class Reading(Protocol):
    """The builder of the codebook: takes questions and grids, and what is wrong."""

    grids: dict[str, Grid]
    missing: tuple[str, ...]

    def mistake(self, place: Place, message: str, *, key: bool = False) -> None:
        """Take a problem."""

    def parse(self, text: str, place: Place) -> Expression | None:
        """Parse an expression; None after a noted problem."""

    def add(self, name: str, part: QuestionPart, place: Place, **definition: Any) -> None:
        """Take a question."""


class PlainQuestions:
    """Builds questions from their parts of the file."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading
        self.mistake, self.parse, self.add = reading.mistake, reading.parse, reading.add

    def single(self, name: str, part: SingleFile, place: Place) -> None:
        """Build a question with one answer."""
        where = (*place, "answers")
        answers = self._answers(part.answers, part.missing, where, kind="single", scale=bool(part.scale))
        scale = self.scale(part.scale, answers, place)
        best_first = part.scale == "best first"
        self.add(
            name,
            part,
            place,
            kind="single",
            source=CodeColumn(part.column or name),
            answers=answers,
            **self.nets(part.nets, answers, place, scale=scale, best_first=best_first),
            scale=scale,
            best_first=best_first,
            missing=self.missing(part.missing, "single", place),
        )

    def grid(self, name: str, part: GridFile, place: Place) -> None:
        """Build a grid: a question per item."""
        where = (*place, "answers")
        answers = self._answers(part.answers, part.missing, where, kind="single", scale=bool(part.scale))
        scale = self.scale(part.scale, answers, place)
        best_first = part.scale == "best first"
        nets = self.nets(part.nets, answers, place, scale=scale, best_first=best_first)
        missing = self.missing(part.missing, "single", place)
        items = []
        text = part.text or part.label or name
        for item_name, item in part.items.items():
            label = item.label or item_name
            self.add(
                f"{name}.{item_name}",
                part,
                (*place, "items", item_name),
                kind="single",
                source=CodeColumn(item.column),
                text=f"{text} – {label}",
                label=label,
                answers=answers,
                **nets,
                scale=scale,
                best_first=best_first,
                missing=missing,
                grid=name,
            )
            items.append(f"{name}.{item_name}")
        self.reading.grids[name] = Grid(name=name, text=text, items=tuple(items))

    def multi(self, name: str, part: MultiFile, place: Place) -> None:
        """Build a multiple-response question."""
        if isinstance(part.columns, dict):
            answers = self._named_columns(
                part.columns, part.missing, (*place, "columns"), most_write_ins=None
            )
        else:
            answers = self._answers(
                part.answers or {},
                part.missing,
                (*place, "answers"),
                most_write_ins=1 if part.columns is None else None,
            )
        self.add(
            name,
            part,
            place,
            kind="multi",
            source=_multi_source(part, answers),
            answers=answers,
            **self.nets(part.nets, answers, place, scale=False),
            missing=self.missing(part.missing, "multi", place),
        )

    def _named_columns(
        self,
        columns: Mapping[str, AnswerFile],
        missing: Sequence[str] | None,
        place: Place,
        *,
        most_write_ins: int | None,
    ) -> tuple[Answer, ...]:
        written = dict(zip(_codes_of_columns(list(columns)), columns.values(), strict=True))
        return self._answers(written, missing, place, list(columns), most_write_ins=most_write_ins)

    def ranking(self, name: str, part: RankingFile, place: Place) -> None:
        """Make the parts of a ranking: who came first, who came among the first, and each answer's rank."""
        missing = self.missing(part.missing, "multi", place)
        text = part.text or part.label or name
        top = [str(rank) for rank in range(1, part.top + 1)]
        if part.columns is not None:
            answers = self._named_columns(part.columns, part.missing, (*place, "columns"), most_write_ins=0)
            pairs = tuple(
                (answer.code, column) for answer, column in zip(answers, part.columns, strict=False)
            )
            first: Any = TickColumns(pairs, ("1",), None)
            among: Any = TickColumns(pairs, tuple(top), None)
            ranks: list[Any] = [CodeColumn(column) for _, column in pairs]
        else:
            columns = tuple(part.ranks or ())
            answers = self._answers(part.answers or {}, part.missing, (*place, "answers"), most_write_ins=0)
            first, among = MentionColumns(columns[:1]), MentionColumns(columns[: part.top])
            ranks = [RankAmong(columns, answer.code) for answer in answers]
        if part.top > len(answers):
            message = f"top: {part.top} of {len(answers)} answers are all of them; write a smaller number."
            self.mistake((*place, "top") if "top" in part.said else place, message)
        shared: Any = {"missing": missing, "grid": None}
        for ending, source, words in (
            ("first", first, "ranked first"),
            (f"top{part.top}", among, f"in the top {part.top}"),
        ):
            title = {"text": f"{text} – {words}", "label": f"{part.label or name}, {words}"}
            self.add(
                f"{name}.{ending}",
                part,
                place,
                kind="multi",
                source=source,
                answers=answers,
                **title,
                **shared,
            )
        for answer, source in zip(answers, ranks, strict=False):
            title = {"text": f"{text} – rank of {answer.label}", "label": answer.label}
            self.add(
                f"{name}.rank_{answer.code}", part, place, kind="number", source=source, **title, **shared
            )

    def derive(self, name: str, part: DeriveFile, place: Place) -> None:
        """Build a question whose answers are given by rules."""
        rules: list[tuple[str, Expression | None]] = []
        last = list(part.derive)[-1]
        everyone = False
        for label, rule in part.derive.items():
            where = (*place, "derive", label)
            word = rule.strip()
            if word in (OTHERWISE, EVERYONE):
                everyone = word == EVERYONE
                if label != last:
                    self.mistake(where, f"{word!r} takes those who are left, so it must come last.")
                elif word == OTHERWISE and len(part.derive) == 1:
                    message = (
                        f"{OTHERWISE!r} takes those who answered a question that the rules before it read; there is "
                        f"none. Write {EVERYONE!r} for everybody."
                    )
                    self.mistake(where, message)
                rules.append((label, None))
                continue
            expression = self.parse(rule, where)
            if expression is not None:
                rules.append((label, expression))
        answers = tuple(Answer(code=label, label=label) for label in part.derive)
        nets = self.nets(part.nets, answers, place, scale=False)
        self.add(
            name, part, place, kind="single", source=Derived(tuple(rules), everyone), answers=answers, **nets
        )

    def missing(self, written: Sequence[str] | None, kind: str, place: Place | None) -> Missing:
        """Return what is missing for a kind of question: its own list, else what fits it of the codebook's.

        Mistakes in its own list are noted at a place, where there is one.
        """
        if written is None:
            return replace(read_missing(self.reading.missing, kind)[0], shared=True)
        missing, mistakes = read_missing(written, kind)
        if place is not None:
            for k, message in mistakes:
                self.mistake((*place, "missing", k), message)
        return missing

    def _answers(
        self,
        written: Mapping[str, AnswerFile],
        missing: Sequence[str] | None,
        place: Place,
        keys: Sequence[str] | None = None,
        *,
        kind: Literal["single", "multi"] = "multi",
        scale: bool = False,
        most_write_ins: int | None = 1,
    ) -> tuple[Answer, ...]:
        no_answer = self.missing(missing, kind, None)
        seen: dict[str, str] = {}
        answers = []
        for key, (code_text, answer) in zip(keys or list(written), written.items(), strict=True):
            code = canonical(code_text)
            if code in seen:
                self.mistake(
                    (*place, key), f"the code {key!r} is the same as {seen[code]!r} above.", key=True
                )
                continue
            seen[code] = key
            if answer.score is not None and not scale:
                message = (
                    f"{key!r} has a score, which only a scale uses; add 'scale: true', or take the score out."
                )
                self.mistake((*place, key), message, key=True)
            answers.append(
                Answer(
                    code=code,
                    label=answer.label,
                    missing=answer.missing or no_answer.has(code),
                    exclusive=answer.exclusive,
                    score=None if answer.score == "none" else answer.score,
                    last=answer.last,
                    scored=answer.score != "none",
                    write_in=answer.write_in,
                )
            )
        own = [answer for answer in answers if answer.write_in]
        for one in own:
            if one.missing:
                message = f"{seen[one.code]!r} is missing, so that own words would be no answers; say one of the two."
                self.mistake((*place, seen[one.code]), message, key=True)
        if most_write_ins is not None and len(own) > most_write_ins:
            message = (
                "only one answer can stand for own words in a column of codes; take 'write in' out of the others."
                if most_write_ins
                else "ranks have no own words; take 'write in' out."
            )
            self.mistake((*place, seen[own[-1].code]), message, key=True)
        if answers and all(answer.missing for answer in answers):
            self.mistake(place, "every answer is missing; at least one must be an answer.", key=True)
        return tuple(answers)

    def scale(self, scale: bool | str, answers: Sequence[Answer], place: Place) -> bool:
        """Check that a scale has a score for each answer."""
        scored = scores_of(answers)
        for answer in answers if scale else ():
            if not answer.missing and answer.scored and answer.code not in scored:
                message = (
                    f"a scale needs numbers: {answer.code!r} is not one, so give this answer a score, or "
                    "'score: none'."
                )
                self.mistake((*place, "answers", answer.code), message, key=True)
        if scale and answers and not scored:
            self.mistake(
                (*place, "scale"), "none of its answers has a score, so it is not a scale.", key=True
            )
        return bool(scale)

    def nets(
        self,
        nets: Sequence[NetFile],
        answers: Sequence[Answer],
        place: Place,
        *,
        scale: bool,
        best_first: bool = False,
    ) -> dict[str, Any]:
        """Build nets and differences."""
        builder = NetBuilder(answers, self.mistake, scale=scale, best_first=best_first)
        for k, net in enumerate(nets):
            builder.add(net, (*place, "nets", k))
        return {"nets": tuple(builder.nets.values()), "differences": tuple(builder.differences.values())}


def _multi_source(part: MultiFile, answers: Sequence[Answer]) -> TickColumns | MentionColumns | JoinedColumn:
    if part.mentions is not None:
        return MentionColumns(tuple(part.mentions))
    if part.joined is not None:
        return JoinedColumn(part.joined.column, part.joined.by)
    if isinstance(part.columns, dict):
        columns = list(part.columns)
    else:
        pattern = part.columns or ""
        columns = [pattern.replace("{code}", code) for code in (part.answers or {})]
    ticked = tuple(canonical(code) for code in part.ticked)
    unticked = None if part.unticked is None else tuple(canonical(code) for code in part.unticked)
    pairs = tuple((answer.code, column) for answer, column in zip(answers, columns, strict=False))
    return TickColumns(pairs, ticked, unticked)


def _codes_of_columns(columns: Sequence[str]) -> list[str]:
    """Make answer codes from column names: the number they end in where they differ in nothing else.

    >>> _codes_of_columns(["heard_1", "heard_10"]), _codes_of_columns(["tarn", "heard_2"])
    (['1', '10'], ['tarn', 'heard_2'])
    """
    parts = [re.match(r"(.*?)([0-9]+)\Z", column) for column in columns]
    stems = {match[1] if match else None for match in parts}
    numbers = [match[2] for match in parts if match]
    if (
        len(stems) == 1
        and None not in stems
        and len({canonical(number) for number in numbers}) == len(columns)
    ):
        return numbers
    return list(columns)

"""Read a codebook file into a Codebook, or list everything that is wrong with it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from eager_otter.codebook.bands import Band, edge_bands, whole_number_bands
from eager_otter.codebook.codes import as_number, canonical
from eager_otter.codebook.expression import Expression, parse
from eager_otter.codebook.file import (
    BY_KIND,
    AnswerFile,
    BandsFile,
    CodebookFile,
    DeriveFile,
    GridFile,
    MultiFile,
    NetFile,
    NumberFile,
    QuestionPart,
    SingleFile,
    TextFile,
)
from eager_otter.codebook.meaning import check_expression
from eager_otter.codebook.model import (
    Answer,
    Banded,
    Codebook,
    CodeColumn,
    Derived,
    Grid,
    JoinedColumn,
    MentionColumns,
    Net,
    Question,
    TickColumns,
)
from eager_otter.documents.checking import check
from eager_otter.documents.yaml_nodes import Document, Place, compose, read_yaml
from eager_otter.errors import DocumentError, ExpressionError, Problem, RequestError, nearest

OTHERWISE = "otherwise"


def read_codebook(path: str | Path) -> Codebook:
    """Read a codebook file.

    Raises FileProblem when it cannot be read, DocumentError with every mistake when it is no valid codebook.
    """
    return _sound(read_draft(read_yaml(Path(path))))


def codebook_from_text(text: str) -> Codebook:
    """Read a codebook from YAML text, as in a notebook. Raises DocumentError with every mistake."""
    return _sound(read_draft(compose(text, Path("codebook"))))


def _sound(draft: Draft) -> Codebook:
    if draft.problems:
        raise DocumentError(draft.problems)
    return draft.codebook


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Draft:
    """A codebook as far as it could be read: its sound questions, the names of the others, and all problems."""

    codebook: Codebook
    mistaken: frozenset[str]
    problems: tuple[Problem, ...]


def read_draft(document: Document) -> Draft:
    """Read the codebook in a document as far as it goes, so that a plan can be checked beside it."""
    return _Reading(document).whole()


def parse_or_problem(
    text: str, document: Document, place: Place, questions: Mapping[str, Question] | None = None
) -> tuple[Expression | None, list[Problem]]:
    """Parse an expression in a document, and check its names where `questions` are given."""
    try:
        expression = parse(text)
        if questions is not None:
            check_expression(expression, questions)
    except ExpressionError as error:
        return None, [document.problem(place, _pointing_at(error))]
    return expression, []


def _pointing_at(error: ExpressionError) -> str:
    return f"{error.message} At character {error.position + 1} of: {error.text}"


class _Reading:
    """One pass over a codebook document; collects problems as it goes."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.problems: list[Problem] = []
        self.missing: tuple[str, ...] = ()
        self.questions: dict[str, Question] = {}
        self.grids: dict[str, Grid] = {}
        self.banded: dict[str, str] = {}

    def whole(self) -> Draft:
        head, problems = check(CodebookFile, self.document.data, self.document, ())
        self.problems += problems
        bodies = self._bodies()
        if head is not None:
            self.missing = tuple(canonical(code) for code in head.missing)
        for name, body in bodies.items():
            self._question(name, body)
        self._check_references()
        codebook = Codebook(
            title=head.title if head else "",
            questions=self.questions,
            grids=self.grids,
            respondent=head.respondent if head else None,
            weight=head.weight if head else None,
            path=self.document.path,
        )
        sound = {*self.questions, *self.grids}
        return Draft(
            codebook=codebook, mistaken=frozenset(set(bodies) - sound), problems=tuple(self.problems)
        )

    def _bodies(self) -> dict[str, Any]:
        data = self.document.data
        found = data.get("questions") if isinstance(data, dict) else None
        return found if isinstance(found, dict) else {}

    def note(self, place: Place, message: str, *, key: bool = False) -> None:
        self.problems.append(self.document.problem(place, message, key=key))

    # --- one question -----------------------------------------------------------------------------------

    def _question(self, name: str, body: Any) -> None:
        place: Place = ("questions", name)
        kind = self._kind(body, place)
        if kind is None:
            return
        part, problems = check(kind, body, self.document, place)
        self.problems += problems
        match part:
            case SingleFile():
                self._single(name, part, place)
            case MultiFile():
                self._multi(name, part, place)
            case NumberFile():
                source = CodeColumn(part.column or name)
                self._add(
                    name, part, place, kind="number", source=source, missing=self._missing(part.missing)
                )
            case TextFile():
                self._add(name, part, place, kind="text", source=CodeColumn(part.column or name))
            case GridFile():
                self._grid(name, part, place)
            case BandsFile():
                self._bands(name, part, place)
            case DeriveFile():
                self._derive(name, part, place)

    def _kind(self, body: Any, place: Place) -> type[QuestionPart] | None:
        if not isinstance(body, dict):
            self.note(
                place, f"{place[-1]}: expected a mapping that says the kind of question; found {body!r}."
            )
            return None
        for key, kind in (("bands", BandsFile), ("derive", DeriveFile)):
            if key in body:
                return kind
        if "kind" not in body:
            kinds = ", ".join(BY_KIND)
            self.note(
                place, f"{place[-1]} needs the key 'kind': one of {kinds} (or bands, or derive).", key=True
            )
            return None
        kind_name = str(body["kind"])
        if kind_name not in BY_KIND:
            hint = nearest(kind_name, tuple(BY_KIND))
            self.note(
                (*place, "kind"), f"kind: expected one of {', '.join(BY_KIND)}; found {kind_name!r}.{hint}"
            )
            return None
        return BY_KIND[kind_name]

    def _add(self, name: str, part: QuestionPart, place: Place, **facts: Any) -> None:
        asked = None
        if part.asked is not None:
            asked, problems = parse_or_problem(part.asked, self.document, (*place, "asked"))
            self.problems += problems
        facts.setdefault("text", part.text or part.label or name)
        facts.setdefault("label", part.label or part.text or name)
        if name in self.questions:
            self.note(place, f"there is another question named {name!r} (an item of a grid?).", key=True)
            return
        self.questions[name] = Question(name=name, asked=asked, section=part.section or "", **facts)

    def _single(self, name: str, part: SingleFile, place: Place) -> None:
        answers = self._answers(part.answers, part.missing, (*place, "answers"))
        self._add(
            name,
            part,
            place,
            kind="single",
            source=CodeColumn(part.column or name),
            answers=answers,
            nets=self._nets(part.nets, answers, place),
            scale=self._scale(part.scale, answers, place),
            missing=self._missing(part.missing),
        )

    def _grid(self, name: str, part: GridFile, place: Place) -> None:
        answers = self._answers(part.answers, part.missing, (*place, "answers"))
        nets = self._nets(part.nets, answers, place)
        scale = self._scale(part.scale, answers, place)
        items = []
        text = part.text or part.label or name
        for item_name, item in part.items.items():
            label = item.label or item_name
            self._add(
                f"{name}.{item_name}",
                part,
                (*place, "items", item_name),
                kind="single",
                source=CodeColumn(item.column),
                text=f"{text} – {label}",
                label=label,
                answers=answers,
                nets=nets,
                scale=scale,
                missing=self._missing(part.missing),
                grid=name,
            )
            items.append(f"{name}.{item_name}")
        self.grids[name] = Grid(name=name, text=text, items=tuple(items))

    def _multi(self, name: str, part: MultiFile, place: Place) -> None:
        if isinstance(part.columns, dict):
            codes = _codes_of_columns(list(part.columns))
            written = dict(zip(codes, part.columns.values(), strict=True))
            answers = self._answers(written, part.missing, (*place, "columns"), list(part.columns))
        else:
            answers = self._answers(part.answers or {}, part.missing, (*place, "answers"))
        self._add(
            name,
            part,
            place,
            kind="multi",
            source=_multi_source(part, answers),
            answers=answers,
            nets=self._nets(part.nets, answers, place),
            missing=self._missing(part.missing),
        )

    def _bands(self, name: str, part: BandsFile, place: Place) -> None:
        where = (*place, "bands")
        self.banded[name] = part.bands.of
        try:
            if part.bands.ranges is not None:
                where = (*where, "ranges")
                bands = whole_number_bands(part.bands.ranges)
            else:
                where = (*where, "edges")
                bands = edge_bands(part.bands.edges or [])
        except RequestError as error:
            self.note(where, str(error))
            return
        labels = self._band_labels(bands, part.bands.labels, (*place, "bands", "labels"))
        answers = tuple(
            Answer(code=_band_code(band), label=label) for band, label in zip(bands, labels, strict=True)
        )
        self._add(
            name,
            part,
            place,
            kind="single",
            source=Banded(part.bands.of, bands),
            answers=answers,
            nets=self._nets(part.nets, answers, place),
        )

    def _band_labels(
        self, bands: Sequence[Band], labels: Sequence[str] | None, place: Place
    ) -> Sequence[str]:
        if labels is not None and len(labels) == len(bands):
            return labels
        if labels is not None:
            self.note(
                place, f"{len(labels)} labels for {len(bands)} bands; give one for each, in their order."
            )
        return [band.label for band in bands]

    def _derive(self, name: str, part: DeriveFile, place: Place) -> None:
        rules: list[tuple[str, Expression | None]] = []
        last = list(part.derive)[-1]
        for label, rule in part.derive.items():
            where = (*place, "derive", label)
            if rule.strip() == OTHERWISE:
                if label != last:
                    self.note(where, f"{OTHERWISE!r} takes everyone left, so it must stand last.")
                rules.append((label, None))
                continue
            expression, problems = parse_or_problem(rule, self.document, where)
            self.problems += problems
            if expression is not None:
                rules.append((label, expression))
        answers = tuple(Answer(code=label, label=label) for label in part.derive)
        nets = self._nets(part.nets, answers, place)
        self._add(name, part, place, kind="single", source=Derived(tuple(rules)), answers=answers, nets=nets)

    # --- parts of a question ----------------------------------------------------------------------------

    def _missing(self, own: Sequence[str] | None) -> tuple[str, ...]:
        return self.missing if own is None else tuple(canonical(code) for code in own)

    def _answers(
        self,
        written: Mapping[str, AnswerFile],
        missing: Sequence[str] | None,
        place: Place,
        keys: Sequence[str] | None = None,
    ) -> tuple[Answer, ...]:
        no_answer = set(self._missing(missing))
        seen: dict[str, str] = {}
        answers = []
        for key, (code_text, answer) in zip(keys or list(written), written.items(), strict=True):
            code = canonical(code_text)
            if code in seen:
                self.note((*place, key), f"the code {key!r} is the same as {seen[code]!r} above.", key=True)
                continue
            seen[code] = key
            answers.append(
                Answer(
                    code=code,
                    label=answer.label,
                    missing=answer.missing or code in no_answer,
                    exclusive=answer.exclusive,
                    score=answer.score,
                )
            )
        if answers and all(answer.missing for answer in answers):
            self.note(place, "every answer is missing; at least one must be an answer.", key=True)
        return tuple(answers)

    def _scale(self, scale: bool, answers: Sequence[Answer], place: Place) -> bool:
        if scale:
            for answer in answers:
                if not answer.missing and answer.score is None and as_number(answer.code) is None:
                    self.note(
                        (*place, "answers", answer.code),
                        f"a scale needs numbers: {answer.code!r} is none, so give this answer a score.",
                        key=True,
                    )
        return scale

    def _nets(self, nets: Sequence[NetFile], answers: Sequence[Answer], place: Place) -> tuple[Net, ...]:
        result = []
        labels: set[str] = set()
        for k, net in enumerate(nets):
            where = (*place, "nets", k)
            if net.label in labels:
                self.note((*where, "label"), f"there are two nets labelled {net.label!r}.")
            labels.add(net.label)
            result.append(Net(label=net.label, of=self._members(net, answers, where), place=net.place))
        return tuple(result)

    def _members(self, net: NetFile, answers: Sequence[Answer], place: Place) -> tuple[str, ...]:
        by_name = {answer.label.casefold(): answer for answer in answers}
        by_name |= {answer.code: answer for answer in answers}
        codes: list[str] = []
        for j, written in enumerate(net.of):
            where = (*place, "of", j)
            answer = by_name.get(canonical(written)) or by_name.get(written.casefold())
            if answer is None:
                known = [answer.code for answer in answers] + [answer.label for answer in answers]
                self.note(where, f"net {net.label!r}: no answer {written!r}.{nearest(written, known)}")
            elif answer.missing:
                self.note(where, f"net {net.label!r}: {answer.label!r} is missing, so it belongs to no net.")
            elif answer.code in codes:
                self.note(where, f"net {net.label!r}: {answer.label!r} stands twice.")
            else:
                codes.append(answer.code)
        return tuple(codes)

    # --- between questions ------------------------------------------------------------------------------

    def _check_references(self) -> None:
        known = set(self._bodies()) | set(self.questions)
        for question in self.questions.values():
            place = self._place_of(question)
            if isinstance(question.source, Derived):
                for label, rule in question.source.rules:
                    self._check_rule(rule, (*place, "derive", label), known)
            if question.grid is None or question.name == self.grids[question.grid].items[0]:
                self._check_rule(question.asked, (*place, "asked"), known)
        for name, of in self.banded.items():
            self._check_banded(name, of, known)
        self._check_circles()

    def _place_of(self, question: Question) -> Place:
        return ("questions", question.grid or question.name)

    def _check_banded(self, name: str, of: str, known: set[str]) -> None:
        place = ("questions", name, "bands", "of")
        source = self.questions.get(of)
        if source is None:
            if of not in known:
                self.note(place, f"No question {of!r}.{nearest(of, sorted(known))}")
        elif source.kind != "number":
            self.note(place, f"only a number can be cut into bands; {of} is of kind {source.kind}.")

    def _check_rule(self, rule: Expression | None, place: Place, known: set[str]) -> None:
        """Check an expression, unless it names a question that is itself mistaken."""
        if rule is None:
            return
        for operand in rule.operands():
            if operand.name not in known:
                message = f"No question {operand.name!r}.{nearest(operand.name, sorted(known))}"
                self.note(place, _pointing_at(ExpressionError(message, rule.text, operand.position)))
                return
        if rule.names() <= set(self.questions):
            _, problems = parse_or_problem(rule.text, self.document, place, self.questions)
            self.problems += problems

    def _check_circles(self) -> None:
        needs = {question.name: _needs(question) for question in self.questions.values()}
        done: set[str] = set()
        for name in needs:
            circle = _circle(name, needs, done)
            if circle:
                chain = " ← ".join(circle)
                self.note(self._place_of(self.questions[name]), f"defined in a circle: {chain}.", key=True)
                return


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


def _band_code(band: Band) -> str:
    return band.label.replace("–", "-")


def _needs(question: Question) -> set[str]:
    names: set[str] = set()
    match question.source:
        case Banded(of):
            names.add(of)
        case Derived(rules):
            for _, rule in rules:
                names |= rule.names() if rule is not None else set()
    return names


def _circle(name: str, needs: Mapping[str, set[str]], done: set[str]) -> list[str]:
    """Find a chain of questions that comes back to its start, from `name` on."""
    trail: list[str] = []
    on_trail: set[str] = set()
    stack: list[tuple[str, bool]] = [(name, True)]
    while stack:
        current, entering = stack.pop()
        if not entering:
            trail.pop()
            on_trail.discard(current)
            done.add(current)
            continue
        if current in on_trail:
            return [*trail[trail.index(current) :], current]
        if current in done:
            continue
        trail.append(current)
        on_trail.add(current)
        stack.append((current, False))
        stack.extend((other, True) for other in sorted(needs.get(current, ())))
    return []

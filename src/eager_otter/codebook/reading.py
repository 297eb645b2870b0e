"""Read a codebook file into a Codebook, or list everything that is wrong with it."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

from eager_otter.codebook.expression import Expression, parse
from eager_otter.codebook.file import (
    BY_KEY,
    BY_KIND,
    CodebookFile,
    ColumnFile,
    DeriveFile,
    GridFile,
    IncludedFile,
    MultiFile,
    QuestionPart,
    RankingFile,
    SharedNetFile,
    SingleFile,
    TranslationFile,
)
from eager_otter.codebook.made import check_alone, made_question, sources_of
from eager_otter.codebook.meaning import check_expression
from eager_otter.codebook.missing import read_missing
from eager_otter.codebook.model import (
    Codebook,
    Derived,
    Grid,
    Question,
    Translation,
)
from eager_otter.codebook.nets import NetBuilder
from eager_otter.codebook.plain import PlainQuestions
from eager_otter.codebook.translating import texts_of
from eager_otter.dataclass import dataclass
from eager_otter.documents.checking import check
from eager_otter.documents.origin import Origin
from eager_otter.documents.part import fields_of
from eager_otter.documents.settled import checked
from eager_otter.documents.values import values_of
from eager_otter.documents.written import found_text
from eager_otter.documents.yaml_nodes import Document, Place, compose, read_yaml
from eager_otter.errors import DocumentError, ExpressionError, FileProblem, Problem, nearest
from eager_otter.looks.catalogue import LANGUAGE_TAG


@checked
def read_codebook(path: str | Path) -> Codebook:
    """Read a codebook file.

    Raises FileProblem when it cannot be read, DocumentError with every mistake when it is no valid codebook.

    `path` is that of a YAML file.
    """
    return _sound(read_with_mistakes(read_yaml(Path(path), "codebook")))


@checked
def codebook_from_text(text: str) -> Codebook:
    """Return the codebook of a YAML `text`, as in a notebook. Raises DocumentError with every mistake."""
    document = compose(text, Path("codebook"))
    return _sound(read_with_mistakes(document, Origin.of(document, _of_origin, named=False)))


@checked
def codebook_of(definition: Mapping[str, object]) -> Codebook:
    """Return the codebook of a `definition`: what a codebook file says, as mappings and lists.

    Codes may be numbers. Raises DocumentError with every mistake, each named by its place: `questions.region.answers`.

    Example: `codebook_of({"questions": {"region": {"kind": "single", "answers": {1: "North", 2: "South"}}}})`.
    """
    return _sound(read_with_mistakes(values_of(definition)))


def _of_origin(origin: Origin[Codebook]) -> Codebook:
    """Read the codebook again from what it comes from."""
    return _sound(read_with_mistakes(origin.document(), origin))


def _sound(read: ReadCodebook) -> Codebook:
    if read.problems:
        raise DocumentError(read.problems)
    return read.codebook


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ReadCodebook:
    """A codebook as far as it could be read: its sound questions, the names of the others, and all problems.

    `hints` tell what is no mistake, but may be meant otherwise.
    """

    codebook: Codebook
    mistaken: frozenset[str]
    problems: tuple[Problem, ...]
    hints: tuple[Problem, ...] = ()


def read_with_mistakes(document: Document, origin: Origin[Codebook] | None = None) -> ReadCodebook:
    """Read the codebook in a document as far as it goes, so that a plan can be checked beside it.

    `origin` is where it comes from, where a program has changed it.
    """
    return _Reading(document, origin or Origin.of(document, _of_origin, named=True)).whole()


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
    """One pass over a codebook document and those it includes; collects problems as it goes."""

    def __init__(self, document: Document, origin: Origin[Codebook]) -> None:
        self.document, self.origin = document, origin
        self.documents: dict[str, Document] = {}  # by question, where it is not the main one
        self.of_languages: list[Document] = []
        self.problems: list[Problem] = []
        self.missing: tuple[str, ...] = ()
        self.bodies: dict[str, Any] = {}
        self.pending: dict[str, QuestionPart] = {}
        self.questions: dict[str, Question] = {}
        self.grids: dict[str, Grid] = {}
        self.plain = PlainQuestions(self)

    def _check_missing(self, entries: Sequence[str]) -> None:
        """Note missing codes that fit no kind of question: a number's is the widest, a date's has days."""
        wrong = [dict(read_missing(entries, kind)[1]) for kind in ("number", "date", "single")]
        for k in sorted(wrong[0]):
            if all(k in mistakes for mistakes in wrong):
                self.mistake(("missing", k), wrong[0][k])

    def _documents(self) -> list[Document]:
        """List all documents read, the main one first."""
        every = (self.document, *self.documents.values(), *self.of_languages)
        return list({id(one): one for one in every}.values())

    def _digest(self) -> str:
        """Fingerprint all files read."""
        lines = [line for document in self._documents() for line in (*document.lines, "\f")]
        return hashlib.sha256("\n".join(lines).encode()).hexdigest()

    def whole(self) -> ReadCodebook:
        head, problems = check(CodebookFile, self.document.data, self.document, ())
        self.problems += problems
        if head is not None:
            self.missing = tuple(head.missing)
            self._check_missing(head.missing)
        self._gather(head)
        if not self.bodies and not self.problems:
            self.mistake((), "the codebook has no questions.")
        for name, body in self.bodies.items():
            self._question(name, body)
        self._make_pending()
        self._share_nets(self.document)
        self._check_references()
        finished = None
        if head is not None and head.finished is not None:
            finished, problems = parse_or_problem(head.finished, self.document, ("finished",), self.questions)
            self.problems += problems
        codebook = Codebook(
            digest=self._digest(),
            origin=self.origin,
            title=head.title if head else "",
            questions=self._in_order(),
            grids=self.grids,
            respondent=head.respondent if head else None,
            weight=head.weight if head else None,
            frequency=head.frequency if head else None,
            finished=finished,
            universe=(head.universe or "") if head else "",
            conditions=self._conditions(head),
            path=self.document.path,
            files=tuple(document.path for document in self._documents()),
        )
        sound = {*self.questions, *self.grids}
        codebook = self._with_translations(codebook, head)
        return ReadCodebook(
            codebook=codebook,
            mistaken=frozenset(set(self.bodies) - sound),
            problems=tuple(self.problems),
            hints=tuple(problem for document in self._documents() for problem in document.cut),
        )

    def _with_translations(self, codebook: Codebook, head: CodebookFile | None) -> Codebook:
        """Read what the codebook says in other languages, and check the names of questions in it."""
        if head is None or not head.translations:
            return codebook
        translations = {}
        for tag, entry in head.translations.items():
            if not re.fullmatch(LANGUAGE_TAG, tag):
                message = f"a language is named by its tag, such as de or pt-BR; found {tag!r}."
                self.mistake(("translations", tag), message, key=True)
            elif isinstance(entry, str):
                document = self._further(self.document.path.parent / entry, ("translations", tag))
                if document is not None:
                    self.of_languages.append(document)
                    texts, problems = check(TranslationFile, document.data, document, ())
                    self.problems += problems
                    translations[tag] = self._translation(texts or {}, document, ())
            else:
                translations[tag] = self._translation(entry, self.document, ("translations", tag))
        whole = replace(codebook, translations=translations, digest=self._digest(), origin=self.origin)
        return replace(whole, files=tuple(document.path for document in self._documents()))

    def _translation(
        self, texts: Mapping[str, str | Mapping[str, str]], document: Document, place: Place
    ) -> Translation:
        """Make the translation of what is at a place of a document; texts of one question must be among its own."""
        whole = {text: own for text, own in texts.items() if isinstance(own, str)}
        single = {name: own for name, own in texts.items() if not isinstance(own, str)}
        known: dict[str, set[str]] = {}
        for name, text in texts_of(self.questions.values(), self.grids.values()):
            known.setdefault(name, set()).add(text)
        for name, own in single.items():
            if name not in known and name not in self.bodies:
                hint = nearest(name, tuple(known))
                self.problems.append(
                    document.problem((*place, name), f"no question {name!r}.{hint}", key=True)
                )
            for text in own if name in known else ():
                if text not in known[name]:
                    message = f"{name} has no text {text!r}.{nearest(text, sorted(known[name]))}"
                    self.problems.append(document.problem((*place, name, text), message, key=True))
        return Translation(texts=whole, questions=single)

    def _conditions(self, head: CodebookFile | None) -> dict[str, str]:
        """Check the conditions that have words of their own."""
        conditions = {} if head is None else head.conditions
        for text in conditions:
            _, problems = parse_or_problem(text, self.document, ("conditions", text), self.questions)
            self.problems += problems
        return conditions

    def parse(self, text: str, place: Place) -> Expression | None:
        """Parse an expression; None after a noted problem."""
        expression, problems = parse_or_problem(text, self.document_at(place), place)
        self.problems += problems
        return expression

    def mistake(self, place: Place, message: str, *, key: bool = False) -> None:
        """Take a problem at a place of the file."""
        document = self.document_at(place)
        self.problems.append(document.problem(place, message, key=key))

    def document_at(self, place: Place) -> Document:
        """Find the document that a question is in."""
        inside = len(place) > 1 and place[0] == "questions"
        return self.documents.get(str(place[1]), self.document) if inside else self.document

    def part(self, kind: Any, body: Any, place: Place) -> Any:
        part, problems = check(kind, body, self.document_at(place), place)
        self.problems += problems
        return part

    # --- gathering --------------------------------------------------------------------------------------

    def _gather(self, head: CodebookFile | None) -> None:
        data = self.document.data
        bodies = data.get("questions") if isinstance(data, dict) else None
        for k, name in enumerate(head.include if head is not None else []):
            self._include(self.document.path.parent / name, ("include", k))
        self._add_bodies(bodies if isinstance(bodies, dict) else {}, None)

    def _include(self, path: Path, place: Place) -> None:
        document = self._further(path, place)
        if document is None:
            return
        part, problems = check(IncludedFile, document.data, document, ())
        self.problems += problems
        if part is not None:
            self._add_bodies(part.questions, document)

    def _further(self, path: Path, place: Place) -> Document | None:
        """Read a further file that is named at a place; None where it cannot be read, which is noted."""
        try:
            document = self.origin.document(path)
        except FileProblem as error:
            self.mistake(place, f"{place[0]}: {error}")
            return None
        except DocumentError as error:
            self.problems += error.problems
            return None
        self.origin = self.origin.with_text_of(document)
        return document

    def _add_bodies(self, bodies: dict[str, Any], document: Document | None) -> None:
        for name, body in bodies.items():
            if name in self.bodies:
                there = document or self.document
                message = f"there is a question {name!r} already, in another file of this codebook."
                self.problems.append(there.problem(("questions", name), message, key=True))
                continue
            self.bodies[name] = body
            if document is not None:
                self.documents[name] = document

    def _in_order(self) -> dict[str, Question]:
        """Put the questions in the order in which they are written; parts of one follow it."""
        place = {name: k for k, name in enumerate(self.bodies)}

        def position(question: Question) -> int:
            owner = question.grid or question.name
            return place.get(owner, place.get(owner.rsplit(".", 1)[0], len(place)))

        ordered = sorted(self.questions.values(), key=position)
        return {question.name: question for question in ordered}

    # --- one question -----------------------------------------------------------------------------------

    def _question(self, name: str, body: Any) -> None:
        place: Place = ("questions", name)
        kind = self._kind(body, place)
        part = None if kind is None else self.part(kind, body, place)
        match part:
            case SingleFile():
                self.plain.single(name, part, place)
            case MultiFile():
                self.plain.multi(name, part, place)
            case ColumnFile():
                self._in_column(name, part, place)
            case GridFile():
                self.plain.grid(name, part, place)
            case RankingFile():
                self.plain.ranking(name, part, place)
            case DeriveFile():
                self.plain.derive(name, part, place)
            case QuestionPart():
                self.pending[name] = part

    def _in_column(self, name: str, part: ColumnFile, place: Place) -> None:
        """Take a question that is in one column as it is."""
        kind = str(part.kind)
        definition: dict[str, Any] = {"kind": kind, "source": part.source(name)}
        if "missing" in fields_of(type(part)):
            definition["missing"] = self.plain.missing(getattr(part, "missing", None), kind, place)
        self.add(name, part, place, **definition)

    def _kind(self, body: Any, place: Place) -> type[QuestionPart] | None:
        if not isinstance(body, dict):
            self.mistake(
                place,
                f"{place[-1]}: expected a mapping that says the kind of question; found {found_text(body)}.",
            )
            return None
        for key, kind in BY_KEY.items():
            if key in body:
                return kind
        if "kind" not in body:
            kinds, keys = ", ".join(BY_KIND), ", ".join(BY_KEY)
            self.mistake(
                place, f"{place[-1]} needs the key 'kind' (one of {kinds}), or one of {keys}.", key=True
            )
            return None
        kind_name = str(body["kind"])
        if kind_name not in BY_KIND:
            hint = nearest(kind_name, tuple(BY_KIND))
            self.mistake(
                (*place, "kind"), f"kind: expected one of {', '.join(BY_KIND)}; found {kind_name!r}.{hint}"
            )
            return None
        return BY_KIND[kind_name]

    def add(self, name: str, part: QuestionPart, place: Place, **definition: Any) -> None:
        """Take a question, with what all questions may say."""
        asked = None if part.asked is None else self.parse(part.asked, (*place, "asked"))
        definition.setdefault("text", part.text or part.label or name)
        definition.setdefault("label", part.label or part.text or name)
        if name in self.questions:
            self.mistake(place, f"there is another question named {name!r} (an item of a grid?).", key=True)
            return
        self.questions[name] = Question(name=name, asked=asked, section=part.section or "", **definition)

    # --- questions made from others ---------------------------------------------------------------------

    def _make_pending(self) -> None:
        """Make questions from others as soon as those are there; what is left has mistaken or circular sources."""
        known = {*self.bodies, *self.questions} - {name for name in self.bodies if self._stand_for(name)}
        for name, part in list(self.pending.items()):
            if self._note_unknown_sources(name, part, known):
                del self.pending[name]
        progress = True
        while progress and self.pending:
            progress = False
            for name, part in list(self.pending.items()):
                if all(source in self.questions for source, _ in sources_of(part)):
                    self._make(name, self.pending.pop(name))
                    progress = True
        for name, part in self.pending.items():
            if all(source in self.questions or source in self.pending for source, _ in sources_of(part)):
                chain = " ← ".join([name, *(source for source, _ in sources_of(part))])
                self.mistake(("questions", name), f"defined in a circle: {chain}.", key=True)

    def _stand_for(self, name: str) -> list[str]:
        """List the questions that a grid or ranking stands for; nothing for a question of its own."""
        if name in self.questions or name in self.pending:
            return []
        return [question for question in self.questions if question.startswith(f"{name}.")]

    def _note_unknown_sources(self, name: str, part: QuestionPart, known: set[str]) -> bool:
        unknown = [(source, below) for source, below in sources_of(part) if source not in known]
        for source, below in unknown:
            names = sorted({*known, *self.grids})
            message = f"No question {source!r}.{nearest(source, names)}"
            if several := self._stand_for(source):
                message = f"{source} stands for several questions; name one of them: {', '.join(several)}."
            self.mistake(("questions", name, *below), message)
        if unknown:
            check_alone(part, ("questions", name), self.mistake)
        return bool(unknown)

    def _make(self, name: str, part: QuestionPart) -> None:
        place: Place = ("questions", name)
        definition = made_question(part, self.questions, place, self.mistake)
        if definition is None:
            return
        answers = definition.get("answers", ())
        if answers:
            written = getattr(part, "scale", False)
            scale, best_first = self.plain.scale(written, answers, place), written == "best first"
            nets = getattr(part, "nets", [])
            definition |= {
                "scale": scale,
                "best_first": best_first,
                **self.plain.nets(nets, answers, place, scale=scale, best_first=best_first),
            }
        self.add(name, part, place, **definition)

    # --- parts of a question ----------------------------------------------------------------------------

    def _share_nets(self, document: Document) -> None:
        """Add the nets at the head of the codebook to all questions that they name."""
        data = document.data
        written = data.get("nets") if isinstance(data, dict) else None
        for k, entry in enumerate(written if isinstance(written, list) else []):
            place: Place = ("nets", k)
            net = self.part(SharedNetFile, entry, place)
            if net is None:
                continue
            for j, pattern in enumerate(net.questions):
                names = [name for name in self.questions if fnmatchcase(name, pattern)]
                if not names and pattern not in self.bodies:
                    hint = nearest(pattern, tuple(self.questions))
                    self.mistake((*place, "questions", j), f"no question fits {pattern!r}.{hint}")
                for name in names:
                    self._share_net(name, net, place)

    def _share_net(self, name: str, net: SharedNetFile, place: Place) -> None:
        question = self.questions[name]

        def mistake(where: Place, message: str) -> None:
            self.mistake(where, f"{name}: {message}")

        builder = NetBuilder(question.answers, mistake, scale=question.scale, best_first=question.best_first)
        builder.nets = {net.label: net for net in question.nets}
        builder.differences = {difference.label: difference for difference in question.differences}
        builder.add(net, place)
        self.questions[name] = replace(
            question, nets=tuple(builder.nets.values()), differences=tuple(builder.differences.values())
        )

    # --- between questions ------------------------------------------------------------------------------

    def _check_references(self) -> None:
        known = {*self.bodies, *self.questions} - {name for name in self.bodies if self._stand_for(name)}
        for question in self.questions.values():
            place = self._place_of(question)
            if isinstance(question.source, Derived):
                for label, rule in question.source.rules:
                    self._check_rule(rule, (*place, "derive", label), known)
            if question.grid is None or question.name == self.grids[question.grid].items[0]:
                self._check_rule(question.asked, (*place, "asked"), known)
        self._check_circles()

    def _place_of(self, question: Question) -> Place:
        return ("questions", question.grid or question.name)

    def _check_rule(self, rule: Expression | None, place: Place, known: set[str]) -> None:
        """Check an expression, unless it names a question that is itself mistaken."""
        if rule is None:
            return
        for operand in rule.operands():
            if operand.name not in known:
                message = f"No question {operand.name!r}.{nearest(operand.name, sorted(known))}"
                self.mistake(place, _pointing_at(ExpressionError(message, rule.text, operand.position)))
                return
        if rule.names() <= set(self.questions):
            _, problems = parse_or_problem(rule.text, self.document_at(place), place, self.questions)
            self.problems += problems

    def _check_circles(self) -> None:
        needs = {question.name: set(question.made_of) for question in self.questions.values()}
        done: set[str] = set()
        for name in needs:
            circle = _circle(name, needs, done)
            if circle:
                chain = " ← ".join(circle)
                self.mistake(self._place_of(self.questions[name]), f"defined in a circle: {chain}.", key=True)
                return


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

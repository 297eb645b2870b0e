"""Labels and texts of a codebook in other languages: what is shown, while what they are called in plans stays."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import TypeVar

from eager_otter.codebook.model import Answer, Codebook, Difference, Grid, Net, Question, Translation
from eager_otter.documents.translated import written

Named = TypeVar("Named", Answer, Net, Difference)


def translation_for(codebook: Codebook, language: str) -> Translation | None:
    """Return the translation for a language by its tag (BCP 47), or by the first part of that; None without one.

    A codebook in German says nothing of "de": there is nothing to translate then.
    """
    known = {tag.casefold(): translation for tag, translation in codebook.translations.items()}
    tag = language.casefold()
    return known.get(tag) or known.get(tag.partition("-")[0])


def in_language(codebook: Codebook, language: str) -> Codebook:
    """Return a codebook whose labels and texts are in a language; as written where it has no such translation.

    Everything goes on being found by what it is called as written, in plans, calls and expressions.
    """
    if not codebook.translations:
        return codebook
    say = translation_for(codebook, language) or Translation()
    return replace(
        codebook,
        title=say.of(codebook.title),
        universe=say.of(codebook.universe),
        questions={name: _question(question, say) for name, question in codebook.questions.items()},
        grids={
            name: replace(grid, text=say.of(grid.text, grid.name)) for name, grid in codebook.grids.items()
        },
        conditions={rule: say.of(text) for rule, text in codebook.conditions.items()},
    )


def as_written(codebook: Codebook) -> Codebook:
    """Return a codebook whose labels and texts are those that are written in it."""
    return in_language(codebook, "")


def _question(question: Question, say: Translation) -> Question:
    offered = question.offered

    def own(text: str) -> str:
        return say.of(text, question.grid or question.name)

    def named(things: tuple[Named, ...]) -> tuple[Named, ...]:
        return tuple(replace(thing, label=own(thing.label)) for thing in things)

    nets = (replace(net, inside=tuple(own(label) for label in net.inside)) for net in question.nets)
    return replace(
        question,
        text=own(question.text),
        label=own(question.label),
        section=say.of(question.section),
        answers=named(question.answers),
        nets=named(tuple(nets)),
        differences=named(question.differences),
        offered=offered and replace(offered, labels=tuple(say.of(label) for label in offered.labels)),
    )


def texts_of(questions: Iterable[Question], grids: Iterable[Grid]) -> Iterator[tuple[str, str]]:
    """Go through the labels and texts of questions that a report may show, as written, each after its question.

    An item of a grid has those of its grid; "" stands before the heads of sections.
    """
    yield from ((grid.name, written(grid.text)) for grid in grids)
    for question in questions:
        if question.section:
            yield "", written(question.section)
        named: list[Answer | Net | Difference] = [*question.answers, *question.nets, *question.differences]
        for text in (question.text, question.label, *(one.label for one in named)):
            yield question.grid or question.name, written(text)


def words_of(codebook: Codebook, language: str, more: Iterable[str] = ()) -> dict[str, str | dict[str, str]]:
    """Return the translation of a codebook for a language as its file says it: all texts, "" where one is lacking.

    Texts in `more` follow those of the codebook, and then what is said otherwise in single questions. Numbers are the
    same in all languages, and left out.
    """
    say = translation_for(codebook, language) or Translation()
    heads = [codebook.title, codebook.universe, *codebook.conditions.values()]
    every = [("", text) for text in heads] + [*texts_of(codebook, codebook.grids.values())]
    words: dict[str, str | dict[str, str]] = {}
    for question, text in [*every, *(("", text) for text in more)]:
        plain = written(text)
        of_one_alone = plain in say.questions.get(question, {}) and plain not in say.texts
        if any(letter.isalpha() for letter in plain) and not of_one_alone:
            words.setdefault(plain, say.texts.get(plain, ""))
    return words | {name: dict(own) for name, own in say.questions.items()}


def untranslated(codebook: Codebook, language: str, more: Iterable[str] = ()) -> tuple[str, ...]:
    """List the texts of a codebook, and `more`, that its translation for a language lacks; none without such a one."""
    if translation_for(codebook, language) is None:
        return ()
    return tuple(text for text, own in words_of(codebook, language, more).items() if not own)

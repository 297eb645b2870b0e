"""Catalogues: YAML files that give another wording for some or all of the fixed texts, which code says in English.

Beside `language`, `decimal` and `thousands` (signs of numbers) it has `words`: a mapping from English texts to its own.
"""

from __future__ import annotations

import string
from collections.abc import Iterator, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from eager_otter.documents.checking import check
from eager_otter.documents.part import After, InSchema, Limits, Part, Text, key, rule
from eager_otter.documents.settled import checked
from eager_otter.documents.yaml_nodes import Document, Place, compose, is_yaml, read_yaml
from eager_otter.errors import DocumentError, Problem, UnknownName, nearest
from eager_otter.gates.reading import packaged_text
from eager_otter.looks.words import BETWEEN_FORMS, ENGLISH, Words

THOUSANDS = ("", ",", ".", "'", "’", " ", "\xa0", "\u2009", "\u202f")
LANGUAGE_TAG = r"[A-Za-z]{2,3}(-[A-Za-z0-9]{1,8})*"  # of BCP 47, as far as it is used
SHIPPED = {"en": "", "de": "german.yaml"}  # by language tag (BCP 47); English needs no catalogue


def _sign_of_thousands(sign: str) -> str:
    if sign not in THOUSANDS:
        signs = "a comma, point, apostrophe or blank, or nothing"
        raise ValueError(f"thousands: {signs} was expected; found {sign!r}.")
    return sign


class CatalogueFile(Part):
    """A catalogue as written."""

    examples: ClassVar[Mapping[str, str]] = {
        "words": "{Total: Ensemble}",
    }

    language: Annotated[Text, Limits(pattern=LANGUAGE_TAG)]
    decimal: Literal[".", ","] = "."
    thousands: Annotated[Text, After(_sign_of_thousands), InSchema({"enum": list(THOUSANDS)})] = ","
    words: dict[str, Text] = key("words", {})

    @rule
    def _told_apart(self) -> None:
        if self.thousands == self.decimal:
            raise ValueError(f"thousands and decimal are both {self.decimal!r}; numbers could not be read.")


@checked
def load_words(name: str, folder: str | Path = ".") -> Words:
    """Load a language: one that ships ("en", "de"), or a YAML file, its path from `folder`.

    Raises UnknownName, FileProblem, DocumentError with every mistake in the file: an unknown text, or one whose places
    to fill are not those of the English.

    `name` is a tag, or a path.
    """
    if name in SHIPPED:
        return _shipped(name)
    if not is_yaml(name):
        raise UnknownName("language", name, [*SHIPPED, "a .yaml file"])
    return _words(read_yaml(Path(folder) / name, "catalogue"))


def wording_problems(texts: Mapping[str, str], document: Document, place: Place) -> Iterator[Problem]:
    """Go through what is wrong with other words for some texts: unknown texts, places that are not the same."""
    for english, wording in texts.items():
        known, where = known_texts(), (*place, english)
        if english not in known:
            message = f"no text {english!r} is said anywhere.{nearest(english, known)}"
            yield document.problem(where, message, key=True)
        elif places_in(wording) != places_in(english):
            wanted = ", ".join(f"{{{name}}}" for name in sorted(places_in(english) or ())) or "none"
            yield document.problem(where, f"the places to fill are to be the same as in English: {wanted}.")


def places_in(text: str) -> frozenset[str] | None:
    """Return the names in braces in a text, with or without forms of a word; None where braces are not of that kind.

    >>> sorted(places_in("{kept} of {before} {before:row|rows}")), places_in("{0.real}"), places_in("half {")
    (['before', 'kept'], None, None)
    """
    try:
        parts = list(string.Formatter().parse(text))
    except ValueError:
        return None
    names = [(name, forms, change) for _, name, forms, change in parts if name is not None]
    if any(not name.isidentifier() or change or "{" in (forms or "") for name, forms, change in names):
        return None
    if any(forms and BETWEEN_FORMS not in forms for _, forms, _ in names):
        return None
    return frozenset(name for name, _, _ in names)


@lru_cache(maxsize=1)
def known_texts() -> tuple[str, ...]:
    """List all fixed texts, in English, in the order of the catalogue that ships."""
    return tuple(_shipped("de").texts)


@checked
def catalogue_text(words: Words) -> str:
    """Write a language as a catalogue with every text in it, to start another from.

    `words` are those of `load_words`.
    """
    import yaml

    head = {"language": words.language, "decimal": words.decimal, "thousands": words.thousands}
    body = {text: words(text) for text in known_texts()}
    return str(yaml.safe_dump({**head, "words": body}, allow_unicode=True, sort_keys=False, width=2000))


@lru_cache(maxsize=8)
def _shipped(name: str) -> Words:
    if not SHIPPED[name]:
        return ENGLISH
    text = packaged_text("eager_otter.looks", "languages", SHIPPED[name])
    return _words(compose(text, Path(SHIPPED[name])), known=False)


def _words(document: Document, *, known: bool = True) -> Words:
    """Make the words of a catalogue; with `known`, its texts are held against those that are said."""
    part, problems = check(CatalogueFile, document.data or {}, document, ())
    if part is not None and known:
        problems += wording_problems(part.words, document, ("words",))
    if problems or part is None:
        raise DocumentError(problems)
    return Words(language=part.language, texts=part.words, decimal=part.decimal, thousands=part.thousands)

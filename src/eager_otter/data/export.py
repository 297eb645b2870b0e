"""Write a survey back: as CSV with codes or labels, or as triple-s 2.0, so that work can leave."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from xml.etree.ElementTree import Element, SubElement, indent, tostring

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.codebook.periods import day_text
from eager_otter.core.arrays import BoolArray
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.data.responses import Responses
from eager_otter.errors import RequestError
from eager_otter.gates.numbers import number_of
from eager_otter.gates.writing import write_bytes, write_rows

Column = list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One column of the export: a question, or the answer of a multiple-response question."""

    name: str
    texts: Column


def write_csv(responses: Responses, path: Path, rows: BoolArray, *, labels: bool) -> None:
    """Write the chosen rows as CSV, codes or labels: all questions, made ones too, with id and weight first.

    A multiple-response question has one column per answer; with labels, a tick is the answer's label.
    """
    fields = [*_kept(responses, rows)]
    for question in responses.codebook:
        fields += _fields(question, responses.answers(question.name), rows, labels=labels)
    _write_fields(path, fields)


def _write_fields(path: Path, fields: Sequence[Field]) -> None:
    names = [field.name for field in fields]
    write_rows(path, names, zip(*(field.texts for field in fields), strict=True))


def _kept(responses: Responses, rows: BoolArray) -> Iterator[Field]:
    for name in dict.fromkeys(responses.codebook.special_columns.values()):
        (column,) = responses.as_text([name])
        yield Field(name=name, texts=[text for text, keep in zip(column, rows.tolist(), strict=True) if keep])


def _fields(question: Question, answers: Answers, rows: BoolArray, *, labels: bool) -> Iterator[Field]:
    chosen = answers.chosen(rows)
    if isinstance(chosen, MultiAnswers):
        given = chosen.answered.tolist()
        for k, answer in enumerate(question.answers):
            yes, no = (answer.label, "") if labels else ("1", "0")
            ticks = chosen.tick(k).tolist()
            texts = [(yes if tick else no) if there else "" for tick, there in zip(ticks, given, strict=True)]
            yield Field(name=f"{question.name}_{answer.code}", texts=texts)
    else:
        yield Field(name=question.name, texts=_texts(question, chosen, labels=labels))


def _texts(question: Question, answers: Answers, *, labels: bool) -> Column:
    if isinstance(answers, SingleAnswers):
        words = [answer.label if labels else answer.code for answer in question.answers]
        words += [""] * (answers.size - len(words))
        return [words[code] for code in answers.codes.tolist()]
    if isinstance(answers, NumberAnswers):
        return [_number_text(question, value) for value in answers.values.tolist()]
    return [str(text) for text in answers.texts] if not isinstance(answers, MultiAnswers) else []


def _number_text(question: Question, value: float) -> str:
    if np.isnan(value):
        return ""
    if question.kind == "date":
        return day_text(value)
    return format(value, ".15g")


# --- triple-s -------------------------------------------------------------------------------------------


def write_triple_s(
    responses: Responses, definition: Path, data: Path, rows: BoolArray, *, data_name: str
) -> list[str]:
    """Write the chosen rows as triple-s 2.0: the definition, and the data as CSV beside it.

    Codes of the standard are whole numbers from 1 up: other codes are numbered in their order. Gives the names of
    the questions where that was so. Raises RequestError for a question that the standard cannot hold.
    """
    root = Element("sss", version="2.0")
    survey = SubElement(root, "survey")
    stem = Path(data_name).stem
    SubElement(survey, "name").text = stem
    SubElement(survey, "title").text = responses.codebook.title or stem
    record = SubElement(survey, "record", ident="A", href=data_name, format="csv", skip="1")
    writer = _TripleS(record)
    codebook = responses.codebook
    for field in _kept(responses, rows):
        use = (
            "serial"
            if field.name == codebook.respondent
            else "weight"
            if field.name == codebook.weight
            else ""
        )
        writer.plain(field, use)
    for question in codebook:
        writer.question(question, responses.answers(question.name).chosen(rows))
    indent(root)
    write_bytes(definition, tostring(root, encoding="utf-8", xml_declaration=True))
    _write_fields(data, writer.fields)
    return [question.name for question in codebook if question.answers and not _codes_fit(question)]


class _TripleS:
    """Writes variables into a record, one CSV field each."""

    def __init__(self, record: Element) -> None:
        self.record = record
        self.fields: list[Field] = []

    def plain(self, field: Field, use: str) -> None:
        """Write a column that is no question."""
        numbers = all(number_of(text) is not None for text in field.texts if text)
        element = self._variable(field.name, "quantity" if numbers else "character", field.name, field.texts)
        if use:
            element.set("use", use)
        self._size(element, field.texts, numbers=numbers)

    def question(self, question: Question, answers: Answers) -> None:
        """Write a question in the type of variable that fits."""
        label = question.text
        if isinstance(answers, SingleAnswers):
            numbers = _numbered(question)
            words = [str(numbers[answer.code]) for answer in question.answers]
            words += [""] * (answers.size - len(words))
            texts = [words[code] for code in answers.codes.tolist()]
            self._values(self._variable(question.name, "single", label, texts), question, numbers)
        elif isinstance(answers, MultiAnswers):
            numbers = _numbered(question)
            texts = _bit_strings(question, answers, numbers)
            self._values(self._variable(question.name, "multiple", label, texts), question, numbers)
        elif question.kind == "date":
            texts = [text.replace("-", "") for text in _texts(question, answers, labels=False)]
            self._variable(question.name, "date", label, texts)
        else:
            texts = _texts(question, answers, labels=False)
            numeric = question.kind == "number"
            element = self._variable(question.name, "quantity" if numeric else "character", label, texts)
            self._size(element, texts, numbers=numeric)

    def _variable(self, name: str, kind: str, label: str, texts: Sequence[str]) -> Element:
        self.fields.append(Field(name=name, texts=list(texts)))
        number = len(self.fields)
        element = SubElement(self.record, "variable", ident=str(number), type=kind)
        SubElement(element, "name").text = name
        SubElement(element, "label").text = _printable(label)
        SubElement(element, "position", start=str(number))
        return element

    def _values(self, element: Element, question: Question, numbers: dict[str, int]) -> None:
        values = SubElement(element, "values")
        scores = question.scores()
        for answer in question.answers:
            value = SubElement(values, "value", code=str(numbers[answer.code]))
            value.text = _printable(answer.label)
            if answer.code in scores:
                value.set("score", format(scores[answer.code], ".15g"))

    def _size(self, element: Element, texts: Sequence[str], *, numbers: bool) -> None:
        if not numbers:
            SubElement(element, "size").text = str(max([len(text) for text in texts], default=1) or 1)
            return
        given = [float(text) for text in texts if text]
        values = SubElement(element, "values")
        low, high = (min(given), max(given)) if given else (0.0, 0.0)
        SubElement(values, "range", {"from": format(low, ".15g"), "to": format(high, ".15g")})


def _numbered(question: Question) -> dict[str, int]:
    """Give each code the number it has in the standard: itself where all are whole numbers from 1 up."""
    codes = [answer.code for answer in question.answers]
    if _codes_fit(question):
        numbers = {code: int(code) for code in codes}
        if max(numbers.values()) > 9_999 and question.kind == "multi":
            raise RequestError(
                f"{question.name}: codes above 9,999 make strings of bits too long for triple-s."
            )
        return numbers
    return {code: k for k, code in enumerate(codes, 1)}


def _codes_fit(question: Question) -> bool:
    codes = [answer.code for answer in question.answers]
    return all(code.isascii() and code.isdigit() and not code.startswith("0") for code in codes)


def _bit_strings(question: Question, answers: MultiAnswers, numbers: dict[str, int]) -> Column:
    width = max(numbers.values())
    bits = np.full((len(answers), width), ord("0"), np.uint8)
    for k, answer in enumerate(question.answers):
        bits[answers.tick(k), numbers[answer.code] - 1] = ord("1")
    given = answers.answered.tolist()
    return [row.tobytes().decode("ascii") if there else "" for row, there in zip(bits, given, strict=True)]


def _printable(text: str) -> str:
    """Leave out characters that XML cannot hold."""
    return "".join(c for c in text if c in "\t\n\r" or (c >= " " and not "\ud800" <= c <= "\udfff"))

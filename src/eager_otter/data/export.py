"""Write a survey back: as CSV, triple-s 2.0, DDI-Codebook or a data package, so that work can leave."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from xml.etree.ElementTree import Element, SubElement, indent, tostring

import numpy as np

from eager_otter.codebook.label_words import surely_no_answer
from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.arrays import BoolArray
from eager_otter.data.answers import Answers, NumberAnswers
from eager_otter.data.ddi import ddi_codebook
from eager_otter.data.described import ColumnsTogether, ColumnToWrite
from eager_otter.data.kind import Field, codes_fit
from eager_otter.data.kind_of import kind_of
from eager_otter.data.package import data_package
from eager_otter.data.remark import named
from eager_otter.data.responses import Responses
from eager_otter.data.xml import printable
from eager_otter.gates.numbers import number_of
from eager_otter.gates.writing import write_bytes, write_rows


def write_csv(responses: Responses, path: Path, rows: BoolArray, *, labels: bool) -> None:
    """Write the chosen rows as CSV, codes or labels: all questions, made ones too, with id and weight first.

    A multiple-response question has one column per answer; with labels, a tick is the answer's label.
    """
    fields = [*_kept(responses, rows)]
    for question in responses.codebook:
        answers = responses.answers(question.name).chosen(rows)
        fields += kind_of(question).fields(question, answers, labels=labels)
    _write_fields(path, fields)


def _write_fields(path: Path, fields: Sequence[Field]) -> None:
    names = [field.name for field in fields]
    write_rows(path, names, zip(*(field.texts for field in fields), strict=True))


def _kept(responses: Responses, rows: BoolArray) -> Iterator[Field]:
    for name in dict.fromkeys(responses.codebook.special_columns.values()):
        (column,) = responses.as_text([name])
        yield Field(name=name, texts=[text for text, keep in zip(column, rows.tolist(), strict=True) if keep])


NO_ANSWER = "No answer"  # the label of missing codes among numbers, which have none of their own


# --- triple-s -------------------------------------------------------------------------------------------


def write_triple_s(
    responses: Responses, definition: Path, data: Path, rows: BoolArray, *, data_name: str
) -> list[str]:
    """Write the chosen rows as triple-s 2.0: the definition, and the data as CSV beside it.

    Codes of the standard are whole numbers from 1 up: other codes are numbered in their order. Returns what of the
    codebook is not in the file, or is otherwise. Raises RequestError for a question that the standard cannot hold.
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
    return list(_not_in_triple_s(codebook))


def blanked(responses: Responses, rows: BoolArray) -> list[str]:
    """List the questions of which values that are missing by a range are written blank, each with how many."""
    lost = []
    for question in responses.codebook:
        answers = responses.answers(question.name) if question.missing.spans else None
        if isinstance(answers, NumberAnswers) and answers.absent is not None:
            spans = {span.text for span in question.missing.spans}
            where = [k for k, one in enumerate(answers.absent.known, 1) if one.label in spans]
            count = int(np.isin(answers.absent.codes[rows], where).sum())
            lost += [f"{question.name}: {count:,}"] if count else []
    return lost


def _not_in_triple_s(codebook: Codebook) -> Iterator[str]:
    """Tell what is otherwise in triple-s than in a codebook, or is not in it."""
    numbered = [question.name for question in codebook if question.answers and not codes_fit(question)]
    if numbered:
        yield f"Codes were numbered from 1, as the standard wants, in: {', '.join(numbered)}."
    lost = {
        "answers that are missing": [
            question.name
            for question in codebook
            if any(answer.missing and not surely_no_answer(answer.label) for answer in question.answers)
        ],
        "missing codes of dates, or that are words": [
            question.name
            for question in codebook
            if question.is_of.of_days or question.is_of.of_values
            if any(question.is_of.of_days or number_of(code) is None for code in question.missing.codes)
        ],
        "sections": [question.name for question in codebook if question.section],
    }
    for what, names in lost.items():
        if names:
            yield f"triple-s has no place for {what} ({named(names)}); the standard ddi keeps them."


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
        variable = kind_of(question).variable(question, answers)
        element = self._variable(question.name, variable.type, question.text, variable.texts)
        if variable.numbers is not None:
            self._values(element, question, variable.numbers)
        elif variable.type in ("quantity", "character"):
            self._size(element, variable.texts, numbers=variable.type == "quantity", special=variable.special)

    def _variable(self, name: str, kind: str, label: str, texts: Sequence[str]) -> Element:
        self.fields.append(Field(name=name, texts=list(texts)))
        number = len(self.fields)
        element = SubElement(self.record, "variable", ident=str(number), type=kind)
        SubElement(element, "name").text = name
        SubElement(element, "label").text = printable(label)
        SubElement(element, "position", start=str(number))
        return element

    def _values(self, element: Element, question: Question, numbers: Mapping[str, int]) -> None:
        values = SubElement(element, "values")
        scores = question.scores()
        for answer in question.answers:
            value = SubElement(values, "value", code=str(numbers[answer.code]))
            value.text = printable(answer.label)
            if answer.code in scores:
                value.set("score", format(scores[answer.code], ".15g"))

    def _size(
        self, element: Element, texts: Sequence[str], *, numbers: bool, special: Sequence[str] = ()
    ) -> None:
        if not numbers:
            SubElement(element, "size").text = str(max([len(text) for text in texts], default=1) or 1)
            return
        given = [float(text) for text in texts if text and text not in special]
        values = SubElement(element, "values")
        low, high = (min(given), max(given)) if given else (0.0, 0.0)
        SubElement(values, "range", {"from": format(low, ".15g"), "to": format(high, ".15g")})
        for code in special:
            SubElement(values, "value", code=code).text = NO_ANSWER


# --- CSV with a description beside it --------------------------------------------------------------------


def write_described(
    responses: Responses, description: Path, data: Path, rows: BoolArray, *, data_name: str, as_ddi: bool
) -> None:
    """Write the chosen rows as CSV with codes, and what they mean as a DDI codebook or as a data package.

    Each answer of a multiple response is a column of 1 and 0; what is no answer keeps its code.
    """
    fields = list(_kept(responses, rows))
    columns: list[ColumnToWrite] = []
    groups: list[ColumnsTogether] = []
    book = responses.codebook
    for field in fields:
        number = all(number_of(text) is not None for text in field.texts if text)
        columns.append(
            ColumnToWrite(
                name=field.name,
                label=field.name,
                kind="number" if number else "text",
                weight=field.name == book.weight,
            )
        )
    for question in book:
        own = list(
            kind_of(question).fields(question, responses.answers(question.name).chosen(rows), labels=False)
        )
        fields += own
        columns += _columns_to_write(question, own)
        group = question.name if question.is_of.several else question.grid
        if group is not None:
            if not groups or groups[-1].name != group:
                kind = "multipleResp" if question.is_of.several else "grid"
                groups.append(ColumnsTogether(name=group, text=_stem(question), type=kind))
            groups[-1].columns.extend(field.name for field in own)
    title = book.title or Path(data_name).stem
    _write_fields(data, fields)
    if as_ddi:
        content = ddi_codebook(title, data_name, int(rows.sum()), columns, groups)
    else:
        content = data_package(title, data_name, columns, {group.name: group.text for group in groups})
    write_bytes(description, content)


def _columns_to_write(question: Question, fields: Sequence[Field]) -> Iterator[ColumnToWrite]:
    """Describe the columns that a question is written to."""
    if question.is_of.several:
        for field, answer in zip(fields, question.answers, strict=True):
            yield ColumnToWrite(
                name=field.name,
                label=answer.label,
                text=question.text,
                kind="single",
                categories=(("1", "Yes", False), ("0", "No", False)),
                group=question.name,
                section=question.section,
            )
        return
    kinds = question.is_of
    yield ColumnToWrite(
        name=fields[0].name,
        label=question.label,
        text=question.text,
        kind="single"
        if kinds.of_answers
        else "date"
        if kinds.of_days
        else "number"
        if kinds.of_values
        else "text",
        categories=tuple((answer.code, answer.label, answer.missing) for answer in question.answers)
        if kinds.of_answers
        else tuple((code, NO_ANSWER, True) for code in question.missing.codes),
        group=question.grid or "",
        section=question.section,
    )


def _stem(question: Question) -> str:
    return question.text or question.label

"""Open answers coded into topics by people: what goes out to be coded, what comes back, and what is wrong with it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from eager_otter.codebook.codes import canonical
from eager_otter.data.answers import TextAnswers
from eager_otter.data.responses import Responses
from eager_otter.data.sheet_file import SheetFile, open_sheet
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, RequestError, nearest
from eager_otter.gates.text import LONGEST_CELL, held, one_line, shortened

TEXTS, TOPICS = "Texts", "Topics"
ID, TEXT, CODE, TOPIC = "id", "text", "code", "topic"
SHOWN = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Coded:
    """Topics of all respondents: `mentions` has the codes per row of the data, `topics` pairs codes with labels.

    `uncoded` names the texts that have no topic, `twice` those that have one twice (it counts once).
    """

    mentions: tuple[tuple[str, ...], ...]
    topics: tuple[tuple[str, str], ...]
    uncoded: tuple[str, ...]
    twice: tuple[str, ...]


def texts_to_code(responses: Responses, question: str) -> list[tuple[str, str]]:
    """List the ids and texts of an open question that hold something. Raises UnknownName, RequestError."""
    answers = responses.answers(question)
    if not isinstance(answers, TextAnswers):
        kind = responses.codebook.question(question).kind
        raise RequestError(f"{question} is of kind {kind}; only open text is coded into topics.")
    ids = respondent_ids(responses)
    pairs = [(ids[k], str(text).strip()) for k, text in enumerate(answers.texts) if str(text).strip()]
    if not pairs:
        raise RequestError(f"{question}: nobody wrote anything, so there is nothing to code.")
    return pairs


def respondent_ids(responses: Responses) -> list[str]:
    """Return what tells respondents apart: their ids, or the numbers of their rows."""
    column = responses.codebook.respondent
    if column is None:
        return [str(k + 1) for k in range(len(responses))]
    return [canonical(str(value)) for value in responses.table.column(column).to_pylist()]


def read_coded(responses: Responses, question: str, path: Path) -> Coded:
    """Read a coded workbook back.

    Raises DataError, naming the rows: an id that is not in the data or appears twice, a text that is not the
    respondent's, an unknown topic (with the nearest), a topic list without topics. FileProblem for no workbook.
    """
    topics = _topics(open_sheet(path, TOPICS))
    sheet = open_sheet(path, TEXTS)
    wanted = dict(texts_to_code(responses, question))
    given = _given(sheet, wanted, topics)
    ids = respondent_ids(responses)
    mentions = tuple(tuple(dict.fromkeys(given.get(identity, ()))) for identity in ids)
    return Coded(
        mentions=mentions,
        topics=tuple((code, label) for label, code in topics.items()),
        uncoded=tuple(identity for identity in wanted if not given.get(identity)),
        twice=tuple(identity for identity, codes in given.items() if len(set(codes)) < len(codes)),
    )


def _topics(sheet: SheetFile) -> dict[str, str]:
    """Read the topic list: labels with their codes."""
    if CODE not in sheet.names or TOPIC not in sheet.names:
        raise DataError(f"{sheet.place}: the columns {CODE!r} and {TOPIC!r} are wanted.")
    table = sheet.read([CODE, TOPIC]).to_pydict() if sheet.rows else {CODE: [], TOPIC: []}
    topics: dict[str, str] = {}
    for row, (code, label) in enumerate(zip(table[CODE], table[TOPIC], strict=True), 2):
        if code is None and label is None:
            continue
        if code is None or label is None:
            raise DataError(f"{sheet.place}, row {row}: a topic needs both a code and a label.")
        if label.strip() in topics or canonical(code) in topics.values():
            raise DataError(
                f"{sheet.place}, row {row}: the topic {label!r} or its code {code} appears twice."
            )
        topics[label.strip()] = canonical(code)
    if not topics:
        raise DataError(f"{sheet.place}: there are no topics; write a code and a label for each.")
    return topics


def _given(sheet: SheetFile, wanted: Mapping[str, str], topics: Mapping[str, str]) -> dict[str, list[str]]:
    columns = [name for name in sheet.names if name.startswith(f"{TOPIC} ")]
    if ID not in sheet.names or TEXT not in sheet.names or not columns:
        raise DataError(f"{sheet.place}: the columns {ID!r}, {TEXT!r} and '{TOPIC} 1' … are wanted.")
    table = sheet.read([ID, TEXT, *columns]).to_pydict()
    given: dict[str, list[str]] = {}
    wrong: list[str] = []
    by_name = {label.casefold(): code for label, code in topics.items()} | {
        code: code for code in topics.values()
    }
    for row, identity in enumerate(table[ID], 2):
        name = canonical(identity or "")
        text = (table[TEXT][row - 2] or "").strip()
        if not name and not text:
            continue
        if name in given:
            wrong.append(f"row {row}: the id {name!r} appears twice")
        elif name not in wanted:
            wrong.append(f"row {row}: the id {name!r} has no text in the data")
        elif _as_written(wanted[name]) != one_line(text):
            wrong.append(f"row {row}: the text is not that of {name!r}; were the rows sorted apart?")
        given[name] = _codes([table[column][row - 2] for column in columns], by_name, topics, row, wrong)
    if wrong:
        more = f"\n  and {len(wrong) - SHOWN:,} more" if len(wrong) > SHOWN else ""
        raise DataError(f"{sheet.place}:\n  " + "\n  ".join(wrong[:SHOWN]) + more)
    return given


def _as_written(text: str) -> str:
    """Return a text of the data as it is in the sheet that goes out to be coded, on one line."""
    return one_line(shortened(held(text), LONGEST_CELL))


def _codes(
    cells: Sequence[Any], by_name: Mapping[str, str], topics: Mapping[str, str], row: int, wrong: list[str]
) -> list[str]:
    codes = []
    for cell in cells:
        if cell is None or not str(cell).strip():
            continue
        name = str(cell).strip()
        code = by_name.get(name.casefold()) or by_name.get(canonical(name))
        if code is None:
            wrong.append(f"row {row}: no topic {name!r}.{nearest(name, tuple(topics))}")
        else:
            codes.append(code)
    return codes

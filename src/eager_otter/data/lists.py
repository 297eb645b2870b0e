"""Lists of answers, as columns of Arrow, frames, JSON and databases hold them: read as texts of joined answers.

Scripts write lists into cells of text, with brackets around them: ['Tarn', 'Birk'].
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from eager_otter.errors import DataError

BY = ";"  # what joins them, which a codebook says under joined: by
IN_BRACKETS = "[,]"  # what a codebook says under joined: by for lists that are written out
LIST = re.compile(r"\s*\[(.*)\]\s*", re.DOTALL)
ENTRY = re.compile(r"""\s*(?:'((?:[^'\\]|\\.)*)'|"((?:[^"\\]|\\.)*)"|([^,]*?))\s*(?:,|\Z)""", re.DOTALL)
ESCAPED = re.compile(r"\\(?:u([0-9A-Fa-f]{4})|x([0-9A-Fa-f]{2})|(.))", re.DOTALL)
NOTHING = ("None", "null", "nan")  # without quotes
SIGNS = {"n": "\n", "t": "\t", "r": "\r"}
LISTS = (pa.types.is_list, pa.types.is_large_list, pa.types.is_fixed_size_list)


def is_list(kind: Any) -> bool:
    """Return whether a type of Arrow is one of lists."""
    return any(of(kind) for of in LISTS)


def lists_in(names: Sequence[str], schema: Any) -> list[str]:
    """Name the columns of lists, where `names` are those of the fields of an Arrow schema, in their order."""
    return [name for name, field in zip(names, schema, strict=True) if is_list(field.type)]


def joined(values: Sequence[Any], written: Callable[[Any], str | None], place: str) -> str | None:
    """Join the answers of a list, each `written` as text; None for a list without any.

    Raises DataError for an answer that holds the sign which joins them.

    >>> joined([1, 3], str, "record 1"), joined([], str, "record 2")
    ('1;3', None)
    """
    texts = [text for value in values if (text := written(value))]
    for text in texts:
        if BY in text:
            raise _holds_sign(text, place)
    return BY.join(texts) or None


def is_written(text: str) -> bool:
    """Return whether a text is a list that is written out, of answers alone."""
    found = LIST.fullmatch(text)
    return found is not None and "[" not in found[1] and "{" not in found[1]


def entries(text: str) -> list[str]:
    """Return the answers of a list that is written out, without their quotes; another text is one answer.

    >>> entries("['Tarn', 'Fern, still']"), entries('["Caf\\\\u00e9"]'), entries("[1, 3]"), entries("x, y")
    (['Tarn', 'Fern, still'], ['Café'], ['1', '3'], ['x, y'])
    """
    found = LIST.fullmatch(text)
    if found is None:
        return [text.strip()]
    result = []
    for single, double, bare in ENTRY.findall(found[1]):
        quoted = single or double
        text_of = _unescaped(quoted) if quoted else "" if bare in NOTHING else bare
        result += [text_of] if text_of else []
    return result


def written_out(answers: Sequence[str]) -> str:
    """Write a list of answers as `entries` reads it."""
    quoted = [answer.replace("\\", "\\\\").replace("'", "\\'") for answer in answers]
    return "[" + ", ".join(f"'{one}'" for one in quoted) + "]"


def _unescaped(text: str) -> str:
    """Write escaped signs as they are; two halves of one are joined."""
    found = ESCAPED.sub(_sign, text)
    return found.encode("utf-16", "surrogatepass").decode("utf-16", "replace") if "\\u" in text else found


def _sign(found: re.Match[str]) -> str:
    code = found[1] or found[2]
    return chr(int(code, 16)) if code else SIGNS.get(found[3], found[3])


def joined_column(column: Any, as_texts: Callable[[Any], Any], place: str) -> Any:
    """Join the lists of a chunked column: texts (rows,), null for a list without an answer.

    `as_texts` makes texts of the values in the lists. Raises DataError as `joined` does.
    """
    return pa.chunked_array([_joined(chunk, as_texts, place) for chunk in column.chunks], pa.string())


def _joined(lists: Any, as_texts: Callable[[Any], Any], place: str) -> Any:
    from pyarrow import compute

    lengths = compute.fill_null(compute.list_value_length(lists), 0).to_numpy(zero_copy_only=False)
    of_row = np.repeat(np.arange(len(lists)), lengths)
    texts = as_texts(pa.chunked_array([compute.list_flatten(lists)])).cast(pa.string()).combine_chunks()
    given = compute.fill_null(compute.not_equal(texts, ""), fill_value=False)
    texts, of_row = texts.filter(given), of_row[given.to_numpy(zero_copy_only=False)]
    with_sign = texts.filter(compute.match_substring(texts, BY))
    if len(with_sign):
        raise _holds_sign(with_sign[0].as_py(), place)
    many = np.bincount(of_row, minlength=len(lists))
    ends = pa.array(np.concatenate([[0], np.cumsum(many)]), pa.int64())
    found = compute.binary_join(pa.LargeListArray.from_arrays(ends, texts), BY)
    return compute.if_else(pa.array(many > 0), found, None)


def _holds_sign(text: str, place: str) -> DataError:
    return DataError(
        f"{place}: a list holds the answer {text!r}. Lists are read as texts joined by {BY!r}, which no answer in them "
        "may hold: replace it in the data."
    )

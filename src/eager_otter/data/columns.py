"""One column of responses as small integers: each distinct text is looked at once."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Collection, Container, Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.missing import Missing
from eager_otter.core.arrays import (
    BoolArray,
    CodeArray,
    FloatArray,
    IntArray,
    chosen_by,
    counts_of,
    renumbered,
    smallest_unsigned,
)
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError
from eager_otter.gates.numbers import LARGEST, number_of
from eager_otter.patterns import pattern

THOUSANDS = pattern(r"-?\d{1,3}(,\d{3})+")
COMMA_DECIMALS = pattern(r"-?(\d+|[1-9]\d{0,2}(\.\d{3})+),\d+")
POINTED_WHOLE = pattern(r"-?[1-9]\d{0,2}(\.\d{3})+")
POINTED_THOUSANDS = pattern(r"-?[1-9]\d{0,2}(\.\d{3})+(,\d+)?")  # with a decimal comma
SEEN_FIRST = 1_000  # texts that are looked at before all others
FEWEST_POINTED = 3  # different numbers with a point, all with three digits behind, that may be thousands
TOO_LARGE = pattern(r"[-+]?(\d+(\.\d*)?|\.\d+)([eE][-+]?\d+)?")
WIDEST_LOOKUP = 1 << 12  # whole numbers within this span are translated by a table, others one text at a time
SHOWN = 5
FIRST_SIGN, LAST_SIGN = ord("!"), ord("~")  # of ASCII, without blanks
MANY_TEXTS = 100  # that are looked at by Arrow first
FEW_ROWS = 5_000  # up to which no function of Arrow is needed: to load them takes 60 ms
SOME = 12  # times as many rows are taken without them, too, as long as these are
SPARED = 150_000  # values in all, which take as long
SIGNS_OF_NUMBERS = b"0123456789.-\n"  # plainly written, in lines
LAST_OF_FRACTION = np.frombuffer(b"0.", np.uint8)  # of a number that may have a shorter form
KEY_BYTES = 8  # texts up to this length are compared as numbers
FNV_START, FNV_PRIME = np.uint64(14_695_981_039_346_656_037), np.uint64(1_099_511_628_211)


def usual_row_text(row: int) -> str:
    """Name a row (from 0) by its number from 1."""
    return f"row {row + 1}"


LENGTH_OF_TIME = pattern(r"\d{1,4}:[0-5]?\d(:[0-5]?\d([.,]\d+)?)?")
AROUND_NUMBERS = pattern(r"[-+\d.,' \u00a0\u202f]*\d[\d.,' \u00a0\u202f]*")
LONGEST_UNIT = 4
BOUNDS = ("<", ">", "<=", ">=", "≤", "≥", "~")
BLANKS = r"[\s\x{a0}\x{202f}]*"
DIGITS = r"-?[\d.,' \x{a0}\x{202f}]*\d"  # of a number, whatever parts its thousands


@dataclass(frozen=True, slots=True, eq=False)
class Located:
    """An Arrow column, the row (from 0) of the data at which it begins, and the decimal sign of its numbers.

    `row_text` names a row (from 0) of the data in messages.
    """

    column: Any
    first: int = 0
    decimal: str = "."
    row_text: Callable[[int], str] = usual_row_text

    def __len__(self) -> int:
        return len(self.column)


@dataclass(frozen=True, eq=False)
class Distinct:
    """A column as its distinct values: `texts` ("" for blank) and, per row, which of them it holds."""

    texts: tuple[str, ...]
    index: CodeArray | IntArray
    first: int = 0
    row_text: Callable[[int], str] = usual_row_text

    def translated(self, translate: Callable[[str], int], largest: int) -> CodeArray:
        """Return for each row the number that `translate` gives its text: 0 … largest."""
        numbers = np.array([translate(text) for text in self.texts], smallest_unsigned(largest))
        return renumbered(numbers, self.index)

    def counts(self) -> IntArray:
        """Count the rows of each distinct text."""
        return counts_of(self.index, len(self.texts))

    def counts_of_some(self, chosen: Sequence[int]) -> dict[str, int]:
        """Count the rows of some of the texts, by their places; those that no row holds are left out."""
        counts = counts_of(self.index, len(self.texts), chosen)
        return {self.texts[k]: int(counts[k]) for k in chosen if counts[k]}

    def which(self, test: Callable[[str], object]) -> BoolArray:
        """Return which rows hold a text that passes a test: (rows,). Each distinct text is tested once."""
        return chosen_by(np.array([bool(test(text)) for text in self.texts], np.bool_), self.index)

    def rows_with(self, chosen: Container[str]) -> IntArray:
        """List the rows (from 0) whose text is among the chosen."""
        return np.flatnonzero(self.which(chosen.__contains__))

    def named_rows(self, rows: IntArray) -> str:
        """Name the first of some rows (from 0) with what they hold, as a person would look them up."""
        shown = ", ".join(
            f"{self.texts[int(self.index[row])]!r} in {self.row_text(int(row) + self.first)}"
            for row in rows[:SHOWN]
        )
        return shown + (f" and {rows.size - SHOWN:,} more" if rows.size > SHOWN else "")


def distinct(column: Any) -> Distinct:
    """Take a column (Arrow's, or a Located one) apart into its distinct texts, codes in their one written form."""
    if isinstance(column, Located):
        inner = distinct(column.column)
        if column.decimal != ".":
            inner = replace(inner, texts=tuple(pointed(text, column.decimal) for text in inner.texts))
        return replace(inner, first=column.first, row_text=column.row_text)
    array = one_array(column)
    if pa.types.is_dictionary(array.type):
        return _of_dictionary(array.dictionary, array.indices)
    if pa.types.is_boolean(array.type):
        array = array.cast(pa.uint8())
    if pa.types.is_floating(array.type) or pa.types.is_integer(array.type):
        whole = _whole_numbers(array)
        narrow = None if whole is None else _narrow_integers(*whole)
        if narrow is not None:
            return narrow
    short = _short_texts(array)
    return _by_dictionary(array) if short is None else short


def with_decimal(column: Any, sign: str) -> Located:
    """Return a column of which the numbers have a decimal sign of their own."""
    return replace(column if isinstance(column, Located) else Located(column), decimal=sign)


def as_it_stands(column: Any) -> Any:
    """Return a column of which a comma is no decimal sign, as that between the codes in a cell."""
    return replace(column, decimal=".") if isinstance(column, Located) else column


def one_array(column: Any) -> Any:
    """Return an Arrow column as one array."""
    if not isinstance(column, pa.ChunkedArray):
        return column
    if column.num_chunks == 1:
        return column.chunk(0)  # to combine it with nothing would copy it
    if pa.types.is_dictionary(column.type):
        column = column.unify_dictionaries()
    array = column.combine_chunks()
    if isinstance(array, pa.ChunkedArray):  # combine_chunks gives one of these for no chunks
        array = pa.concat_arrays(array.chunks) if array.num_chunks else pa.array([], array.type)
    return array


def all_differ(columns: Iterable[Any]) -> bool:
    """Return whether every row of some Arrow columns surely holds another code, and none is blank; fast.

    False also where this cannot be seen without writing the codes in their one form: see `distinct`.
    """
    keys = []
    for column in columns:
        own = _keys_of(one_array(column))
        if own is None:
            return False
        keys.append(own)
    together = np.concatenate(keys) if len(keys) > 1 else np.array(keys[0])
    together.sort()
    return not bool((together[1:] == together[:-1]).any())


def _plainly(array: Any) -> Any:
    """Write an Arrow array of categories out; others stay as they are."""
    return array.dictionary.take(array.indices) if pa.types.is_dictionary(array.type) else array


def _keys_of(array: Any) -> npt.NDArray[np.uint64] | None:
    """Return a number for each code of an Arrow array, the same for equal codes; None where that cannot be done.

    Texts of up to eight bytes are numbers themselves, longer ones are hashed (FNV-1a), so that different ones may, very
    rarely, have the same.
    """
    if array.null_count or not len(array):
        return None
    if pa.types.is_dictionary(array.type):
        of_texts = _keys_of(array.dictionary)
        return None if of_texts is None else of_texts[_plain(array.indices)[0]]
    if pa.types.is_integer(array.type):
        return np.asarray(_plain(array)[0].astype(np.int64)).view(np.uint64)
    if not (pa.types.is_string(array.type) or pa.types.is_large_string(array.type)):
        return None
    starts, letters = _bytes_of(array)
    lengths = np.diff(starts)
    sure = letters.min(initial=FIRST_SIGN) >= FIRST_SIGN and letters.max(initial=FIRST_SIGN) <= LAST_SIGN
    if not sure or lengths.min() == 0 or bool((letters == ord(".")).any()):
        return None
    longest, places = int(lengths.max()), starts[:-1] - starts[0]
    keys = np.full(len(array), FNV_START if longest > KEY_BYTES else 0, np.uint64)
    for k in range(longest):
        there = slice(None) if lengths.min() > k else np.flatnonzero(lengths > k)
        sign = letters[places[there] + k].astype(np.uint64)
        if longest > KEY_BYTES:
            keys[there] = (keys[there] ^ sign) * FNV_PRIME
        else:
            keys[there] |= sign << np.uint64(8 * k)
    return keys


def _bytes_of(array: Any) -> tuple[IntArray, npt.NDArray[np.uint8]]:
    """Return where each text of an Arrow array of texts starts, and ends, and the bytes of all of them."""
    _, places, content = array.buffers()
    kind = np.int64 if pa.types.is_large_string(array.type) else np.int32
    starts = np.frombuffer(places, kind)[array.offset : array.offset + len(array) + 1].astype(np.int64)
    letters = np.frombuffer(content, np.uint8) if content is not None else np.zeros(0, np.uint8)
    return starts, letters[starts[0] : starts[-1]]


def _plain(array: Any) -> tuple[npt.NDArray[Any], BoolArray | None]:
    """Return the numbers of an Arrow array and where it is null (None: nowhere), straight from its buffers.

    Arrow's own conversion would load the frame library, which a report from a file does not need.
    """
    _, data = array.buffers()
    kind = np.dtype(array.type.to_pandas_dtype())
    if data is None:
        return np.zeros(len(array), kind), np.ones(len(array), np.bool_)
    values = np.frombuffer(data, kind)[array.offset : array.offset + len(array)]
    return values, _null_in(array)


def _null_in(array: Any) -> BoolArray | None:
    """Return where an Arrow array is null (None: nowhere), from its buffers."""
    if array.null_count in (0, len(array)):
        return np.ones(len(array), np.bool_) if array.null_count else None
    bits = array.buffers()[0]
    first, end = array.offset // 8, (array.offset + len(array) + 7) // 8
    valid = np.unpackbits(np.frombuffer(bits, np.uint8)[first:end], bitorder="little")
    return np.asarray(valid[array.offset - 8 * first :][: len(array)] == 0)


def blanks_in(column: Any) -> BoolArray:
    """Return which values of an Arrow column hold nothing: nulls, no numbers, texts of spaces alone; (rows,)."""
    array = one_array(column)
    null = _null_in(array)
    blank: BoolArray = np.zeros(len(array), np.bool_) if null is None else null
    if pa.types.is_dictionary(array.type):
        empty = np.append(blanks_in(array.dictionary), True)
        return np.asarray(blank | empty.take(np.where(blank, empty.size - 1, _plain(array.indices)[0])))
    if pa.types.is_floating(array.type):
        return np.asarray(blank | np.isnan(_plain(array)[0]))
    if pa.types.is_string(array.type) or pa.types.is_large_string(array.type):
        starts, letters = _bytes_of(array)
        begin, end = starts[:-1] - starts[0], starts[1:] - starts[0]
        first = np.append(letters, np.uint8(0))[begin]
        blank = blank | (begin == end)
        for k in np.flatnonzero(~blank & ((first < FIRST_SIGN) | (first > LAST_SIGN))).tolist():
            blank[k] = not array[k].as_py().strip()
    return blank


def _whole_numbers(array: Any) -> tuple[npt.NDArray[Any], BoolArray | None] | None:
    """Return a column of numbers as whole ones, and who is blank; None where it holds anything else."""
    values, null = _plain(array)
    if not pa.types.is_floating(array.type):
        return values if values.dtype.itemsize > 1 else values.astype(np.int16), null  # room for differences
    blank = np.isnan(values) if null is None else np.isnan(values) | null
    filled = np.where(blank, 0.0, values)
    if np.any(~(np.abs(filled) <= 2**53)) or np.any(filled != np.rint(filled)):
        return None
    return filled.astype(np.int64), blank


def _narrow_integers(values: npt.NDArray[Any], blank: BoolArray | None) -> Distinct | None:
    """Translate whole numbers of a narrow span by a table; None where the span is wide."""
    if not values.size or (blank is not None and blank.all()):
        return Distinct(("",), np.zeros(values.size, np.uint8))
    low, high = int(values.min()), int(values.max())
    if blank is not None and high - low >= WIDEST_LOOKUP:  # what lies under blanks may be anything
        given = values[~blank]
        low, high = int(given.min()), int(given.max())
    if high - low >= WIDEST_LOOKUP:
        return None
    none = high - low + 1
    index = (values - values.dtype.type(low)).astype(smallest_unsigned(none))  # may wrap under blanks only
    if blank is not None:
        index *= ~blank
        index += np.multiply(blank, none, dtype=index.dtype)
    return Distinct((*(str(number) for number in range(low, high + 1)), ""), index)


def _short_texts(array: Any) -> Distinct | None:
    """Translate texts of at most two signs, as codes are, by a table; None where any is longer or blank in part."""
    if not pa.types.is_string(array.type) or array.null_count or len(array) < MANY_TEXTS:
        return None
    starts, letters = _bytes_of(array)
    lengths = np.diff(starts)
    if letters.size > 2 * lengths.size or lengths.max() > 2:
        return None
    if letters.min(initial=FIRST_SIGN) < FIRST_SIGN or letters.max(initial=FIRST_SIGN) > LAST_SIGN:
        return None
    places, padded = starts[:-1] - starts[0], np.append(letters, (0, 0)).astype(np.uint16)
    keys = padded[:-2]
    if letters.size != lengths.size or lengths.min() != 1:
        keys = np.where(lengths > 0, padded[places], 0) + np.where(lengths > 1, padded[places + 1] << 8, 0)
    first = np.full(int(keys.max()) + 1, len(array))
    first[keys[::-1]] = np.arange(len(array))[::-1]  # the first of equal ones is written last
    found = np.argsort(first, kind="stable")[: np.count_nonzero(first < len(array))]
    table = np.zeros(first.size, smallest_unsigned(found.size))
    table[found] = np.arange(found.size)
    texts = [
        _written("".join(chr(sign) for sign in divmod(key, 256)[::-1] if sign)) for key in found.tolist()
    ]
    return Distinct((*texts, ""), table[keys])


def _by_dictionary(array: Any) -> Distinct:
    if _is_few(array):
        return _of_few(array.to_pylist())
    encoded = array.dictionary_encode()
    return _of_dictionary(encoded.dictionary, encoded.indices)


def _is_few(array: Any) -> bool:
    """Return whether texts are so few that to take them one by one is quicker than to load the functions of Arrow.

    These stay loaded: of columns that are longer, some are taken so, before so many values have been that it was not.
    """
    if not pa.types.is_string(array.type) or len(array) <= FEW_ROWS:
        return bool(pa.types.is_string(array.type))
    if len(array) > SOME * FEW_ROWS or _taken.count > SPARED:
        return False
    _taken.count += len(array)
    return True


@dataclass(slots=True, eq=False)
class _Taken:
    """How many values of longer columns were taken one by one so far."""

    count: int = 0


_taken = _Taken()


def _of_few(texts: Sequence[str | None]) -> Distinct:
    different = dict.fromkeys(text for text in texts if text is not None)
    places: dict[str | None, int] = {text: place for place, text in enumerate(different)}
    index = np.array([places.get(text, len(places)) for text in texts], smallest_unsigned(len(places)))
    return Distinct((*map(_written, places), ""), index)


def _of_dictionary(values: Any, indices: Any) -> Distinct:
    texts = _all_written(values)
    blank = len(texts)
    index, null = _plain(indices)
    return Distinct((*texts, ""), index if null is None else np.where(null, blank, index))


def _all_written(values: Any) -> list[str]:
    """Return the one written form of each value of an Arrow array; of many texts, look at those that may change."""
    texts = values.to_pylist()
    if len(texts) < MANY_TEXTS or not pa.types.is_string(values.type) or values.null_count:
        return [_written(value) for value in texts]
    starts, letters = _bytes_of(values)
    begin, end = starts[:-1] - starts[0], starts[1:] - starts[0] - 1
    padded = np.append(letters, np.uint8(0))
    first, last = padded[begin], padded[end]
    may_change = (first < FIRST_SIGN) | (first > LAST_SIGN) | (last < FIRST_SIGN) | (last > LAST_SIGN)
    for k in np.flatnonzero(may_change | np.isin(last, LAST_OF_FRACTION) | (end < begin)).tolist():
        texts[k] = _written(texts[k])
    return list(texts)


def _written(value: object) -> str:
    if isinstance(value, str) and value[:1].isalpha() and not value[-1].isspace():
        return value
    if isinstance(value, float):
        return "" if math.isnan(value) else canonical(format(value, ".15g"))
    return canonical(str(value)) if value is not None else ""


def numbers(column: Any, missing: Missing, name: str) -> tuple[FloatArray, CodeArray | None]:
    """Read a column as numbers: (respondents,), NaN for blanks and what is missing, and which of the latter it is.

    That is 0 for none, else the place (from 1) among `missing.names`; None where nobody has any. Raises DataError
    naming the rows (from 1) of values that are not numbers.
    """
    located = isinstance(column, Located)
    plain = one_array(
        (_with_points(column) if column.decimal != "." else column).column if located else column
    )
    fast = _as_floats(plain)
    if located and column.decimal == ",":
        refuse_points(column, missing, name)
    if fast is not None:
        return without_missing(fast, missing)
    return _numbers_by_text(column, missing, name)


def refuse_points(column: Located, missing: Missing, name: str) -> None:
    """Refuse numbers such as 45.678 where the comma is the decimal sign, as the point may part thousands.

    Raises DataError.
    """
    array = _plainly(one_array(column.column))
    parted = _parted_by_points(array, POINTED_WHOLE)
    if parted is None or not parted.any():
        return
    rows = [row for row in np.flatnonzero(parted).tolist() if array[row].as_py().strip() not in missing.codes]
    if rows:
        shown = ", ".join(
            f"{array[row].as_py()!r} in {column.row_text(row + column.first)}" for row in rows[:SHOWN]
        )
        more = f" and {len(rows) - SHOWN:,} more" if len(rows) > SHOWN else ""
        raise DataError(
            f"Column {name!r} should hold numbers with a decimal comma; found {shown}{more}. {OF_POINTS}"
        )


def _parted_by_points(array: Any, form: re.Pattern[str] = POINTED_THOUSANDS) -> BoolArray | None:
    """Return which texts are numbers with points between thousands, as 45.678 may be; None where none has a point."""
    if not pa.types.is_string(array.type) or not len(array):
        return None
    if not _has_points(array):
        return None
    import pyarrow.compute as pc

    parted = pc.match_substring_regex(array, rf"^{BLANKS}{form.pattern}{BLANKS}$")
    return np.asarray(pc.fill_null(parted, False).to_numpy(zero_copy_only=False), np.bool_)


def _has_points(array: Any) -> bool:
    """Return whether any text of an Arrow array has a point."""
    _, places, content = array.buffers()
    ends = np.frombuffer(places, np.int32)[[array.offset, array.offset + len(array)]].tolist()
    return content is not None and b"." in content[ends[0] : ends[1]].to_pybytes()


def _all_parted(array: Any) -> BoolArray | None:
    """Return which texts have points, where these stand between thousands only; None where one does not."""
    parted = _parted_by_points(array)
    if parted is None:
        return np.zeros(len(array), np.bool_)
    import pyarrow.compute as pc

    pointed = pc.fill_null(pc.match_substring(array, "."), False).to_numpy(zero_copy_only=False)
    return parted if bool((pointed == parted).all()) else None


def points_part_thousands(column: Any) -> bool:
    """Return whether the points in a column of texts part thousands, surely or most likely.

    That is where all stand before three digits and the comma is the decimal sign, or one number has two of them, or
    there are several, and whole numbers below 1,000 beside them.
    """
    located = column if isinstance(column, Located) else Located(column)
    array = one_array(located.column)
    array = array.dictionary if pa.types.is_dictionary(array.type) else array
    parted = None if _all_parted(array.slice(0, SEEN_FIRST)) is None else _all_parted(array)
    if parted is None or not parted.any():
        return False
    import pyarrow.compute as pc

    texts = {text.strip() for text in pc.unique(array.filter(pa.array(parted))).to_pylist()}
    if located.decimal == "," or any(text.count(".") > 1 or "," in text for text in texts):
        return True
    rest = {
        text.strip()
        for text in pc.unique(array.filter(pa.array(~parted))).to_pylist()
        if text and text.strip()
    }
    return len(texts) >= FEWEST_POINTED and bool(rest) and all(text.lstrip("-").isdecimal() for text in rest)


def without_missing(values: FloatArray, missing: Missing) -> tuple[FloatArray, CodeArray | None]:
    """Take what is missing out of values (respondents,): NaN there, and which entry it is, as `numbers` gives it."""
    which = np.zeros(values.size, smallest_unsigned(len(missing.names)))
    behind = len(missing.codes) + 1
    for k, span in reversed(list(enumerate(missing.spans, behind))):
        which[span.holds(values)] = k
    for k, code in enumerate(missing.codes, 1):
        number = number_of(code)
        if number is not None:
            which[values == number] = k
    if not which.any():
        return values, None
    return np.where(which > 0, np.nan, values), which


def pointed(text: str, sign: str) -> str:
    """Write a number such as 1,0 or 1.204,50 with a decimal point, in its one form; leave other texts alone.

    >>> pointed("1,50", ","), pointed("1.204,50", ","), pointed("45.678", ","), pointed("1,2,3", ",")
    ('1.5', '1204.5', '45.678', '1,2,3')
    """
    whole, separator, fraction = text.partition(sign)
    if sign == "," and "." in whole and COMMA_DECIMALS.fullmatch(text):
        whole = whole.replace(".", "")
    plain = separator and whole.removeprefix("-").isdecimal() and fraction.isdecimal()
    return canonical(f"{whole}.{fraction}") if plain else text


def _with_points(column: Located) -> Located:
    """Write decimal points for the decimal commas of a column of text."""
    array = _plainly(one_array(column.column))
    if not pa.types.is_string(array.type):
        return column
    import pyarrow.compute as pc

    return Located(pc.replace_substring(array, column.decimal, "."), column.first, row_text=column.row_text)


def without_thousands(column: Any, mark: str) -> Any:
    """Take the marks between thousands out of a column of texts; texts that are no such numbers stay as they are."""
    sign = re.escape(column.decimal if isinstance(column, Located) else ".")
    form = rf"^{BLANKS}-?\d{{1,3}}({re.escape(mark)}\d{{3}})+({sign}\d+)?{BLANKS}$"

    def read(array: Any, compute: Any) -> Any:
        parted = compute.match_substring_regex(array, form)
        return compute.if_else(parted, compute.replace_substring(array, mark, ""), array)

    return _rewritten(column, read)


def without_units(column: Any, units: Sequence[str], kept: Collection[str]) -> Any:
    """Take a unit before or behind numbers out of a column of texts, in any case; other texts stay, and those `kept`.

    A sign stays before the number: -$5 and $-5 are -5.
    """
    unit = "|".join(re.escape(unit) for unit in units)
    before = rf"^{BLANKS}([-+]?){BLANKS}(?i:{unit}){BLANKS}({DIGITS}){BLANKS}$"
    behind = rf"^{BLANKS}()({DIGITS}){BLANKS}(?i:{unit}){BLANKS}$"

    def read(array: Any, compute: Any) -> Any:
        for form in (before, behind):
            array = compute.replace_substring_regex(array, form, r"\1\2")
        return array

    return _rewritten(column, read, kept)


def as_minutes(column: Any, written: str, kept: Collection[str]) -> Any:
    """Read lengths of time, `written` as h:m:s, h:m or m:s, as minutes; other texts stay, and those `kept`."""
    first, *others = written.split(":")
    whole = rf"(?P<{first}>\d{{1,4}})" + "".join(rf":(?P<{part}>[0-5]?\d)" for part in others)
    fraction = r"(?P<f>[.,]\d{1,6})?" if others[-1] == "s" else ""
    minutes = {"h": 60.0, "m": 1.0, "s": 1 / 60, "f": 1 / 60}

    def read(array: Any, compute: Any) -> Any:
        found = compute.extract_regex(array, rf"^{BLANKS}{whole}{fraction}{BLANKS}$")
        total = np.zeros(len(array))
        for field in found.type:
            text = compute.fill_null(compute.struct_field(found, field.name), "")
            digits = compute.replace_substring(text, ",", ".")
            number = compute.cast(compute.if_else(compute.equal(digits, ""), "0", digits), pa.float64())
            total += number.to_numpy(zero_copy_only=False) * minutes[field.name]
        return compute.if_else(compute.is_valid(found), compute.cast(pa.array(total), pa.string()), array)

    return _rewritten(column, read, kept)


def _rewritten(column: Any, read: Callable[[Any, Any], Any], kept: Collection[str] = ()) -> Any:
    """Rewrite a column of texts but for those `kept`; `read` hears of the functions of Arrow."""
    located = column if isinstance(column, Located) else Located(column, 0)
    array = _plainly(one_array(located.column))
    if not pa.types.is_string(array.type):
        return located
    import pyarrow.compute as pc

    stays = pc.is_in(array, pa.array(sorted(kept), pa.string()))
    return replace(located, column=pc.if_else(stays, array, read(array, pc)))


def plain_numbers(texts: Sequence[str]) -> FloatArray | None:
    """Convert texts to numbers at once; None where one of them is none, or not plainly written."""
    values = _as_floats(pa.array(texts, pa.string()))
    return None if values is None or bool(np.isnan(values).any()) else values


def _as_floats(array: Any) -> FloatArray | None:
    """Convert a whole column at once, NaN for blanks; None where a text is no plain number."""
    if pa.types.is_dictionary(array.type):
        once = _of_dictionary_as_floats(array)
        return _as_floats(_plainly(array)) if once is None else once
    for convert in (_numbers_as_floats, _few_as_floats):
        values = convert(array)
        if values is not None:
            return values
    return _many_as_floats(array)


def _numbers_as_floats(array: Any) -> FloatArray | None:
    """Take a column of numbers as it lies in memory; None for others, and where one is too large to be exact."""
    if not (pa.types.is_floating(array.type) or pa.types.is_integer(array.type)):
        return None
    found, null = _plain(array)
    values = found.astype(np.float64)
    if null is not None:
        values[null] = np.nan
    largest = np.abs(values).max(initial=0.0, where=~np.isnan(values))
    return None if largest > (LARGEST if found.dtype.kind == "f" else 2.0**53) else values


def _many_as_floats(array: Any) -> FloatArray | None:
    """Convert a whole column by a function of Arrow."""
    try:
        if pa.types.is_string(array.type):
            array = _blank_as_null(array)
        values, null = _plain(array.cast(pa.float64()))
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, AttributeError):
        return None
    values = values.copy() if null is None else np.where(null, np.nan, values)
    if np.any(np.abs(values) > LARGEST):
        return None
    strange = not pa.types.is_floating(array.type) and np.isnan(values).sum() > array.null_count
    return None if strange else values  # a text such as "nan" is no number


def _of_dictionary_as_floats(array: Any) -> FloatArray | None:
    """Convert each text of a dictionary once; None where that is no gain, or one of them is no plain number.

    A dictionary may hold texts that no row has: what these are does not matter, so that the rows decide then.
    """
    if len(array.dictionary) > len(array) / 2:
        return None
    values = _as_floats(array.dictionary)
    if values is None:
        return None
    indices, null = _plain(array.indices)
    if null is None:
        return np.asarray(values[indices])
    return np.where(null, np.nan, np.append(values, np.nan)[np.where(null, 0, indices)])


def _few_as_floats(array: Any) -> FloatArray | None:
    """Convert few texts, all of which are digits with a point at most, or blank; None otherwise."""
    if array.null_count or not _is_few(array):
        return None
    texts = array.to_pylist()
    lines = "\n".join(("", *texts, "")).encode()
    if lines.count(b"\n") != len(texts) + 1 or lines.translate(None, SIGNS_OF_NUMBERS):
        return None
    if any(sign in lines for sign in (b"\n.", b"-.", b".\n")):
        return None
    try:
        values = np.array([float(text or "nan") for text in texts], np.float64)
    except ValueError:  # two points, or a sign inside
        return None
    return None if np.any(np.abs(values) > LARGEST) else values


def _blank_as_null(array: Any) -> Any:
    """Make empty texts null, by buffers: Arrow's own scalars would load the frame library."""
    if array.null_count or array.offset:
        raise pa.ArrowInvalid("not a plain column of text")
    given = np.diff(_bytes_of(array)[0]) > 0
    bits = pa.py_buffer(np.packbits(given, bitorder="little").tobytes())
    return pa.Array.from_buffers(array.type, len(array), [bits, *array.buffers()[1:]])


def _at_most(wrong: set[str]) -> str:
    return f" of at most {LARGEST:g}" if any(TOO_LARGE.fullmatch(text) for text in wrong) else ""


OF_POINTS = (
    "If the point parts thousands, write thousands: '.' at the question in the codebook; if it is a decimal sign, "
    "correct the data."
)


def _remedy_for(wrong: set[str], decimal: str) -> str:
    if all(POINTED_THOUSANDS.fullmatch(text) for text in wrong):
        if decimal == ",":
            return OF_POINTS
        return (
            "If the point parts thousands and the comma is a decimal sign, write decimal: ',' and thousands: '.' at "
            "the question in the codebook."
        )
    if all(THOUSANDS.fullmatch(text) for text in wrong):
        return (
            "Is the comma a decimal sign? Then write decimal: ',' at the question in the codebook. "
            "If it parts thousands, write thousands: ',' there."
        )
    if decimal == "." and all(COMMA_DECIMALS.fullmatch(text) for text in wrong):
        return (
            "If the comma is a decimal sign, write decimal: ',' at the question in the codebook, or beside a CSV file "
            "in the plan's data."
        )
    if all(LENGTH_OF_TIME.fullmatch(text) for text in wrong):
        return (
            "If these are lengths of time, write time: h:m:s (or h:m, m:s) at the question in the codebook."
        )
    units = {AROUND_NUMBERS.sub("", text).strip("-+ ") for text in wrong if AROUND_NUMBERS.search(text)}
    if len(units) == 1 and all(0 < len(unit) <= LONGEST_UNIT and unit not in BOUNDS for unit in units):
        (unit,) = units
        return f"If {unit!r} is a unit, write unit: {unit!r} at the question in the codebook."
    example = next((text for text in sorted(wrong) if text.startswith(("<", ">"))), "")
    as_it_stands = f" ('= {example}' for the text {example!r})" if example else ""
    return f"Correct the data, or list these values under 'missing' in the codebook{as_it_stands}."


def _numbers_by_text(column: Any, missing: Missing, name: str) -> tuple[FloatArray, CodeArray | None]:
    """Look at each distinct text of a column that is not plainly numbers."""
    parts = distinct(column)
    wrong: set[str] = set()
    values = np.full(len(parts.texts), np.nan)
    for k, text in enumerate(parts.texts):
        if not text or text in missing.codes:
            continue
        number = number_of(text)
        if number is None:
            wrong.add(text)
        else:
            values[k] = number
    if wrong:
        seen = parts.rows_with(wrong)
        if seen.size:
            wrong = {parts.texts[place] for place in set(parts.index[seen].tolist())}  # that any row has
            raise DataError(
                f"Column {name!r} should hold numbers{_at_most(wrong)}; found {parts.named_rows(seen)}. "
                f"{_remedy_for(wrong, column.decimal if isinstance(column, Located) else '.')}"
            )
    without, spanned = without_missing(values, missing)
    which = np.zeros(values.size, smallest_unsigned(len(missing.names))) if spanned is None else spanned
    for k, text in enumerate(parts.texts):
        if text in missing.codes:
            which[k] = missing.codes.index(text) + 1
    of_rows = which[parts.index]  # a dictionary may hold what no row has
    return without[parts.index], of_rows if of_rows.any() else None

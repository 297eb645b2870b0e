"""Fuzzers of the readers: YAML, CSV, triple-s and expressions end in what was written, or in an error of ours."""

from __future__ import annotations

import csv
import io
import json
import re
import tempfile
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np
import pytest
import yaml
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

import eager_otter as otter
from eager_otter.codebook.expression import parse
from eager_otter.data.opening import Reading, open_data
from hostile.trials import BOOK, PLAN, data_text, limits, write_survey

SECONDS = 20  # that one reading may take

# --- YAML ---------------------------------------------------------------------------------------------------

WORDS = (
    "kind", "label", "answers", "columns", "nets", "scale", "missing", "where", "base", "of", "single", "multi", "number", "text", "date",
    "grid", "ranking", "area", "liking", "heard", "glasses", "words", "h_1", "items", "bands", "recode", "derived", "otherwise", "weight",
    "respondent", "title", "questions", "include", "conditions", "score", "exclusive", "18-24", "55+", "[1, 2]", "area == 1", "each", "all",
    "figures", "mean", "banners", "tables", "outputs", "tests", "levels", "filter", "by", "question", "sort", "digits", "bases", "theme",
    "slides", "notes", "waves", "previous", "chart", "percent", "North", "1..3", "top", "min", "plan.yaml", "codebook.yaml", "data.csv",
)  # fmt: skip
scalars = (
    st.none()
    | st.booleans()
    | st.integers(-2, 120)
    | st.sampled_from([1e308, -1e-308, 0.5, float("inf"), float("nan"), 10**400, "1e5", "six", "²", ""])
    | st.sampled_from(WORDS)
    | st.text(max_size=6)
)
keys = st.sampled_from(WORDS) | st.integers(-1, 9) | st.text(max_size=4) | st.none() | st.booleans()
values = st.recursive(
    scalars,
    lambda inside: st.lists(inside, max_size=3) | st.dictionaries(keys, inside, max_size=3),
    max_leaves=6,
)


def places(tree: Any, above: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """List the places in a tree of mappings and lists."""
    found = [above]
    inside = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    for key, value in inside:
        found += places(value, (*above, key))
    return found


class Documents(RuleBasedStateMachine):
    """Somebody edits a codebook and a plan at random; after each change both read and count, or say what is wrong."""

    def __init__(self) -> None:
        super().__init__()
        self.held = tempfile.TemporaryDirectory()
        self.folder = Path(self.held.name)
        write_survey(self.folder)
        self.trees: dict[str, Any] = {"codebook": yaml.safe_load(BOOK), "plan": yaml.safe_load(PLAN)}
        self.damage: dict[str, tuple[int, str]] = {}

    def teardown(self) -> None:
        self.held.cleanup()

    def at(self, which: str, draw: st.DataObject) -> tuple[Any, Any]:
        """Draw a place in a document: what holds it, and its key there."""
        place = draw.draw(st.sampled_from(places(self.trees[which])[1:] or [("questions",)]), label="place")
        holder = self.trees[which]
        for step in place[:-1]:
            holder = holder[step]
        return holder, place[-1]

    @initialize(
        which=st.sampled_from(["codebook", "plan"]),
        piece=st.sampled_from(["", "", "", "\t", "{", "&a ", "!!x ", "\x0b", "- "]),
    )
    def text_damaged(self, which: str, piece: str) -> None:
        if piece:
            self.damage[which] = (17, piece)

    @rule(which=st.sampled_from(["codebook", "plan"]), value=values, data=st.data())
    def something_replaced(self, which: str, value: Any, data: st.DataObject) -> None:
        holder, key = self.at(which, data)
        holder[key] = value

    @rule(which=st.sampled_from(["codebook", "plan"]), key=keys, value=values, data=st.data())
    def something_added(self, which: str, key: Any, value: Any, data: st.DataObject) -> None:
        holder, place = self.at(which, data)
        inside = holder[place]
        if isinstance(inside, dict):
            inside[key] = value
        elif isinstance(inside, list):
            inside.append(value)

    @precondition(lambda self: all(self.trees.values()))
    @rule(which=st.sampled_from(["codebook", "plan"]), data=st.data())
    def something_lost(self, which: str, data: st.DataObject) -> None:
        holder, key = self.at(which, data)
        del holder[key]

    @rule(which=st.sampled_from(["codebook", "plan"]), data=st.data())
    def something_copied(self, which: str, data: st.DataObject) -> None:
        source, name = self.at(data.draw(st.sampled_from(["codebook", "plan"]), label="source"), data)
        holder, key = self.at(which, data)
        holder[key] = yaml.safe_load(yaml.safe_dump(source[name]))

    @invariant()
    def reads_and_counts_or_says_what_is_wrong(self) -> None:
        for which, tree in self.trees.items():
            text = yaml.safe_dump(tree, allow_unicode=True)
            if which in self.damage:
                place, piece = self.damage[which]
                text = text[:place] + piece + text[place:]
            (self.folder / f"{which}.yaml").write_bytes(text.encode("utf-8", "surrogatepass"))
        with limits(SECONDS):
            try:
                report = otter.run(self.folder / "plan.yaml")
            except otter.DocumentError as error:
                for problem in error.problems:
                    lines = (self.folder / Path(problem.file).name).read_text(encoding="utf-8").splitlines()
                    assert 0 <= problem.line <= len(lines) + 1 and problem.message
            except otter.OtterError as error:
                assert str(error).strip()
            else:
                assert report.tables or report.plan is not None


Documents.TestCase.settings = settings(
    max_examples=40, stateful_step_count=8, deadline=None, derandomize=True
)
TestDocuments = pytest.mark.slow(Documents.TestCase)


@given(
    st.lists(
        st.sampled_from(
            [*"[]{}&*!|>-?:,#'\"%@` \n\t", "a", "1", "<<", "---", "!!python/object:", "\x85", "\ufeff"]
        ),
        max_size=60,
    )
)
def test_any_yaml_ends_in_a_codebook_or_in_mistakes(pieces: list[str]) -> None:
    text = "".join(pieces)
    with limits(SECONDS):
        for made in (otter.codebook_from_text, otter.plan_from_text):
            try:
                made(text)
            except otter.OtterError as error:
                assert str(error).strip()


# --- CSV ----------------------------------------------------------------------------------------------------

ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "cp1252")
cells = st.text(
    st.characters(blacklist_characters="\0", blacklist_categories=["Cs"]), max_size=8
) | st.sampled_from(
    [
        "",
        " ",
        "a",
        "1",
        "1,5",
        "x;y",
        'say "x"',
        "'",
        "a\nb",
        "a\r\nb",
        "#N/A",
        "NULL",
        "-",
        "\t",
        "\u2028",
        "\ufeff",
        "=1+1",
        "0",
    ]
)


def read_back(path: Path, reading: Reading) -> tuple[list[str], list[list[str]]]:
    file = open_data(path, reading)
    names = list(file.names)
    table = file.read(names)
    return names, [[row[name] or "" for name in names] for row in table.to_pylist()]


@given(
    rows=st.lists(st.lists(cells, min_size=3, max_size=3), min_size=1, max_size=8),
    delimiter=st.sampled_from([",", ";", "\t", "|"]),
    quoting=st.sampled_from([csv.QUOTE_ALL, csv.QUOTE_MINIMAL, csv.QUOTE_NONNUMERIC]),
    end=st.sampled_from(["\n", "\r\n"]),
    encoding=st.sampled_from(ENCODINGS),
)  # fmt: skip
@settings(max_examples=150)
def test_what_is_written_as_csv_is_read_or_told(
    rows: list[list[str]], delimiter: str, quoting: int, end: str, encoding: str
) -> None:
    """Each cell comes back as it was written; a row that does not is one that an error or a remark speaks of."""
    written = io.StringIO(newline="")
    writer = csv.writer(written, delimiter=delimiter, quoting=quoting, lineterminator=end)  # type: ignore[arg-type]
    writer.writerows([["id", "first", "second"], *([f"r{k}", *row[1:]] for k, row in enumerate(rows))])
    assume(
        quoting != csv.QUOTE_MINIMAL or not any("\r" in cell for row in rows for cell in row)
    )  # not quoted by all writers
    try:
        content = written.getvalue().encode(encoding)
    except UnicodeEncodeError:
        assume(False)
    with tempfile.TemporaryDirectory() as folder, limits(SECONDS):
        path = Path(folder) / "data.csv"
        path.write_bytes(content)
        named = None if encoding == "utf-8-sig" else encoding
        names, found = read_back(path, Reading(delimiter=delimiter, encoding=named))
    assert names == ["id", "first", "second"]
    assert found == [[f"r{k}", *row[1:]] for k, row in enumerate(rows)]


@given(
    st.binary(max_size=300)
    | st.text(st.sampled_from('ab1,;\t"\r\n\x00é\u2028'), max_size=120).map(str.encode)
)
@settings(max_examples=150)
def test_any_bytes_end_in_rows_or_an_error(content: bytes) -> None:
    with tempfile.TemporaryDirectory() as folder, limits(SECONDS):
        path = Path(folder) / "data.csv"
        path.write_bytes(content)
        try:
            file = open_data(path)
            table = file.read(list(file.names))
            list(file.remarks(table.num_rows))
        except otter.OtterError as error:
            assert "data.csv" in str(error)


json_values = (
    st.none()
    | st.booleans()
    | st.integers()
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(st.characters(blacklist_categories=["Cs"]), max_size=6)
)


@given(
    st.lists(st.fixed_dictionaries({"id": st.integers(1, 9), "x": json_values}), min_size=1, max_size=6),
    st.booleans(),
)
@settings(max_examples=150)
def test_what_is_written_as_json_is_read(records: list[dict[str, Any]], by_lines: bool) -> None:
    written = [json.dumps(record, ensure_ascii=False) for record in records]
    with tempfile.TemporaryDirectory() as folder, limits(SECONDS):
        path = Path(folder) / ("data.jsonl" if by_lines else "data.json")
        path.write_bytes(("\n".join(written) if by_lines else f"[{','.join(written)}]").encode())
        found = [row["x"] for row in open_data(path).read(["x"]).to_pylist()]
    for text, record in zip(found, records, strict=True):
        match record["x"]:
            case bool(value):
                assert text == str(int(value))
            case int(value):
                assert text == str(value)
            case float(value):
                assert text is not None and float(text) == pytest.approx(value, rel=1e-14, abs=0)
            case value:
                assert (text or "") == (value or "")


# --- triple-s -----------------------------------------------------------------------------------------------

KINDS = ("single", "multiple", "quantity", "character", "logical", "date")
SPREADS = ('<spread subfields="2"/>', '<spread subfields="2" width="1"/>', '<spread subfields="-1"/>')
numbers = st.integers(-1, 12).map(str) | st.sampled_from(
    ["", "six", "²", "9" * 30, "1.0", "1e3", " 3 ", "-0", "007"]
)
names_of_variables = st.sampled_from(["a", "b", "c", "A", "", "a b", "ä", "<", "&", "rid"])


@st.composite
def variables(draw: st.DrawFn, number: int, good: bool) -> str:
    """Make a variable of a definition, as it should be or nearly."""
    start = draw(st.integers(1, 8)) if good else draw(numbers)
    finish = int(start) + draw(st.integers(0, 3)) if good else draw(numbers)
    kind = draw(st.sampled_from(KINDS if good else (*KINDS, "", "text")))
    codes = draw(st.lists(st.integers(1, 4).map(str) if good else numbers, max_size=4, unique=good))
    listed = "".join(
        f"<value code={quoteattr(code)}>Answer {escape(code.strip()) or '?'}</value>" for code in codes
    )
    spread = draw(st.sampled_from(["", "", "", *([] if good else SPREADS)]))
    name = f"v{number}" if good else escape(draw(names_of_variables))
    return (
        f"<variable ident='{number}' type={quoteattr(kind)}><name>{name}</name><label>About {name}</label>"
        f"<position start={quoteattr(str(start))} finish={quoteattr(str(finish))}/>{spread}"
        f"<values>{listed}</values></variable>"
    )


@st.composite
def definitions(draw: st.DrawFn) -> list[str]:
    """Make the variables of a definition, of which few are not as they should be."""
    return [draw(variables(k, draw(st.integers(0, 7)) > 0)) for k in range(draw(st.integers(1, 4)))]


@given(
    definitions(),
    st.lists(st.text("0123 9ab,", max_size=12), max_size=6),
    st.sampled_from(["csv", "fixed"]),
)
@settings(max_examples=200)
@pytest.mark.slow
def test_any_definition_ends_in_columns_or_an_error(parts: list[str], records: list[str], shape: str) -> None:
    with tempfile.TemporaryDirectory() as folder, limits(SECONDS):
        path = Path(folder) / "data.xml"
        path.write_text(
            f'<sss version="2.0"><survey><record ident="A" format="{shape}" href="data.asc">{"".join(parts)}</record></survey></sss>',
            encoding="utf-8",
        )
        (Path(folder) / "data.asc").write_text("".join(f"{record}\n" for record in records), encoding="utf-8")
        try:
            file = open_data(path)
            table = file.read(list(file.names))
            told = list(file.remarks(table.num_rows))
        except otter.OtterError as error:
            assert "data." in str(error)
            return
    places = [int(place) for place in re.findall(r"(?:start|finish)=.(\d+)", "".join(parts))]
    assert all(place > 0 for place in places), "a place that cannot be was read"
    held = [record for record in records if record]
    assert table.num_rows == len(held), "a record was lost"
    inside = max(
        (k for k, record in enumerate(records, 1) if record), default=0
    )  # a blank line at the end is none
    assert len(held) == inside or told, "blank lines were left out without a word"


@given(st.data())
@settings(max_examples=100)
def test_fixed_fields_are_the_slices_of_their_lines(data: st.DataObject) -> None:
    """Against a second reading of the standard: bits, codes without leading zeros, blanks as no answer."""
    records = data.draw(
        st.lists(st.text("0123 ", min_size=9, max_size=9).filter(str.strip), min_size=1, max_size=6)
    )
    single, first, count = (
        data.draw(st.integers(1, 8)),
        data.draw(st.integers(1, 6)),
        data.draw(st.integers(1, 4)),
    )
    definition = (
        '<sss version="2.0"><survey><record ident="A" format="fixed" href="data.asc">'
        f"<variable ident='1' type='single'><name>s</name><label>S</label><position start='{single}' finish='{single + 1}'/>"
        "<values><range from='0' to='33'/></values></variable>"
        f"<variable ident='2' type='multiple'><name>m</name><label>M</label><position start='{first}' finish='{first + count - 1}'/><values>"
        + "".join(f"<value code='{k}'>Answer {k}</value>" for k in range(1, count + 1))
        + "</values></variable></record></survey></sss>"
    )
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "data.xml").write_text(definition, encoding="utf-8")
        (Path(folder) / "data.asc").write_text("".join(f"{record}\n" for record in records), encoding="utf-8")
        file = open_data(Path(folder) / "data.xml")
        found = file.read(list(file.names)).to_pylist()
    for record, row in zip(records, found, strict=True):
        code = record[single - 1 : single + 1].strip()
        assert row["s"] == (str(int(code)) if code and " " not in code else code or None)
        bits = record[first - 1 : first - 1 + count]
        for k in range(count):
            assert row[f"m_{k + 1}"] == (None if not bits.strip() else bits[k] if bits[k] != " " else "0")


# --- expressions --------------------------------------------------------------------------------------------

TOKENS = (
    "area", "liking", "heard", "glasses", "words", "rid", "`area`", "1", "2", "9", "3.5", "-1", "'North'", '"fresh"', "'", "..", "1..3", "(", ")",
    ",", "==", "=", "!=", "<", "<=", ">", ">=", "in", "not", "and", "or", "mentions", "any", "all", "none", "contains", "answered",
    "count of", "day", "'2026-01-31'", "1e999", "9" * 400, "²", "\0", "\u202e", "é", "%",
)  # fmt: skip


@given(st.lists(st.sampled_from(TOKENS), max_size=12).map(" ".join))
@settings(max_examples=300)
@pytest.mark.slow
def test_any_expression_chooses_people_or_points_at_the_mistake(text: str) -> None:
    book = otter.codebook_from_text(BOOK)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "data.csv"
        path.write_text(data_text(12), encoding="utf-8")
        survey = otter.open_survey(book, path)
    try:
        chosen = survey.responses.chosen_by(text)
    except otter.ExpressionError as error:
        assert 0 <= error.position <= len(error.text) and error.message
    else:
        assert chosen.dtype == np.bool_ and chosen.shape == (12,)
        assert parse(text).names() <= {*book.names, "rid"} if hasattr(book, "names") else True


PEOPLE = {"area": [1, 2, 1, 2, 1], "glasses": [0, 3, 5, 3, 7]}


@st.composite
def conditions(draw: st.DrawFn, depth: int = 3) -> tuple[str, str]:
    """Make a condition in the language and, beside it, in Python."""
    how = draw(st.integers(0, 3 if depth else 1))
    match how:
        case 0:
            name, sign, number = (
                draw(st.sampled_from(["area", "glasses"])),
                draw(st.sampled_from(["==", "!=", "<", ">="])),
                draw(st.integers(1, 2)),
            )
            return f"{name} {sign} {number}", f"({name} {sign} {number})"
        case 1:
            low, high = sorted(draw(st.tuples(st.integers(0, 8), st.integers(0, 8))))
            turned = draw(st.sampled_from(["", "not "]))
            return f"glasses {turned}in {low}..{high}", f"({turned}({low} <= glasses <= {high}))"
        case 2:
            inside = draw(conditions(depth - 1))
            return f"not ({inside[0]})", f"(not {inside[1]})"
        case _:
            word = draw(st.sampled_from(["and", "or"]))
            one, other = draw(conditions(depth - 1)), draw(conditions(depth - 1))
            return f"({one[0]}) {word} ({other[0]})", f"({one[1]} {word} {other[1]})"


@given(conditions())
@settings(max_examples=100)
def test_conditions_mean_what_they_mean_in_arithmetic(condition: tuple[str, str]) -> None:
    import pandas as pd

    said, meant = condition
    survey = otter.open_survey(
        otter.codebook_from_text(
            "questions:\n  area: {kind: single, answers: {1: North, 2: East}}\n  glasses: {kind: number}\n"
        ),
        pd.DataFrame(PEOPLE),
    )
    found = [bool(one) for one in survey.responses.chosen_by(said)]
    assert found == [eval(meant, {"area": a, "glasses": g}) for a, g in zip(*PEOPLE.values(), strict=True)]

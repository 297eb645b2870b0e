"""Lists of answers in one cell: the same tables as of the same answers in columns of ticks, whatever holds them."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import duckdb
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import feather, parquet

import eager_otter as otter
from conftest import message_of
from eager_otter.data.lists import entries, written_out
from eager_otter.data.opening import open_data

FLAVOURS = ["Plum", "Fig", "Rhubarb"]
Lists = Sequence[list[str] | None]
LISTED = "{kind: multi, joined: {column: liked, by: ';'}, answers: {Plum: Plum, Fig: Fig, Rhubarb: Rhubarb}}"
BOOK = f"questions:\n  liked: {LISTED}\n  area: {{kind: single, column: area, answers: [North, South]}}\n".replace(
    "[North, South]", "{N: North, S: South}"
)


def table_of(lists: Lists, kind: Any = None) -> Any:
    """Make a table of Arrow with lists of a kind."""
    areas = ["NS"[k % 2] for k in range(len(lists))]
    texts = pa.array(list(lists), pa.list_(pa.string()))
    return pa.table({"area": areas, "liked": texts if kind is None else texts.cast(kind)})


def as_parquet(lists: Lists, folder: Path) -> Any:
    parquet.write_table(table_of(lists), folder / "lists.parquet", row_group_size=max(len(lists) // 3, 1))
    return folder / "lists.parquet"


def as_arrow(lists: Lists, folder: Path) -> Any:
    feather.write_feather(table_of(lists), str(folder / "lists.arrow"))
    return folder / "lists.arrow"


def as_json(lists: Lists, folder: Path) -> Any:
    records = [{"area": "NS"[k % 2], "liked": one} for k, one in enumerate(lists)]
    (folder / "lists.json").write_text(json.dumps(records))
    return folder / "lists.json"


def as_lines(lists: Lists, folder: Path) -> Any:
    records = [{"area": "NS"[k % 2], "liked": one} for k, one in enumerate(lists)]
    (folder / "lists.jsonl").write_text("\n".join(map(json.dumps, records)))
    return folder / "lists.jsonl"


def as_pandas(lists: Lists, _: Path) -> Any:
    return pd.DataFrame({"area": ["NS"[k % 2] for k in range(len(lists))], "liked": list(lists)})


def as_query(lists: Lists, folder: Path) -> Any:
    with duckdb.connect(str(folder / "answers.duckdb")) as database:
        database.register("held", table_of(lists))
        database.execute("create or replace table answers as select * from held")
    path = folder / "lists.sql"
    path.write_text("-- database: duckdb:///answers.duckdb\nselect * from answers\n")
    return path


def as_polars(lists: Lists, _: Path) -> Any:
    return pl.from_arrow(table_of(lists))


def as_cut_table(lists: Lists, _: Path) -> Any:
    """Cut a larger table, so that its lists begin within others, in several pieces."""
    around = table_of([["Fig", "Plum"], *lists, ["Plum"]])
    one = around.slice(1, len(lists))
    areas = pa.chunked_array([["NS"[k % 2] for k in range(len(lists))]])
    cut = len(lists) // 2
    pieces = pa.chunked_array([*one["liked"].slice(0, cut).chunks, *one["liked"].slice(cut).chunks])
    return pa.table({"area": areas, "liked": pieces})


WAYS: list[Callable[[Lists, Path], Any]] = [
    as_parquet, as_arrow, as_json, as_lines, as_query, as_pandas, as_polars, as_cut_table,
]  # fmt: skip
SOME: Lists = [["Plum"], ["Plum", "Fig"], [], None, ["Rhubarb", "Plum"], ["Fig"], ["Fig", "Fig"], ["Plum"]]


def figures(data: Any, book: str) -> Any:
    """Return the counts of a table of what is liked by area, and whom it left out."""
    survey = otter.open_survey(otter.codebook_from_text(book), data)
    table = survey.table("liked", banner="area", figures="count")
    return table.frame().drop(columns="row_code").to_csv(), [
        note for note in table.notes if "Left out" in note
    ]


def ticked(lists: Lists) -> tuple[Any, str]:
    """Return the same answers as columns of ticks, blank for those who gave none, and their codebook."""
    frame = pd.DataFrame({"area": ["NS"[k % 2] for k in range(len(lists))]})
    for name in FLAVOURS:
        frame[name] = [("1" if name in one else "0") if one else None for one in lists]
    columns = "columns: {Plum: Plum, Fig: Fig, Rhubarb: Rhubarb}"
    return frame, BOOK.replace(LISTED, f"{{kind: multi, {columns}, ticked: [1]}}")


@pytest.mark.parametrize("way", WAYS)
def test_lists_are_several_answers(way: Callable[[Lists, Path], Any], tmp_path: Path) -> None:
    assert figures(way(SOME, tmp_path), BOOK) == figures(*ticked(SOME))


@pytest.mark.parametrize("way", WAYS)
def test_lists_are_read_as_joined_texts(way: Callable[[Lists, Path], Any], tmp_path: Path) -> None:
    lists: list[Any] = [["Plum", "Fig"], ["", "Fig"], [None, "Plum", None], [""], [], None, [None], ["Fig"]]
    read = open_data(way(lists, tmp_path)).read(["liked"]).column("liked").to_pylist()
    assert read == ["Plum;Fig", "Fig", "Plum", None, None, None, None, "Fig"]


@settings(max_examples=40)
@given(
    st.lists(st.none() | st.lists(st.sampled_from(FLAVOURS), max_size=4), min_size=2, max_size=12).filter(
        any
    ),
    st.sampled_from([as_pandas, as_polars, as_cut_table]),
)
def test_lists_count_as_ticks_do(lists: Lists, way: Callable[[Lists, Path], Any]) -> None:
    assert figures(way(lists, Path()), BOOK) == figures(*ticked(lists))


@pytest.mark.parametrize(
    "kind",
    [
        pa.large_list(pa.string()),
        pa.list_(pa.large_string()),
        pa.list_(pa.dictionary(pa.int8(), pa.string())),
    ],
    ids=str,
)
def test_lists_of_any_type(kind: Any, tmp_path: Path) -> None:
    parquet.write_table(table_of(SOME, kind), tmp_path / "lists.parquet")
    expected = figures(*ticked(SOME))
    assert figures(tmp_path / "lists.parquet", BOOK) == expected
    assert figures(table_of(SOME, kind), BOOK) == expected


def test_lists_of_a_fixed_length_and_with_blanks_in_them() -> None:
    pairs: list[Any] = [["Plum", "Fig"], None, ["Fig", None], [None, None], ["", "Plum"], ["Plum", "Plum"]]
    fixed = pa.table({"area": list("NSNSNS"), "liked": pa.array(pairs, pa.list_(pa.string(), 2))})
    plain = [[text for text in one or [] if text] for one in pairs]
    assert figures(fixed, BOOK) == figures(*ticked(plain))


def test_lists_of_numbers_are_codes() -> None:
    book = BOOK.replace(
        "answers: {Plum: Plum, Fig: Fig, Rhubarb: Rhubarb}", "answers: {1: Plum, 2: Fig, 3: Rhubarb}"
    )
    numbers = [None if one is None else [FLAVOURS.index(text) + 1 for text in one] for one in SOME]
    expected = figures(*ticked(SOME))
    for kind in (pa.int64(), pa.int8(), pa.float64()):
        lists = pa.array(numbers, pa.list_(kind))
        assert figures(pa.table({"area": list("NSNSNSNS"), "liked": lists}), book) == expected


@pytest.mark.parametrize("way", WAYS)
def test_draft_makes_several_answers_of_lists(way: Callable[[Lists, Path], Any], tmp_path: Path) -> None:
    """Also of lists that all have one answer, or that differ in every row, which would be answers or an id."""
    for lists in (SOME, [["Plum"], ["Fig"]] * 20, [["Plum"], ["Fig"], ["Plum", "Fig"], ["Fig", "Plum"]]):
        data = way(lists, tmp_path)
        drafted = otter.draft(data)
        assert 'kind: multi\n    joined: {column: liked, by: ";"}' in drafted.codebook
        given = sorted({text for one in lists for text in one or []})
        assert [guess.answers for guess in drafted.guesses if guess.name == "liked"] == [
            tuple((text, text) for text in given)
        ]


def test_a_drafted_frame_runs_from_its_own_file(tmp_path: Path) -> None:
    """Its lists are written as texts, which the drafted codebook reads."""
    otter.draft(as_pandas(SOME, tmp_path)).save(tmp_path / "drafted")
    plan = otter.read_plan(tmp_path / "drafted" / "plan.yaml")
    table = otter.run(plan).table("liked")
    assert [round(table.value(name, "Total") * 6 / 100, 9) for name in FLAVOURS] == [4, 3, 1]


@pytest.mark.parametrize("way", WAYS)
def test_an_answer_that_holds_the_sign_between_answers(
    way: Callable[[Lists, Path], Any], tmp_path: Path
) -> None:
    with pytest.raises(otter.DataError) as error:
        figures(way([["Plum"], ["Fig; ripe", "Plum"]], tmp_path), BOOK)
    assert "a list holds the answer 'Fig; ripe'. Lists are read as texts joined by ';'" in str(error.value)


TEXTS = st.text(alphabet="ab😀,'\\\"[]{}é\n ", min_size=1, max_size=6).map(str.strip).filter(bool)


@given(st.lists(TEXTS, max_size=5), st.booleans())
def test_lists_that_scripts_write_are_read_as_they_were(answers: list[str], as_json: bool) -> None:
    for text in (repr(answers), json.dumps(answers), written_out(answers)):
        assert entries(text) == answers


def test_nothing_in_a_list_is_no_answer_unless_it_is_quoted() -> None:
    assert entries("[None, 'a', nan, null, '', ]") == ["a"]
    assert entries("['None', \"null\", nan it is]") == ["None", "null", "nan it is"]


@pytest.mark.parametrize("write", [repr, json.dumps, lambda one: f"[{', '.join(one)}]"])
def test_lists_in_cells_of_text_are_several_answers(write: Callable[[Any], str], tmp_path: Path) -> None:
    texts = [None if one is None else write(one) for one in SOME]
    frame = pd.DataFrame({"area": ["NS"[k % 2] for k in range(len(SOME))], "liked": texts})
    frame.to_csv(tmp_path / "d.csv", index=False)
    book = BOOK.replace("by: ';'", "by: '[,]'")
    assert figures(tmp_path / "d.csv", book) == figures(*ticked(SOME))
    drafted = otter.draft(tmp_path / "d.csv")
    assert 'joined: {column: liked, by: "[,]"}' in drafted.codebook
    (guess,) = [one for one in drafted.guesses if one.name == "liked"]
    assert [code for code, _ in guess.answers] == sorted(FLAVOURS)


def test_codes_of_lists_in_cells_may_differ_by_wave(tmp_path: Path) -> None:
    for name, lists in (("a", SOME), ("b", [[text.upper() for text in one] for one in SOME if one])):
        rows = "\n".join(f'{k},"{one or ""}"' for k, one in enumerate(lists))
        (tmp_path / f"{name}.csv").write_text(f"rid,liked\n{rows}\n")
    (tmp_path / "book.yaml").write_text(BOOK.replace("by: ';'", "by: '[,]'").partition("  area")[0])
    (tmp_path / "plan.yaml").write_text(
        "data: {files: [{file: a.csv, label: A}, {file: b.csv, label: B, changes: {codes: {liked: "
        "{PLUM: Plum, FIG: Fig, RHUBARB: Rhubarb}}}}]}\ncodebook: book.yaml\n"
        "banners: {main: [wave]}\ndefaults: {banner: main, figures: [count]}\ntables: [liked]\n"
    )
    table = otter.run(tmp_path / "plan.yaml").table("liked")
    assert [table.value(name, wave) for wave in "AB" for name in FLAVOURS] == [4, 3, 1] * 2


@pytest.mark.parametrize("text", ["[1, 2", "1, 2]", "['a]", "Plum", "[{1: 2}]", "[[1]]"])
def test_texts_that_are_no_lists_are_no_list_to_draft(text: str, tmp_path: Path) -> None:
    frame = pd.DataFrame({"rid": range(40), "it": [text, "['a', 'b']"] * 20})
    assert "[,]" not in otter.draft(frame).codebook or text == "['a]"


UNFIT = {
    "place": pa.array([{"street": 1}] * 4),
    "picture": pa.array([b"\x00"] * 4),
    "took": pa.array([5] * 4, pa.duration("s")),
    "nested": pa.array([[["a"]]] * 4),
}


def with_unfit(*names: str) -> Any:
    liked = pa.array([["Fig"], ["Plum"], ["Fig"], ["Plum"]])
    return pa.table({"area": list("NSNS"), **{name: UNFIT[name] for name in names}, "liked": liked})


@pytest.mark.parametrize("suffix", ["parquet", "arrow", "frame"])
def test_columns_that_hold_no_answers_are_left_out_and_told(suffix: str, tmp_path: Path) -> None:
    data: Any = with_unfit(*UNFIT)
    if suffix == "parquet":
        data = tmp_path / "mixed.parquet"
        parquet.write_table(with_unfit(*UNFIT), data)
    elif suffix == "arrow":
        data = tmp_path / "mixed.arrow"
        feather.write_feather(with_unfit(*UNFIT), str(data))
    drafted = otter.draft(data)
    assert [(guess.name, guess.role) for guess in drafted.guesses] == [
        ("area", "single"),
        ("liked", "joined"),
    ]
    assert drafted.told == (
        "Left out, as they hold neither numbers nor texts: place, picture, took, nested.",
    )
    slips = {slip.name: slip for slip in otter.audit_data(data).slips}
    assert slips["column without answers"].message == (
        "4 columns hold neither numbers nor texts, and are left out (place, picture, took, nested)."
    )
    assert slips["column without answers"].count == 4


def test_records_with_objects(tmp_path: Path) -> None:
    path = tmp_path / "mixed.json"
    path.write_text(json.dumps([{"area": "N", "at": {"x": 1}}, {"area": "S", "at": 3}]))
    drafted = otter.draft(path)
    assert [guess.name for guess in drafted.guesses] == ["area"] and "texts: at." in drafted.told[0]
    with pytest.raises(otter.DataError) as error:
        otter.open_survey(otter.codebook_from_text("questions:\n  at: {kind: number}\n"), path).table("at")
    assert message_of(error, tmp_path) == (
        "mixed.json: record 1: 'at' holds an object, or a list within a list, not an answer."
    )


def test_nothing_but_columns_without_answers() -> None:
    with pytest.raises(otter.DataError, match="column 'place' holds values of the type struct"):
        otter.draft(pa.table({name: UNFIT[name] for name in UNFIT}))


def test_draft_at_the_command_line_says_what_it_left_out(run: Any, tmp_path: Path) -> None:
    parquet.write_table(with_unfit("picture"), tmp_path / "mixed.parquet")
    code, _, err = run("draft", tmp_path / "mixed.parquet")
    assert code == 0 and "Left out, as they hold neither numbers nor texts: picture." in err


def test_times_of_day_are_texts() -> None:
    times = pa.array([36_000, 36_060, 36_000], pa.time32("s"))
    survey = otter.open_survey(
        otter.codebook_from_text(
            'questions:\n  at: {kind: single, answers: {"10:00:00": Ten, "10:01:00": Later}}\n'
        ),
        pa.table({"at": times}),
    )
    table = survey.table("at", figures="count")
    assert [table.value(label, "Total") for label in ("Ten", "Later")] == [2, 1]

"""Survey text that goes out: whatever it holds, it is text, every output opens, and nothing of it is lost."""

from __future__ import annotations

import io
import json
import re
import subprocess
import sys
import unicodedata
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import openpyxl
import pyarrow.parquet as pq
import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pptx import Presentation

import eager_otter as otter
from eager_otter.gates.streams import ERRORS, ready_streams
from eager_otter.gates.terminal import Text, terminal
from eager_otter.gates.text import (
    all_held,
    as_json,
    as_shown_json,
    file_name,
    fitted,
    held,
    one_line,
    replaced_in,
    shortened,
    title_of_chart,
)
from hostile.trials import checked, run_in, write_survey

HOSTILE = (
    "=cmd|' /C calc'!A0", "Wow!A1", "=1+1", "$5 or $6", "tab\there", "vt\x0bhere", "esc\x1b[31mred\x1b[0m",
    "clip\x1b]52;c;aGk=\x07", "c1\x9b31m", "turn \u202eabc", "open \u2067abc", "no sign \ufffe\uffff", "<script>alert(1)</script>",
    "a&b \"q\" 's' &copy;", "../up", "+SUM(A1)", "@x", "-2+3", "{=A1}", "http://example.org", "x" * 300, "line\nbreak\u2028end",
    "nul\0", "𝄞 🦦 مرحبا 東京", "[link](x) *b* `c` | ~~d~~",
)  # fmt: skip
UNSEEN = re.compile("[\0-\x08\x0b-\x1f\x7f-\x9f\u202d\u202e\ud800-\udfff\ufffe\uffff]")
FORMULA = re.compile(rb"<(?:\w+:)?f[ >/]")


BOOK = """\
title: <TITLE>
questions:
  q:
    kind: single
    scale: true
    text: <QUESTION>
    label: <LABEL>
    section: <HEADING>
    answers:
ANSWERS
    nets: [{label: <NET>, of: [1, 2]}]
  g: {kind: single, label: <GROUP>, answers: {1: <ONE>, 2: <TWO>}}
  t: {kind: text, text: <OPEN>}
"""
PLAN = """\
data: data.csv
codebook: codebook.yaml
author: <AUTHOR>
banners: {main: [g]}
workbook: {charts: true}
tables:
  - {question: q, id: "../up", title: "Wow!A1"}
  - {question: g, id: <LONG>, title: <MANY>}
  - {question: q, id: "a/b:c", figures: [mean], title: <COMMAND>}
outputs: [t.xlsx, t.html, t.pdf, t.pptx, t.csv, t.json, t.parquet, t.md, t.txt]
findings: 5
"""


def quoted(text: str) -> str:
    """Write a text for YAML with every odd character escaped."""
    return (
        '"' + "".join(c if 32 <= ord(c) < 127 and c not in '"\\' else f"\\U{ord(c):08x}" for c in text) + '"'
    )


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A report with hostile texts wherever a text may stand, in every output."""
    place = tmp_path_factory.mktemp("hostile")
    answers = "\n".join(f"      {k}: {quoted(text)}" for k, text in enumerate(HOSTILE, 1))
    said = {
        "TITLE": "Title =1+1 \x1b[31m $5 or $6 " + "z" * 280,
        "QUESTION": "Question: Wow!A1 $5 or $6 \x0b",
        "LABEL": "=Q!A1",
        "NET": "=net \x0b\u202e",
        "GROUP": "Group \x1b[1m =A!B1",
        "ONE": "=1+1",
        "TWO": "Wow!A1 $x$",
        "OPEN": "=Open \x1b",
        "AUTHOR": "A \x1b[31m=1+1 " + "y" * 300,
        "HEADING": "=H \x07",
        "LONG": "long \x1b id " + "i" * 300,
        "COMMAND": "=cmd|' /C calc'!A0 $5 or $6",
        "MANY": "t" * 400,
    }
    for name, frame in (("codebook.yaml", BOOK.replace("ANSWERS", answers)), ("plan.yaml", PLAN)):
        whole = frame
        for word, hostile in said.items():
            whole = whole.replace(f"<{word}>", quoted(hostile))
        (place / name).write_text(whole, encoding="utf-8")
    rows = [f'{1 + k % len(HOSTILE)},{1 + k % 2},"{HOSTILE[k % len(HOSTILE)]}"' for k in range(500)]
    rows = [row.replace('"q"', '""q""').replace("\0", "") for row in rows]
    (place / "data.csv").write_text("q,g,t\n" + "\n".join(rows) + "\n", encoding="utf-8", newline="")
    found = run_in(place, "run")
    assert found.code == 0, found.err
    assert "characters of the texts cannot be shown; a code such as [U+001B] stands for each." in found.err
    return place


def test_only_the_outputs_are_written_and_none_outside(folder: Path) -> None:
    names = {path.name for path in folder.iterdir()}
    endings = ("xlsx", "html", "pdf", "pptx", "csv", "json", "parquet", "md", "txt")
    assert names == {
        "codebook.yaml",
        "plan.yaml",
        "data.csv",
        "manifest.json",
        *(f"t.{one}" for one in endings),
    }
    assert not (folder.parent / "up.png").exists()


def test_a_workbook_opens_and_holds_no_formula(folder: Path) -> None:
    with zipfile.ZipFile(folder / "t.xlsx") as package:
        for name in package.namelist():
            if name.endswith((".xml", ".rels")):
                ElementTree.fromstring(package.read(name))  # well-formed
            if name.startswith("xl/worksheets/"):
                assert FORMULA.search(package.read(name)) is None, name
            if name.startswith("xl/charts/"):
                text = package.read(name).decode()
                for reference in re.findall("<c:f>([^<]*)</c:f>", text):
                    assert reference.startswith("'Chart data'!"), reference
                title = "".join(re.findall("<a:t>([^<]*)</a:t>", text))
                assert "Wow!" in title or "tttt" in title or "=cmd|" in title
    book = openpyxl.load_workbook(folder / "t.xlsx")
    texts = [
        str(cell.value)
        for sheet in book
        for row in sheet.iter_rows()
        for cell in row
        if cell.value is not None
    ]
    assert not [text for text in texts if UNSEEN.search(text)]
    for text in HOSTILE:
        assert held(text) in texts, text
    assert len(book.properties.title) <= 255 and len(book.properties.creator) <= 255
    assert all(cell.data_type != "f" for sheet in book for row in sheet.iter_rows() for cell in row)


def test_slides_open_and_the_workbooks_in_them_hold_no_formula(folder: Path) -> None:
    deck = Presentation(str(folder / "t.pptx"))
    texts = [shape.text_frame.text for slide in deck.slides for shape in slide.shapes if shape.has_text_frame]
    assert "Wow!A1" in texts and any(text.startswith("=cmd|' /C calc'!A0 $5 or $6") for text in texts)
    assert not [text for text in texts if UNSEEN.search(text.replace("\x0b", ""))]
    inside = 0
    with zipfile.ZipFile(folder / "t.pptx") as package:
        for name in package.namelist():
            if name.endswith(".xlsx"):
                with zipfile.ZipFile(io.BytesIO(package.read(name))) as book:
                    inside += 1
                    assert FORMULA.search(book.read("xl/worksheets/sheet1.xml")) is None
    assert inside


def test_a_page_holds_text_and_no_more(folder: Path) -> None:
    text = (folder / "t.html").read_text(encoding="utf-8")
    assert UNSEEN.search(text) is None and "<script>alert" not in text
    assert "esc[U+001B][31mred[U+001B][0m" in text


def test_plain_text_markdown_and_pdf_show_what_there_is(folder: Path) -> None:
    for name in ("t.md", "t.txt"):
        text = (folder / name).read_text(encoding="utf-8")
        assert UNSEEN.search(text) is None
    assert r"\$5 or \$6" in (folder / "t.md").read_text(encoding="utf-8")
    assert r"\&copy;" in (folder / "t.md").read_text(encoding="utf-8")
    pages = "\n".join(page.extract_text() for page in pypdf.PdfReader(folder / "t.pdf").pages)
    for text in ("vt[U+000B]here", "$5 or $6", "[U+202E]abc", "nul[U+0000]", "=cmd|' /C calc'!A0"):
        assert text in pages, text


def test_tidy_files_hold_the_texts_as_they_are(folder: Path) -> None:
    labels = {one["row"] for one in json.loads((folder / "t.json").read_text(encoding="utf-8"))["records"]}
    assert set(HOSTILE) <= labels
    assert set(HOSTILE) <= set(pq.read_table(folder / "t.parquet").column("row").to_pylist())
    import csv

    with (folder / "t.csv").open(encoding="utf-8", newline="") as file:
        assert set(HOSTILE) <= {row["row"] for row in csv.DictReader(file)}
    assert run_in(folder, "compare", "t.csv", "t.json").code == 0


@pytest.mark.parametrize("kind", ["png", "svg"])
@pytest.mark.slow
def test_charts_are_drawn_as_written_under_names_that_files_may_have(
    folder: Path, tmp_path: Path, kind: str
) -> None:
    found = run_in(folder, "chart", "*", "--folder", tmp_path / "charts", "--format", kind)
    assert found.code == 0 and "Glyph" not in found.err, found.err
    names = sorted(path.name for path in (tmp_path / "charts").iterdir())
    assert names[:1] == [f"a-b-c.{kind}"] and f"up.{kind}" in names and len(names) == 3
    assert all(len(name) < 100 for name in names)
    if kind == "svg":
        text = (tmp_path / "charts" / "up.svg").read_text(encoding="utf-8")
        ElementTree.fromstring(text)
        assert "$5 or $6" in text and UNSEEN.search(text) is None


@pytest.mark.parametrize(
    "command",
    [
        ["look", "q"], ["look", "q", "--notes", "full"], ["questions"], ["questions", "q"], ["questions", "t"], ["questions", "*"],
        ["audit"], ["audit", "--format", "json"], ["explain", "../up", "1", "Total"], ["explain", "../up", "1", "Total", "--format", "json"],
        ["findings"], ["findings", "--format", "json"], ["run", "--list"], ["look", "nothing\x1b[31m"], ["run", "no\x1b]0;x\x07.yaml"],
        ["run", "--only", "\x1b[31m"], ["look", "q", "--filter", "q == '\x1b[2J'"], ["run", "--no\x1b[2J"], ["\x1b[2J"],
    ],
)  # fmt: skip
def test_nothing_that_a_terminal_obeys_gets_out(folder: Path, command: list[str]) -> None:
    found = checked(folder, command)
    assert "\x1b" not in found.out + found.err and "\u202e" not in found.out + found.err


def test_a_terminal_with_colours_obeys_our_own_codes_only() -> None:
    file = io.StringIO()
    console = terminal(file=file, width=80)
    console.print(Text("a\x1b[31mb", style="bold"))
    console.print("plain \x9b2J string")
    assert file.getvalue() == "a[U+001B][31mb\nplain [U+009B]2J string\n"


@pytest.mark.parametrize("encoding", ["cp1252", "ascii", "latin-1", "cp437", "utf-8"])
@pytest.mark.slow
def test_any_encoding_of_stdout_will_do(tmp_path: Path, encoding: str) -> None:
    write_survey(tmp_path)
    commands = [["look", "liking"], ["questions"], ["audit"], ["run", "--list"]]
    for command in (
        commands if encoding == "ascii" else [*commands, ["--help"]]
    ):  # help is printed as UTF-8 there
        done = subprocess.run(
            [sys.executable, "-m", "eager_otter", *command],
            cwd=tmp_path,
            capture_output=True,
            check=False,
            env={"PYTHONIOENCODING": encoding, "PATH": "", "COLUMNS": "100"},
        )
        assert done.returncode in (0, 1), done.stderr
        done.stdout.decode(encoding)
        assert b"Traceback" not in done.stderr


def test_signs_that_an_encoding_lacks_have_plain_ones() -> None:
    ready_streams()
    assert "Base ─│ ▲▼ … ≥ 東".encode("ascii", ERRORS) == b"Base -| ^v ... >= ?"


@pytest.mark.slow
def test_a_closed_pipe_ends_quietly(tmp_path: Path) -> None:
    write_survey(tmp_path)
    for command in ("look liking", "questions", "run --list", "schema plan", "words de", "audit"):
        done = subprocess.run(
            f"{sys.executable} -m eager_otter {command} | head -c 1 > /dev/null",
            shell=True,
            cwd=tmp_path,
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 0 and "Traceback" not in done.stderr and "Exception" not in done.stderr, (
            done.stderr
        )


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="needs a device that is full")
def test_a_full_stdout_is_told(tmp_path: Path) -> None:
    write_survey(tmp_path)
    done = subprocess.run(
        f"{sys.executable} -m eager_otter schema plan > /dev/full",
        shell=True,
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (
        done.returncode == 2
        and done.stderr == "Error: What was to be shown cannot be written (No space left on device).\n"
    )


# --- laws -----------------------------------------------------------------------------------------------

ANY_TEXT = st.text(st.characters(exclude_categories=()), max_size=40)


@given(ANY_TEXT)
def test_what_is_held_can_be_seen_encoded_and_is_held_again_as_it_is(text: str) -> None:
    shown = held(text)
    shown.encode("utf-8")
    assert UNSEEN.search(shown) is None and held(shown) == shown
    assert not any(unicodedata.category(c) in ("Cc", "Cs") and c not in "\n\t" for c in shown)
    if replaced_in(text) == 0:
        assert shown == re.sub("\r\n|[\r\x85\u2028\u2029]", "\n", text)
    assert "\n" not in one_line(text)


@given(ANY_TEXT, st.integers(30, 60))
def test_cut_texts_are_as_long_as_they_may_be(text: str, most: int) -> None:
    assert len(fitted(text, most)) <= most and len(shortened(text * 3, most)) <= most
    assert fitted(text[:most], most) == text[:most]


@given(ANY_TEXT)
def test_a_file_name_stays_in_its_folder(text: str) -> None:
    name = file_name(text)
    assert name == Path(name).name and name not in (".", "..") and len(name.encode()) <= 80
    assert re.search(r'[<>:"/\\|?*\x00-\x1f]', name) is None


@given(st.dictionaries(ANY_TEXT, st.lists(ANY_TEXT)))
def test_json_loses_nothing_and_shows_nothing_odd(value: dict[str, list[str]]) -> None:
    text = as_json(value)
    assert json.loads(text) == value and UNSEEN.search(text) is None
    shown = as_shown_json(value)
    assert json.loads(shown) == all_held(value)


@given(st.sampled_from(["", "="]), st.text("Wo!A1$'", max_size=12))
def test_no_title_of_a_chart_is_a_reference(start: str, text: str) -> None:
    title = title_of_chart(start + text)
    assert re.match(r"^=?[^!]+!\$?[A-Z]+\$?\d+", title) is None
    assert title.replace("\u2060", "") == " ".join((start + text).split())


@pytest.mark.slow
def test_a_plan_named_by_bytes_that_are_no_text_is_told(folder: Path) -> None:
    done = subprocess.run(
        [sys.executable.encode(), b"-m", b"eager_otter", b"run", b"pl\xff.yaml"],
        cwd=folder,
        capture_output=True,
        check=False,
    )
    assert done.returncode == 2 and b"no such file" in done.stderr and b"[U+DCFF]" in done.stderr


def test_long_open_answers_come_back_from_a_sheet(tmp_path: Path) -> None:
    texts = ["w" * 40_000, "vt\x0bhere", *(["fresh"] * 10)]
    data = "rid,wt,area,liking,h_1,h_2,glasses,words\n"
    data += "".join(f"{k},1,1,1,1,0,2,{text}\n" for k, text in enumerate(texts, 1))
    write_survey(tmp_path, data=data)
    assert run_in(tmp_path, "texts", "words", "--to", "x.xlsx").code == 0
    book = openpyxl.load_workbook(tmp_path / "x.xlsx")
    sheet, topics = book["Texts"], book["Topics"]
    assert sheet.cell(2, 2).value.endswith("more characters]") and sheet.cell(3, 2).value == "vt[U+000B]here"
    topics.cell(2, 1).value, topics.cell(2, 2).value = 1, "Any"
    for row in range(2, sheet.max_row + 1):
        sheet.cell(row, 3).value = "Any"
    book.save(tmp_path / "y.xlsx")
    found = run_in(tmp_path, "texts", "words", "--coded", "y.xlsx")
    assert found.code == 0, found.err


def test_reports_in_python_hold_hostile_titles_too(folder: Path) -> None:
    report = otter.run(folder / "plan.yaml")
    assert "\x1b" not in repr(report.tables[0]) and "\x1b" not in str(report.tables[0]._repr_html_())

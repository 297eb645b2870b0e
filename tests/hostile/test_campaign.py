"""A campaign of broken and hostile inputs against every reader and command, each asserted to end in good manners.

The inputs are generated: every kind of file that is read, spoiled in every way below, by a seed.
"""

from __future__ import annotations

import io
import itertools
import json
import random
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import openpyxl
import pandas as pd
import pytest
from PIL import Image

from hostile.trials import BOOK, PLAN, TARGETS, checked, contents, data_text, run_in, write_survey

Spoil = Callable[[bytes, random.Random], bytes]

TRIPLE_S = """<?xml version="1.0" encoding="UTF-8"?>
<sss version="2.0"><survey><title>Water</title><record ident="A" href="data.asc">
<variable ident="1" type="quantity" use="serial"><name>rid</name><label>Id</label><position start="1" finish="3"/>
<values><range from="1" to="999"/></values></variable>
<variable ident="2" type="single"><name>area</name><label>Area</label><position start="4"/>
<values><value code="1">North</value><value code="2" score="2">East</value></values></variable>
<variable ident="3" type="multiple"><name>h</name><label>Heard</label><position start="5" finish="6"/>
<values><value code="1">Tarn</value><value code="2">Brookfizz</value></values></variable>
<variable ident="4" type="single"><name>liking</name><label>Liking</label><position start="7" finish="8"/>
<values><value code="1">Poor</value><value code="2">Fair</value><value code="3">Good</value></values></variable>
</record></survey></sss>
"""
SSS_BOOK = """\
title: Water
questions:
  area: {kind: single, label: Area, answers: {1: North, 2: East}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
  heard: {kind: multi, columns: {h_1: Tarn, h_2: Brookfizz}}
"""
SSS_PLAN = "data: data.xml\ncodebook: codebook.yaml\nbanners: {main: [area]}\ntables: [liking, heard]\noutputs: [tables.csv]\n"
CATALOGUE = "language: nl\ndecimal: ','\nthousands: '.'\nwords: {Total: Totaal, Base: Basis}\n"
THEME = "accent: '#14505C'\npaper: Letter\nlogo: logo.png\ndigits: {percent: 1}\nwords: {Total: All}\n"


# --- ways to spoil a file -------------------------------------------------------------------------------


def cut(content: bytes, draw: random.Random) -> bytes:
    return content[: draw.randrange(len(content))]


def flipped(content: bytes, draw: random.Random) -> bytes:
    spoiled = bytearray(content)
    for _ in range(draw.randint(1, 12)):
        spoiled[draw.randrange(len(spoiled))] ^= 1 << draw.randrange(8)
    return bytes(spoiled)


def noise(content: bytes, draw: random.Random) -> bytes:
    place = draw.randrange(len(content))
    return content[:place] + draw.randbytes(draw.randint(1, 64)) + content[place:]


def inserted(*pieces: bytes) -> Spoil:
    def spoil(content: bytes, draw: random.Random) -> bytes:
        place = draw.randrange(len(content))
        return content[:place] + draw.choice(pieces) + content[place:]

    return spoil


def numbers_replaced(content: bytes, draw: random.Random) -> bytes:
    digits = [k for k, byte in enumerate(content) if 48 <= byte < 58]
    if not digits:
        return content + b"9" * 400
    place = draw.choice(digits)
    strange = (
        b"six",
        "²".encode(),
        b"9" * 400,
        b"1e308",
        b"-1",
        b"0",
        b"",
        b"1e999",
        b"NaN",
        "٣".encode(),
        b"1_0",
        b"0x1",
    )
    return content[:place] + draw.choice(strange) + content[place + 1 :]


def lines_shuffled(content: bytes, draw: random.Random) -> bytes:
    lines = content.split(b"\n")
    draw.shuffle(lines)
    return b"\n".join(lines)


def lines_doubled(content: bytes, draw: random.Random) -> bytes:
    lines = content.split(b"\n")
    place = draw.randrange(len(lines))
    return b"\n".join([*lines[:place], lines[place], *lines[place:]])


def line_lost(content: bytes, draw: random.Random) -> bytes:
    lines = content.split(b"\n")
    del lines[draw.randrange(len(lines))]
    return b"\n".join(lines)


def repeated(content: bytes, draw: random.Random) -> bytes:
    place, size = draw.randrange(len(content)), draw.randint(1, 40)
    return content[:place] + content[place : place + size] * draw.randint(2, 400) + content[place:]


def encoded(content: bytes, draw: random.Random) -> bytes:
    text = content.decode("utf-8", "replace")
    return text.encode(draw.choice(["utf-16", "utf-32", "cp500", "utf-16-le", "utf-7"]))


def marks(content: bytes, draw: random.Random) -> bytes:
    return (
        draw.choice([b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff", b"\x1f\x8b\x08", b"PK\x03\x04", b"%PDF-"])
        + content
    )


def ends_changed(content: bytes, draw: random.Random) -> bytes:
    return content.replace(
        b"\n", draw.choice([b"\r", b"\r\n", b"\n\r", b"\xe2\x80\xa8", b"\x0b", b"\x85", b"\n\n\n"])
    )


def emptied(_: bytes, draw: random.Random) -> bytes:
    return draw.choice(
        [b"", b"\n", b" ", b"\0", b"null", b"[]", b"{}", b"0", b'"', b"\xff", b"<a/>", b"---", b"- 1"]
    )


def brackets(content: bytes, draw: random.Random) -> bytes:
    place = draw.randrange(len(content))
    return (
        content[:place]
        + draw.choice([b"[", b"{", b"(", b"<", b'"', b"&a *a", b"!!python/object:os.system"]) * 300
        + content[place:]
    )


WAYS: dict[str, Spoil] = {
    "cut": cut,
    "flipped": flipped,
    "noise": noise,
    "control": inserted(
        b"\0", b"\x1b[2J", b"\x0b", b"\x9b", b"\x07", "\u202e".encode(), "\ufffe".encode(), b"\xed\xa0\x80"
    ),
    "signs": inserted(
        b'"',
        b"'",
        b",",
        b";",
        b"\t",
        b"=1+1",
        b"$x$",
        b"%s",
        b"{0}",
        b"{{x}}",
        b"../",
        b"\\",
        b"#",
        b":",
        b"|",
    ),
    "numbers": numbers_replaced,
    "shuffled": lines_shuffled,
    "doubled": lines_doubled,
    "lost": line_lost,
    "repeated": repeated,
    "encoded": encoded,
    "marks": marks,
    "ends": ends_changed,
    "emptied": emptied,
    "brackets": brackets,
}


# --- what is spoiled, and who reads it ------------------------------------------------------------------


def frame() -> pd.DataFrame:
    return pd.read_csv(io.StringIO(data_text()), dtype=str)


def sheet_bytes(ending: str) -> bytes:
    held = io.BytesIO()
    frame().to_excel(held, index=False, engine="odf" if ending == "ods" else "openpyxl")
    return held.getvalue()


def picture() -> bytes:
    held = io.BytesIO()
    Image.new("RGB", (20, 10)).save(held, "PNG")
    return held.getvalue()


def font() -> bytes:
    from matplotlib import get_data_path

    return (Path(get_data_path()) / "fonts" / "ttf" / "DejaVuSansDisplay.ttf").read_bytes()


def template() -> bytes:
    from pptx import Presentation

    held = io.BytesIO()
    Presentation().save(held)
    return held.getvalue()


def parquet() -> bytes:
    held = io.BytesIO()
    frame().to_parquet(held)
    return held.getvalue()


def tidy(folder: Path, ending: str) -> bytes:
    write_survey(folder)
    assert run_in(folder, "run", "-o", f"t.{ending}").code == 0
    return (folder / f"t.{ending}").read_bytes()


def coded(folder: Path) -> bytes:
    write_survey(folder)
    assert run_in(folder, "texts", "words", "--to", "x.xlsx", "--force").code == 0
    book = openpyxl.load_workbook(folder / "x.xlsx")
    topics, texts = book["Topics"], book["Texts"]
    topics.cell(2, 1).value, topics.cell(2, 2).value = 1, "Fresh"
    for row in range(2, texts.max_row + 1):
        texts.cell(row, 3).value = "Fresh"
    held = io.BytesIO()
    book.save(held)
    return held.getvalue()


def plan_for(data: str) -> str:
    return PLAN.replace("data.csv", data)


RUN = ["run", "-o", "out.csv"]
Case = tuple[str, Callable[[Path], bytes], dict[str, str], list[list[str]]]
# the file that is spoiled, its bytes, other files beside the survey, the commands that read it
CASES: dict[str, Case] = {
    "csv": ("data.csv", lambda _: data_text().encode(), {}, [RUN, ["audit"], ["draft", "data.csv", "--into", "new"], ["questions"], ["export", "e.xml"]]),
    "tsv": ("data.tsv", lambda _: data_text().replace(",", "\t").encode(), {"plan.yaml": plan_for("data.tsv")}, [RUN, ["look", "liking"]]),
    "xlsx": ("data.xlsx", lambda _: sheet_bytes("xlsx"), {"plan.yaml": plan_for("data.xlsx")}, [RUN, ["audit"]]),
    "ods": ("data.ods", lambda _: sheet_bytes("ods"), {"plan.yaml": plan_for("data.ods")}, [RUN]),
    "parquet": ("data.parquet", lambda _: parquet(), {"plan.yaml": plan_for("data.parquet")}, [RUN, ["draft", "data.parquet", "--into", "new"]]),
    "json": ("data.json", lambda _: frame().to_json(orient="records").encode(), {"plan.yaml": plan_for("data.json")}, [RUN, ["findings"]]),
    "jsonl": ("data.jsonl", lambda _: frame().to_json(orient="records", lines=True).encode(), {"plan.yaml": plan_for("data.jsonl")}, [RUN]),
    "triple-s": ("data.xml", lambda _: TRIPLE_S.encode(), {}, [RUN, ["draft", "data.xml", "--into", "new"]]),
    "triple-s data": ("data.asc", lambda _: ("".join(f"{k:3}{1 + k % 2}{k % 2}{k % 3 % 2}{1 + k % 3:2}\n" for k in range(1, 61))).encode(), {}, [RUN]),
    "codebook": ("codebook.yaml", lambda _: BOOK.encode(), {}, [RUN, ["audit"], ["questions", "liking"]]),
    "plan": ("plan.yaml", lambda _: PLAN.encode(), {}, [["run", "--no-file-date"], ["run", "--list"], ["run", "--spell-out", "whole.yaml"], ["findings"]]),
    "targets": ("targets.yaml", lambda _: TARGETS.encode(), {}, [["weigh", "targets.yaml", "-o", "w.csv"]]),
    "catalogue": ("own.yaml", lambda _: CATALOGUE.encode(), {}, [["run", "-o", "out.md", "--language", "own.yaml"], ["words", "--language", "own.yaml"]]),
    "theme": ("theme.yaml", lambda _: THEME.encode(), {"plan.yaml": PLAN + "theme: theme.yaml\n"}, [["run", "-o", "out.xlsx"], ["chart", "liking"]]),
    "logo": ("logo.png", lambda _: picture(), {"plan.yaml": PLAN + "theme: theme.yaml\n", "theme.yaml": THEME}, [["run", "-o", "o.xlsx", "-o", "o.html", "-o", "o.pdf", "-o", "o.pptx"]]),
    "font": ("f.ttf", lambda _: font(), {"plan.yaml": PLAN + "theme: theme.yaml\n", "theme.yaml": "font files: {regular: f.ttf}\n"}, [["run", "-o", "out.pdf"]]),
    "template": ("own.pptx", lambda _: template(), {"plan.yaml": PLAN + "slides: {template: own.pptx}\n"}, [["run", "-o", "out.pptx"]]),
    "tidy csv": ("old.csv", lambda folder: tidy(folder, "csv"), {}, [["compare", "old.csv", "t.csv"], ["compare", "t.csv", "old.csv", "-o", "c.json"]]),
    "tidy json": ("old.json", lambda folder: tidy(folder, "json"), {}, [["compare", "old.json", "t.json"]]),
    "tidy parquet": ("old.parquet", lambda folder: tidy(folder, "parquet"), {}, [["compare", "old.parquet", "t.parquet"]]),
    "manifest": ("manifest.json", lambda folder: (tidy(folder, "csv"), (folder / "manifest.json").read_bytes())[1], {}, [["compare", ".", "t.csv"], ["compare", "t.csv", "t.csv"]]),
    "coded sheet": ("coded.xlsx", coded, {}, [["texts", "words", "--coded", "coded.xlsx"]]),
    "topics": ("topics.csv", lambda _: b"code,topic\n1,Fresh\n2,Flat\n", {}, [["texts", "words", "--to", "y.xlsx", "--topics", "topics.csv"]]),
}  # fmt: skip
BINARY = {"xlsx", "ods", "parquet", "logo", "font", "template", "tidy parquet", "coded sheet"}
OF_BINARY = ("cut", "flipped", "noise", "repeated", "marks", "emptied", "numbers")
TRIALS = 2  # of each way, with other draws
TESTS = [(kind, way) for kind in CASES for way in (OF_BINARY if kind in BINARY else WAYS)]


def prepared(folder: Path, kind: str) -> bytes:
    """Write what a kind of trial needs into a folder; gives the file to spoil, sound."""
    name, make, beside, _ = CASES[kind]
    sound = make(folder)
    write_survey(folder)
    (folder / "logo.png").write_bytes(picture())
    if kind.startswith("triple-s"):
        beside = {"codebook.yaml": SSS_BOOK, "plan.yaml": SSS_PLAN, "data.xml": TRIPLE_S}
        (folder / "data.asc").write_bytes(CASES["triple-s data"][1](folder))
    for other, text in beside.items():
        (folder / other).write_text(text, encoding="utf-8")
    (folder / name).write_bytes(sound)
    return sound


def sound_outputs(folder: Path) -> None:
    """Assert that what was written is whole: each opens as what it says it is."""
    for path in folder.rglob("*"):
        if path.name.startswith(("out.", "o.", "e.", "c.", "w.", "tables.")) and path.is_file():
            content = path.read_bytes()
            match path.suffix:
                case ".csv" | ".md":
                    content.decode("utf-8")
                    assert content.endswith(b"\n"), path.name
                case ".json":
                    json.loads(content)
                case ".xlsx" | ".pptx":
                    assert zipfile.ZipFile(path).testzip() is None
                case ".pdf":
                    assert content.startswith(b"%PDF-") and b"%%EOF" in content[-200:]
                case ".html":
                    assert content.rstrip().endswith(b"</html>")


@pytest.mark.parametrize(("kind", "way"), TESTS, ids=lambda value: value.replace(" ", "-"))
@pytest.mark.slow
def test_whatever_is_read_ends_in_good_manners(tmp_path: Path, kind: str, way: str) -> None:
    sound = prepared(tmp_path, kind)
    name, _, _, commands = CASES[kind]
    draw = random.Random(f"{kind} {way}")
    for number in range(TRIALS):
        (tmp_path / name).write_bytes(WAYS[way](sound, draw))
        command = commands[(number + draw.randrange(len(commands))) % len(commands)]
        for path in [
            *tmp_path.glob("*.part*"),
            *(tmp_path / "new").glob("*"),
            *(tmp_path / made for made in made_by(command)),
        ]:
            path.unlink(missing_ok=True)
        checked(tmp_path, command)
        sound_outputs(tmp_path)


def made_by(command: list[str]) -> Iterator[str]:
    """Name what a command would write, so that an earlier trial does not stand in its way."""
    yield from (
        word for before, word in itertools.pairwise(command) if before in ("-o", "--to", "--spell-out")
    )
    yield from {
        "export": ["e.xml", "e.csv"],
        "chart": ["liking.png"],
        "texts": ["data-coded.csv", "words-topics.yaml"],
    }.get(command[0], [])


@pytest.mark.slow
def test_the_sound_files_of_the_campaign_are_read(tmp_path: Path) -> None:
    for kind, (_, _, _, commands) in CASES.items():
        folder = tmp_path / kind.replace(" ", "-")
        folder.mkdir()
        prepared(folder, kind)
        for command in commands:
            found = run_in(folder, *command)
            assert found.code in (0, 1), (kind, command, found.err)
        sound_outputs(folder)


ARGUMENTS = (
    "", " ", "\0", "\x1b[2J", "../../x", "/", ".", "x" * 5_000, "'", '"', "=1+1", "%s", "{}", "*", "[", "\ud800", "٣", "-1", "1e999", "nan",
    "liking; import os", "`", "a" * 300 + ".csv",
)  # fmt: skip
COMMANDS: list[list[str]] = [
    ["look", "?"], ["look", "liking", "--banner", "?"], ["look", "liking", "--filter", "?"], ["look", "liking", "--weight", "?"],
    ["questions", "?"], ["audit", "?"], ["run", "?"], ["run", "--only", "?"], ["run", "-o", "?"], ["run", "--filter", "?"],
    ["run", "--language", "?"], ["run", "--spell-out", "?"], ["explain", "?", "Good", "North"], ["explain", "liking", "?", "North"],
    ["explain", "liking", "Good", "?"], ["explain", "liking", "Good", "North", "--figure", "?"], ["findings", "--waves", "?"],
    ["findings", "--level", "?"], ["findings", "--least", "?"], ["compare", "?", "data.csv"], ["compare", "data.csv", "data.csv", "--tolerance", "?"],
    ["chart", "?"], ["chart", "liking", "--group", "?"], ["weigh", "?"], ["weigh", "targets.yaml", "--name", "?"], ["texts", "?", "--to", "z.xlsx"],
    ["texts", "words", "--coded", "?"], ["export", "?"], ["words", "--language", "?"], ["schema", "?"], ["draft", "?"], ["draft", "data.csv", "--delimiter", "?"],
    ["draft", "data.csv", "--encoding", "?"], ["demo", "--files-only", "?"], ["?"], ["run", "--?"],
]  # fmt: skip


@pytest.mark.parametrize("command", COMMANDS, ids=" ".join)
@pytest.mark.slow
def test_whatever_is_typed_ends_in_good_manners(tmp_path: Path, command: list[str]) -> None:
    for number, argument in enumerate(ARGUMENTS):
        folder = tmp_path / str(number) / "in"
        folder.mkdir(parents=True)
        write_survey(folder)
        checked(folder, [word.replace("?", argument) for word in command])
        assert [path.name for path in folder.parent.iterdir()] == ["in"], "something was written elsewhere"


def test_the_campaign_is_large_enough() -> None:
    inputs = len(TESTS) * TRIALS + len(COMMANDS) * len(ARGUMENTS)
    assert inputs >= 400 and {command[0] for command in COMMANDS} >= {
        "look", "questions", "audit", "run", "explain", "findings", "compare", "chart", "weigh", "texts", "export", "words", "schema",
        "draft", "demo",
    }  # fmt: skip


@pytest.mark.parametrize("name", ["plan.yaml", "codebook.yaml", "data.csv"])
def test_mistakes_seen_before_work_begins_write_nothing(tmp_path: Path, name: str) -> None:
    write_survey(tmp_path)
    (tmp_path / name).unlink()
    before = contents(tmp_path)
    for command in (
        ["run"],
        ["chart", "liking"],
        ["findings", "-o", "f.csv"],
        ["export", "e.csv"],
        ["texts", "words", "--to", "x.xlsx"],
    ):
        found = checked(tmp_path, command, may_write=False)
        assert found.code == 2 and contents(tmp_path) == before

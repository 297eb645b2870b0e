"""The command line as users meet it: output, messages, exit codes, and that nothing is written on errors."""

from __future__ import annotations

import csv
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest

from eager_otter.cli.program import COMMANDS, OTHER_WORDS

Run = Callable[..., tuple[int, str, str]]


@pytest.mark.slow
def test_demo_makes_a_survey_and_its_report_and_never_overwrites_changes(run: Run, tmp_path: Path) -> None:
    code, out, err = run("demo", cwd=tmp_path)
    made = tmp_path / "otter-demo"
    assert code == 0 and "otter-demo/tables.xlsx" in out and "eager-otter look heard_of" in err
    assert {path.name for path in made.iterdir()} == {
        "responses.csv", "codebook.yaml", "plan.yaml", "targets.yaml", "shapes.yaml", "tables.xlsx", "tables.html", "tables.csv", "manifest.json", "spoiled",
    }  # fmt: skip
    assert run("demo")[0] == 0
    (made / "plan.yaml").write_text("mine", encoding="utf-8")
    code, _, err = run("demo")
    assert (
        code == 2
        and "otter-demo/plan.yaml: is there already and has been changed; it is not overwritten." in err
    )
    assert (made / "plan.yaml").read_text(encoding="utf-8") == "mine"


def test_the_spoiled_copy_lists_its_slips_and_can_be_tabulated(run: Run, demo: Path, tmp_path: Path) -> None:
    slips = (demo / "spoiled" / "slips.csv").read_text(encoding="utf-8").splitlines()
    assert slips[1].startswith("unknown code,region,")
    code, out, _ = run("look", "region", "-p", demo / "spoiled" / "plan.yaml")
    assert code == 0 and "code unknown to the codebook 3" in out


@pytest.mark.slow
def test_run_tells_where_the_report_lies(run: Run, demo: Path, tmp_path: Path) -> None:
    target = tmp_path / "mine.csv"
    code, out, err = run(
        "run", demo / "plan.yaml", "-o", target, "--filter", "region == 2", "--weight", "none"
    )
    assert code == 0 and "mine.csv  (" in out and "tables from responses.csv, 2,400 rows" in err
    assert target.exists()


def test_look_shows_one_table_with_the_rules_of_the_plan(run: Run, demo: Path) -> None:
    code, out, err = run("look", "liking", "--banner", "wave", "-b", "age_band", "--level", "99", cwd=demo)
    assert code == 0
    lines = out.splitlines()
    assert lines[0] == "How do you like the idea of this drink?"
    assert [word for word in lines[1].split() if word.isalpha()] == ["Wave", "Age"]
    assert lines[2].split() == ["Total", "Spring", "Autumn", "16–24", "25–34", "35–54", "55+"]
    assert lines[4].split()[:4] == ["Base", "(unweighted)", "n", "2,328"]
    assert "of that letter, at 99 %." in " ".join(out.split()) and "Data: responses.csv" in err
    assert "Brookfizz" in run("look", "reasons", "--banner", "brands")[1]


def test_questions_lists_searches_and_shows_one_in_full(run: Run, demo: Path) -> None:
    code, out, err = run("questions", cwd=demo)
    assert (
        code == 0
        and "About you" in out
        and "71 of 71 questions" in err
        and "2,400 rows; 71 questions: 21 single" in err
    )
    assert "fla_" not in out and "flavours" in run("questions", "FLAVOURS", "elder")[1]
    _, out, _ = run("questions", "heard_of")
    text = (demo / "responses.csv").read_text(encoding="utf-8")
    ticks = sum(row["heard_2"] == "1" for row in csv.DictReader(text.splitlines()))
    assert ["2", "Brookfizz", f"{ticks:,}", "74%"] in [line.split() for line in out.splitlines()]
    assert "exclusive" in out and "Any small brand: 5, 6, 7, 8" in out
    assert "smallest" in run("questions", "spend")[1]


@pytest.mark.parametrize(
    ("command", "way"),
    [(["run"], "name it after the command"), (["audit"], "name it after the command"), (["findings"], "name it after the command"), (["look", "x"], "name it with --plan"), (["chart", "x"], "name it with --plan"), (["explain", "x", "y", "z"], "name it with --plan")],
)  # fmt: skip
def test_a_folder_without_a_plan_is_told_with_the_way_out(
    run: Run, tmp_path: Path, command: list[str], way: str
) -> None:
    code, _, err = run(*command, cwd=tmp_path)
    assert (
        code == 2 and "plan.yaml: no such file here. Go to the folder of your plan, or " in err and way in err
    )


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["look", "likng"], "Error: No question or table 'likng'. Did you mean 'liking'?\n"),
        (["look", "main"], "Error: main is a banner, not a table: name a question with --banner main, or"),
        (["look", "liking", "--figure", "percents"], "Error: No figure 'percents'. Did you mean 'row percent' or 'table percent'?"),
        (["look", "liking", "--banner", "mian"], "Error: No banner or question 'mian'. Did you mean 'main' or 'media'?\n"),
        (["look", "liking", "--level", "0.95"], "Error: A confidence level is a percent from 50 up to"),
        (["look", "liking", "--filter", "age >"], "Error: Expected a number or a text in quotes; found the end of the expression.\n    age >\n         ^\n"),
        (["look", "liking", "--filter", "age > 200"], "Error: The filter keeps none of the 2,400 respondents: (status == \"complete\") and (age > 200)\n"),
        (["run", "nowhere.yaml"], "Error: nowhere.yaml: no such file. Check the path and the spelling.\n"),
        (["run", "plann.yaml"], "Error: plann.yaml: no such file. Did you mean 'plan.yaml'?\n"),
        (["audit", "data/responses.csv"], "Error: data/responses.csv: no such file. There is no folder data either.\n"),
        (["chart", "liking", "-o", "c.png"], "Error: No such option '-o'.\nOptions of chart: --folder, --group, --format, "),
        (["run", "--strikt"], "Error: No such option '--strikt'. Did you mean '--strict'?\n"),
        (["explain", "liking"], "Error: Name a row and a column of liking.\nRows: Base (unweighted), Base (weighted), Effective base, Very poor, Poor, "),
        (["explain", "liking", "Mean"], "\nColumns: Total\n  Wave: Spring, Autumn\n  Region: North, East, South, West\n"),
        (["explain", "liking", "xx", "West"], "Error: No row 'xx' in table 'liking'.\nRows: Base (unweighted), "),
        (["explain", "liking", "Good", "Wets"], "Error: No column 'Wets' in table 'liking'. Did you mean 'West'?\n"),
        (["run", "--output", "t.docx"], "Error: t.docx: no output ends in '.docx'."),
        (["questions", "zebra"], "Error: No question with the words 'zebra'."),
        (["look", "x", "--codebook", "codebook.yaml"], "Error: --codebook needs --data: name the file of responses as well.\n"),
        (["rnu"], "Error: No such command 'rnu'."),
    ],
)  # fmt: skip
def test_wrong_input_ends_in_a_message_and_exit_code_2(
    run: Run, demo: Path, arguments: list[str], message: str
) -> None:
    before = sorted(demo.iterdir())
    code, out, err = run(*arguments, cwd=demo)
    assert code == 2 and out == "" and message in err
    assert "Traceback" not in err and sorted(demo.iterdir()) == before


def test_a_bug_is_told_as_one_with_its_traceback_in_a_file(
    run: Run, demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from eager_otter.report import terminal

    def broken(*_: object) -> None:
        raise RuntimeError("spanner")

    monkeypatch.setattr(terminal, "table_view", broken)
    code, _, err = run("look", "liking", cwd=demo)
    assert code == 3 and "This is a fault of eager-otter, not of your files: RuntimeError: spanner" in err
    log = Path(err.split("written to ")[1].split(". Please")[0])
    assert "in broken" in log.read_text(encoding="utf-8")
    log.unlink()


def test_questions_can_be_sorted_and_named_by_labels(run: Run, demo: Path) -> None:
    _, out, _ = run("questions", "--sort", "name", "--show", "names", cwd=demo)
    names = [line.split()[0] for line in out.splitlines()[2:]]
    assert names == sorted(names, key=str.casefold) and len(names) == 71
    _, out, _ = run("questions", "--sort", "kind", "--show", "labels")
    assert out.splitlines()[2].split()[0] == "date" and "intent_before" not in out
    assert "row 1 (rid 1001): 97  ·  ·  ·" in run("questions", "named")[1]


def test_audit_exits_with_1_when_something_is_found(run: Run, demo: Path) -> None:
    code, out, _ = run("audit", cwd=demo)
    assert code == 0 and "0 errors, 0 warnings, 1 note" in out
    code, out, _ = run("audit", "spoiled/plan.yaml", "--recodes")
    assert code == 1 and "error    region  unknown code" in out and "(not placed)" in out
    code, out, _ = run("audit", "spoiled/plan.yaml", "--format", "json")
    assert code == 1 and json.loads(out)["counts"]["error"] == 4


def test_draft_then_run_work_untouched(run: Run, demo: Path, tmp_path: Path) -> None:
    shutil.copy(demo / "responses.csv", tmp_path / "bare.csv")
    code, out, err = run("draft", "bare.csv", cwd=tmp_path)
    assert code == 0 and out.split() == ["codebook.yaml", "plan.yaml"] and "id of the respondent" in err
    code, out, _ = run("run")
    assert code == 0 and "tables.xlsx" in out
    code, out, err = run("draft", "bare.csv")
    assert code == 0 and not out and "codebook.yaml fits the data; nothing was written." in err
    (tmp_path / "codebook.yaml").unlink()
    code, _, err = run("draft", "bare.csv")
    assert (
        code == 2
        and "plan.yaml: is there already and is not overwritten, as people may have changed it." in err
    )


def test_export_writes_what_the_filter_keeps(run: Run, demo: Path, tmp_path: Path) -> None:
    code, out, err = run("export", tmp_path / "out.xml", "--filter", "region == 1", cwd=demo)
    assert code == 0 and [Path(line).name for line in out.split()] == ["out.xml", "out.csv"]
    assert "Codes were numbered from 1" in err
    assert run("export", tmp_path / "out.txt")[0] == 2


def test_open_answers_go_out_to_be_coded_and_come_back(run: Run, demo: Path, tmp_path: Path) -> None:
    for name in ("responses.csv", "codebook.yaml", "plan.yaml"):
        shutil.copy(demo / name, tmp_path / name)
    code, out, _ = run("texts", "likes_open", "--to", "out.xlsx", cwd=tmp_path)
    assert code == 0 and "texts)" in out
    book = openpyxl.load_workbook("out.xlsx")
    texts, topics = book["Texts"], book["Topics"]
    for k, topic in enumerate(("Fresh", "New", "Other"), 1):
        topics.cell(k + 1, 1).value, topics.cell(k + 1, 2).value = k, topic
    for row in range(2, texts.max_row + 1):
        text = texts.cell(row, 2).value
        texts.cell(row, 3).value = "fresh" if "fresh" in text else "New" if "new" in text else "3"
    texts.cell(2, 4).value = texts.cell(2, 3).value
    texts.cell(3, 3).value = None
    book.save("in.xlsx")
    code, out, err = run("texts", "likes_open", "--coded", "in.xlsx")
    assert code == 0 and "1 texts have no topic, 1 have one twice." in err
    codebook = (
        Path("codebook.yaml")
        .read_text(encoding="utf-8")
        .replace("weight: wt", "weight: wt\ninclude: [likes_open-topics.yaml]")
    )
    Path("codebook.yaml").write_text(codebook, encoding="utf-8")
    _, out, _ = run("questions", "likes_open_topics", "--data", "responses-coded.csv")
    fresh = sum(str(cell.value).casefold() == "fresh" for cell in texts["C"])
    assert ["1", "Fresh", f"{fresh:,}"] in [line.split()[:3] for line in out.splitlines()]
    shutil.copy(demo / "codebook.yaml", "codebook.yaml")
    texts.cell(4, 3).value, texts.cell(5, 1).value = "Frsh", "nobody"
    book.save("in.xlsx")
    code, _, err = run("texts", "likes_open", "--coded", "in.xlsx")
    assert (
        code == 2 and "row 4: no topic 'Frsh'. Did you mean 'Fresh'?" in err and "'nobody' has no text" in err
    )


@pytest.mark.parametrize(
    "command", ["", "demo", "draft", "audit", "questions", "look", "run", "weigh", "texts", "export"]
)
def test_every_command_explains_itself(run: Run, command: str) -> None:
    code, out, _ = run(*command.split(), "--help")
    assert code == 0 and "Usage:" in out and len(out) > 300


def modules_after(code: str) -> set[str]:
    script = f"{code}\nimport sys; print(' '.join(sys.modules))"
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True, env=os.environ
    )
    return set(done.stdout.split())


def test_help_and_import_load_neither_numpy_nor_pandas() -> None:
    for code in ("import eager_otter", "from eager_otter.cli.program import commands; commands.get_help"):
        assert not {"numpy", "pandas", "pyarrow", "rich", "yaml", "pydantic"} & modules_after(code)


@pytest.mark.slow
def test_making_a_report_loads_no_frame_library(demo: Path) -> None:
    code = f"import eager_otter as otter; otter.run({str(demo / 'plan.yaml')!r})"
    assert not {"pandas", "xlsxwriter", "scipy.stats"} & modules_after(code)


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["run", "responses.csv"], "responses.csv: a plan was expected; this is a file of data. eager-otter draft writes a first plan"),
        (["audit", "plan.yaml", "responses.csv"], "Got unexpected extra argument (responses.csv)"),
        (["weigh", "responses.csv"], "responses.csv: a targets file was expected; this is a file of data."),
        (["look", "heard_of", "--data", "responses.csv", "--codebook", "responses.csv"], "a codebook was expected; this is a file of data."),
        (["look", "responses.csv"], "responses.csv is a file: data are named with --data"),
        (["run", "heard_of"], "heard_of: no such file; a plan is expected here. A table of plan.yaml is shown by eager-otter look heard_of."),
        (["export", "a.xml", "--filter", "age", ">=", "35"], "What holds blanks or < > ( ) stands in quotes"),
        (["table", "heard_of"], "No such command 'table'. Did you mean: eager-otter look?"),
        (["Version"], "No such command 'Version'. Did you mean: eager-otter --version?"),
        (["lokk"], "No such command 'lokk'. Did you mean 'look'?"),
    ],
)  # fmt: skip
def test_what_others_type_is_told_what_it_is_here(
    run: Run, demo: Path, words: list[str], message: str
) -> None:
    code, out, err = run(*words, cwd=demo)
    assert (code, out) == (2, "") and message in err
    quotes = ">=" in words
    assert ("stands in quotes" in err) == quotes


def test_every_other_word_leads_to_a_command_that_there_is() -> None:
    for word, meant in OTHER_WORDS.items():
        assert word not in COMMANDS and meant.split()[1] in (*COMMANDS, "--help", "--version")


def test_a_workbook_is_no_plan_and_a_plan_may_have_any_name(run: Run, demo: Path, tmp_path: Path) -> None:
    openpyxl.Workbook().save(tmp_path / "d.xlsx")
    code, _, err = run("run", "d.xlsx", cwd=tmp_path)
    assert code == 2 and "d.xlsx: a plan was expected; this is a file of data." in err
    for name in ("responses.csv", "codebook.yaml"):
        shutil.copy(demo / name, tmp_path)
    shutil.copy(demo / "plan.yaml", tmp_path / "plan.csv")
    assert run("run", "plan.csv", "--list", cwd=tmp_path)[0] == 0

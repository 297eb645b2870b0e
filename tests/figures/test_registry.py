"""Figures as objects: each is whole, named everywhere, and a new one is one file."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.core.association import Measure, WholeTableTest
from eager_otter.figures import kinds, registry
from eager_otter.figures.figure import AnswerFigure, LineFigure, ValueFigure
from eager_otter.figures.registry import all_figures, figure_called, line_figure, line_figures
from eager_otter.plan.schema import json_schema
from eager_otter.tables.association import Association

ROOT = Path(__file__).parents[2]
NEW = '''
"""Share of the Total: how many of the row's people in the Total are in the column, in per mille."""

from eager_otter.core.arrays import ratio
from eager_otter.figures.figure import CellFigure


class PerMille(CellFigure):
    name = "per mille of row"
    rank = 145
    sign = "‰ of row"
    digits = "percent"
    tested = "never"
    needs_total = True
    note = "‰ of row: of a thousand who gave the row's answer, how many are in the column."

    def compute(self, cells):
        w = cells.answers.w
        return [(ratio(1000.0 * w, w[:, :1]), None)]

    def working(self, cell):
        return cell.worked("1000 × count / count in the Total", "1000 × {own} / {total}", own=cell.total("w"), total=float(cell.sums.w[cell.row, 0]))


FIGURES = (PerMille(),)
'''  # fmt: skip


def forget() -> None:
    """Let the registry look for its figures anew."""
    for cached in (registry.all_figures, registry.figure_called, registry.line_figure, registry._modules, registry._named, registry._by_setting, registry._lines, registry._other):  # fmt: skip
        cached.cache_clear()  # type: ignore[attr-defined]


@pytest.fixture
def with_new_figure(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    (tmp_path / "per_mille.py").write_text(NEW, encoding="utf-8")
    monkeypatch.setattr(kinds, "__path__", [*kinds.__path__, str(tmp_path)])
    forget()
    yield
    monkeypatch.undo()
    sys.modules.pop(f"{kinds.__name__}.per_mille", None)
    forget()


def test_names_and_places_are_of_one_figure_each() -> None:
    figures, lines = all_figures(), line_figures()
    assert (
        len({figure.name for figure in figures}) == len({figure.rank for figure in figures}) == len(figures)
    )
    assert len({line.name for line in lines}) == len(lines)
    assert [figure.rank for figure in figures] == sorted(figure.rank for figure in figures)


@pytest.mark.parametrize("figure", all_figures(), ids=lambda figure: figure.name)
def test_a_figure_says_all_that_its_readers_need(figure: AnswerFigure | ValueFigure) -> None:
    assert figure_called(figure.name) is figure
    for line in figure.lines:
        assert isinstance(line, LineFigure) and line_figure(line.name) is line
        assert line.sign, "nothing would stand beside its row"
        assert (line.source == "values") == isinstance(figure, ValueFigure)
        assert bool(line.label) == (line.source == "values"), (
            "a summary has a row of its own, others have not"
        )
        assert line.has_level == (len(figure.lines) == 2), "an interval has two ends and a level"
        assert line.unit != "percent" or line.digits == "percent"
        if line.tested == "never" and line.source == "answers":
            assert line.note, "what is no common percent is said in a note"


def test_the_documents_the_schema_and_the_help_name_every_figure(
    run: Callable[..., tuple[int, str, str]],
) -> None:
    document = (ROOT / "docs" / "reference" / "figures.md").read_text(encoding="utf-8")
    table = document.split("\n## ")[2]
    schema = str(json_schema("plan"))
    _, out, _ = run("look", "--help")
    told = " ".join(out.split())
    for figure in all_figures():
        words = (
            figure.name.replace("mean mentions", "mentions per respondent")
            .replace("lower quartile", "quartiles")
            .replace("upper quartile", "quartiles")
        )
        assert all(word in table for word in re.findall(r"\w+", words)), figure.name
        assert f"'{figure.name}'" in schema and figure.name in told


def test_the_schema_of_records_names_every_line() -> None:
    schema = json.loads((ROOT / "docs" / "reference" / "tables.schema.json").read_text(encoding="utf-8"))
    named, of_whole_tables, other = schema["properties"]["records"]["items"]["properties"]["figure"]["anyOf"]
    lines = [line.name for line in line_figures() if line.source]
    assert sorted(named["enum"]) == sorted([*lines, "letters"])
    test = Association(
        group="",
        test=WholeTableTest(method="chi-square", statistic=1.0),
        fitting=Measure(name="V", value=0.1, p_value=0.5),
    )
    assert {figure for _, figure, _ in test.numbers()} == set(of_whole_tables["enum"])
    for name in ("percentile 90", "percentile 2.5", "percentile 90 interval low"):
        assert re.fullmatch(other["pattern"], name) and line_figure(name).name == name


def test_an_unknown_name_is_told_never_computed() -> None:
    with pytest.raises(otter.UnknownName, match=r"No figure 'colum percent'\. Did you mean 'column percent'"):
        figure_called("colum percent")
    for name in ("percentile 0", "percentile 100", "percentile", "percentile -5", ""):
        with pytest.raises(otter.UnknownName):
            figure_called(name)
    with pytest.raises(otter.UnknownName):
        line_figure("percent interval")  # its ends are lines, not the figure


@pytest.mark.usefixtures("with_new_figure")
def test_a_new_figure_is_one_file(tmp_path: Path) -> None:
    """A file in `figures.kinds` is all it takes: tables, texts, notes, workings, plans, files and workbooks follow."""
    rng = np.random.default_rng(3)
    frame = pd.DataFrame({"area": rng.integers(1, 3, 90), "liking": rng.integers(1, 4, 90)})
    frame.to_csv(tmp_path / "data.csv", index=False)
    (tmp_path / "book.yaml").write_text(
        "questions:\n  area: {kind: single, answers: {1: North, 2: East}}\n"
        "  liking: {kind: single, answers: {1: Poor, 2: Fair, 3: Good}}\n",
        encoding="utf-8",
    )
    (tmp_path / "plan.yaml").write_text(
        "data: data.csv\ncodebook: book.yaml\nbanners: {main: [area]}\n"
        "tables: [{question: liking, figures: [column percent, per mille of row]}]\noutputs: [t.xlsx, t.csv, t.html, t.md]\n",
        encoding="utf-8",
    )
    report = otter.run(tmp_path / "plan.yaml")
    (table,) = report.tables
    good = frame[frame.liking == 3]
    expected = 1000.0 * (good.area == 1).sum() / len(good)
    assert table.value("Good", "North", "per mille of row") == pytest.approx(expected)
    assert (
        "‰ of row: of a thousand" in " ".join(table.notes) and "Not tested: per mille of row." in table.notes
    )
    told = str(table.explain("Good", "North", "per mille of row"))
    assert f"1000 × {(good.area == 1).sum()} / {len(good)}" in told
    for ending in ("xlsx", "csv", "html", "md"):
        report.save(tmp_path / f"t.{ending}")
    assert "per mille of row" in (tmp_path / "t.csv").read_text(encoding="utf-8")
    assert "‰ of row" in (tmp_path / "t.md").read_text(encoding="utf-8")
    assert "'per mille of row'" in str(json_schema("plan"))


def test_other_words_for_figures_lead_to_one_each_and_are_no_names() -> None:
    words = [(word, figure) for figure in all_figures() for word in vars(type(figure)).get("other_words", ())]
    assert len(words) > 40 and len({word for word, _ in words}) == len(words)
    for word, figure in words:
        with pytest.raises(
            otter.UnknownName, match=re.escape(f"No figure {word!r}. Did you mean {figure.name!r}?")
        ):
            figure_called(word)

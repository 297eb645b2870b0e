"""Every parameter of every public function, given what people give by mistake: our errors, or it works."""

from __future__ import annotations

import inspect
import warnings
from collections.abc import Callable, Iterator, Mapping
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import eager_otter as otter
from eager_otter.asking.given import ItemsSettings, TableSettings
from eager_otter.documents.settled import Settings

WRONG: Mapping[str, Any] = {
    "None": None, "empty text": "", "unknown name": "nowhere", "zero": 0, "negative": -1, "decimal": 3.5,
    "not a number": float("nan"), "true": True, "empty list": [], "unknown names": ["nowhere"], "list of None": [None],
    "mapping": {"nowhere": {"b": 2}}, "tuple": ("a", "b", "c"), "set": {"a"}, "bytes": b"x", "object": object(),
    "path": Path("nowhere") / "x", "array": np.array([1.0, 2.0]), "series": pd.Series(["a"]), "frame": pd.DataFrame({"a": [1]}),
    "arrow table": pa.table({"a": [1]}), "function": len, "class": dict, "huge": 10**30, "nul": "\0", "nested": [["region"]],
}  # fmt: skip
BOOK = """
questions:
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Autumn}}
  region: {kind: single, label: Region, answers: {1: North, 2: South}}
  liking: {kind: single, scale: true, label: Liking, answers: {1: Poor, 2: Fair, 3: Good}, nets: [{top: 2}]}
  spend: {kind: number, label: Spend, column: spend}
  why: {kind: text, label: Why}
  taste: {kind: grid, label: Taste, scale: true, items: {a: {column: t1, label: Tarn}, b: {column: t2, label: Fizz}}, answers: {1: Poor, 2: Good}}
"""
PLAN = """
data: data.csv
codebook: book.yaml
banners: {main: [region]}
tables: [liking, spend]
"""
OWN_ERRORS_OF_THE_CALLER = {
    ("function", "done"),
    ("function", "progress"),
    ("class", "done"),
    ("class", "progress"),
}  # it raises when it is called


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("wrong")
    rng = np.random.default_rng(2)
    columns = {name: rng.integers(1, 3, 80) for name in ("wave", "region", "t1", "t2")}
    pd.DataFrame(
        {**columns, "liking": rng.integers(1, 4, 80), "spend": rng.random(80), "why": ["nice"] * 80}
    ).to_csv(folder / "data.csv", index=False)
    (folder / "book.yaml").write_text(BOOK, encoding="utf-8")
    (folder / "plan.yaml").write_text(PLAN, encoding="utf-8")
    return folder


@pytest.fixture(scope="module")
def examples(folder: Path) -> Mapping[str, tuple[Callable[..., object], Mapping[str, Any]]]:
    """Something sound to call each public function with, of which one thing after the other is made wrong."""
    survey = otter.open_survey(folder / "book.yaml", folder / "data.csv")
    plan, report = otter.read_plan(folder / "plan.yaml"), otter.run(folder / "plan.yaml")
    table = survey.table("liking", "region")
    weighting = otter.weigh(survey, {"region": {"North": 50, "South": 50}})
    assert otter.write_texts(survey, "why", folder / "coded.xlsx", topics=[("1", "Taste")], force=True) == 80
    coded = otter.read_texts(survey, "why", folder / "coded.xlsx")
    cell = {"row": "Good", "column": "North", "figure": "column percent"}
    return {
        "AnswersByItems": (otter.AnswersByItems, {"items": ("taste.a", "taste.b"), "labels": (), "grid": ""}),
        "BeforeByAfter": (otter.BeforeByAfter, {"items": ("taste.a", "taste.b"), "labels": (), "grid": ""}),
        "OneUnderAnother": (otter.OneUnderAnother, {"items": ("taste.a", "taste.b"), "labels": (), "grid": ""}),
        "ItemsByColumns": (otter.ItemsByColumns, {"items": ("taste.a", "taste.b"), "labels": (), "grid": "", "figure": "mean", "figures": ()}),
        "WaveChanges": (otter.WaveChanges, {"columns": {}, "codes": {}, "not_asked": (), "not_offered": {}}),
        "Wave": (otter.Wave, {"data": str(folder / "data.csv"), "label": "One", "reading": None, "changes": otter.WaveChanges(), "codebook": None, "date": ""}),
        "Waves": (otter.Waves, {"waves": (otter.Wave(data="d.csv", label="One"),), "question": "file", "label": "File"}),
        "OneQuestion": (otter.OneQuestion, {"question": "liking", "value": None, "within": ()}),
        **{name: (getattr(otter, name), {}) for name in ("Banner", "BannerGroup", "BaseRules", "Digits", "Reading", "RowRules", "Sorting", "TableRequest", "TestRules")},
        "Audit.save": (otter.run_audit(folder / "plan.yaml").save, {"path": folder / "audit.json", "force": True}),
        "Comparison.save": (otter.compare(report, report).save, {"path": folder / "comparison.json", "force": True}),
        "Draft.save": (otter.draft(folder / "data.csv").save, {"folder": folder / "drafted", "codebook": "c.yaml", "plan": "p.yaml"}),
        "Explanation.save": (table.explain(*cell.values()).save, {"path": folder / "explained.json", "force": True}),
        "Draft.differences": (otter.draft(folder / "data.csv").differences, {"codebook": survey.codebook}),
        "Findings.save": (report.findings().save, {"path": folder / "findings.json", "force": True}),
        "Picture.save": (table.chart().save, {"path": folder / "picture.png", "force": True}),
        "Question.find": (survey["liking"].find, {"name": "Good"}),
        "Survey.find": (survey.find, {"words": "liking"}),
        "Survey.overview": (survey.overview, {"question": "liking"}),
        "Table.save": (table.save, {"path": folder / "table.md", "force": True}),
        "Weighting.save": (weighting.save, {"path": folder / "weighting.csv", "force": True}),
        "audit_data": (otter.audit_data, {"data": folder / "data.csv", "reading": None}),
        "catalogue_text": (otter.catalogue_text, {"words": otter.load_words("en")}),
        "compare": (otter.compare, {"old": report, "new": report, "tolerance": 0.0}),
        "draft": (otter.draft, {"data": folder / "data.csv", "reading": None, "codebook_name": "c.yaml", "folder": folder, "dictionary": None}),
        "export": (otter.export, {"survey": survey, "target": folder / "exported.csv", "labels": False, "standard": None, "force": True}),
        "json_schema": (otter.json_schema, {"name": "plan"}),
        "read_texts": (otter.read_texts, {"survey": survey, "question": "why", "path": folder / "coded.xlsx"}),
        "report_of": (otter.report_of, {"tables": [table], "title": "", "author": "", "theme": "river", "notes": "short"}),
        "write_coded": (otter.write_coded, {"survey": survey, "question": "why", "coded": coded, "data": folder / "coded.csv", "codebook": folder / "part.yaml", "inputs": [], "force": True}),
        "write_demo": (otter.write_demo, {"folder": folder / "demo"}),
        "write_texts": (otter.write_texts, {"survey": survey, "question": "why", "path": folder / "coded.xlsx", "topics": [], "mentions": 4, "inputs": [], "force": True}),
        "Codebook.question": (survey.codebook.question, {"name": "liking"}),
        "Digits.of": (otter.Digits().of, {"figure": "mean"}),
        "Report.table": (report.table, {"name": "liking"}),
        "Report.explain": (report.explain, {"table": "liking", **cell}),
        "Report.records": (report.records, {"table": "liking", **cell}),
        "Report.findings": (report.findings, {"waves": "wave", "most": 3, "least": 0.2, "level": 95}),
        "Report.chart": (report.chart, {"table": "liking", "path": folder / "chart.png", "group": "", "force": True}),
        "Report.save": (lambda path=folder / "out.md", **rest: report.save(path, **rest), {"path": folder / "out.md", "progress": None, "force": True, "notes": "short", "manifest": False}),
        "Report.check_outputs": (report.check_outputs, {"paths": [folder / "out.md"], "force": True}),
        "Survey.filtered": (survey.filtered, {"expression": "region == 1"}),
        "Survey.with_equal_waves": (survey.with_equal_waves, {"question": "wave"}),
        "Survey.weighted_by": (survey.weighted_by, {"weight": "spend"}),
        "Survey.in_language": (survey.in_language, {"language": "de", "folder": folder}),
        "Survey.table": (survey.table, {"question": "liking", "banner": "region", **dict.fromkeys(TableSettings.__annotations__)}),
        "Survey.request": (survey.request, {"question": "liking", "banner": "region", **dict.fromkeys(TableSettings.__annotations__)}),
        "Survey.items_table": (survey.items_table, {"questions": "taste", "banner": "region", "figure": "mean", "shape": "items by columns", **dict.fromkeys(ItemsSettings.__annotations__)}),
        "Survey.tables": (survey.tables, {"wanted": ["liking"], "done": None}),
        "Survey.people": (survey.people, {"request": survey.request("liking", "region"), **cell}),
        "Survey.preview": (survey.preview, {"banner": otter.Banner(groups=(otter.BannerGroup(question="region"),)), "bases": None, "levels": 95}),
        "Table.notes_shown": (table.notes_shown, {"length": "short"}),
        "Table.frame": (table.frame, {"figure": None}),
        "Table.value": (table.value, cell),
        "Table.line": (table.line, {"row": "Good", "figure": "column percent"}),
        "Table.column_position": (table.column_position, {"name": "North"}),
        "Table.chart": (table.chart, {"group": ""}),
        "Table.explain": (table.explain, cell),
        "Table.records": (lambda **given: list(table.records(**given)), {"whole_table": False}),
        "Words.rephrased": (otter.load_words("en").rephrased, {"texts": {}}),
        "codebook_from_text": (otter.codebook_from_text, {"text": BOOK}),
        "load_theme": (otter.load_theme, {"name": "river", "folder": folder}),
        "load_words": (otter.load_words, {"name": "de", "folder": folder}),
        "open_survey": (otter.open_survey, {"codebook": folder / "book.yaml", "data": folder / "data.csv", "reading": None, "cache": None}),
        "percentile": (otter.percentile, {"percent": 90}),
        "codebook_of": (otter.codebook_of, {"definition": {"questions": {"q": {"kind": "text"}}}}),
        "Codebook.with_definition": (survey.codebook.with_definition, {"definition": survey.codebook.definition()}),
        "Codebook.with_question": (survey.codebook.with_question, {"name": "new", "definition": {"kind": "text"}, "after": "wave", "replace": False}),
        "Codebook.without_question": (survey.codebook.without_question, {"name": "why"}),
        "Codebook.with_net": (survey.codebook.with_net, {"question": "liking", "net": otter.define.Net(bottom=1)}),
        "Codebook.save": (survey.codebook.save, {"path": folder / "saved.yaml", "force": True}),
        "Plan.with_definition": (plan.with_definition, {"definition": plan.definition()}),
        "Plan.with_table": (plan.with_table, {"entry": "region", "after": "liking"}),
        "Plan.with_banner": (plan.with_banner, {"name": "new", "banner": ["wave"], "replace": False}),
        "Plan.with_codebook": (plan.with_codebook, {"codebook": survey.codebook}),
        "Plan.save": (plan.save, {"path": folder / "saved_plan.yaml", "force": True}),
        **{f"define.{name}": (getattr(otter.define, name), given) for name, given in DEFINED.items()},
        "plan_of": (otter.plan_of, {"settings": {"data": "data.csv", "tables": ["liking"]}, "codebook": survey.codebook, "folder": folder}),
        "plan_from_text": (otter.plan_from_text, {"text": PLAN, "folder": folder}),
        "plan_text": (otter.plan_text, {"plan": plan}),
        "plans_for_each": (otter.plans_for_each, {"plan": replace(plan, for_each=otter.ForEach(question="region"))}),
        "ForEach": (otter.ForEach, {"question": "region", "keep": None, "differs": {}}),
        "read_codebook": (otter.read_codebook, {"path": folder / "book.yaml"}),
        "read_plan": (otter.read_plan, {"path": folder / "plan.yaml"}),
        "run": (otter.run, {"plan": folder / "plan.yaml", "progress": None, "before": report, "workers": 1, "memory": "1 GB", "cluster": None, "cache": None}),
        "run_audit": (otter.run_audit, {"plan": folder / "plan.yaml"}),
        "weigh": (otter.weigh, {"survey": survey, "targets": {"region": {"North": 50, "South": 50}}, "cap": None, "total": None, "within": None, "start": None, "counts": False, "mean_where_unanswered": False}),
    }  # fmt: skip


DEFINED: Mapping[str, Mapping[str, Any]] = {
    name: {**dict.fromkeys(one.name for one in fields(getattr(otter.define, name))), **given}
    for name, given in {
        "Answer": {"label": "North"}, "Bands": {"of": "spend", "equal": 3}, "Combine": {"questions": ["q1", "q2"]},
        "Compute": {"sum": ["q1", "q2"]}, "Date": {}, "Derive": {"rules": {"Yes": "region == 1"}}, "Difference": {"plus": [2], "minus": [1]},
        "Grid": {"items": {"a": "t1"}, "answers": {1: "Poor"}}, "Item": {"column": "t1"}, "Merge": {"of": "region", "answers": {"N": [1]}},
        "Multi": {"mentions": ["m1"], "answers": {1: "Tarn"}}, "Net": {"label": "Any", "of": [1]}, "Number": {}, "Text": {}, "Single": {"answers": {1: "North"}},
        "Periods": {"of": "day", "ranges": {"May": "2026-05-01..2026-05-31"}}, "Ranking": {"ranks": ["r1", "r2"], "answers": {1: "Tarn"}},
    }.items()
}  # fmt: skip
FOR_WRITERS = {  # given a place, a number or an open file by ours
    "ItemsByColumns.figure_of", "AnswersByItems.label_of", "BeforeByAfter.label_of", "ItemsByColumns.label_of", "OneUnderAnother.label_of",
    "Line.continues", "Line.figure_of", "Picture.write", "Theme.series_color", "Theme.ramp", "Words.number", "Words.whole",
}  # fmt: skip


def public_names() -> Iterator[tuple[str, Any]]:
    """Every public function and method, and every class that a user makes, by name."""
    for name in otter.__all__:
        found = getattr(otter, name)
        if inspect.isclass(found) and not issubclass(found, Exception):
            if issubclass(found, Settings) or found is otter.Reading:
                yield name, found
            for method, function in inspect.getmembers(found, inspect.isfunction):
                if not method.startswith("_"):
                    yield f"{name}.{method}", function
        elif inspect.isfunction(found):
            yield name, found
    yield from ((f"define.{name}", getattr(otter.define, name)) for name in otter.define.__all__)


def without_parameters(function: Any) -> bool:
    return not set(inspect.signature(function).parameters) - {"self"}


def test_each_public_function_is_tried(examples: Mapping[str, Any]) -> None:
    wanted = {
        name
        for name, function in public_names()
        if inspect.isclass(function) or not without_parameters(function)
    }
    assert wanted - set(examples) == FOR_WRITERS and set(examples) <= wanted
    for name, (function, given) in examples.items():
        parameters = inspect.signature(function).parameters.values()
        named = {one.name for one in parameters if one.kind not in (one.VAR_KEYWORD, one.VAR_POSITIONAL)}
        assert not given or named <= set(given), name


@pytest.mark.slow
def test_a_wrong_value_is_told_in_our_words_or_taken(
    examples: Mapping[str, Any], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.chdir(tmp_path)
    warnings.simplefilter("ignore")
    raw = []
    for name, (function, given) in examples.items():
        for parameter in given or inspect.signature(function).parameters:
            for what, value in WRONG.items():
                try:
                    function(
                        **{key: one for key, one in given.items() if one is not None} | {parameter: value}
                    )
                except otter.OtterError as error:
                    assert str(error).strip(), (name, parameter, what)
                except Exception as error:  # noqa: BLE001 # any other is what is looked for
                    if (what, parameter) not in OWN_ERRORS_OF_THE_CALLER:
                        raw.append(f"{name}({parameter}={what}): {type(error).__name__}: {error}")
    assert not raw, "\n".join(raw)


def test_what_is_wrong_is_told_by_the_names_of_the_parameters(examples: Mapping[str, Any]) -> None:
    table, open_survey = examples["Survey.table"][0], examples["open_survey"][0]
    for given, message in (
        ({"figures": "colum percent"}, "figures: no figure 'colum percent'. Did you mean 'column percent' or 'row percent'?"),
        ({"figurs": "count"}, "figurs: unknown key 'figurs'. Did you mean 'figures'?"),
        ({"levels": "high"}, "levels: expected a number; found 'high'."),
        ({"levels": 0.95}, "levels: A confidence level is a percent from 50 up to, not including, 100; got 0.95. Write 95?"),
        ({"tests": "rset"}, "tests: expected one of none, each other, rest, total, previous, year before, first, nothing, or settings; found 'rset'. Did you mean 'rest' or 'first'?"),
        ({"tests": {"percents": "poold"}}, "tests: percents: expected one of pooled, unpooled, t or linear; found 'poold'. Did you mean 'pooled' or 'unpooled'?"),
        ({"bases": {"mark below": "many"}}, "bases: mark below: expected a number; found 'many'."),
        ({"sort": "lable"}, "sort: expected one of figure, label, code, up, down; found 'lable'. Did you mean 'label'?"),
        ({"most": 3, "rows": {"most": 2}}, "most: given twice: by itself and in rows; leave one out."),
        ({"rows": {"mots": 2}}, "rows: no field 'mots' in RowRules. Known: above, drop_empty, headings, hide, leave_out, most, sort, untested."),
        ({"digits": -1}, "digits: expected a number from 0; found the number -1."),
        ({"repeat": "wave"}, "This asks for 3 tables (liking, liking-1, liking-2 …); make them with Survey.tables."),
        ({"levels": 90, "tests": {"levels": 95}}, "levels: given twice: by itself and in tests; leave one out."),
    ):  # fmt: skip
        with pytest.raises(otter.RequestError) as error:
            table("liking", **given)
        assert str(error.value) == message
    for call, message in (
        (lambda: table(3), "No question '3' in the codebook. Known: wave, region, liking, spend, why, taste.a, taste.b."),
        (lambda: open_survey([3], 4), "open_survey: codebook: expected text, a path or a Codebook; found a list."),
        (lambda: otter.RowRules(most="x", hide=b"x"), "RowRules: hide: expected text; found an object of type bytes.\nRowRules: most: expected a whole number or None; found 'x'."),
        (lambda: otter.TableRequest(shows=3), "TableRequest: shows: expected OneQuestion or a mapping of its fields; found the number 3."),
    ):  # fmt: skip
        with pytest.raises(otter.OtterError) as told:
            call()  # type: ignore[no-untyped-call]
        assert str(told.value) == message


@pytest.mark.parametrize("number", [3, 2.5, True])
def test_a_number_is_no_name_of_a_file(
    demo: Path, number: object, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """It may stand for a text elsewhere; here a file of that name would be written."""
    monkeypatch.chdir(tmp_path)
    book = otter.read_codebook(demo / "codebook.yaml")
    for call in (book.save, otter.read_plan, otter.read_codebook, otter.run):
        with pytest.raises(otter.RequestError, match="expected text"):
            call(number)  # type: ignore[operator]
    assert not list(tmp_path.iterdir())

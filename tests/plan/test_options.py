"""Settings declared once: whatever is declared is read, written out and in the schema, for each class that declares any."""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from pathlib import Path
from typing import Any, get_args

import pytest
import yaml

import eager_otter as otter
from eager_otter.documents.options import as_written, given, options_of, part_of
from eager_otter.documents.part import fit_of_part
from eager_otter.plan.plan import Plan, SlideRules, TidyRules, WorkbookRules
from eager_otter.plan.schema import json_schema
from eager_otter.tables.request import TestRules

CLASSES = (TestRules, Plan, SlideRules, WorkbookRules, TidyRules)


def another(kind: Any, default: Any, choices: Any) -> Any:
    """A value that a setting may have and does not have by itself."""
    if choices is not None:
        return next(choice for choice in choices() if choice != default)
    if isinstance(kind, type) and is_dataclass(kind):
        name, one, usual = next(options_of(kind))
        return kind(**{name: another(one.kind, usual, one.choices)})
    words = [value for value in get_args(kind) if isinstance(value, str)]
    if words:
        return next(value for value in words if value != default)
    if kind is bool:
        return not default
    return 7 if isinstance(default, int) else "another"


DECLARED = [(kind, name, one, usual) for kind in CLASSES for name, one, usual in options_of(kind)]


@pytest.mark.parametrize(("kind", "name", "one", "usual"), DECLARED, ids=lambda value: str(value)[:30])
def test_each_setting_is_written_read_and_in_the_schema(kind: type, name: str, one: Any, usual: Any) -> None:
    value = another(one.kind, usual, one.choices)
    assert value != usual
    part = part_of("Tried", kind)
    written = {one.key: as_written(value) if is_dataclass(value) else value}
    assert given(fit_of_part(part)(written), kind) == {name: value}
    assert given(fit_of_part(part)({}), kind) == {}
    assert f"'{one.key}'" in str(json_schema("plan"))
    if kind not in (Plan, TestRules):
        assert as_written(kind(**{name: value})) == written
        assert as_written(kind()) == {}


def test_a_whole_plan_of_unusual_settings_reads_back_as_it_was(demo: Path) -> None:
    plan = otter.read_plan(demo / "plan.yaml")
    changed = {name: another(one.kind, usual, one.choices) for name, one, usual in options_of(Plan)}
    changed["equal_waves"] = "wave"
    tests = TestRules(
        **{name: another(one.kind, usual, one.choices) for name, one, usual in options_of(TestRules)}
    )
    plan = replace(plan, **changed, requests=tuple(replace(one, tests=tests) for one in plan.requests[:3]))
    text = otter.plan_text(plan)
    again = otter.plan_from_text(text, demo)
    for field in fields(Plan):
        if field.name in changed or field.name == "requests":
            assert getattr(again, field.name) == getattr(plan, field.name), field.name
    assert yaml.safe_load(text)["workbook"] == as_written(plan.workbook)


def test_a_setting_misspelt_or_out_of_range_is_told(demo: Path) -> None:
    text = (demo / "plan.yaml").read_text(encoding="utf-8")
    for line, told in {
        "tidy: {whole table: true}": "unknown key 'whole table'. Did you mean 'whole tables'?",
        "workbook: {sheets: per page}": "sheets",
        "notes: brief": "notes",
    }.items():
        key = line.partition(":")[0]
        kept = "\n".join(one for one in text.splitlines() if not one.startswith(f"{key}:"))
        with pytest.raises(otter.DocumentError) as error:
            otter.plan_from_text(f"{kept}\n{line}\n", demo)
        assert told in str(error.value)

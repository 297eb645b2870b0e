"""Settings as a plan writes them: objects in, mappings out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from eager_otter.documents.options import as_written
from eager_otter.figures.registry import base_lines
from eager_otter.plan.file import NO_CONTROL
from eager_otter.tables.request import Banner, BannerGroup, BaseRules, Digits, RowRules, Sorting, TestRules


def filled(entries: Mapping[str, Any]) -> dict[str, Any]:
    """Leave out what says nothing."""
    return {key: value for key, value in entries.items() if value not in (None, "", [], {}, ())}


def rows_as_written(rows: RowRules) -> dict[str, Any]:
    """Write rules for rows, key by key."""
    return {
        "sort": None if rows.sort is None else sorting_as_written(rows.sort),
        "hide": list(rows.hide),
        "leave out": list(rows.leave_out),
        "most": rows.most,
        "above": rows.above,
        "empty rows": "drop" if rows.drop_empty else None,
        "untested": list(rows.untested),
        "headings": dict(rows.headings),
    }


def sorting_as_written(sort: Sorting) -> dict[str, str]:
    """Write an order of rows."""
    return {"by": sort.by, "direction": "up" if sort.up else "down", "column": sort.column}


def tests_as_written(levels: tuple[float, ...], tests: TestRules) -> dict[str, Any]:
    """Write levels and rules for tests; without levels only what holds without."""
    if not levels:
        return {"levels": [], **_whole_table(tests)}
    return {
        "levels": list(levels),
        "against": {"column": tests.control} if tests.against == "column" else tests.against,
        "compare": "all parents" if tests.all_parents else "same parent",
        "rest of": "parent" if tests.rest_of_parent else "table",
        **as_written(tests),
        **_whole_table(tests),
    }


def _whole_table(tests: TestRules) -> dict[str, str]:
    if tests.whole_table == "none":
        return {"whole table": tests.whole_table}
    control = {"controlling for": tests.controlling_for or NO_CONTROL}
    return {"whole table": tests.whole_table, **control}


def bases_as_written(rules: BaseRules, rows: tuple[str, ...]) -> dict[str, Any]:
    """Write minimum bases, and which base lines are shown."""
    shown = [line.short for line in base_lines() if line.name in rows or (not rows and not line.on_demand)]
    thresholds = filled(
        {"mark below": rules.mark, "no test below": rules.no_test, "withhold below": rules.withhold}
    )
    return {
        **thresholds,
        **({"judged on": rules.judged_on} if thresholds else {}),
        "show": shown,
    }


def digits_as_written(digits: Digits) -> dict[str, int]:
    """Write decimal places."""
    return {"percent": digits.percent, "count": digits.count, "mean": digits.mean, **dict(digits.of_figures)}


def banner_as_written(banner: Banner) -> dict[str, Any]:
    """Write a banner."""
    return {"groups": [group_as_written(group) for group in banner.groups], "total": banner.total}


def group_as_written(group: BannerGroup) -> dict[str, Any]:
    """Write a group of columns."""
    against: Any = group.against
    if group.against == "column":
        against = {"column": group.control}
    columns = {label: rule if isinstance(rule, str) else list(rule) for label, rule in group.columns}
    entry = filled(
        {
            "question": group.question,
            "nest": [group_as_written(level) for level in group.nest],
            "keep": None if group.keep is None else list(group.keep),
            "labels": dict(group.labels),
            "columns": columns,
            "subtotal": group.subtotal or None,
            "only": group.only,
            "hide": list(group.hide),
            "differences": {label: [plus, minus] for label, plus, minus in group.differences},
            "against": against,
            "trend": group.trend or None,
            "rolling": group.rolling,
        }
    )
    return entry if group.label is None else {**entry, "label": group.label}

"""Write a plan as YAML: every table spelled out, so that reading it back gives the same tables."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import yaml

from eager_otter.documents.options import as_written
from eager_otter.errors import RequestError
from eager_otter.figures.registry import base_lines
from eager_otter.making.figures import figures_for
from eager_otter.plan.file import NO_CONTROL
from eager_otter.plan.plan import Plan
from eager_otter.tables.request import (
    Banner,
    BannerGroup,
    BaseRules,
    Digits,
    RowRules,
    TableRequest,
    TestRules,
)
from eager_otter.tables.shows import Items, ItemsByColumns, OneQuestion

NONE = Banner()


def plan_text(plan: Plan) -> str:
    """Give a plan as YAML, with paths from its own folder; `read_plan` gives the same tables from it.

    Raises RequestError for a codebook that was not read from a file.
    """
    return yaml.safe_dump(
        _Writing(plan).whole(), sort_keys=False, allow_unicode=True, width=110, default_flow_style=None
    )


class _Writing:
    def __init__(self, plan: Plan) -> None:
        self.plan, self.standard = plan, plan.standard
        self.folder = plan.path.parent
        self.banners: dict[str, Banner] = dict(plan.banners)
        for request in plan.requests:
            self._name_of(request.banner)

    def whole(self) -> dict[str, Any]:
        plan = self.plan
        if plan.codebook.path is None:
            raise RequestError(
                "The codebook was not read from a file; write it to one and read the plan with it."
            )
        reading = {
            "sheet": plan.reading.sheet,
            "delimiter": plan.reading.delimiter,
            "encoding": plan.reading.encoding,
            "decimal": plan.reading.decimal,
        }
        how = {key: value for key, value in reading.items() if value is not None}
        data = self._path(plan.data)
        return _filled(
            {
                "title": plan.title,
                "data": {"file": data, **how} if how else data,
                "codebook": self._path(plan.codebook.path),
                "filter": plan.filter,
                "conditions": dict(plan.conditions),
                "weight": "none" if plan.weight is None else plan.weight,
                "banners": {name: _banner(banner) for name, banner in self.banners.items()},
                "tests": _tests(self.standard.levels, self.standard.tests),
                "bases": _bases(self.standard.bases, self.standard.base_rows),
                "defaults": _filled(
                    {
                        "banner": self._name_of(self.standard.banner),
                        "figures": list(self.standard.figures),
                        "digits": _digits(self.standard.digits),
                    }
                ),
                "tables": self._tables(),
                **as_written(plan),
                "theme": self._named(plan.theme_name),
                "language": self._named(plan.language),
                "slides": self._slides(),
                "accept": [
                    {"slip": entry.slip, "where": entry.where, "because": entry.because}
                    for entry in plan.accepted
                ],
                "outputs": [self._output(output) for output in plan.outputs],
            }
        )

    def _output(self, output: Path) -> str | dict[str, str]:
        """Write an output: its path, with the length of its notes where it has one of its own."""
        own, path = self.plan.output_notes.get(output), self._path(output)
        return path if own is None else {"file": path, "notes": own}

    def _named(self, name: str) -> str:
        """Give what ships by its name, a file by its path from the plan's folder."""
        return self._path(Path(name)) if Path(name).is_absolute() else name

    def _slides(self) -> dict[str, Any]:
        rules = self.plan.slides
        own = {} if rules.template is None else {"template": self._path(rules.template)}
        return {**own, **as_written(rules)}

    def _path(self, path: Path) -> str:
        try:
            return Path(os.path.relpath(path, self.folder)).as_posix()
        except ValueError:  # another drive
            return str(path)

    def _name_of(self, banner: Banner) -> str:
        """Find the name of a banner; one without a name is given one."""
        if banner == NONE and "none" not in self.banners:
            return "none"
        for name, known in self.banners.items():
            if known == banner:
                return name
        number = 1
        while not banner.name and f"banner-{number}" in self.banners:
            number += 1
        name = banner.name or f"banner-{number}"
        if name in self.banners:
            raise RequestError(f"Two banners are called {name!r}; each needs its own name.")
        self.banners[name] = banner
        return name

    def _tables(self) -> list[Any]:
        entries: list[Any] = []
        heading = ""
        for request in self.plan.requests:
            if request.heading != heading:
                heading = request.heading
                entries.append({"heading": heading})
            entries.append(self._table(request))
        return entries

    def _table(self, request: TableRequest) -> dict[str, Any]:
        shows = request.shows
        what: dict[str, Any] = (
            {"question": shows.question} if isinstance(shows, OneQuestion) else self._items(request, shows)
        )
        standard = self.standard
        own: dict[str, Any] = {}
        across = request.over_banner
        if request.banner != standard.banner and across:
            own["banner"] = self._name_of(request.banner)
        if (request.levels, request.tests) != (standard.levels, standard.tests):
            own["tests"] = _tests(request.levels, request.tests)
        if (request.bases, request.base_rows) != (standard.bases, standard.base_rows):
            own["bases"] = _bases(request.bases, request.base_rows)
        if request.digits != standard.digits:
            own["digits"] = _digits(request.digits)
        return (
            _filled(
                {
                    **what,
                    "id": request.id,
                    "title": request.title,
                    "within": list(shows.within),
                    "value": shows.value,
                    "figures": self._figures(request),
                    "percent of": request.percent_of,
                    "difference from": "" if request.difference_from == "Total" else request.difference_from,
                    "outer level": request.outer_level or None,
                    "filter": request.filter,
                    "part": request.part,
                    "base": None if request.base == "answered" else request.base,
                    "no answer": "by reason" if request.reason_rows else None,
                    "base text": request.base_text,
                    "chart group": list(request.chart_groups),
                    **_rows(request.rows),
                    "note": request.note,
                }
            )
            | own
        )

    def _figures(self, request: TableRequest) -> list[str]:
        """Give the figures of a table as it shows them: those that it inherits and can have."""
        if not request.inherited or not isinstance(request.shows, OneQuestion):
            return [] if request.inherited else list(request.figures)
        return list(figures_for(request, self.plan.codebook.question(request.shows.question)))

    def _items(self, request: TableRequest, items: Items) -> dict[str, Any]:
        grid = self.plan.codebook.grids.get(items.grid)
        if grid is not None and grid.items == items.items and not items.labels and not _own_figures(items):
            return {"grid": grid.name, **_shape(items)}
        return _named_items(request, items)


def _filled(entries: Mapping[str, Any]) -> dict[str, Any]:
    """Leave out what says nothing."""
    return {key: value for key, value in entries.items() if value not in (None, "", [], {}, ())}


def _named_items(request: TableRequest, items: Items) -> dict[str, Any]:
    written: list[Any] = []
    figures = _own_figures(items)
    for k, name in enumerate(items.items):
        figure = figures[k] if figures else ""
        label = items.labels[k] if items.labels else ""
        written.append(
            _filled({"question": name, "figure": figure, "label": label}) if figure or label else name
        )
    title = {} if request.title else {"title": items.name}
    return {"items": written, **_shape(items), **title}


def _own_figures(items: Items) -> tuple[str, ...]:
    return items.figures if isinstance(items, ItemsByColumns) else ()


def _shape(items: Items) -> dict[str, str]:
    figure = {"figure": items.figure} if isinstance(items, ItemsByColumns) else {}
    return {"as": items.shape, **figure}


def _rows(rows: RowRules) -> dict[str, Any]:
    sort = None
    if rows.sort is not None:
        sort = {
            "by": rows.sort.by,
            "direction": "up" if rows.sort.up else "down",
            "column": rows.sort.column,
        }
    return {
        "sort": sort,
        "hide": list(rows.hide),
        "leave out": list(rows.leave_out),
        "most": rows.most,
        "above": rows.above,
        "empty rows": "drop" if rows.drop_empty else None,
        "untested": list(rows.untested),
        "headings": dict(rows.headings),
    }


def _tests(levels: tuple[float, ...], tests: TestRules) -> dict[str, Any]:
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


def _bases(rules: BaseRules, rows: tuple[str, ...]) -> dict[str, Any]:
    shown = [line.short for line in base_lines() if line.name in rows or (not rows and not line.on_demand)]
    thresholds = _filled(
        {"mark below": rules.mark, "no test below": rules.no_test, "withhold below": rules.withhold}
    )
    return {
        **thresholds,
        **({"judged on": rules.judged_on} if thresholds else {}),
        "show": shown,
    }


def _digits(digits: Digits) -> dict[str, int]:
    return {"percent": digits.percent, "count": digits.count, "mean": digits.mean, **dict(digits.of_figures)}


def _banner(banner: Banner) -> dict[str, Any]:
    return {"groups": [_group(group) for group in banner.groups], "total": banner.total}


def _group(group: BannerGroup) -> dict[str, Any]:
    against: Any = group.against
    if group.against == "column":
        against = {"column": group.control}
    columns = {label: rule if isinstance(rule, str) else list(rule) for label, rule in group.columns}
    entry = _filled(
        {
            "question": group.question,
            "nest": [_group(level) for level in group.nest],
            "keep": None if group.keep is None else list(group.keep),
            "labels": dict(group.labels),
            "columns": columns,
            "subtotal": group.subtotal or None,
            "only": group.only,
            "hide": list(group.hide),
            "differences": {label: [plus, minus] for label, plus, minus in group.differences},
            "against": against,
            "trend": group.trend or None,
        }
    )
    return entry if group.label is None else {**entry, "label": group.label}

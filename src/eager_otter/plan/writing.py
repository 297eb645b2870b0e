"""Write a plan as YAML: every table spelled out, so that reading it back gives the same tables."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import yaml

from eager_otter.data.waves import Wave, Waves
from eager_otter.documents.options import as_written
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError
from eager_otter.gates.reading import relative
from eager_otter.making.figures import figures_for
from eager_otter.plan.as_written import (
    banner_as_written,
    bases_as_written,
    digits_as_written,
    filled,
    rows_as_written,
    tests_as_written,
)
from eager_otter.plan.plan import ForEach, Plan
from eager_otter.plan.translating import plan_as_written
from eager_otter.tables.request import Banner, TableRequest
from eager_otter.tables.shows import Items, ItemsByColumns, OneQuestion

NONE = Banner()


@checked
def plan_text(plan: Plan) -> str:
    """Return a plan as YAML, with paths from its own folder; `read_plan` gives the same tables from it.

    Raises RequestError for a codebook that was not read from a file.

    `plan` is what `read_plan` gives.
    """
    return yaml.safe_dump(
        _Writing(plan_as_written(plan)).whole(),
        sort_keys=False,
        allow_unicode=True,
        width=110,
        default_flow_style=None,
    )


def each_as_written(each: ForEach) -> dict[str, Any]:
    """Write of which answers there is a report each."""
    return filled(
        {
            "question": each.question,
            "keep": None if each.keep is None else list(each.keep),
            "differs": {code: dict(own) for code, own in each.differs.items()},
        }
    )


class _Writing:
    def __init__(self, plan: Plan) -> None:
        self.plan, self.standard = plan, plan.standard
        self.folder = plan.path.parent
        self.banners: dict[str, Banner] = dict(plan.banners)
        for request in plan.requests:
            self._name_of(request.banner)

    def _data(self) -> object:
        """Return the file, or the files, as a plan names them."""
        if not isinstance(self.plan.data, Waves):
            how, file = self.plan.reading.given(), relative(self.plan.data, self.folder)
            return {"file": file, **how} if how else file
        waves = self.plan.data
        return {
            "files": [
                filled(
                    {
                        "file": relative(wave.data, self.folder),
                        "label": wave.label,
                        "date": wave.date,
                        "codebook": self._codebook_of(wave),
                        **({} if wave.reading is None else wave.reading.given()),
                        "changes": wave.changes.given(),
                    }
                )
                for wave in waves.waves
            ],
            "question": waves.question,
            "label": waves.label,
        }

    def _codebook_of(self, wave: Wave) -> str | None:
        """Return the path of a wave's own codebook; None where it has none, or none that is in a file."""
        path = None if wave.codebook is None else wave.codebook.path
        return None if path is None else relative(path, self.folder)

    def whole(self) -> dict[str, Any]:
        plan = self.plan
        if plan.codebook.path is None:
            raise RequestError(
                "The codebook was not read from a file; write it to one and read the plan with it."
            )
        return filled(
            {
                "title": plan.title,
                "data": self._data(),
                "codebook": relative(plan.codebook.path, self.folder),
                "filter": plan.filter,
                "conditions": dict(plan.conditions),
                "for each": None if plan.for_each is None else each_as_written(plan.for_each),
                "weight": "none" if plan.weight is None else plan.weight,
                "banners": {name: banner_as_written(banner) for name, banner in self.banners.items()},
                "tests": tests_as_written(self.standard.levels, self.standard.tests),
                "bases": bases_as_written(self.standard.bases, self.standard.base_rows),
                "defaults": filled(
                    {
                        "banner": self._name_of(self.standard.banner),
                        "figures": list(self.standard.figures),
                        "digits": digits_as_written(self.standard.digits),
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
        notes, path = self.plan.output_notes.get(output), relative(output, self.folder)
        return path if notes is None else {"file": path, "notes": notes}

    def _named(self, name: str) -> str:
        """Return what ships by its name, a file by its path from the plan's folder."""
        return relative(Path(name), self.folder) if Path(name).is_absolute() else name

    def _slides(self) -> dict[str, Any]:
        rules = self.plan.slides
        template = {} if rules.template is None else {"template": relative(rules.template, self.folder)}
        return {**template, **as_written(rules)}

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
        entry: dict[str, Any] = {}
        across = request.over_banner
        if request.banner != standard.banner and across:
            entry["banner"] = self._name_of(request.banner)
        if (request.levels, request.tests) != (standard.levels, standard.tests):
            entry["tests"] = tests_as_written(request.levels, request.tests)
        if (request.bases, request.base_rows) != (standard.bases, standard.base_rows):
            entry["bases"] = bases_as_written(request.bases, request.base_rows)
        if request.digits != standard.digits:
            entry["digits"] = digits_as_written(request.digits)
        return (
            filled(
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
                    **rows_as_written(request.rows),
                    "note": request.note,
                }
            )
            | entry
        )

    def _figures(self, request: TableRequest) -> list[str]:
        """Return the figures of a table as it shows them: those that it inherits and can have."""
        if not request.inherited or not isinstance(request.shows, OneQuestion):
            return [] if request.inherited else list(request.figures)
        return list(figures_for(request, self.plan.codebook.question(request.shows.question)))

    def _items(self, request: TableRequest, items: Items) -> dict[str, Any]:
        grid = self.plan.codebook.grids.get(items.grid)
        if grid is not None and grid.items == items.items and not items.labels and not _own_figures(items):
            return {"grid": grid.name, **_shape(items)}
        return _named_items(request, items)


def _named_items(request: TableRequest, items: Items) -> dict[str, Any]:
    written: list[Any] = []
    figures = _own_figures(items)
    for k, name in enumerate(items.items):
        figure = figures[k] if figures else ""
        label = items.labels[k] if items.labels else ""
        written.append(
            filled({"question": name, "figure": figure, "label": label}) if figure or label else name
        )
    title = {} if request.title else {"title": items.name}
    return {"items": written, **_shape(items), **title}


def _own_figures(items: Items) -> tuple[str, ...]:
    return items.figures if isinstance(items, ItemsByColumns) else ()


def _shape(items: Items) -> dict[str, str]:
    figure = {"figure": items.figure} if isinstance(items, ItemsByColumns) else {}
    return {"as": items.shape, **figure}

"""The names of tables in a list of contents: its title and, where several have one title, what tells them apart."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from eager_otter.figures.registry import line_figure
from eager_otter.looks.words import said
from eager_otter.significance.registry import correction
from eager_otter.tables.table import Table
from eager_otter.tables.texts import figure_name


def contents_titles(tables: Sequence[Table]) -> tuple[str, ...]:
    """Return the titles of tables; those of one title are told apart by banner, filter, base, figures, tests or id."""
    alike: dict[str, list[Table]] = {}
    for table in tables:
        alike.setdefault(table.title, []).append(table)
    named = {
        table.id: title
        for group in alike.values()
        for table, title in zip(group, _told_apart(group), strict=True)
    }
    return tuple(named[table.id] for table in tables)


def _told_apart(tables: Sequence[Table]) -> list[str]:
    """Add to one title of several tables what differs between them."""
    if len(tables) == 1:
        return [tables[0].title]
    differing: list[list[str]] = []
    for facet in FACETS:
        if len(set(zip(*differing, strict=True))) == len(tables):
            break  # told apart already
        texts = [facet(table) for table in tables]
        differing += [texts] if len(set(texts)) > 1 else []
    endings = ["; ".join(text for text in texts if text) for texts in zip(*differing, strict=True)]
    endings = endings or [""] * len(tables)
    titles = []
    for table, ending in zip(tables, endings, strict=True):
        unique = ending if endings.count(ending) == 1 else "; ".join(filter(None, (ending, table.id)))
        text = said("{title} ({difference})")
        titles.append(table.words(text, title=table.title, difference=unique) if unique else table.title)
    return titles


def _banner(table: Table) -> str:
    heads = dict.fromkeys(group.outer[0] if group.outer else group.label for group in table.groups)
    names = [head for head in heads if head]
    return table.words("by {groups}", groups=", ".join(names)) if names else table.words("Total only")


def _filter(table: Table) -> str:
    facts = table.facts
    conditions = (
        () if facts is None else tuple(step.wording for step in facts.filters if step is not facts.base)
    )
    return "; ".join(conditions)


def _base(table: Table) -> str:
    facts, say = table.facts, table.words
    if facts is not None and facts.base is not None:
        return say("base: {base}", base=facts.base.wording)
    if table.base in ("all", "answered"):
        return say(
            "base: {base}", base=say(said("all respondents") if table.base == "all" else said("answered"))
        )
    return say("base: {base}", base=say(table.base))


def _figures(table: Table) -> str:
    return ", ".join(
        figure_name(figure, table.words) for figure in table.figures if line_figure(figure).source != "base"
    )


def _tests(table: Table) -> str:
    say, tests = table.words, table.tests
    if not table.levels:
        return say("not tested")
    levels = ", ".join(say.number(f"{level:g}") for level in table.levels)
    parts = [say("tested at {levels} %", levels=levels)]
    parts += (
        []
        if tests.against == "each other"
        else [say("against {other}", other=tests.control or say(tests.against))]
    )
    parts += [tests.adjust] if correction(tests.adjust).corrects else []
    return ", ".join(parts)


FACETS: tuple[Callable[[Table], str], ...] = (_banner, _filter, _base, _figures, _tests)

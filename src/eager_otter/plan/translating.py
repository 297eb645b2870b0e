"""The texts of a plan itself (titles, heads, labels, notes) in the language of its report."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace

from eager_otter.codebook.model import Grid, Translation
from eager_otter.codebook.translating import in_language, translation_for, untranslated
from eager_otter.documents.translated import written
from eager_otter.figures.registry import summary_called
from eager_otter.plan.plan import Plan
from eager_otter.plan.tables import title_of_grid
from eager_otter.tables.request import Banner, BannerGroup, TableRequest
from eager_otter.tables.shows import ItemsByColumns, OneQuestion, Shown

Say = Callable[[str], str]


def in_own_language(plan: Plan) -> Plan:
    """Say labels and texts of a plan and its codebook in the language of its report, where they are translated."""
    return _translated(plan, plan.words.language)


def plan_as_written(plan: Plan) -> Plan:
    """Say labels and texts of a plan as they are written, whatever the language of its report."""
    return _translated(plan, "")


def _translated(plan: Plan, language: str) -> Plan:
    if not plan.codebook.translations:
        return plan
    say = translation_for(plan.codebook, language) or Translation()
    codebook = in_language(plan.codebook, language)
    return replace(
        plan,
        title=say.of(plan.title),
        codebook=codebook,
        conditions={rule: say.of(text) for rule, text in plan.conditions.items()},
        banners={name: translated_banner(banner, say) for name, banner in plan.banners.items()},
        standard=translated_request(plan.standard, say, codebook.grids),
        requests=tuple(translated_request(request, say, codebook.grids) for request in plan.requests),
    )


def translated_request(
    request: TableRequest, translation: Translation, grids: Mapping[str, Grid]
) -> TableRequest:
    """Return a request whose texts are in another language, where the translation has them.

    `grids` are those of the codebook in that language.
    """
    say, sort = translation.of, request.rows.sort
    shows = _shown(request.shows, translation)
    usual = _usual_title(shows, grids)
    title = usual if written(usual) == written(request.title) else say(request.title)
    return replace(
        request,
        shows=shows,
        banner=translated_banner(request.banner, translation),
        title=title,
        part=say(request.part),
        heading=say(request.heading),
        base_text=say(request.base_text),
        note=say(request.note),
        percent_of=say(request.percent_of, request.shows.name),
        difference_from=say(request.difference_from),
        rows=replace(
            request.rows,
            headings=tuple((name, say(text)) for name, text in request.rows.headings),
            sort=sort and replace(sort, column=say(sort.column)),
        ),
    )


def _usual_title(shows: Shown, grids: Mapping[str, Grid]) -> str:
    """Return the title that a table of a grid has where a plan gives it none; "" for others."""
    if isinstance(shows, OneQuestion) or not shows.grid:
        return ""
    return title_of_grid(grids[shows.grid], shows.figure if isinstance(shows, ItemsByColumns) else "")


def _shown(shows: Shown, translation: Translation) -> Shown:
    """Translate the labels of items, and the nets or answers that are shown of them."""
    if isinstance(shows, OneQuestion):
        return shows
    labels = tuple(translation.of(label) for label in shows.labels)
    if not isinstance(shows, ItemsByColumns):
        return replace(shows, labels=labels)

    def figure(name: str, question: str) -> str:
        return name if summary_called(name) is not None else translation.of(name, question)

    return replace(
        shows,
        labels=labels,
        figure=figure(shows.figure, shows.grid or shows.items[0]),
        figures=tuple(map(figure, shows.figures, shows.items)),
    )


def translated_banner(banner: Banner, translation: Translation) -> Banner:
    """Return a banner whose heads and labels are in another language, where the translation has them."""
    return replace(banner, groups=tuple(_group(group, translation.of) for group in banner.groups))


def _group(group: BannerGroup, say: Say) -> BannerGroup:
    return replace(
        group,
        label=None if group.label is None else say(group.label),
        labels={code: say(label) for code, label in group.labels.items()},
        columns=tuple((say(label), rule) for label, rule in group.columns),
        nest=tuple(_group(level, say) for level in group.nest),
        differences=tuple((say(label), plus, minus) for label, plus, minus in group.differences),
    )


def texts_of(plan: Plan) -> Iterator[str]:
    """Go through the texts of a plan itself that its report shows, as they are written; not the usual titles."""
    yield plan.title
    yield from plan.conditions.values()
    for request in plan.requests:
        usual = written(_usual_title(request.shows, plan.codebook.grids)) == written(request.title)
        yield from (request.heading, "" if usual else request.title, request.base_text, request.note)
        yield from (text for _, text in request.rows.headings)
        if not isinstance(request.shows, OneQuestion):
            yield from request.shows.labels
        for group in request.banner.groups:
            yield from _texts_of_group(group)


def _texts_of_group(group: BannerGroup) -> Iterator[str]:
    yield group.label or ""
    yield from group.labels.values()
    yield from (label for label, _ in group.columns)
    yield from (label for label, _, _ in group.differences)
    for level in group.nest:
        yield from _texts_of_group(level)


def untranslated_in(plan: Plan) -> tuple[str, ...]:
    """List the texts of a plan and its codebook that have no translation in the language of its report."""
    return untranslated(plan.codebook, plan.words.language, texts_of(plan))

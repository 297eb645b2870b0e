"""All commands of `eager-otter`."""

from __future__ import annotations

import click

from eager_otter.cli.commands import (
    audit,
    cache,
    chart,
    compare,
    completion,
    demo,
    draft,
    explain,
    export,
    findings,
    live,
    look,
    questions,
    run,
    schema,
    texts,
    waves,
    weigh,
    words,
)
from eager_otter.version import __version__


class _InOrder(click.Group):
    """Lists its commands in the order of work."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the names of the commands, as they were added."""
        return list(self.commands)


@click.group(cls=_InOrder, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="eager-otter")
def commands() -> None:
    """Survey tables you can defend: banner crosstabs from a codebook and a plan.

    Start with `eager-otter demo`: it makes a survey to play with and its report.
    """


for command in (
    demo.demo,
    draft.draft,
    audit.audit,
    questions.questions,
    look.look,
    live.live,
    run.run,
    explain.explain,
    findings.findings,
    compare.compare,
    waves.waves,
    chart.chart,
    weigh.weigh,
    texts.texts,
    export.export,
    words.words,
    schema.schema,
    cache.cache,
    completion.completion,
):
    commands.add_command(command)

"""`eager-otter export`: write the survey's responses back, so that work can leave."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from eager_otter.cli.options import opened, survey_options
from eager_otter.errors import shown_path


@click.command()
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--labels", is_flag=True, help="Write labels instead of codes (CSV).")
@survey_options
def export(target: Path, labels: bool, **where: Any) -> None:
    """Write the responses to TARGET: .csv (codes, or labels), or .xml for triple-s 2.0 with its data beside it.

    All questions are written, banded and derived ones too, for the respondents that the filter keeps.
    """
    from eager_otter.report.exporting import export_survey

    survey, _ = opened(**where)
    written, renumbered = export_survey(survey, target, labels=labels)
    for path in written:
        click.echo(shown_path(path))
    if renumbered:
        click.echo(
            f"Codes were numbered from 1, as the standard wants, in: {', '.join(renumbered)}", err=True
        )

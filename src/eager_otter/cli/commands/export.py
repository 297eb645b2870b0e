"""`eager-otter export`: write the survey's responses back, so that work can leave."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from eager_otter.cli.options import force_option, inputs_of, opened, survey_options
from eager_otter.errors import shown_path
from eager_otter.gates.streams import echo


@click.command(short_help="Write responses and codebook in another format.")
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--labels", is_flag=True, help="Write labels instead of codes (CSV).")
@click.option(
    "--standard",
    type=click.Choice(["triple-s", "ddi"]),
    help="The standard of an .xml file: triple-s 2.0, or DDI-Codebook 2.5. Default: triple-s.",
)
@force_option
@survey_options
def export(target: Path, labels: bool, standard: Any, force: bool, **where: Any) -> None:
    """Write the responses to TARGET: .csv (codes, or labels), .xml for a standard, or .json for a data package.

    Standards are triple-s 2.0 and DDI-Codebook 2.5. These and a data package have their data beside them as .csv.

    All questions are written, banded and derived ones too, for the respondents that the filter keeps.
    """
    from eager_otter.gates.writing import check_targets
    from eager_otter.report.exporting import export_survey, export_targets

    targets = export_targets(target, labels=labels, standard=standard)
    check_targets(targets, force=True)
    survey, plan = opened(**where)
    read = inputs_of(survey, plan)
    check_targets(targets, inputs=read, force=force)
    written, told = export_survey(survey, target, labels=labels, standard=standard, inputs=read, force=force)
    for path in written:
        echo(shown_path(path))
    for line in told:
        echo(line, err=True)

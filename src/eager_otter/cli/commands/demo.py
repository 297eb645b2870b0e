"""`eager-otter demo`: copy the demo survey and make its report."""

from __future__ import annotations

from pathlib import Path

import click

from eager_otter.errors import shown_path
from eager_otter.gates.streams import echo


@click.command(short_help="Put a made-up survey and its report into a folder.")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False), default=Path("otter-demo"))
@click.option("--files-only", is_flag=True, help="Copy the files, make no report.")
def demo(folder: Path, files_only: bool) -> None:
    """Put a made-up survey into FOLDER (default: otter-demo) and make its report.

    The survey is a tracker about sparkling water: two waves, invented brands, nobody real. FOLDER gets
    responses.csv, codebook.yaml and plan.yaml to play with, the report, and a spoiled copy of the survey
    with one of each common slip in it. Files there that you have changed are never overwritten.
    """
    from eager_otter.cli.commands.run import make_and_save
    from eager_otter.demo.files import write_demo
    from eager_otter.plan.reading import read_plan

    for path in write_demo(folder):
        echo(f"{shown_path(path)}", err=True)
    if files_only:
        return
    make_and_save(read_plan(folder / "plan.yaml"), ())
    echo(
        f"\nNext, in {shown_path(folder)}:\n"
        "  eager-otter questions brand\n"
        "  eager-otter look heard_of --banner wave --banner region\n"
        "  eager-otter run plan.yaml",
        err=True,
    )

"""`eager-otter schema`: JSON Schemas of the files that people write."""

from __future__ import annotations

from typing import Any

import click

from eager_otter.gates.streams import echo


@click.command(short_help="Print the JSON Schema of a kind of file.")
@click.argument("kind", type=click.Choice(["plan", "codebook", "theme", "words"]))
def schema(kind: Any) -> None:
    """Print the JSON Schema of a KIND of file, for editors that complete and check while you type.

    \b
    eager-otter schema plan > plan.schema.json
    """
    from eager_otter.gates.text import as_json
    from eager_otter.plan.schema import json_schema

    echo(as_json(json_schema(kind), indent=1))

"""`eager-otter schema`: JSON Schemas of the files that people write."""

from __future__ import annotations

from typing import Any

import click


@click.command()
@click.argument("kind", type=click.Choice(["plan", "codebook", "theme", "words"]))
def schema(kind: Any) -> None:
    """Print the JSON Schema of a KIND of file, for editors that complete and check while you type.

    \b
    eager-otter schema plan > plan.schema.json
    """
    import json

    from eager_otter.plan.schema import json_schema

    click.echo(json.dumps(json_schema(kind), ensure_ascii=False, indent=1))

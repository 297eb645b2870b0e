"""The live page: a frame around the report's page that waits for news and shows what is wrong."""

from __future__ import annotations

from collections.abc import Mapping

from eager_otter.errors import shown_path
from eager_otter.gates.local_server import Answer, LocalServer
from eager_otter.gates.reading import packaged_text
from eager_otter.gates.text import as_json
from eager_otter.live.session import NAMED, Changes, LiveSession
from eager_otter.report.webpage import hash_for_policy

PARTS = ("live.html.j2", "live.css", "live.js")


def server_for(session: LiveSession, port: int = 0) -> LocalServer:
    """Make the server of a session's page, on a port of this machine (0: any that is free). Raises RequestError."""
    frame = _frame(session)

    def news(query: Mapping[str, int]) -> Answer:
        shown = session.wait(query.get("after", 0))
        body = {
            "number": shown.number,
            "mistake": shown.mistake,
            "told": shown.told,
            "good": shown.pieces is not None,
            "jumps": list(shown.changed[:NAMED]) if len(shown.changed) <= NAMED else [],
        }
        return Answer(body=as_json(body).encode(), kind="application/json")

    def changes(query: Mapping[str, int]) -> Answer:
        found = session.changes(query.get("since", 0))
        body = '{"whole": true}' if found is None else _as_told(found)
        return Answer(body=body.encode("utf-8", "replace"), kind="application/json")

    pages = {
        "": lambda _: frame,
        "page": lambda _: Answer(body=session.shown.page.encode("utf-8", "replace")),
        "news": news,
        "changes": changes,
    }
    return LocalServer(pages, port)


def _as_told(changes: Changes) -> str:
    """Write changes as JSON; what the page's script works with is JSON already."""
    pieces = changes.pieces
    texts = {
        "number": changes.number,
        "about": pieces.about,
        "contents": pieces.contents,
        "method": pieces.method,
    }
    tables = [
        f'{{"place":{place},"section":{as_json(one.section)},"data":{one.banner[:-1]},{one.data[1:]}}}'
        for place, one in changes.tables.items()
    ]
    return f'{as_json(texts)[:-1]},"tables":[{",".join(tables)}]}}'


def _frame(session: LiveSession) -> Answer:
    from jinja2 import Environment, StrictUndefined
    from markupsafe import Markup

    html, style, script = (packaged_text("eager_otter.live", "page", name) for name in PARTS)
    template = Environment(autoescape=True, undefined=StrictUndefined).from_string(html)
    text = template.render(name=shown_path(session.path), style=Markup(style), script=Markup(script))
    own_style, own_script = hash_for_policy(style), hash_for_policy(script)
    policy = (
        f"default-src 'none'; style-src 'sha256-{own_style}'; script-src 'sha256-{own_script}'; "
        "connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    )
    return Answer(body=text.encode(), policy=policy)

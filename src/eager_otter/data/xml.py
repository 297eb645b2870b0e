"""Read XML that came from elsewhere: no entities, nothing from outside."""

from __future__ import annotations

from io import BytesIO
from typing import Any

from eager_otter.errors import FileProblem
from eager_otter.gates.reading import reason_of


def parsed_xml(content: bytes, place: str) -> Any:
    """Parse a file, which may name its document type, to its root element. Raises FileProblem."""
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        return fromstring(content, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException as error:
        raise FileProblem(
            f"{place}: declares entities, which a survey definition has no use for; refused."
        ) from error
    except ParseError as error:
        raise FileProblem(f"{place}: is not XML ({reason_of(error)}).") from error


def root_tag(start: bytes) -> str:
    """Return the tag of the root element from the start of a file; "" where that is no XML, or not to be read."""
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import iterparse

    events = iterparse(BytesIO(start), events=("start",), forbid_dtd=False, forbid_entities=True)
    try:
        return next((str(element.tag) for _, element in events), "")
    except (DefusedXmlException, ParseError):
        return ""


def text_in(element: Any) -> str:
    """Return the text of an element, or of the first of its variants (by language or purpose); "" for none."""
    if element is None:
        return ""
    content = " ".join((element.text or "").split())
    if content:
        return content
    return next((text for child in element if (text := text_in(child))), "")


def printable(text: str) -> str:
    """Leave out characters that XML cannot hold."""
    return "".join(c for c in text if c in "\t\n\r" or (c >= " " and not "\ud800" <= c <= "\udfff"))

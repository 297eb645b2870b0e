"""Headings and labels as a person reads them: exports of questionnaires keep the markup of their web pages."""

from __future__ import annotations

import re
from dataclasses import replace
from html import unescape

from eager_otter.data.described import Described

INLINE = "a|b|big|em|font|i|img|mark|s|small|span|strike|strong|sub|sup|u"
BLOCKS = "br|center|div|h[1-6]|hr|li|ol|p|table|tbody|td|th|tr|ul"
INSIDE = r"(?:\s+[\w:-]+\s*=[^<>]*|\s*/)?\s*>"
INLINE_TAG = re.compile(rf"</?(?:{INLINE}){INSIDE}", re.IGNORECASE)
BLOCK_TAG = re.compile(rf"</?(?:{BLOCKS}){INSIDE}", re.IGNORECASE)
ENTITY = re.compile(r"&(?:[A-Za-z]{2,8}\d{0,2}|#\d{1,6}|#[xX][0-9A-Fa-f]{1,5});")


def unmarked(text: str) -> str:
    """Take the tags of a web page out of a text, and write its entities as signs; other texts stay.

    >>> unmarked("<b>How old</b> are you?<br/>Bands &amp; such"), unmarked("x < 5 & y > 3"), unmarked("<5 & <b >")
    ('How old are you? Bands & such', 'x < 5 & y > 3', '<5 &')
    """
    if "<" not in text and "&" not in text:
        return text
    found = INLINE_TAG.sub("", BLOCK_TAG.sub(" ", text))
    found = ENTITY.sub(lambda entity: unescape(entity[0]), found)
    return text if found == text else " ".join(found.split())


def without_markup(about: Described) -> Described:
    """Take markup out of all that is known of a column."""
    texts = (about.text, about.stem, about.item, about.section, *about.labels.values())
    if not any("<" in text or "&" in text for text in texts):
        return about
    return replace(
        about,
        text=unmarked(about.text),
        stem=unmarked(about.stem),
        item=unmarked(about.item),
        section=unmarked(about.section),
        labels={code: unmarked(label) for code, label in about.labels.items()},
    )

"""Logos: PNG and JPEG files, looked at before an output is made with them."""

from __future__ import annotations

from pathlib import Path

from eager_otter.errors import FileProblem, shown_path
from eager_otter.gates.reading import read_bytes

LARGEST = 5_000_000  # bytes
MOST_PIXELS = 10_000  # across or down
PNG_START, PNG_END = b"\x89PNG\r\n\x1a\n", b"IEND\xaeB`\x82"
JPEG_START, JPEG_END = b"\xff\xd8\xff", b"\xff\xd9"


def read_picture(path: Path) -> tuple[bytes, int, int]:
    """Read a picture: its bytes, width and height in pixels. Raises FileProblem for one broken or far too large."""
    content = read_bytes(path, "a picture", most=LARGEST)
    width, height = _size_of(content)
    if not (0 < width <= MOST_PIXELS and 0 < height <= MOST_PIXELS):
        picture = (
            f"found one of {width:,} × {height:,}" if width and height else "this is not one, or is cut off"
        )
        raise FileProblem(
            f"{shown_path(path)}: a whole PNG or JPEG picture of at most {MOST_PIXELS:,} pixels each way was expected; "
            f"{picture}."
        )
    return content, width, height


def _size_of(content: bytes) -> tuple[int, int]:
    """Read the size of a PNG or JPEG in pixels; 0, 0 where it is neither, or cut off."""
    if content.startswith(PNG_START):
        if not content.rstrip(b"\0").endswith(PNG_END):
            return 0, 0
        return int.from_bytes(content[16:20], "big"), int.from_bytes(content[20:24], "big")
    if not content.startswith(JPEG_START) or JPEG_END not in content[-64:]:
        return 0, 0
    place = 2
    while place + 9 < len(content) and content[place] == 0xFF:
        if content[place + 1] in (0xC0, 0xC1, 0xC2):
            height, width = content[place + 5 : place + 7], content[place + 7 : place + 9]
            return int.from_bytes(width, "big"), int.from_bytes(height, "big")
        place += 2 + int.from_bytes(content[place + 2 : place + 4], "big")
    return 0, 0

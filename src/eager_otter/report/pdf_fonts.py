"""Fonts for PDF, embedded: those of the theme or DejaVu Sans, and for characters it lacks whatever the machine has."""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Iterator
from functools import lru_cache
from importlib.resources import as_file, files
from pathlib import Path
from typing import Any

from eager_otter.errors import MissingPackage
from eager_otter.gates.outputs import install_line
from eager_otter.gates.reading import is_folder, read_bytes, reading
from eager_otter.gates.text import held
from eager_otter.report.pdf_scripts import RIGHT_TO_LEFT, in_sight_order, is_plain, shaped, shaped_width

FONT_FOLDERS = (
    Path("/usr/share/fonts"),
    Path("/usr/local/share/fonts"),
    Path("/Library/Fonts"),
    Path("C:/Windows/Fonts"),
)
FONTS = "eager_otter.looks.fonts"  # DejaVu Sans, as it is free to be passed on
MISSING = f"PDF files need another package: {install_line('pdf')}"
REPLACEMENT = "\ufffd"
LARGEST_FONT = 60_000_000  # bytes

Run = tuple[str, str, float]  # font, text, width at one point


class Fonts:
    """Measures and splits texts by the fonts that hold their characters."""

    def __init__(self, files: tuple[Path, Path] | None = None) -> None:
        usual = _registered()
        self.regular, self.bold = usual if files is None else (_own(files[0]), _own(files[1]))
        self._usual = dict(zip((False, True), usual, strict=True))
        self._known_runs: dict[tuple[str, bool], tuple[Run, ...]] = {}
        self._known_widths: dict[tuple[str, bool], float] = {}  # at one point
        self._fallbacks: list[str] = []
        self._searched = False

    def runs(self, text: str, *, bold: bool = False) -> tuple[Run, ...]:
        """Split a text into runs in the order in which they are: font, text and width at one point.

        A character no font holds becomes a replacement sign; letters that join are shaped.
        """
        known = self._known_runs.get((text, bold))
        if known is None:
            known = self._known_runs[text, bold] = tuple(self._runs(text, bold))
        return known

    def _runs(self, text: str, bold: bool) -> Iterator[Run]:
        from reportlab.pdfbase.pdfmetrics import stringWidth

        for piece in in_sight_order(held(text).replace("\n", " ")):
            runs = list(self._split(piece, bold))
            if RIGHT_TO_LEFT.search(piece):
                runs.reverse()
            for font, run in runs:
                if is_plain(run):
                    yield font, run, float(stringWidth(run, font, 1.0))
                else:
                    joined = shaped(run, font)
                    yield font, joined, shaped_width(joined)

    def _split(self, text: str, bold: bool) -> Iterator[tuple[str, str]]:
        font, run = "", ""
        for character in text:
            character_font = self._font_of(character, bold)
            shown = character if character_font else REPLACEMENT
            character_font = character_font or (self.bold if bold else self.regular)
            if character_font != font and run:
                yield font, run
                run = ""
            font, run = character_font, run + shown
        if run:
            yield font, run

    def width(self, text: str, size: float, *, bold: bool = False) -> float:
        """Return the width of a text in points."""
        known = self._known_widths.get((text, bold))
        if known is None:
            known = sum(width for _, _, width in self.runs(text, bold=bold))
            self._known_widths[text, bold] = known
        return known * size

    def wrapped(self, text: str, size: float, width: float, *, bold: bool = False) -> list[str]:
        """Break a text into lines of at most `width` points, inside a word only where it must."""
        lines: list[str] = []
        line = ""
        for word in held(text).split():
            longer = f"{line} {word}".strip()
            if self.width(longer, size, bold=bold) <= width:
                line = longer
                continue
            if line:
                lines.append(line)
            line = word
            while self.width(line, size, bold=bold) > width and len(line) > 1:
                cut = len(line) - 1
                while cut > 1 and self.width(line[:cut], size, bold=bold) > width:
                    cut -= 1
                lines.append(line[:cut])
                line = line[cut:]
        return [*lines, line] if line or not lines else lines

    def _font_of(self, character: str, bold: bool) -> str | None:
        face = self.bold if bold else self.regular
        if _has(face, character) or character.isspace():
            return face
        if _has(self._usual[bold], character):
            return self._usual[bold]
        if not self._searched and ord(character) > 0x2FF:
            self._fallbacks, self._searched = list(_machine_fonts()), True
        return next((font for font in self._fallbacks if _has(font, character)), None)


@lru_cache(maxsize=65536)
def _has(font: str, character: str) -> bool:
    from reportlab.pdfbase.pdfmetrics import getFont

    return ord(character) in getFont(font).face.charToGlyph


@lru_cache(maxsize=1)
def _registered() -> tuple[str, str]:
    try:
        from reportlab.pdfbase.pdfmetrics import registerFont
        from reportlab.pdfbase.ttfonts import TTFont
    except ImportError as error:
        raise MissingPackage(MISSING) from error
    names = ("OtterSans", "OtterSansBold")
    for name, file in zip(names, ("DejaVuSans.ttf", "DejaVuSans-Bold.ttf"), strict=True):
        with as_file(files(FONTS) / file) as path:
            registerFont(TTFont(name, str(path)))
    return names


def _own(path: Path) -> str:
    """Register the font of a theme. Raises FileProblem for one that cannot be put into a PDF."""
    from reportlab.pdfbase.pdfmetrics import registerFont
    from reportlab.pdfbase.ttfonts import TTFont

    what = "a TrueType font that can be put into a PDF"
    name = f"Theme-{hashlib.sha256(read_bytes(path, what, most=LARGEST_FONT)).hexdigest()[:8]}"
    with reading(path, what):
        registerFont(TTFont(name, str(path)))
    return name


def _machine_fonts() -> Iterator[str]:
    """Register the TrueType fonts of this machine, in the order of their names, as far as they can be embedded."""
    from reportlab.pdfbase.pdfmetrics import registerFont
    from reportlab.pdfbase.ttfonts import TTFError, TTFont

    paths: list[Any] = [
        path for folder in FONT_FOLDERS if is_folder(folder) for path in folder.rglob("*.ttf")
    ]
    for path in sorted(paths, key=lambda path: ("Fallback" not in path.name, path.name)):
        name = f"Machine-{path.stem}"
        try:
            registerFont(TTFont(name, str(path)))
        except (TTFError, OSError, ValueError, LookupError, struct.error, TypeError):
            continue
        yield name

"""Looks shared by the outputs."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import field
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

from eager_otter.dataclass import dataclass
from eager_otter.documents.checking import check
from eager_otter.documents.part import After, Before, Limits, Part, Text, key
from eager_otter.documents.settled import checked
from eager_otter.documents.yaml_nodes import Document, compose, is_yaml, read_yaml
from eager_otter.errors import DocumentError, FileProblem, Problem, UnknownName
from eager_otter.gates.pictures import read_picture
from eager_otter.gates.reading import is_file, packaged_text
from eager_otter.looks.catalogue import wording_problems

Paper = Literal["A4", "Letter"]
LettersPlace = Literal["beside", "below", "in cell"]
DigitsKind = Literal["percent", "count", "mean"]
TINTS = (("#FFFFFF", 0.0), ("#FFFFFF", 0.55), ("#000000", 0.45))  # of a palette that is used up
SHIPPED = ("river", "slate")
LOGOS = (".png", ".jpg", ".jpeg")
FONT_NAME = re.compile(r"[\w .-]+")  # so that it stays a name wherever it is written
Colour = Annotated[str, Limits(pattern="#[0-9A-Fa-f]{6}")]


@dataclass(frozen=True, slots=True, kw_only=True)
class Theme:
    """Colours (hex), fonts, the paper of a PDF, a logo. Every mark is also text, so that nothing rests on colour.

    `font` is named to programs that have fonts of their own; `font_files` (regular, bold) go into PDFs and pictures.
    The `palette` that ships is told apart by eyes that see few colours.
    `letters` is where letters are; `digits` are decimal places by kind of figure, for tables that say nothing else;
    `wording` says some of the fixed texts (in English) in other words.

    `size` is that of text in points; `ink`, `quiet`, `river`, `reed`, `sand`, `line` and `letter` are colours of text,
    of what is said quietly, of heads, of accents, of bases, of rules and of letters; `low`, `middle` and `high` those
    of a scale from few to many. `paper` is that of a PDF, `logo` a picture at its head.
    """

    font: str = "Arial"
    font_files: tuple[Path, Path] | None = None
    size: int = 10
    ink: str = "#1B2A30"
    quiet: str = "#5B6B70"
    river: str = "#14505C"
    reed: str = "#DCE9E6"
    sand: str = "#F4F0E6"
    line: str = "#9DB2B5"
    letter: str = "#9A3412"
    palette: tuple[str, ...] = ("#14505C", "#D98A29", "#58BDB6", "#7D2D12", "#A679DC", "#47127D")
    paper: Paper = "A4"
    logo: Path | None = None
    letters: LettersPlace = "beside"
    digits: Mapping[DigitsKind, int] = field(default_factory=dict)
    wording: Mapping[str, str] = field(default_factory=dict)
    low: str = "#C8763A"  # the ends of a scale: told apart by eyes that see few colours, and in grey
    middle: str = "#D9DCD6"
    high: str = "#1B6A78"

    def series_color(self, number: int) -> str:
        """Return the colour of a series by its number, from 0: the palette's in turn, then lighter, then darker ones.

        `number` is that of the series, from 0.
        """
        used, place = divmod(number, len(self.palette))
        toward, share = TINTS[used % len(TINTS)]
        return _mixed(self.palette[place], toward, share)

    def ramp(self, count: int) -> tuple[str, ...]:
        """Return colours from the low to the high end of a scale.

        `count` is how many colours there are to be.
        """
        if count < 2:
            return (self.high,)
        places = [k / (count - 1) for k in range(count)]
        return tuple(
            _mixed(self.low, self.middle, 2 * x) if x <= 0.5 else _mixed(self.middle, self.high, 2 * x - 1)
            for x in places
        )


def is_dark(color: str) -> bool:
    """Return whether white text reads better on a colour (hex) than black.

    >>> is_dark("#14505C"), is_dark("#D9DCD6")
    (True, False)
    """
    red, green, blue = (int(color[k : k + 2], 16) for k in (1, 3, 5))
    return 0.299 * red + 0.587 * green + 0.114 * blue < 140


def _mixed(one: str, other: str, share: float) -> str:
    """Mix two colours (hex).

    >>> _mixed("#000000", "#FFFFFF", 0.5)
    '#808080'
    """
    parts = [(int(one[k : k + 2], 16), int(other[k : k + 2], 16)) for k in (1, 3, 5)]
    return "#" + "".join(f"{round(a + (b - a) * share):02X}" for a, b in parts)


def as_percent_digits(value: object) -> object:
    """Take a single number of digits as that of percents."""
    return value if isinstance(value, dict) else {"percent": value}


ThemeDigits = Annotated[
    dict[DigitsKind, Annotated[int, Limits(ge=0, le=10)]] | None,
    Before(as_percent_digits, int | dict[DigitsKind, int]),
]


def _plain_name(name: str) -> str:
    if not FONT_NAME.fullmatch(name):
        raise ValueError(
            f"font: a name of letters, digits, blanks, points and hyphens was expected; found {name!r}."
        )
    return name


FontName = Annotated[Text, After(_plain_name)]


class FontFiles(Part):
    """The TrueType fonts of a theme, for what carries its fonts along."""

    regular: Text
    bold: Text | None = None


class ThemeFile(Part):
    """A theme as written: what it does not say is as in the usual one."""

    examples: ClassVar[Mapping[str, str]] = {
        "font files": "{regular: House-Regular.ttf, bold: House-Bold.ttf}",
        "palette": '["#1B6A78", "#D98A29"]',
        "scale": '["#C8763A", "#D9DCD6", "#1B6A78"]',
        "digits": "{percent: 0, mean: 1}",
        "words": "{Total: All respondents}",
    }

    font: FontName | None = None
    font_files: FontFiles | None = key("font files", None)
    size: Annotated[int, Limits(ge=6, le=16)] | None = None
    ink: Colour | None = None
    quiet: Colour | None = None
    accent: Colour | None = None
    head: Colour | None = None
    base: Colour | None = None
    line: Colour | None = None
    letter: Colour | None = None
    palette: Annotated[list[Colour], Limits(min_length=2)] | None = None
    scale: Annotated[list[Colour], Limits(min_length=3, max_length=3)] | None = None
    paper: Paper | None = None
    logo: Text | None = None
    letters: LettersPlace | None = None
    digits: ThemeDigits = None
    words: dict[str, Text] = key("words", {})


@checked
def load_theme(name: str, folder: str | Path = ".") -> Theme:
    """Load a theme: one that ships ("river", "slate"), or a YAML file, its path from `folder`.

    Raises UnknownName, FileProblem, DocumentError with every mistake in the file.

    `name` is that of the theme, or a path.
    """
    if name in SHIPPED:
        text = packaged_text("eager_otter.looks", "themes", f"{name}.yaml")
        document = compose(text, Path(f"{name}.yaml"))
    elif is_yaml(name):
        document = read_yaml(Path(folder) / name, "theme")
    else:
        raise UnknownName("theme", name, SHIPPED)
    part, problems = check(ThemeFile, document.data or {}, document, ())
    if part is not None:
        problems += wording_problems(part.words, document, ("words",))
    logo, fonts = None, None
    if part is not None:
        logo, fonts = _logo(part, document, problems), _fonts(part, document, problems)
    if problems or part is None:
        raise DocumentError(problems)
    return _theme_of(part, logo, fonts)


def _logo(part: ThemeFile, document: Document, problems: list[Problem]) -> Path | None:
    """Find the logo beside the theme; one that is not there joins the problems."""
    logo = None if part.logo is None else document.path.parent / part.logo
    if logo is not None and (logo.suffix.lower() not in LOGOS or not is_file(logo)):
        message = f"logo: a .png or .jpg file that is there was expected; found {logo.name!r}."
        problems.append(document.problem(("logo",), message))
    elif logo is not None:
        try:
            read_picture(logo)
        except FileProblem as error:
            problems.append(document.problem(("logo",), f"logo: {error}"))
    return logo


def _fonts(part: ThemeFile, document: Document, problems: list[Problem]) -> tuple[Path, Path] | None:
    """Find the fonts, regular and bold, beside the theme; those that are not there join the problems."""
    given, folder = part.font_files, document.path.parent
    if given is None:
        return None
    fonts = (folder / given.regular, folder / (given.bold or given.regular))
    for path in fonts:
        if path.suffix.lower() != ".ttf" or not is_file(path):
            message = f"font files: a .ttf file that is there was expected; found {path.name!r}."
            problems.append(document.problem(("font files",), message))
    return fonts


def _theme_of(part: ThemeFile, logo: Path | None, fonts: tuple[Path, Path] | None) -> Theme:
    """Make a theme of what a file says; the rest is as usual."""
    settings: dict[str, Any] = {
        "font": part.font,
        "font_files": fonts,
        "size": part.size,
        "ink": part.ink,
        "quiet": part.quiet,
        "river": part.accent,
        "reed": part.head,
        "sand": part.base,
        "line": part.line,
        "letter": part.letter,
        "palette": None if part.palette is None else tuple(part.palette),
        "paper": part.paper,
        "logo": logo,
        "letters": part.letters,
        "digits": part.digits,
        "wording": part.words,
    }
    given = {key: value for key, value in settings.items() if value is not None}
    if part.scale is not None:
        given |= dict(zip(("low", "middle", "high"), part.scale, strict=True))
    return Theme(**given)


STANDARD = Theme()

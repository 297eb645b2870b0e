"""The codebook file, as written: what keys there are and what each may hold."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Discriminator, Field, Tag, model_validator

from eager_otter.documents.checking import Code, Part, Text


def _as_label(value: object) -> object:
    return value if isinstance(value, dict) else {"label": value}


class AnswerFile(Part):
    """An answer: its label, or a mapping with its label and what is special about it."""

    label: Text
    missing: bool = False
    exclusive: bool = False
    score: float | None = Field(default=None, strict=False)


AnswerEntry = Annotated[AnswerFile, BeforeValidator(_as_label)]
Answers = dict[Code, AnswerEntry]


class NetFile(Part):
    """A net: its label and the codes it combines."""

    label: Text
    of: Annotated[list[Code], Field(min_length=1)]
    place: Literal["above", "below", "instead"] = "below"


class QuestionPart(Part):
    """What every question may say."""

    text: Text | None = None
    label: Text | None = None
    section: Text | None = None
    asked: Text | None = None


class SingleFile(QuestionPart):
    """One answer per respondent."""

    kind: Literal["single"]
    column: Text | None = None
    answers: Annotated[Answers, Field(min_length=1)]
    scale: bool = False
    nets: list[NetFile] = []
    missing: list[Code] | None = None


class JoinedFile(Part):
    """Codes joined in one cell."""

    column: Text
    by: Annotated[str, Field(min_length=1)]


def _named_or_pattern(value: object) -> str:
    return "named" if isinstance(value, dict) else "pattern"


TickColumnsFile = Annotated[
    Annotated[dict[str, AnswerEntry], Tag("named")] | Annotated[Text, Tag("pattern")],
    Discriminator(_named_or_pattern),
]


class MultiFile(QuestionPart):
    """Several answers per respondent, in one of three layouts."""

    kind: Literal["multi"]
    columns: TickColumnsFile | None = None
    mentions: list[Text] | None = None
    joined: JoinedFile | None = None
    answers: Answers | None = None
    ticked: list[Code] = ["1"]
    unticked: list[Code] | None = None
    nets: list[NetFile] = []
    missing: list[Code] | None = None

    @model_validator(mode="after")
    def _one_layout(self) -> MultiFile:
        layouts = [self.columns, self.mentions, self.joined]
        if sum(layout is not None for layout in layouts) != 1:
            raise ValueError(
                "a multi question needs exactly one of columns (one per answer), mentions (one column per "
                "mention) or joined (codes in one cell)."
            )
        if isinstance(self.columns, dict):
            if self.answers is not None:
                raise ValueError("columns already name the answers; take answers out.")
        elif not self.answers:
            raise ValueError("answers are needed: a code and a label for each.")
        if isinstance(self.columns, str) and "{code}" not in self.columns:
            raise ValueError("a column pattern must hold {code}, as in heard_{code}.")
        return self


class NumberFile(QuestionPart):
    """A number per respondent."""

    kind: Literal["number"]
    column: Text | None = None
    missing: list[Code] | None = None


class TextFile(QuestionPart):
    """Open text: listed, never tabulated as it stands."""

    kind: Literal["text"]
    column: Text | None = None


def _as_item(value: object) -> object:
    return value if isinstance(value, dict) else {"column": value}


class ItemFile(Part):
    """An item of a grid."""

    column: Text
    label: Text | None = None


class GridFile(QuestionPart):
    """Several items with one answer list."""

    kind: Literal["grid"]
    items: Annotated[dict[str, Annotated[ItemFile, BeforeValidator(_as_item)]], Field(min_length=1)]
    answers: Annotated[Answers, Field(min_length=1)]
    scale: bool = False
    nets: list[NetFile] = []
    missing: list[Code] | None = None


class BandsPart(Part):
    """Where to cut a number."""

    of: str
    ranges: list[Text] | None = None
    edges: list[Annotated[float, Field(strict=False)]] | None = None
    labels: list[Text] | None = None

    @model_validator(mode="after")
    def _one_way(self) -> BandsPart:
        if (self.ranges is None) == (self.edges is None):
            raise ValueError("bands need either ranges (18-24, 25-34, 35+) or edges (0, 5, 20).")
        return self


class BandsFile(QuestionPart):
    """A number question cut into bands."""

    bands: BandsPart
    kind: Literal["single"] = "single"
    nets: list[NetFile] = []


class DeriveFile(QuestionPart):
    """Answers given by rules, the first that holds."""

    derive: Annotated[dict[str, Text], Field(min_length=1)]
    kind: Literal["single"] = "single"
    nets: list[NetFile] = []


QuestionFile = SingleFile | MultiFile | NumberFile | TextFile | GridFile | BandsFile | DeriveFile

BY_KIND: dict[str, type[QuestionPart]] = {
    "single": SingleFile,
    "multi": MultiFile,
    "number": NumberFile,
    "text": TextFile,
    "grid": GridFile,
}


class CodebookFile(Part):
    """The head of the codebook; each question is checked on its own."""

    title: Text = ""
    respondent: Text | None = None
    weight: Text | None = None
    missing: list[Code] = []
    questions: Annotated[dict[str, Any], Field(min_length=1)]

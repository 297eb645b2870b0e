"""The plan file, as written: what keys there are and what each may hold."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import BeforeValidator, Field, field_validator, model_validator

from eager_otter.documents.checking import Code, Part, Text
from eager_otter.tables.request import Figure, JudgedOn, Shape, SortBy, TotalPlace

Number = Annotated[float, Field(strict=False)]


def _as_list(value: object) -> object:
    return value if isinstance(value, list) else [value]


OneOrMore = Annotated[list[Code], BeforeValidator(_as_list), Field(min_length=1)]


def _as_question(value: object) -> object:
    return value if isinstance(value, dict) else {"question": value}


class GroupFile(Part):
    """Columns that belong together: of a question, of one's own, or a nesting of groups."""

    question: Text | None = None
    label: Text | None = None
    keep: Annotated[list[Code], Field(min_length=1)] | None = None
    labels: dict[str, Text] = {}
    columns: Annotated[dict[str, OneOrMore], Field(min_length=1)] | None = None
    nest: Annotated[list[Any], Field(min_length=2)] | None = None
    subtotal: bool = False
    only: Text | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if self.nest is not None and (self.question is not None or self.columns is not None):
            raise ValueError("a nesting names its questions inside nest; take question and columns out.")
        if self.nest is None and self.question is None and self.columns is None:
            raise ValueError(
                "a banner group needs a question, columns (label: expression) or nest (a list of groups)."
            )
        if self.columns is not None and self.keep is not None:
            raise ValueError("columns say already what is shown; take keep out.")
        if self.subtotal and self.nest is None:
            raise ValueError("a subtotal goes with nest: one column for all of each outer answer.")
        return self


GroupEntry = Annotated[GroupFile, BeforeValidator(_as_question)]


def _as_groups(value: object) -> object:
    return {"groups": value} if isinstance(value, list) else value


class BannerFile(Part):
    """A banner: its groups, and where the Total stands."""

    groups: Annotated[list[Any], Field(min_length=1)]
    total: TotalPlace = "first"


BannerEntry = Annotated[BannerFile, BeforeValidator(_as_groups)]


class TestsFile(Part):
    """Significance tests."""

    __test__ = False  # not a test case, whatever its name

    levels: Annotated[list[Number], BeforeValidator(_as_list)] = [95.0]
    against: Literal["each other"] = "each other"


def _none_as_no_levels(value: object) -> object:
    return {"levels": []} if value == "none" else value


TestsEntry = Annotated[TestsFile, BeforeValidator(_none_as_no_levels)]


class BasesFile(Part):
    """Minimum bases."""

    mark: Number | None = Field(default=None, alias="mark below")
    no_test: Number | None = Field(default=None, alias="no test below")
    withhold: Number | None = Field(default=None, alias="withhold below")
    judged_on: JudgedOn = Field(default="unweighted base", alias="judged on")


class DigitsFile(Part):
    """Decimal places by kind of figure."""

    percent: int | None = Field(default=None, ge=0, le=10)
    count: int | None = Field(default=None, ge=0, le=10)
    mean: int | None = Field(default=None, ge=0, le=10)


def _as_percent_digits(value: object) -> object:
    return value if isinstance(value, dict) else {"percent": value}


DigitsEntry = Annotated[DigitsFile, BeforeValidator(_as_percent_digits)]
Figures = Annotated[list[Figure], BeforeValidator(_as_list), Field(min_length=1)]


def _as_sorting(value: object) -> object:
    if value in ("up", "down"):
        return {"direction": value}
    return value if isinstance(value, dict) else {"by": value}


class SortFile(Part):
    """The order of rows."""

    by: SortBy = "figure"
    direction: Literal["up", "down"] | None = None
    column: Text = "Total"


class SettingsPart(Part):
    """What a single table and a rule for many may both say."""

    banner: Annotated[list[Text], BeforeValidator(_as_list)] | None = None
    filter: Text | None = None
    base: Text | None = None
    sort: Annotated[SortFile, BeforeValidator(_as_sorting)] | None = None
    hide: OneOrMore | None = None
    leave_out: OneOrMore | None = Field(default=None, alias="leave out")
    most: Annotated[int, Field(ge=1)] | None = None
    above: Annotated[float, Field(strict=False, ge=0, le=100)] | None = None
    empty_rows: Literal["keep", "drop"] | None = Field(default=None, alias="empty rows")
    repeat: Text | None = None
    figures: Figures | None = None
    digits: DigitsEntry | None = None
    tests: TestsEntry | None = None
    bases: BasesFile | None = None


class DefaultsFile(Part):
    """Settings of every table that says nothing else."""

    banner: Text | None = None
    figures: Figures | None = None
    digits: DigitsEntry | None = None


class TableFile(SettingsPart):
    """One table."""

    question: Text
    value: Text | None = None
    id: Text | None = None
    title: Text | None = None


class ItemsFile(SettingsPart):
    """Several questions in one table: the items of a grid, or questions named."""

    grid: Text | None = None
    items: Annotated[list[Text], Field(min_length=1)] | None = None
    shape: Shape = Field(default="items by columns", alias="as")
    figure: Text = "mean"
    id: Text | None = None
    title: Text | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.grid is None) == (self.items is None):
            raise ValueError("name either a grid or items (a list of questions).")
        return self


class EachFile(SettingsPart):
    """A table for every question whose name fits (patterns; `all`: those not named elsewhere in the plan)."""

    each: Annotated[list[Text], BeforeValidator(_as_list)]
    kinds: Annotated[list[Text], BeforeValidator(_as_list)] | None = None
    sections: Annotated[list[Text], BeforeValidator(_as_list)] | None = None


class HeadingFile(Part):
    """A heading over the tables that follow, in the contents."""

    heading: Text


def _as_file(value: object) -> object:
    return value if isinstance(value, dict) else {"file": value}


class DataPart(Part):
    """The file of responses, and how to read it where that cannot be told from the file."""

    file: Text
    sheet: Text | None = None
    delimiter: str | None = None
    encoding: str | None = None
    decimal: Literal[".", ","] | None = None


class AcceptFile(Part):
    """A finding of the audit to let be."""

    finding: Text
    where: Text = "*"
    because: Annotated[Text, Field(min_length=1)]


class PlanFile(Part):
    """The whole plan; banners and tables are checked one by one."""

    title: Text = ""
    data: Annotated[DataPart, BeforeValidator(_as_file)]
    codebook: Text
    filter: Text | None = None
    weight: Text | None = None
    banners: dict[str, Any] = {}
    tests: Any = None
    bases: Any = None
    defaults: Any = None
    tables: Annotated[list[Any], Field(min_length=1)]
    accept: list[AcceptFile] = []
    outputs: list[Text] = []

    @field_validator("outputs")
    @classmethod
    def _known_outputs(cls, outputs: list[str]) -> list[str]:
        for output in outputs:
            if not output.lower().endswith((".xlsx", ".csv")):
                raise ValueError(f"outputs end in .xlsx or .csv; found {output!r}.")
        if len({output.casefold() for output in outputs}) < len(outputs):
            raise ValueError("an output is named twice.")
        return outputs

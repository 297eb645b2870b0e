"""The plan file, as written: what keys there are and what each may hold."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, field_validator

from eager_otter.documents.checking import Code, Part, Text
from eager_otter.tables.request import Figure, JudgedOn

Number = Annotated[float, Field(strict=False)]


def _one_or_more(value: object) -> object:
    return value if isinstance(value, list) else [value]


def _as_question(value: object) -> object:
    return value if isinstance(value, dict) else {"question": value}


class GroupFile(Part):
    """The columns of one question."""

    question: Text
    label: Text | None = None
    keep: Annotated[list[Code], Field(min_length=1)] | None = None
    labels: dict[str, Text] = {}


GroupEntry = Annotated[GroupFile, BeforeValidator(_as_question)]


class TestsFile(Part):
    """Significance tests."""

    __test__ = False  # not a test case, whatever its name

    levels: Annotated[list[Number], BeforeValidator(_one_or_more)] = [95.0]
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
Figures = Annotated[list[Figure], BeforeValidator(_one_or_more), Field(min_length=1)]


class SettingsPart(Part):
    """What the defaults and a single table may both say."""

    banner: Text | None = None
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
    id: Text | None = None
    title: Text | None = None
    filter: Text | None = None


class EachFile(SettingsPart):
    """A table for every question not named elsewhere in the plan."""

    each: Literal["all"]
    filter: Text | None = None


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
